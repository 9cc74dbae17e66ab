"""How much of a prop each coat covers, measured at its vertices."""

from __future__ import annotations

import numpy as np

from jade_coat.bake.attributes import (
    AttributeTable,
    instance_values,
    map_reads,
    own_colors,
    painted,
    vertex_attributes,
)
from jade_coat.bake.baker import seen_from_ahead
from jade_coat.files.library import Library
from jade_coat.maps.packing import PackedLookup
from jade_coat.maps.sampling import reading
from jade_coat.material.compile import compile_material, fixed_fields, with_shared
from jade_coat.program import passes
from jade_coat.program.numpy_backend import Environment, evaluate
from jade_coat.stage.looks import field_row, worn
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.shared_dials import shared_values

MAX_POINTS = 20_000
LEVEL = 3


def coverage_shares(project: Project, library: Library, prop: Prop, slot: str) -> dict[str, float]:
    """The share of a slot's area that each coat is seen on, by `MATERIAL:COAT`; shares add up to 1.

    Triangles are sampled at their centres, weighted by area. Raises what loading meshes and maps raises.
    """
    finish = prop.finishes[slot]
    material = worn(project, finish)
    lookup = PackedLookup(project.map_sets, project.recipes)
    program = compile_material(material, lookup, fixed_fields(field_row(project, finish, prop.values.get(slot))))
    seen = {n.removeprefix("coverage:"): v for n, v in program.items() if n.startswith("coverage:")}
    outputs = seen_from_ahead(with_shared(seen, shared_values(project.shared)))
    mesh = library.mesh_by_id(project, prop.mesh)
    run = next(s for s in mesh.slots if s.name == slot)
    triangles = mesh.triangles[run.start : run.start + run.count].astype(np.int64)
    triangles = triangles[:: max(len(triangles) // MAX_POINTS, 1)]
    corners = mesh.positions[triangles]
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    weights = np.full((len(triangles), 2), 1 / 3, np.float32)
    wanted = map_reads(prop, passes.reads(outputs, "attribute"))
    table = AttributeTable(vertex_attributes(mesh, prop.matrix(), own_colors(prop), wanted))
    textures = {
        t.name: t
        for s in project.map_sets if s.id in material.map_sets
        for t in library.textures(s)
    }  # fmt: skip
    environment = Environment(
        attributes=painted(prop, table.at(triangles, np.arange(len(triangles)), weights)),
        instance=instance_values(mesh, prop.seed),
        **reading(textures, lambda _: LEVEL),
    )
    found = evaluate(outputs, environment)
    return {
        f"{material.id}:{coat}": float((np.broadcast_to(v[0], area.shape) * area).sum() / area.sum())
        for coat, v in found.items()
    }
