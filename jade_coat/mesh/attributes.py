"""What programs read at vertices: one record an attribute, with its GLSL meaning, its NumPy meaning and its buffer."""

from __future__ import annotations

from collections.abc import Callable, Container, Iterable
from dataclasses import dataclass

import numpy as np

from jade_coat.mesh.curvature import curvature
from jade_coat.mesh.data import FULL, MAX_COLOR_SETS, MAX_UV_SETS, MeshData
from jade_coat.mesh.motion import unit
from jade_coat.mesh.outward import outward
from jade_coat.program.types import FLOAT, VEC2, VEC3, VEC4, Array, Type


@dataclass(frozen=True)
class Stream:
    """What a buffer holds at each vertex.

    `kind` is its GLSL type, `format` the buffer's as the OpenGL binding writes it. `of` gives the array `(n, k)` of a
    mesh, or None where it has none; `stands_in` names a stream that is read then. A `measured` one takes a while and is
    sent only where something asks for it.
    """

    name: str
    kind: str
    format: str
    of: Callable[[MeshData], Array | None]
    measured: bool = False
    stands_in: str = ""


@dataclass(frozen=True)
class Placed:
    """A mesh with the matrix `(4, 4)` that places it, and colours `(n, 4 a set) uint16` in place of its first sets."""

    mesh: MeshData
    matrix: Array
    colors: Array | None = None

    @property
    def linear(self) -> Array:
        """The matrix's linear part `(3, 3) float32`: a turn after sizes along the mesh's axes."""
        return np.asarray(self.matrix[:3, :3].astype(np.float32))


@dataclass(frozen=True)
class Attribute:
    """A value at vertices by the name programs use.

    `glsl` is its expression in the vertex stage, where `in_STREAM`, `world` (the placed vertex) and `MODEL` (the
    instance's matrix) are there; `numpy` gives the same for all vertices, `(n, k)`.
    """

    name: str
    type: Type
    streams: tuple[str, ...]
    glsl: str
    numpy: Callable[[Placed], Array]

    def vertex_line(self, model: str) -> str:
        """The statement that makes it known to an emitted program; `model` names the instance's matrix."""
        return f"{self.type.name} attribute_{self.name} = {self.glsl.replace('MODEL', model)};"


def _uv_stream(index: int) -> Stream:
    return Stream(f"uv{index}", "vec2", "2f4", lambda m: m.uvs[index] if index < len(m.uvs) else None)


def _color_stream(index: int) -> Stream:
    return Stream(f"color{index}", "uvec4", "4u2", lambda m: m.colors[index] if index < len(m.colors) else None)


def _rest_stream(name: str, kind: str, form: str) -> Stream:
    """Where a mesh that is shown in motion has its vertices at rest."""

    def of(mesh: MeshData) -> Array | None:
        found: Array | None = getattr(mesh.at_rest, name) if mesh.at_rest is not None else None
        return found

    return Stream(f"rest_{name[:-1]}", kind, form, of, stands_in=name[:-1])


STREAMS: dict[str, Stream] = {
    s.name: s
    for s in (
        Stream("position", "vec3", "3f4", lambda m: m.positions),
        Stream("normal", "vec3", "3f4", lambda m: m.normals),
        Stream("tangent", "vec4", "4f4", lambda m: m.tangents),
        *(
            _rest_stream(name, kind, form)
            for name, kind, form in (
                ("positions", "vec3", "3f4"),
                ("normals", "vec3", "3f4"),
                ("tangents", "vec4", "4f4"),
            )
        ),
        Stream("curvature", "float", "1f4", lambda m: curvature(m.rest), measured=True),
        Stream("outward", "vec3", "3f4", outward, measured=True, stands_in="normal"),
        Stream("edge", "float", "1f4", lambda m: m.edge_length, measured=True),
        *(_uv_stream(i) for i in range(MAX_UV_SETS)),
        *(_color_stream(i) for i in range(MAX_COLOR_SETS)),
    )
}
"""All vertex buffers, by name."""
COLOR_STREAMS = tuple(f"color{i}" for i in range(MAX_COLOR_SETS))
"""Those that a prop's own paint can stand in for."""


