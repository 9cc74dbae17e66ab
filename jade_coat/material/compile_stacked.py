"""Compiles what a ground wears: every layer's coats, mixed by their weights, on a surface of heights."""

from __future__ import annotations

from collections.abc import Mapping

from jade_coat.material.coverage import coat_color
from jade_coat.material.layers import Layer
from jade_coat.material.laying import FieldReader, Fields, Linked, laid_on, world_normal
from jade_coat.material.material import LAYER
from jade_coat.material.quantity import OUTPUTS
from jade_coat.material.shared import CAMERA
from jade_coat.material.splitting import KEPT_PAGE, STILL, split
from jade_coat.material.stacking import GroundLayer, StackedMaterial, mixed, rained_on, seen_afar, stacked
from jade_coat.material.surface import MapLookup
from jade_coat.program import FLOAT, VEC2, VEC3, VEC4, TextureRef, Value, combine, const, lib, passes

HEIGHTS = TextureRef("own heights")
"""The texture of a ground's heights, metres."""


def pools_texture(number: int) -> TextureRef:
    """The texture that says how water may stand by a damp layer, by its number: bottom, rise and how wet (`Pools`)."""
    return TextureRef(f"own pools {number}")


RELIEF = 0.05
"""How far what lies on the ground reaches from its lowest to its highest, metres, where water comes up to it."""
LIFT_LEVEL = 2
"""The level of maps that the lift is read from."""
A_HEIGHT = 0.25
"""How deep water in a hollow must be to hide what a surface's own height hides, metres."""
STEEP, LEVEL = 0.955, 0.995
"""Cosines of slopes between which puddles run off: water stands on none that is steeper than about 17°."""
QUADS = 32
"""Quads along the edge of a node of a ground."""
RANGE = 3.0
"""A node is drawn by four finer ones where its middle is nearer than this many times its size."""
MORPH_FROM, MORPH_TO = RANGE + 0.75, 2 * RANGE - 1.45
"""Between which distances, in sizes of a node, its vertices go over to those of the next coarser one. Neighbours are
at most one level apart, and share an edge where the finer one is wholly as the coarser one, which is still itself
(after Strugar 2009, Continuous Distance-Dependent Level of Detail)."""


def at_vertices(lift: Value) -> Value:
    """The lift as the ground is drawn with it: worked out at vertices, from maps that are as fine as these lie."""
    return lib.per_vertex(lift, LIFT_LEVEL)


def compile_stacked(material: StackedMaterial, lookup: MapLookup, reader: FieldReader) -> dict[str, Value]:
    """The folded program of a ground: the quantities, `share:LAYER` of each layer, and where its vertices lie."""
    outputs, lift, ground = surface_of(material, lookup, reader)
    return passes.fold(ground.laid(outputs, lift))


def compile_still(material: StackedMaterial, lookup: MapLookup, reader: FieldReader) -> dict[str, Value]:
    """The folded program of what of a ground is still, for its pages, and `kept`: what the rest reads beside.

    Raises ValueError where the rest reads more than pages have room for.
    """
    outputs, lift, ground = surface_of(material, lookup, reader)
    parts = split(outputs)
    if parts is None:
        raise ValueError(f"{material.name}: what moves of it reads more than pages hold")
    return passes.fold(ground.laid({**parts.still, KEPT_PAGE: parts.kept}, lift))


def surface_of(
    material: StackedMaterial, lookup: MapLookup, reader: FieldReader
) -> tuple[dict[str, Value], Value, Ground]:
    """What a ground's program gives at a place of the world, how far the layers lift it, and where its places are."""
    linked, extra = Linked(material, reader, lookup), dict[str, Value]()
    layers: dict[str, Layer] = {}
    for name, ids in material.members.items():
        coats = tuple(material.coat(i) for i in ids)
        shown = [c for c in coats if c.shown] or [coats[0]]
        layers[name], _, _ = laid_on(coats, shown, linked, lookup, None, extra)
    fields = {layer.id: Fields(layer, f"{LAYER}{layer.id}", linked) for layer in material.layers}
    ground = Ground(material)
    for layer in material.layers:
        if layer.far == "larger" and layer.id in layers:
            own = fields[layer.id]
            coats = tuple(material.coat(i) for i in material.members[layer.id])
            shown = [c for c in coats if c.shown] or [coats[0]]
            larger = Linked(material, _larger(reader, own.far_size), lookup)
            afar, _, _ = laid_on(coats, shown, larger, lookup, None, {})
            span = own.far_from
            share = lib.clamp((ground.away() - span.x) / lib.maximum(span.y - span.x, 1e-3))
            layers[layer.id] = mixed([layers[layer.id], afar], [1.0 - share, share])
    place = lib.attribute("world_position", VEC3)
    found, shares, lift = stacked(material, layers, fields, ground.weights_at(combine(place.x, place.z)), ground)
    outputs = {name: getattr(found, name) for name in OUTPUTS} | {"normal": world_normal(found.normal)}
    # What rain and the eye make of it comes last: all else is still, and can be drawn into pages once.
    at_rest = {name: outputs[name] for name in ("normal", "specular")}
    outputs["normal"] = rained_on(material, fields, shares, outputs["normal"], ground)
    outputs["specular"] = seen_afar(material, fields, shares, outputs["specular"], ground)
    outputs |= {f"{STILL}{name}": value for name, value in at_rest.items() if outputs[name] is not value}
    outputs |= {**extra, **shares}
    outputs["coverage"] = _colors(material, shares)
    return outputs, lift, ground


