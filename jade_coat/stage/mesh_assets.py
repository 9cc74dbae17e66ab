"""The meshes of a project: their slots, the variants that dress them, and the categories slots can name."""

from __future__ import annotations

from itertools import pairwise

from pydantic import Field, model_validator

from jade_coat.material.fields import Frozen
from jade_coat.mesh.makers import AnyMade

DEFAULT = "default"
"""The id of the variant at index 0, in files and code; its display name is free."""


class Variant(Frozen):
    """A model's named choice of finishes by slot. What it leaves open the default dresses."""

    id: str
    name: str
    finishes: dict[str, str] = Field(default_factory=dict)


class Category(Frozen):
    """A kind of surface, such as wood or cloth, and the project's finish for it; empty for none."""

    id: str
    name: str
    finish: str = ""


class FarLevel(Frozen):
    """A coarser mesh that stands in for another from afar: from how far on, metres, of a prop of size 1."""

    mesh: str
    away: float = Field(gt=0, le=1e6)


class MeshAsset(Frozen):
    """A mesh of the project: the asset that holds it, the names of its slots, and how it moves.

    `clip` is the one of its `clips` it moves by; without one it stands still, as its file poses it. `variants` dress
    its slots, index 0 those props that ask for nothing. `categories` gives by slot the category it belongs to.
    """

    id: str
    name: str
    asset: str
    slots: tuple[str, ...]
    clips: tuple[str, ...] = ()
    clip: str = ""
    variants: tuple[Variant, ...] = (Variant(id=DEFAULT, name="Default"),)
    categories: dict[str, str] = Field(default_factory=dict)
    made: AnyMade | None = None
    """What it is made from, where it can be made anew."""
    made_of: str = ""
    """The key of the opacity that it was cut by."""
    levels: tuple[FarLevel, ...] = ()
    """What the view shows of it from afar, nearest first. Their slots are dressed as its own of the same names."""

    @model_validator(mode="after")
    def _default_first(self) -> MeshAsset:
        ids = [v.id for v in self.variants]
        if not ids or ids[0] != DEFAULT:
            raise ValueError(f"{self.name}: the first variant must be {DEFAULT!r}, got {ids[:1]}")
        if len(set(ids)) != len(ids):
            raise ValueError(f"{self.name}: the ids of variants must be unique, got {ids}")
        away = [level.away for level in self.levels]
        if any(b <= a for a, b in pairwise(away)):
            raise ValueError(f"{self.name}: its levels must be shown from ever farther away, got {away}")
        if any(level.mesh == self.id for level in self.levels):
            raise ValueError(f"{self.name} cannot be a level of itself")
        return self

    def variant(self, wanted: str) -> Variant:
        """The variant with this id; the default for an empty one. Raises KeyError."""
        for found in self.variants:
            if found.id == (wanted or DEFAULT):
                return found
        raise KeyError(f"{self.name} has no variant {wanted!r}")

    def variant_index(self, wanted: str) -> int:
        """The index of a variant by its id, name or index in digits, as files and code address it. Raises KeyError."""
        for i, found in enumerate(self.variants):
            if wanted in (found.id, str(i)) or (not wanted and i == 0):
                return i
        for i, found in enumerate(self.variants):
            if found.name == wanted:
                return i
        raise KeyError(f"{self.name} has no variant {wanted!r}: there are {', '.join(v.name for v in self.variants)}")

    def dress(self, variant: str, of_category: dict[str, str]) -> dict[str, str]:
        """The finish of every slot under a variant: its own, else the default's, else that of the slot's category.

        `of_category` gives the finishes of categories by id. A variant that is gone dresses as the default.
        """
        known = next((v for v in self.variants if v.id == variant), self.variants[0])
        found = {}
        for slot in self.slots:
            named = of_category.get(self.categories.get(slot, ""), "")
            finish = known.finishes.get(slot) or self.variants[0].finishes.get(slot) or named
            if finish:
                found[slot] = finish
        return found
