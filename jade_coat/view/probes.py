"""What can be looked at on a material beside its quantities: painted channels, UV sets, and how large texels are."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from jade_coat.mesh.data import MAX_COLOR_SETS, MAX_UV_SETS
from jade_coat.program import VEC2, VEC4, Value, lib
from jade_coat.program.glsl_backend import output_name
from jade_coat.program.passes import textures
from jade_coat.program.samplers import Kind
from jade_coat.program.value import TextureRef

KindOf = Callable[[TextureRef], Kind | None]
"""Tells what kind a texture is of; None for one that is not there yet."""


def of_the_mesh() -> dict[str, Value]:
    """What can be looked at on any material: painted channels, and checks along the UV sets."""
    sets = [lib.attribute(f"color{i}", VEC4) for i in range(MAX_COLOR_SETS)]
    found = {f"channel:{4 * i + k}": getattr(s, letter) for i, s in enumerate(sets) for k, letter in enumerate("xyzw")}
    checks = {f"uv:{i}": _checks(lib.attribute(f"uv{i}", VEC2)) for i in range(MAX_UV_SETS)}
    return {"paint": sets[0], **found, **checks}


TEXELS = 32
"""The side of the squares that texels are counted by."""


def probed(probe: str, outputs: Mapping[str, Value], kind: KindOf) -> tuple[str, str]:
    """The GLSL of an output that is looked at, one float, and the output's name; none of what is not there."""
    name, _, coat = probe.partition(":")
    if name != "texels":
        return (output_name(probe), probe) if probe in outputs else ("0.0", "")
    if f"at:{coat}" not in outputs:  # another material: its lowest coat with maps, so that props can be compared
        coat = next((n.partition(":")[2] for n in outputs if n.startswith("at:")), coat)
    read = textures([outputs[f"color:{coat}"], outputs[f"height:{coat}"]]) if f"at:{coat}" in outputs else ()
    known = next((k for k in map(kind, read) if k is not None), None)
    if known is None:
        return "0.0", ""
    at, (_, width, height) = output_name(f"at:{coat}"), known
    odd, wide = (
        f"mod(floor({at}.x * {width / side:.1f}) + floor({at}.y * {height / side:.1f}), 2.0)"
        for side in (TEXELS, 8 * TEXELS)
    )
    return f"(0.12 + 0.5 * {odd} + 0.3 * {wide})", f"at:{coat}"


def _checks(uv: Value) -> Value:
    """Eight checks along each unit of a UV set, brighter along it: 0 to 1."""
    eighths = lib.unary("floor", uv * 8.0)
    odd = lib.unary("fract", (eighths.x + eighths.y) * 0.5) * 2.0
    along = lib.unary("fract", uv)
    return 0.1 + odd * 0.5 + (along.x + along.y) * 0.2
