"""Works a look out at points of a prop's surface: for coverage, for the repetition score, wherever no map is needed."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from jade_coat.files.library import Library
from jade_coat.looking.attributes import (
    AttributeTable,
    instance_values,
    map_reads,
    painted,
)
from jade_coat.maps.color import LUMINANCE
from jade_coat.maps.packing import PackedLookup, Texture
from jade_coat.maps.sampling import reading
from jade_coat.material.compile import compile_material, fixed_fields, seen_by, seen_from_ahead, with_shared
from jade_coat.material.fields import Number, Vec3
from jade_coat.material.material import Material
from jade_coat.mesh.attributes import measure, vertex_attributes
from jade_coat.mesh.data import MeshData, Slot
from jade_coat.mesh.painting import Paint
from jade_coat.program import Value, passes
from jade_coat.program.numpy_backend import Environment, evaluate
from jade_coat.program.types import Array
from jade_coat.stage.looks import field_row, finish_on, worn
from jade_coat.stage.project import Project, Prop


class NoLook(ValueError):
    """A material whose program has no meaning, such as one of a recipe that lacks a step; the message says why."""


@dataclass(frozen=True)
class LookAt:
    """A finish on one slot of a prop: the material as worn, the value of every field, its program, and the mesh."""

    material: Material
    values: Mapping[str, Number]
    outputs: Mapping[str, Value]
    mesh: MeshData
    slot: Slot
    prop: Prop
    textures: Mapping[str, Texture]

    @property
    def triangles(self) -> Array:
        """The slot's triangles, `(m, 3) int64`."""
        return self.mesh.triangles[self.slot.start : self.slot.start + self.slot.count].astype("int64")

    def opacity_at(self, triangle: int, point: Array) -> float:
        """The opacity at a point `(3,)` of one of the mesh's triangles, which must lie in the slot."""
        return float(self._at_point(["opacity"], triangle, point)["opacity"][0])

    def light_at(self, triangle: int, point: Array) -> float:
        """How much light is added at a point, as `opacity_at` takes it, by a material that blends so: its luminance."""
        found = self._at_point(["base_color", "emissive", "opacity"], triangle, point)
        return float(LUMINANCE @ (found["base_color"] + found["emissive"]) * found["opacity"][0])

    def _at_point(self, names: list[str], triangle: int, point: Array) -> dict[str, Array]:
        owner = np.array([triangle - self.slot.start])
        corners = self.mesh.positions[self.mesh.triangles[triangle]].astype(np.float64)
        return {n: v[:, 0] for n, v in self.at(names, owner, _weights(corners, point)[None]).items()}

    def at_vertices(self, names: list[str]) -> dict[str, Array]:
        """Some outputs `(k, n)` at the vertices that the slot's triangles use, in rising order."""
        used, local = np.unique(self.triangles, return_inverse=True)
        return self._evaluated(names, used, local.reshape(-1, 3), lambda table: table.rows())

    def at(
        self, names: list[str], owner: Array, weights: Array, level: Callable[[Texture], int] = lambda _: 0
    ) -> dict[str, Array]:
        """Some outputs `(k, n)` at points: the slot's triangles that `owner` picks, and weights `(n, 2)` in them."""
        # Only the vertices of the triangles that are asked about: meshes may have millions.
        used, local = np.unique(self.triangles[owner], return_inverse=True)
        corners = local.reshape(-1, 3)
        own = np.arange(len(corners))
        return self._evaluated(names, used, corners, lambda table: table.at(corners, own, weights), level)

    def _evaluated(
        self, names: list[str], used: Array, corners: Array, attributes: Callable[[AttributeTable], dict[str, Array]],
        level: Callable[[Texture], int] = lambda _: 0,
    ) -> dict[str, Array]:  # fmt: skip
        outputs = {name: self.outputs[name] for name in names}
        wanted = map_reads(self.prop, passes.reads(outputs, "attribute") | {"position"})
        measure(self.mesh, wanted)
        colors = self.prop.paint.at(used) if isinstance(self.prop.paint, Paint) else None
        table = AttributeTable(vertex_attributes(self.mesh.part(used, corners), self.prop.matrix(), colors, wanted))
        environment = Environment(
            attributes=painted(self.prop, attributes(table)),
            instance=instance_values(self.mesh, self.prop.seed),
            **reading(dict(self.textures), level),
        )
        return evaluate(outputs, environment)


def _weights(corners: Array, point: Array) -> Array:
    """The barycentric weights `(2,)` of a triangle's second and third corner at a point in its plane."""
    u, v, p = corners[1] - corners[0], corners[2] - corners[0], point - corners[0]
    found, *_ = np.linalg.lstsq(np.stack([u, v], axis=1), p, rcond=None)
    return np.asarray(np.clip(found, 0, 1), np.float32)


def look_at(
    project: Project, library: Library, prop: Prop, slot: str, mesh: MeshData | None = None, time: float = 0.0,
    eye: Vec3 | None = None,
) -> LookAt:  # fmt: skip
    """What a prop wears in a slot at a time, seen by an eye or from straight ahead; `mesh` stands in for its own.

    Raises NoLook, KeyError, and what loading meshes and maps raises.
    """
    finish = finish_on(project, prop, slot)
    material = worn(project, finish)
    values = field_row(project, finish, prop.values.get(slot))
    try:
        program = compile_material(material, PackedLookup(project.map_sets, project.recipes), fixed_fields(values))
        fixed = with_shared(program, project.shared_at(time))
        outputs = seen_from_ahead(fixed) if eye is None else seen_by(fixed, eye)
    except (TypeError, ValueError, KeyError) as error:
        raise NoLook(str(error)) from error
    mesh = mesh or library.mesh_by_id(project, prop.mesh)
    run = next(s for s in mesh.slots if s.name == slot)
    textures = {t.name: t for s in project.map_sets if s.id in material.map_sets for t in library.textures(s)}
    return LookAt(material, values, outputs, mesh, run, prop, textures)