def _larger(reader: FieldReader, by: Value) -> FieldReader:
    """A reader of fields that lays every map larger."""
    return lambda path, value: reader(path, value) * by if path.endswith(".surface.tile_size") else reader(path, value)


def _colors(material: StackedMaterial, shares: Mapping[str, Value]) -> Value:
    """How much of each layer shows, as one colour."""
    total: Value = const(0.0, 0.0, 0.0)
    for i, layer in enumerate(material.layers):
        share = shares.get(f"share:{layer.id}")
        if share is not None and layer.way != "absolute":
            total = total + share * const(*coat_color(material.weights.get(layer.id, i)))
    return total


class Ground:
    """Where places of a ground are, in the world and in its textures."""

    def __init__(self, material: StackedMaterial) -> None:
        self._made = material
        x, z, across, along = material.extent
        self._origin, self._size = const(x, z), const(across, along)

    def _texel(self, at: Value, cells: tuple[int, int]) -> Value:
        """Texture coordinates of a place in the world, of a grid whose first and last cells lie on the edges."""
        columns, rows = cells
        inner = lib.clamp((at - self._origin) / self._size)
        return (inner * const(columns - 1.0, rows - 1.0) + 0.5) / const(float(columns), float(rows))

    def weights_at(self, at: Value) -> Value:
        """Texture coordinates of the weights at a place in the world."""
        return self._texel(at, self._made.weight_cells)

    def place(self) -> Value:
        """Where a place is along x and z, metres."""
        place = lib.attribute("world_position", VEC3)
        return combine(place.x, place.z)

    def away(self) -> Value:
        """How far a place is from the eye, metres."""
        return lib.length(lib.shared(CAMERA, VEC3) - lib.attribute("world_position", VEC3))

    def slanting(self) -> Value:
        """How much at a slant a place is seen, 0–1."""
        way = lib.normalize(lib.shared(CAMERA, VEC3) - lib.attribute("world_position", VEC3))
        return 1.0 - lib.clamp(lib.dot(way, lib.attribute("normal", VEC3)))

    def in_world(self, way: Value) -> Value:
        """A way in tangent space as one in the world."""
        n, t = lib.attribute("normal", VEC3), lib.attribute("tangent", VEC4)
        return t.xyz * way.x + lib.make("cross", (n, t.xyz)) * t.w * way.y + n * way.z

    def on_level(self) -> Value:
        """How level a place is for puddles to stand on it, 0–1."""
        return lib.smoothstep(STEEP, LEVEL, lib.attribute("normal", VEC3).y)

    def pool_depth(self, layer: GroundLayer, weather: Value, stands: Value, height: Value, lift: Value) -> Value:
        """How deep water stands in a hollow over what lies there (`height` 0–1), in heights; below 0 where none does.

        It fills the hollow level from its lowest place on, by how wet it is; what the layers lift rises out of it.
        """
        place = lib.attribute("world_position", VEC3)
        at = self._texel(combine(place.x, place.z), self._made.pool_cells)
        read = lib.texture(pools_texture(self._made.weights[layer.id]), at)
        full = lib.clamp((read.z * weather - stands) / lib.maximum(1.0 - stands, 1e-3))
        top = place.y if lib.is_const(lift, 0.0) else place.y + at_vertices(lift)
        over = read.x + read.y * full + self._made.foot - top - (height - 0.5) * RELIEF
        return over / A_HEIGHT - (1.0 - lib.clamp(full * 50.0)) * 1000.0

    def _height(self, at: Value) -> Value:
        read = lib.texture(HEIGHTS, self._texel(at, self._made.samples)).x
        return read if self._made.foot == 0.0 else read + self._made.foot

    def laid(self, outputs: Mapping[str, Value], lift: Value) -> dict[str, Value]:
        """A program whose surface is the ground: what it reads of vertices is that of the heights."""
        flat = self._flat()
        height = self._height(flat)
        place = lib.per_vertex(combine(flat.x, height, flat.y))
        normal, tangent = self._frame(place)
        own = {
            lib.attribute("world_position", VEC3): place,
            lib.attribute("position", VEC3): place - combine(self._origin.x, 0.0, self._origin.y),
            lib.attribute("own_origin", VEC3): combine(self._origin.x, self._made.foot, self._origin.y),
            lib.attribute("outward", VEC3): normal,
            lib.attribute("curvature", FLOAT): const(0.0), lib.instance("spacing", FLOAT): const(1.0),
            lib.instance("seed", FLOAT): const(0.5),
        }  # fmt: skip
        across = lib.cross(normal, tangent.xyz) * tangent.w
        for prefix in ("", "object_", "shading_"):
            own[lib.attribute(f"{prefix}normal", VEC3)] = normal
            own[lib.attribute(f"{prefix}tangent", VEC4)] = tangent
            own[lib.attribute(f"{prefix}along", VEC3)] = tangent.xyz
            own[lib.attribute(f"{prefix}across", VEC3)] = across
        for axis, way in zip("xyz", ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)), strict=True):
            own[lib.attribute(f"own_{axis}", VEC3)] = const(*way)
        metres = combine(place.x, place.z) - self._origin
        for name in passes.reads(outputs, "attribute"):  # every UV set runs in metres, and no paint is on any
            if name.startswith("uv"):
                own[lib.attribute(name, VEC2)] = metres
            elif name.startswith("color"):
                own[lib.attribute(name, VEC4)] = const(0.0, 0.0, 0.0, 0.0)
        for name in passes.reads(outputs, "instance"):
            if name.startswith("metres"):
                own[lib.instance(name, VEC2)] = const(1.0, 1.0)
        made = passes.rebuilt({**outputs, "lift": lift}, lambda node: own.get(node, node))
        up = made.pop("lift")
        if lib.is_const(up, 0.0):
            return {**made, "placed_position": place}
        return {**made, "placed_position": place + combine(0.0, at_vertices(up), 0.0)}

    def _flat(self) -> Value:
        """Where a vertex lies along x and z, on its way to the grid of the next coarser node."""
        p, local = lib.attribute("world_position", VEC3), lib.attribute("position", VEC3)
        size = lib.instance("seed", FLOAT)  # of the node, metres along x
        columns, rows = self._made.samples
        x, z, across, along = self._made.extent
        aspect = along / max(rows - 1, 1) / (across / max(columns - 1, 1))
        eye = lib.shared(CAMERA, VEC3)
        above = lib.maximum(lib.maximum(eye.y - self._made.highest, self._made.lowest - eye.y), 0.0)
        away = combine(eye.x - p.x, above, eye.z - p.z)
        larger = size * max(aspect, 1.0)
        share = lib.clamp((lib.length(away) / larger - MORPH_FROM) / (MORPH_TO - MORPH_FROM))
        cell = combine(local.x, local.z) * (QUADS / 2.0)
        odd = cell - lib.unary("floor", cell + 1e-3)
        back = odd * 2.0 * share * combine(size, size * aspect) / float(QUADS)
        at = combine(p.x, p.z) - back
        return combine(lib.clamp(at.x, x, x + across), lib.clamp(at.y, z, z + along))

    def _frame(self, place: Value) -> tuple[Value, Value]:
        """The normal and the tangent (along x) of the heights at a place; from afar over as much as a pixel spans."""
        columns, rows = self._made.samples
        _, _, across, along = self._made.extent
        step = max(across / max(columns - 1, 1), along / max(rows - 1, 1))
        at, half = combine(place.x, place.z), step * 0.75
        east, south = combine(const(half), const(0.0)), combine(const(0.0), const(half))
        dx = (self._height(at + east) - self._height(at - east)) / (2 * half)
        dz = (self._height(at + south) - self._height(at - south)) / (2 * half)
        normal = lib.normalize(combine(-dx, 1.0, -dz))
        along_x = lib.normalize(combine(const(1.0), dx, const(0.0)))
        return normal, combine(along_x, const(1.0))
