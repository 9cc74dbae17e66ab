"""What a file's materials become here: a surface each, as near to glTF's meaning as a surface can say."""

from __future__ import annotations

import math
from dataclasses import replace

from jade_coat.files.gltf_materials import FileMaterial
from jade_coat.material.fields import declared
from jade_coat.material.surface import Role, Surface
from jade_coat.stage.making import FileLook


def look_of(found: FileMaterial) -> FileLook:
    """A file's material as something to make; factors beyond what fields take are cut to that.

    What is unlit glows in its colour, and mirrors and reflects nothing.
    """
    if found.unlit:
        found = _glowing(found)
    mapped = {m.role for m in found.maps}
    specs = declared(Surface)

    def within(name: str, value: float) -> float:
        return min(max(value, specs[name].low), specs[name].high)

    def color(name: str, value: tuple[float, float, float]) -> tuple[float, ...]:
        return tuple(within(name, v) for v in value)

    has_color, glows = Role.BASE_COLOR in mapped, Role.EMISSIVE in mapped
    surface = Surface(
        placement="square", uv_set=found.uv_set, offset=tuple(within("offset", v) for v in found.offset),
        repeats=tuple(within("repeats", abs(v)) for v in found.scale),
        flip_across=float(found.scale[0] < 0), flip_down=float(found.scale[1] < 0),
        turn=math.remainder(-found.turn, 2 * math.pi),
        **{(name := "tint" if has_color else "color"): color(name, found.color)},
        roughness=within("roughness", found.roughness), roughness_range=(0.0, within("roughness", found.roughness)),
        metallic=within("metallic", found.metallic), metallic_range=(0.0, within("metallic", found.metallic)),
        specular=within("specular", found.specular),
        normal_strength=within("normal_strength", found.relief),
        occlusion_strength=within("occlusion_strength", found.occlusion),
        **{(name := "glow" if glows else "emissive"): color(name, found.glow)},
    )  # fmt: skip
    return FileLook(
        found.slot, found.name, found.maps, surface, found.kind, min(max(found.cut, 0.0), 1.0), found.two_sided
    )


def _glowing(found: FileMaterial) -> FileMaterial:
    roles = {Role.BASE_COLOR: Role.EMISSIVE, Role.OPACITY: Role.OPACITY}
    maps = tuple(m.with_(role=roles[m.role]) for m in found.maps if m.role in roles)
    return replace(
        found, maps=maps, color=(0.0, 0.0, 0.0), glow=found.color, specular=0.0, metallic=0.0, roughness=1.0
    )  # fmt: skip


def notes_of(found: FileMaterial) -> list[str]:
    """What of a file's material is not taken, in words."""
    lines = [f"{found.name}: {line}" for line in found.left_out]
    low, high = declared(Surface)["repeats"].low, declared(Surface)["repeats"].high
    if any(not low <= abs(v) <= high for v in found.scale):
        lines.append(f"{found.name}: its maps are repeated beyond what is taken, {low:g} to {high:g} times")
    return lines
