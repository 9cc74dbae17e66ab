"""The parts that surface kinds add to a material, and the light that some of them are lit by."""

from __future__ import annotations

from functools import cache
from pathlib import Path

from jade_coat.material.dither import Dither
from jade_coat.material.far import Far
from jade_coat.material.fill import Fill
from jade_coat.material.glow import Glow
from jade_coat.material.kind_part import PREFIX, KindPart
from jade_coat.material.settle import Settle
from jade_coat.material.strands import Strands
from jade_coat.material.tones import Tones

KIND_PARTS: dict[str, type[KindPart]] = {
    "strands": Strands, "tones": Tones, "glow": Glow, "far": Far, "dither": Dither,
    "fill": Fill, "settle": Settle,
}  # fmt: skip
"""The parts of a material that belong to a kind, or to all of them, by their names in it."""


@cache
def light_of(shading: str) -> str:
    """GLSL of what a kind with a light of its own sends of it: `light_sent` and `sky_sent`, as `light.glsl` asks."""
    return (Path(__file__).parent / "lights" / f"{shading}.glsl").read_text()


def shading_path(part: str, name: str) -> str:
    """The path of a field of such a part."""
    return f"{PREFIX}{part}.{name}"