def _world(at: Placed) -> Array:
    matrix = at.matrix.astype(np.float32)
    return np.asarray(at.mesh.positions @ matrix[:3, :3].T + matrix[:3, 3])


def _world_tangent(at: Placed) -> Array:
    tangents = at.mesh.tangents
    return np.concatenate([unit(tangents[:, :3] @ at.linear.T), tangents[:, 3:]], axis=1)


def _in_world(at: Placed, normals: Array) -> Array:
    """Normals by the inverse transpose: of a turn after sizes s along the axes, the same matrix after 1 / s²."""
    squared = (at.linear**2).sum(axis=0)
    return unit((normals / squared) @ at.linear.T)


def _world_normal(at: Placed) -> Array:
    return _in_world(at, at.mesh.normals)


def _world_outward(at: Placed) -> Array:
    found = outward(at.mesh)
    return _in_world(at, at.mesh.normals if found is None else found)


_STRETCH = f"vec3({', '.join(f'dot(MODEL[{i}].xyz, MODEL[{i}].xyz)' for i in range(3))})"
"""The squared sizes along the mesh's axes, of the matrix of an instance."""


def _colors(at: Placed, index: int) -> Array:
    own = at.colors
    if own is not None and 4 * index < own.shape[1]:
        values = own[:, 4 * index : 4 * index + 4]
    elif index < len(at.mesh.colors):
        values = at.mesh.colors[index]
    else:
        values = np.zeros((at.mesh.vertex_count, 4), np.uint16)
    return np.asarray(values.astype(np.float32) / np.float32(FULL))


def _uv(index: int) -> Attribute:
    return Attribute(f"uv{index}", VEC2, (f"uv{index}",), f"in_uv{index}", lambda at: at.mesh.uv(index))


def _color(index: int) -> Attribute:
    return Attribute(
        f"color{index}", VEC4, (f"color{index}",), f"vec4(in_color{index}) / {FULL}.0", lambda at: _colors(at, index)
    )


def _along(at: Placed) -> Array:
    return np.asarray(at.mesh.tangents[:, :3] @ at.linear.T)


def _across_of(mesh: MeshData) -> Array:
    return np.asarray(np.cross(mesh.normals, mesh.tangents[:, :3]) * mesh.tangents[:, 3:])


def _own_axis(at: Placed, axis: int) -> Array:
    way = at.linear[:, axis] / np.linalg.norm(at.linear[:, axis])
    return np.broadcast_to(way.astype(np.float32), (at.mesh.vertex_count, 3))


_NORMAL = f"normalize(mat3(MODEL) * (in_normal / {_STRETCH}))"
_TANGENT = "vec4(normalize(mat3(MODEL) * in_tangent.xyz), in_tangent.w)"
_ACROSS = "cross(in_normal, in_tangent.xyz) * in_tangent.w"
_REST_ACROSS = "cross(in_rest_normal, in_rest_tangent.xyz) * in_rest_tangent.w"
ATTRIBUTES: dict[str, Attribute] = {
    a.name: a
    for a in (
        Attribute("position", VEC3, ("rest_position",), "in_rest_position", lambda at: at.mesh.rest.positions),
        Attribute("object_normal", VEC3, ("rest_normal",), "in_rest_normal", lambda at: at.mesh.rest.normals),
        Attribute("object_tangent", VEC4, ("rest_tangent",), "in_rest_tangent", lambda at: at.mesh.rest.tangents),
        Attribute(
            "object_along", VEC3, ("rest_tangent",), "in_rest_tangent.xyz", lambda at: at.mesh.rest.tangents[:, :3]
        ),
        Attribute(
            "object_across", VEC3, ("rest_normal", "rest_tangent"), f"({_REST_ACROSS})",
            lambda at: _across_of(at.mesh.rest),
        ),
        Attribute("world_position", VEC3, ("position",), "world.xyz", _world),
        Attribute("normal", VEC3, ("normal",), _NORMAL, _world_normal),
        Attribute("tangent", VEC4, ("tangent",), _TANGENT, _world_tangent),
        # The same for all vertices at one place: what moves along it opens no gap at hard edges.
        Attribute("outward", VEC3, ("outward",), _NORMAL.replace("in_normal", "in_outward"), _world_outward),
        # The frame that normals from maps are laid into: that of the mesh at rest, or where its vertices are moved.
        Attribute("shading_normal", VEC3, ("normal",), _NORMAL, _world_normal),
        Attribute("shading_tangent", VEC4, ("tangent",), _TANGENT, _world_tangent),
        # The tangent frame in the world as long as the prop's size makes it.
        Attribute("along", VEC3, ("tangent",), "(mat3(MODEL) * in_tangent.xyz)", _along),
        Attribute(
            "across", VEC3, ("normal", "tangent"), f"(mat3(MODEL) * ({_ACROSS}))",
            lambda at: _across_of(at.mesh) @ at.linear.T,
        ),
        *(
            Attribute(f"own_{axis}", VEC3, (), f"normalize(MODEL[{i}].xyz)", lambda at, i=i: _own_axis(at, i))  # type: ignore[misc]
            for i, axis in enumerate("xyz")
        ),
        Attribute(
            "own_origin", VEC3, (), "MODEL[3].xyz",
            lambda at: np.broadcast_to(at.matrix[:3, 3].astype(np.float32), (at.mesh.vertex_count, 3)),
        ),
        Attribute("curvature", FLOAT, ("curvature",), "in_curvature", lambda at: curvature(at.mesh.rest)),
        *(_uv(i) for i in range(MAX_UV_SETS)),
        *(_color(i) for i in range(MAX_COLOR_SETS)),
    )
}  # fmt: skip
"""All attributes, by the name programs use."""


