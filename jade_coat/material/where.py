"""Where a coat shows: terms from 0 to 1, each with range, contrast and invert, combined in order."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from jade_coat.material.fields import Frozen, Vec2, field

Combine = Literal["multiply", "add", "max", "min"]
Channel = Literal["R", "G", "B", "A"]


class Term(Frozen):
    """What every term has."""

    label: ClassVar[str] = ""
    id: str
    combine: Combine = "multiply"
    invert: bool = False
    range: Vec2 = field((0.0, 1.0), "Range", kind="range", hint="What becomes 0 and what becomes 1")
    contrast: float = field(1.0, "Contrast", low=0.0, high=20.0, soft=(0, 4))


class PaintTerm(Term):
    """A painted vertex channel."""

    label: ClassVar[str] = "Paint"
    kind: Literal["paint"] = "paint"
    channel: Channel = "R"
    color_set: int = Field(0, ge=0, le=3)


class NoiseTerm(Term):
    """Fractal noise in object space."""

    label: ClassVar[str] = "Noise"
    kind: Literal["noise"] = "noise"
    size: float = field(
        0.5,
        "Size",
        unit="m",
        low=0.001,
        high=1000.0,
        soft=(0.02, 8.0),
        logarithmic=True,
        hint="Metres across one patch",
    )
    octaves: int = Field(4, ge=1, le=8)
    seed: int = Field(0, ge=0, le=9999)


class SlopeTerm(Term):
    """How far the surface leans from facing up, 0° to 180°."""

    label: ClassVar[str] = "Slope"
    kind: Literal["slope"] = "slope"
    range: Vec2 = field(
        (0.0, 1.5707964),
        "From, to",
        kind="range",
        unit="°",
        low=0.0,
        high=3.1415927,
        hint="0° faces up, 90° is a wall, 180° faces down",
    )


class HeightTerm(Term):
    """Height of the coats below, 0 to 1 of the material's depth."""

    label: ClassVar[str] = "Height below"
    kind: Literal["height"] = "height"


class WorldHeightTerm(Term):
    """Height above the world's ground, in metres."""

    label: ClassVar[str] = "World height"
    kind: Literal["world_height"] = "world_height"
    range: Vec2 = field((0.0, 2.0), "From, to", kind="range", unit="m", low=-1000, high=1000, soft=(0, 5))


AnyTerm = Annotated[PaintTerm | NoiseTerm | SlopeTerm | HeightTerm | WorldHeightTerm, Field(discriminator="kind")]
TERM_KINDS: dict[str, type[Term]] = {
    "paint": PaintTerm, "noise": NoiseTerm, "slope": SlopeTerm, "height": HeightTerm,
    "world_height": WorldHeightTerm,
}  # fmt: skip
