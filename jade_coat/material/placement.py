"""Places maps on a mesh: by UV set, from three sides or from above, with or without a break of the tiling."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from jade_coat.material.surface import MapLookup, MapRead, Role, Space, Surface
from jade_coat.program import FLOAT, VEC2, VEC3, VEC4, TextureRef, Value, combine, const, lib

BY_UV = ("uv", "square")
"""The ways to lie by a UV set: tiled by metres, or once over its square."""
_HEX = (1.1547005, 0.57735026)
"""From the plane to the lattice of a triangle grid: 2/√3 and 1/√3."""


@dataclass(frozen=True)
class Plane:
    """One way the maps are laid: texture coordinates, the share of this plane, and the axes that x and y follow.

    `across` and `up` are unit vec3 in the surface's space, or None for the mesh's own tangent space.
    """

    at: Value
    share: Value | None
    sets: tuple[str, ...]
    across: Value | None = None
    up: Value | None = None


def frame_of(space: Space) -> tuple[Value, Value, Value]:
    """The mesh's tangent, bitangent and normal in a space, each a vec3."""
    prefix = "object_" if space == "object" else ""
    n = lib.attribute(f"{prefix}normal", VEC3)
    t = lib.attribute(f"{prefix}tangent", VEC4)
    return t.xyz, lib.cross(n, t.xyz) * t.w, n


def place_of(space: Space) -> Value:
    """The point of the surface in a space, metres."""
    return lib.attribute("position" if space == "object" else "world_position", VEC3)


