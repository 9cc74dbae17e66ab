"""Looks that need no bake: one coat of maps laid by a UV set is written as it is, with KHR_texture_transform."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import cv2
import numpy as np

from jade_coat.bake.baker import Look
from jade_coat.files.gltf_writer import BakedMaterial, Laid
from jade_coat.maps.color import to_linear, to_srgb
from jade_coat.maps.images import as_float, png_bytes, quantized
from jade_coat.material.kinds import kind_of
from jade_coat.material.surface import Role, Surface
from jade_coat.mesh.data import MAX_UV_SETS, MeshData
from jade_coat.program.types import Array

_STRAIGHT = {"hue": 0.0, "saturation": 1.0, "value": 1.0, "transmission": 0.0}
"""Numbers that a file cannot say otherwise than as they are at first."""


def unbaked(look: Look, mesh: MeshData, name: str, side: int) -> BakedMaterial | None:
    """A look with its own maps, at most `side` texels across; None where only a bake shows it as it is.

    `mesh` is the prop's own: in what is written its UV sets come behind the one that bakes are laid by.
    """
    material = look.material
    coat = material.coats[0]
    surface, kind = coat.surface, kind_of(material.kind)
    values = {n: look.values[f"{coat.id}.surface.{n}"] for n in type(surface).model_fields if
              f"{coat.id}.surface.{n}" in look.values}  # fmt: skip
    lone = len(material.coats) == 1 and kind.lit and not (kind.shading or material.moves or material.links)
    if not lone or not _is_plain(surface, values) or surface.uv_set >= min(len(mesh.uvs), MAX_UV_SETS - 1):
        return None
    maps = _maps(look, surface.map_set, side)
    if Role.BASE_COLOR not in maps or (Role.OPACITY in maps and not kind.reads_opacity):
        return None
    factors = np.array([*values["tint"], 1.0])  # type: ignore[misc]
    glow = np.array(values["glow" if Role.EMISSIVE in maps else "emissive"], np.float64)
    strongest = max(float(glow.max()), 0.0)
    return BakedMaterial(
        name, _color(maps, kind.reads_opacity), _packed(maps, values), _normal(maps, values),
        _glow(maps, glow, strongest), max(strongest, 1.0), kind.gltf,
        material.cut if kind.cut == "threshold" else 0.5, material.two_sided, kind.unlit, _number(values["specular"]),
        laid=_laid(surface, values, mesh), tint=tuple(float(f) for f in factors),
        relief=_number(values["normal_strength"]),
    )  # fmt: skip


def _is_plain(surface: Surface, values: Mapping[str, Any]) -> bool:
    by_uv = surface.placement in ("uv", "square")
    own = bool(surface.map_set) and not (surface.more_sets or surface.detail.map_set or surface.gradient)
    straight = all(_number(values[n]) == usual for n, usual in _STRAIGHT.items())
    return by_uv and own and straight and surface.tile_break == "none" and max(values["tint"]) <= 1


def _number(value: Any) -> float:
    return float(np.ravel(value)[0])


def _maps(look: Look, map_set: str, side: int) -> dict[Role, Array]:
    """The maps of a set as they are read, `(h, w, k)` 0 to 1, colour in sRGB; none larger than a side."""
    found: dict[Role, Array] = {}
    for role in Role:
        read = look.lookup.read(map_set, role)
        if read is not None and role not in (Role.MASK, Role.CHANNELS):
            picks = ["rgba".index(c) for c in read.channels]
            picture = as_float(look.textures[read.texture.name].levels[0][..., picks])
            height, width = picture.shape[:2]
            if max(height, width) > side:
                size = (max(width * side // max(height, width), 1), max(height * side // max(height, width), 1))
                picture = cv2.resize(picture, size, interpolation=cv2.INTER_AREA).reshape(size[1], size[0], -1)
            found[role] = picture
    return found


def _sized(picture: Array, like: tuple[int, int]) -> Array:
    if picture.shape[:2] == like:
        return picture
    return np.asarray(cv2.resize(picture, like[::-1], interpolation=cv2.INTER_LINEAR)).reshape(*like, -1)


def _color(maps: Mapping[Role, Array], with_alpha: bool) -> bytes:
    color = maps[Role.BASE_COLOR]
    if with_alpha and Role.OPACITY in maps:
        color = np.concatenate([color, _sized(maps[Role.OPACITY], color.shape[:2])], axis=2)
    return png_bytes(quantized(color))


def _packed(maps: Mapping[Role, Array], values: Mapping[str, Any]) -> bytes:
    """Occlusion, roughness and metallic, with their ranges in them."""
    sizes = [maps[r].shape[:2] for r in (Role.OCCLUSION, Role.ROUGHNESS, Role.METALLIC) if r in maps]
    like = max(sizes, default=(4, 4))

    def plane(role: Role, name: str) -> Array:
        if role not in maps:
            return np.full((*like, 1), _number(values[name]), np.float32)
        low, high = values[f"{name}_range"]
        return np.asarray(low + (high - low) * _sized(maps[role], like))

    occlusion = np.ones((*like, 1), np.float32)
    if Role.OCCLUSION in maps:
        occlusion = 1 + (_sized(maps[Role.OCCLUSION], like) - 1) * _number(values["occlusion_strength"])
    parts = [occlusion, plane(Role.ROUGHNESS, "roughness"), plane(Role.METALLIC, "metallic")]
    return png_bytes(quantized(np.clip(np.concatenate(parts, axis=2), 0, 1)))


def _normal(maps: Mapping[Role, Array], values: Mapping[str, Any]) -> bytes:
    """Normals turned and flipped with their tile: KHR_texture_transform moves maps and turns no vectors."""
    if Role.NORMAL not in maps:
        return png_bytes(np.tile(np.array([128, 128, 255], np.uint8), (4, 4, 1)))
    xy = maps[Role.NORMAL][..., :2] * 2 - 1
    c, s = np.cos(_number(values["turn"])), np.sin(_number(values["turn"]))
    x, y = xy[..., 0] * c - xy[..., 1] * s, xy[..., 0] * s + xy[..., 1] * c
    x, y = x * (1 - 2 * _number(values["flip_across"])), y * (1 - 2 * _number(values["flip_down"]))
    z = np.sqrt(np.clip(1 - x * x - y * y, 0, 1))
    return png_bytes(quantized(np.stack([x, y, z], axis=2) * 0.5 + 0.5))


def _glow(maps: Mapping[Role, Array], glow: Array, strongest: float) -> bytes | None:
    if strongest <= 0:
        return None
    share = np.asarray(to_srgb(glow / max(strongest, 1.0)))
    if Role.EMISSIVE not in maps:
        return png_bytes(quantized(np.tile(share, (4, 4, 1))))
    return png_bytes(quantized(to_srgb(to_linear(maps[Role.EMISSIVE]) * glow / max(strongest, 1.0))))


def _laid(surface: Surface, values: Mapping[str, Any], mesh: MeshData) -> Laid:
    if surface.placement == "square":
        scale = np.array(values["repeats"], np.float64)
    else:
        metres = mesh.metres[surface.uv_set] if surface.uv_set < len(mesh.metres) else (1.0, 1.0)
        scale = np.array(metres, np.float64) / _number(values["tile_size"])
    scale = scale * (1 - 2 * np.array([_number(values["flip_across"]), _number(values["flip_down"])]))
    x, y = (float(v) for v in values["offset"])
    return Laid(1 + surface.uv_set, (x, y), (float(scale[0]), float(scale[1])), -_number(values["turn"]))