def attributes_of(wanted: Iterable[str]) -> list[Attribute]:
    """The records of some attributes, sorted by name. Raises KeyError for a name that meshes do not have."""
    unknown = [name for name in wanted if name not in ATTRIBUTES]
    if unknown:
        raise KeyError(f"meshes have no attribute {unknown[0]!r}")
    return [ATTRIBUTES[name] for name in sorted(wanted)]


def measure(mesh: MeshData, wanted: Iterable[str]) -> None:
    """Measure on a whole mesh what has to be before only a part of it is looked at; the mesh keeps it."""
    for attribute in attributes_of(wanted):
        for stream in attribute.streams:
            if STREAMS[stream].measured:
                STREAMS[stream].of(mesh)


def held_stream(name: str, there: Container[str]) -> str | None:
    """Which of the streams that are there is read as another: itself, or what stands in for it; None for neither."""
    return next((n for n in (name, STREAMS[name].stands_in) if n in there), None)


def streams_of(wanted: Iterable[str]) -> list[str]:
    """The names of the vertex buffers that some attributes read."""
    return list(dict.fromkeys(s for a in attributes_of(wanted) for s in a.streams))


def mesh_numbers(mesh: MeshData) -> dict[str, tuple[float, ...]]:
    """What programs read of a mesh as a whole, by the names of instance values.

    `metresN` is what a unit of each UV set spans, `spacing` how far neighbouring vertices are apart; metres.
    """
    found: dict[str, tuple[float, ...]] = {f"metres{i}": metres for i, metres in enumerate(mesh.metres)}
    return {**found, "spacing": (mesh.typical_edge,)}


def mesh_number_type(name: str) -> Type:
    """The type of one of `mesh_numbers`."""
    return FLOAT if name == "spacing" else VEC2


def mesh_streams(mesh: MeshData, measured: Iterable[str] = ()) -> dict[str, Array]:
    """The vertex buffers of a mesh by name; of the measured ones only those that are named."""
    wanted = frozenset(measured)
    made = {s.name: s.of(mesh) for s in STREAMS.values() if not s.measured or s.name in wanted}
    return {name: array for name, array in made.items() if array is not None}


def vertex_attributes(mesh: MeshData, matrix: Array, colors: Array | None, wanted: Iterable[str]) -> dict[str, Array]:
    """The attributes of a mesh's vertices `(n, k)` by the names programs use. Raises KeyError for an unknown one.

    `colors` `(n, 4 a set) uint16` stand in for as many of the first colour sets.
    """
    placed = Placed(mesh, matrix, colors)
    return {a.name: a.numpy(placed) for a in attributes_of(wanted)}