class Placed:
    """Reads the roles of a surface where it is placed."""

    def __init__(self, surface: Surface, fields: Any, lookup: MapLookup, tile_size: Value | None = None,
                 sets: tuple[str, ...] = ()) -> None:  # fmt: skip
        self._surface, self._fields, self._lookup = surface, fields, lookup
        self._size = fields.tile_size if tile_size is None else tile_size
        self._once = tile_size is None
        """Whether these are the surface's own maps: a detail is tiled by metres wherever they lie."""
        self._own = sets or ((surface.map_set, *surface.more_sets) if surface.map_set else ())
        self.planes = list(self._planes())
        self._broken: dict[Value, list[tuple[Value, Value | None]]] = {}

    def read(self, role: Role, plain: Value | None = None) -> Value | None:
        """A role from its maps; `plain` stands in on planes without such a map. None without any map at all."""
        found = [(p, self._on(p, role)) for p in self.planes]
        if all(value is None for _, value in found):
            return None
        if len(found) == 1:
            return found[0][1]
        total: Value = const(0.0)
        for plane, value in found:
            assert plane.share is not None
            part = value if value is not None else plain
            if part is not None:
                total = total + part * plane.share
        return total

    def normal(self, strength: Value) -> Value | None:
        """The normal map in the mesh's tangent space, unit length; None without one."""
        found = [(p, self._on(p, Role.NORMAL)) for p in self.planes]
        if all(value is None for _, value in found):
            return None
        if self._surface.placement in BY_UV:
            value = found[0][1]
            assert value is not None
            return _unit(self._turned(value, strength))
        t, b, n = frame_of(self._surface.space)
        tipped = n
        for plane, value in found:
            if value is not None:
                # The plane's relief tips the mesh's own normal, as a height laid onto it would.
                local = _unit(self._turned(value, strength))
                assert plane.across is not None
                assert plane.up is not None
                tip = n * (local.z - 1.0) + plane.across * local.x + plane.up * local.y
                tipped = tipped + (tip if plane.share is None else tip * plane.share)
        return lib.normalize(combine(lib.dot(tipped, t), lib.dot(tipped, b), lib.dot(tipped, n)))

    def _turned(self, encoded: Value, strength: Value) -> Value:
        """The two channels of a normal as slopes, turned and flipped with their tile."""
        xy = (encoded * 2.0 - 1.0) * strength
        xy = lib.turn(xy, self._fields.turn)
        flips = self._flips()
        return xy if flips is None else xy * flips

    def _flips(self) -> Value | None:
        across, down = self._fields.flip_across, self._fields.flip_down
        if lib.is_const(across, 0.0) and lib.is_const(down, 0.0):
            return None
        return 1.0 - 2.0 * combine(across, down)

    def _planes(self) -> Iterator[Plane]:
        surface = self._surface
        if surface.placement in BY_UV:
            uv = lib.attribute(f"uv{surface.uv_set}", VEC2)
            once = surface.placement == "square" and self._once
            if once and not lib.is_const(self._fields.repeats, 1.0):
                uv = uv * self._fields.repeats
            at = self._laid(uv, 1.0) if once else self._laid(uv * lib.instance(f"metres{surface.uv_set}", VEC2))
            yield Plane(at, None, self._own)
            return
        p, (_, _, n) = place_of(surface.space), frame_of(surface.space)
        top = (surface.top_set,) if surface.top_set else self._own
        # v grows downward in the maps, so what points up the wall runs against it.
        y_axis = (combine(p.x, p.z), const(1.0, 0.0, 0.0), const(0.0, 0.0, -1.0))
        if surface.placement == "planar":
            yield Plane(self._laid(y_axis[0]), None, self._own, y_axis[1], y_axis[2])
            return
        raw = [lib.power(lib.maximum(lib.unary("abs", c), 1e-4), self._fields.sharpness) for c in (n.x, n.y, n.z)]
        total = raw[0] + raw[1] + raw[2]
        sides = (_side(n.x), _side(n.z))
        zero = const(0.0)
        yield Plane(self._laid(combine(-p.z * sides[0], -p.y)), raw[0] / total, self._own,
                    combine(zero, zero, -sides[0]), const(0.0, 1.0, 0.0))  # fmt: skip
        yield Plane(self._laid(y_axis[0]), raw[1] / total, top, y_axis[1], y_axis[2])
        yield Plane(self._laid(combine(p.x * sides[1], -p.y)), raw[2] / total, self._own,
                    combine(sides[1], zero, zero), const(0.0, 1.0, 0.0))  # fmt: skip

    def _laid(self, place: Value, size: Value | float | None = None) -> Value:
        """A place, in metres or of the UV square, as texture coordinates."""
        flips = self._flips()
        at = place / (self._size if size is None else size)
        if flips is not None:
            at = at * flips
        return lib.turn(at, self._fields.turn) + self._fields.offset

    def _on(self, plane: Plane, role: Role) -> Value | None:
        """A role on one plane, picked among the plane's map sets."""
        reads = [self._lookup.read(s, role) for s in plane.sets]
        if not reads or reads[0] is None:
            return None
        values = [self._sampled(plane.at, read if read is not None else reads[0], role) for read in reads]
        if len(values) == 1:
            return values[0]
        luck = self._luck(plane.at)
        chosen = values[-1]
        for i, value in reversed(list(enumerate(values[:-1], 1))):
            chosen = lib.select(lib.less(luck, i / len(values)), value, chosen)
        return chosen

    def _luck(self, at: Value) -> Value:
        if self._surface.pick == "prop":
            return lib.instance("seed", FLOAT)
        return lib.hashed(combine(lib.unary("floor", at), 7.0)).x

    def _sampled(self, at: Value, read: MapRead, role: Role) -> Value:
        texel = self._texel(at, read.texture)
        value = lib.make("swizzle", (texel,), tuple("rgba".index(c) for c in read.channels))
        if role is Role.NORMAL and self._surface.tile_break == "mirror":
            even = _mirror(at)[1]
            return (value - 0.5) * even + 0.5
        return value

    def _texel(self, at: Value, texture: TextureRef) -> Value:
        way = self._surface.tile_break
        if way == "none":
            return lib.texture(texture, at)
        if way == "mirror":
            return lib.texture(texture, _mirror(at)[0], at)
        if at not in self._broken:
            self._broken[at] = list(_by_offset(at) if way == "offset" else _by_hexagons(at))
        mean = lib.texture_mean(texture)
        total: Value | None = None
        power: Value | None = None
        for place, share in self._broken[at]:
            assert share is not None
            part = (lib.texture(texture, place, at) - mean) * share
            total = part if total is None else total + part
            power = share * share if power is None else power + share * share
        assert total is not None
        assert power is not None
        # A plain mix would wash contrast out: keep the variance of one picture (Heitz & Neyret 2018).
        return lib.clamp(mean + total / lib.unary("sqrt", power))


