"""What is visible of a stack of coats at a point: the layer a surface gives, and one laid over another."""

from __future__ import annotations

from dataclasses import dataclass
from dataclasses import fields as dataclass_fields
from typing import Any

from jade_coat.material.placement import Placed, gradient_color, hue_turned
from jade_coat.material.surface import MapLookup, Role, Surface
from jade_coat.program import Value, const, lib


@dataclass(frozen=True, kw_only=True)
class Layer:
    """What is visible so far: linear colour, tangent-space normal (of any length), and values from 0 to 1."""

    base_color: Value
    normal: Value
    roughness: Value
    metallic: Value
    occlusion: Value
    height: Value
    emissive: Value
    opacity: Value
    specular: Value
    transmission: Value


def surface_layer(surface: Surface, fields: Any, detail_fields: Any, lookup: MapLookup) -> Layer:
    """Read a surface: every role from its maps where there are any, from the plain value otherwise."""
    placed = Placed(surface, fields, lookup)
    detail = _Detail(surface, detail_fields, fields, lookup)

    def ranged(value: Value | None, limits: Value, plain: Value) -> Value:
        return plain if value is None else lib.lerp(limits.x, limits.y, value)

    color = placed.read(Role.BASE_COLOR, fields.color)
    rough = placed.read(Role.ROUGHNESS, fields.roughness)
    occlusion, glow = placed.read(Role.OCCLUSION, const(1.0)), placed.read(Role.EMISSIVE, fields.emissive)
    return Layer(
        base_color=lib.clamp(detail.colored(_tinted(color if color is not None else fields.color, surface, fields))),
        normal=detail.tipped(placed.normal(fields.normal_strength)),
        roughness=lib.clamp(detail.roughened(ranged(rough, fields.roughness_range, fields.roughness))),
        metallic=lib.clamp(ranged(placed.read(Role.METALLIC, fields.metallic), fields.metallic_range, fields.metallic)),
        occlusion=_weakened(occlusion, fields.occlusion_strength) if occlusion is not None else const(1.0),
        height=_lifted(
            ranged(placed.read(Role.HEIGHT, fields.height), fields.height_range, fields.height), fields.lift
        ),
        emissive=glow * fields.glow if glow is not None else fields.emissive,
        opacity=placed.read(Role.OPACITY, const(1.0)) or const(1.0),
        specular=fields.specular,
        transmission=fields.transmission,
    )


def laid_at(surface: Surface, fields: Any, lookup: MapLookup) -> Value | None:
    """Where a surface's maps are read, 1 across a tile: on the first of its planes; None where it has none."""
    return Placed(surface, fields, lookup).planes[0].at if surface.map_set else None


def _lifted(height: Value, lift: Value) -> Value:
    return lib.clamp(height if lib.is_const(lift, 0.0) else height + lift)


def _weakened(occlusion: Value, strength: Value) -> Value:
    return occlusion if lib.is_const(strength, 1.0) else lib.lerp(1.0, occlusion, strength)


def _tinted(color: Value, surface: Surface, fields: Any) -> Value:
    """A colour after gradient, hue, saturation, value and tint; what is at its default costs nothing."""
    if surface.gradient:
        color = gradient_color(surface.gradient, lib.luminance(color))
    if not lib.is_const(fields.hue, 0.0):
        color = hue_turned(color, fields.hue)
    if not lib.is_const(fields.saturation, 1.0):
        color = lib.lerp(lib.luminance(color), color, fields.saturation)
    if not lib.is_const(fields.value, 1.0):
        color = color * fields.value
    return color * fields.tint


class _Detail:
    """The second, finer maps of a surface; without any, everything passes through."""

    def __init__(self, surface: Surface, fields: Any, outer: Any, lookup: MapLookup) -> None:
        self._fields, self._set, self._lookup = fields, surface.detail.map_set, lookup
        self._placed = Placed(surface, outer, lookup, fields.tile_size, (self._set,)) if self._set else None

    def _mean(self, role: Role) -> Value:
        read = self._lookup.read(self._set, role)
        assert read is not None
        picks = tuple("rgba".index(c) for c in read.channels)
        return lib.make("swizzle", (lib.texture_mean(read.texture),), picks)

    def colored(self, color: Value) -> Value:
        value = self._placed.read(Role.BASE_COLOR) if self._placed else None
        if value is None:
            return color
        return color * lib.lerp(
            1.0, value / lib.maximum(self._mean(Role.BASE_COLOR), 0.01), self._fields.color_strength
        )

    def tipped(self, normal: Value | None) -> Value:
        base = normal if normal is not None else const(0.0, 0.0, 1.0)
        detail = self._placed.normal(self._fields.relief) if self._placed else None
        if detail is None:
            return base
        return lib.blend_normals(base, detail) if normal is not None else detail

    def roughened(self, roughness: Value) -> Value:
        value = self._placed.read(Role.ROUGHNESS) if self._placed else None
        if value is None:
            return roughness
        return roughness + (value - self._mean(Role.ROUGHNESS)) * self._fields.roughness_strength


def blended(below: Layer, above: Layer, w: Value) -> Layer:
    """`above` laid over `below`: 0 shows only the lower, 1 only the upper, 0.5 an even mix."""

    def mixed(lower: Value, upper: Value) -> Value:
        return lower if lower is upper else lib.lerp(lower, upper, w)

    names = [part.name for part in dataclass_fields(Layer)]
    return Layer(**{name: mixed(getattr(below, name), getattr(above, name)) for name in names})
