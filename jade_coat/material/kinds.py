"""Surface kinds: how a material meets light and what is behind it; one record each."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Cut = Literal["", "threshold", "noise", "light"]
CUT_BY: dict[Cut, tuple[str, ...]] = {
    "": (), "threshold": ("opacity",), "noise": ("opacity",), "light": ("base_color", "emissive", "opacity"),
}  # fmt: skip
"""The quantities that ways of leaving points out go by."""
LEAST_LIGHT = 0.1
"""Less light than this that is added, in luminance, is not there to be pointed at or looked at alone."""
Blend = Literal["", "over", "add"]
Casting = Literal["whole", "threshold", "noise", "none"]


@dataclass(frozen=True)
class SurfaceKind:
    """A kind by the name that files use.

    `cut` says which points of a surface are left out: those whose opacity is below the material's threshold, or as many
    as its opacity asks for, by noise. `part` names what it adds to a material (see `material.shading`), if anything,
    `own_light` that it is lit by the light of that. `blend` says how the rest goes over what is behind: in its place,
    over it by its opacity (Porter & Duff 1984), or added to it. What blends is drawn after all else, far to near. `lit`
    tells whether light falls on it, `casts` which points throw a shadow. `gltf` is glTF's alphaMode.
    """

    name: str
    label: str
    hint: str
    cut: Cut = ""
    blend: Blend = ""
    lit: bool = True
    casts: Casting = "whole"
    gltf: str = "OPAQUE"
    part: str = ""
    own_light: bool = False

    @property
    def shading(self) -> str:
        """The part whose light it is lit by, if by one of its own."""
        return self.part if self.own_light else ""

    @property
    def cut_as_surface(self) -> Cut:
        """Which points are left out where quantities are looked at: of what blends those that hardly show."""
        if self.blend:
            return "light" if self.blend == "add" else "threshold"
        return self.cut

    @property
    def reads_opacity(self) -> bool:
        """Whether opacity matters."""
        return bool(self.cut or self.blend)

    @property
    def unlit(self) -> bool:
        """Whether glTF is told so (KHR_materials_unlit)."""
        return not self.lit


KINDS: dict[str, SurfaceKind] = {
    k.name: k
    for k in (
        SurfaceKind("opaque", "Opaque", "Nothing shows through"),
        SurfaceKind(
            "masked", "Cut out", "Whatever is less opaque than the threshold is not there: leaves, grilles",
            cut="threshold", casts="threshold", gltf="MASK",
        ),
        SurfaceKind(
            "dithered", "Dithered", "As many points as its opacity are there, by fine noise: soft, unsorted",
            cut="noise", casts="noise", gltf="BLEND", part="dither",
        ),
        SurfaceKind(
            "blended", "Blended", "What is behind shows through by its opacity: glass, veils",
            blend="over", casts="noise", gltf="BLEND",
        ),
        SurfaceKind(
            "strands", "Strands", "Fibres with light along them, as many as its opacity asks for: thatch, fur",
            cut="noise", casts="noise", gltf="MASK", part="strands", own_light=True,
        ),
        SurfaceKind(
            "toned", "Two-tone", "Light cut in two tones with a drawn edge, gloss and outline: painted figures",
            cut="threshold", casts="threshold", gltf="MASK", part="tones", own_light=True,
        ),
        SurfaceKind(
            "additive", "Additive", "Its colour and glow are added to what is behind, unlit: sparks, haze", blend="add",
            lit=False, casts="none", gltf="BLEND",
        ),
        SurfaceKind(
            "glow", "Glow", "Cards of light, added to what is behind: embers, lanterns, haze", blend="add", lit=False,
            casts="none", gltf="BLEND", part="glow",
        ),
    )
}  # fmt: skip
"""All kinds by name."""


def kind_of(name: str) -> SurfaceKind:
    """The kind with this name. Raises ValueError."""
    if name not in KINDS:
        raise ValueError(f"there is no surface kind {name!r}; there are {', '.join(KINDS)}")
    return KINDS[name]