def _unit(xy: Value) -> Value:
    z = lib.unary("sqrt", lib.maximum(1.0 - lib.dot(xy, xy), 1e-4))
    return lib.normalize(combine(xy, z))


def _side(component: Value) -> Value:
    """−1 where a component is below 0, else 1."""
    return lib.select(lib.less(component, 0.0), -1.0, 1.0)


def _mirror(at: Value) -> tuple[Value, Value]:
    """A place in tiles of which every other one is mirrored, and the sign of its axes there."""
    half = at * 0.5
    away = (half - lib.unary("floor", half)) * 2.0 - 1.0
    return 1.0 - lib.unary("abs", away), combine(*(lib.select(lib.less(c, 0.0), 1.0, -1.0) for c in (away.x, away.y)))


def _by_offset(at: Value) -> Iterator[tuple[Value, Value]]:
    """Two pictures shifted by hashed offsets; slow noise leads from one to the next (after Glanville 2004)."""
    level = lib.fbm(combine(at * 0.7, 11.0), 2, 3) * 9.0 + 64.0
    low = lib.unary("floor", level)
    t = lib.smoothstep(0.2, 0.8, level - low)
    for index, share in ((low, 1.0 - t), (low + 1.0, t)):
        yield at + lib.hashed(combine(index, 0.0, 0.0)).xy, share


def _by_hexagons(at: Value) -> Iterator[tuple[Value, Value]]:
    """Three pictures shifted by the hashes of the corners of a triangle grid (Mikkelsen, JCGT 11(3), 2022)."""
    scaled = at * 1.6
    a, b = scaled.x - scaled.y * _HEX[1], scaled.y * _HEX[0]
    base_a, base_b = lib.unary("floor", a), lib.unary("floor", b)
    u, v = a - base_a, b - base_b
    z = 1.0 - u - v
    upper = lib.less(z, 0.0)
    corners = (
        (lib.select(upper, -z, z), lib.select(upper, 1.0, 0.0), lib.select(upper, 1.0, 0.0)),
        (lib.select(upper, 1.0 - v, v), lib.select(upper, 1.0, 0.0), lib.select(upper, 0.0, 1.0)),
        (lib.select(upper, 1.0 - u, u), lib.select(upper, 0.0, 1.0), lib.select(upper, 1.0, 0.0)),
    )
    sharp = [w * w * w * w for w, _, _ in corners]
    total = sharp[0] + sharp[1] + sharp[2]
    for share, (_, i, j) in zip(sharp, corners, strict=True):
        yield at + lib.hashed(combine(base_a + i, base_b + j, 5.0)).xy, share / total


def gradient_color(stops: Sequence[tuple[float, tuple[float, float, float]]], t: Value) -> Value:
    """A colour along straight pieces between stops, flat beyond the ends."""
    color: Value = const(*stops[0][1])
    for (x0, c0), (x1, c1) in itertools.pairwise(stops):
        color = color + const(*(b - a for a, b in zip(c0, c1, strict=True))) * lib.clamp((t - x0) / (x1 - x0))
    return color


def hue_turned(color: Value, angle: Value) -> Value:
    """Linear colour turned about the grey axis by an angle (Rodrigues' rotation)."""
    axis = const(*(3**-0.5,) * 3)
    c, s = lib.unary("cos", angle), lib.unary("sin", angle)
    return color * c + lib.cross(axis, color) * s + axis * (lib.dot(axis, color) * (1.0 - c))
