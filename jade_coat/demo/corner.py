"""What stands in the courtyard's corner, and how moss has crept over it."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from jade_coat.maps.synthesis import ease
from jade_coat.mesh.data import FULL, MeshData
from jade_coat.mesh.painting import Paint
from jade_coat.program.numpy_backend import Environment, evaluate
from jade_coat.program.types import VEC3, Array
from jade_coat.stage.mesh_assets import MeshAsset
from jade_coat.stage.project import Prop
from jade_coat.stage.turns import turn_of


def _noise_at(points: Array, size: float, seed: int) -> Array:
    from jade_coat.program import lib

    value = lib.fbm(lib.attribute("position", VEC3) / size, 4, seed)
    return evaluate({"n": value}, Environment(attributes={"position": points.T.astype(np.float32)}))["n"][0]


def _wall_paint(mesh: MeshData, height: float, seed: int) -> Paint:
    """Moss climbs from the foot of a wall, in tongues, thinning upward; channel G."""
    p = mesh.positions
    reach = height * (0.62 + 0.75 * _noise_at(p, 1.1, seed))
    amount = 1 - ease(0.0, 1.0, (p[:, 1] - 0.02) / np.maximum(reach, 0.05))
    amount = np.clip(amount * (0.95 + 0.5 * _noise_at(p, 0.25, seed + 9)), 0, 1)
    values = np.zeros((mesh.vertex_count, 4), np.uint16)
    values[:, 1] = (amount * FULL).astype(np.uint16)
    return Paint.of(values)


def _floor_paint(mesh: MeshData) -> Paint:
    """Moss creeps out from the wall's foot; channel G."""
    p = mesh.positions
    from_wall = 4.2 - np.hypot(p[:, 0], p[:, 2] - 1.8)
    amount = ease(0.9, 0.0, from_wall + 0.7 * _noise_at(p, 0.5, 3))
    values = np.zeros((mesh.vertex_count, 4), np.uint16)
    values[:, 1] = (np.clip(amount, 0, 1) * FULL).astype(np.uint16)
    return Paint.of(values)


def props(meshes: dict[str, tuple[MeshAsset, MeshData]]) -> Iterator[Prop]:
    """The wall, the post, three jars and the floor."""
    wall, pier, floor = meshes["Kiln wall"], meshes["Gate post"], meshes["Terrace floor"]
    jar = meshes["Storage jar"][0].id
    yield Prop(
        id="kiln_wall_prop", name="Kiln wall", mesh=wall[0].id, position=(0.0, 0.0, -2.4),
        finishes={"surface": "celadon_wall"}, paint=_wall_paint(wall[1], 2.1, 4),
    )  # fmt: skip
    yield Prop(
        id="gate_post", name="Gate post", mesh=pier[0].id, position=(-1.35, 0.0, -0.95), turn=turn_of(0.0, 0.5, 0.0),
        finishes={"Shaft": "ash_wall", "Cap": "iron_jar"}, paint=_wall_paint(pier[1], 0.9, 8),
    )  # fmt: skip
    for name, finish, x, z, size, turn in (
        ("Tall jar", "iron_jar", 1.02, -1.15, 1.25, 0.4),
        ("Cream jar", "cream_jar", 0.42, -0.85, 0.95, 1.7),
        ("Small jar", "cobalt_jar", 0.86, -0.42, 0.66, 3.0),
    ):
        yield Prop(
            id=name.lower().replace(" ", "_"), name=name, mesh=jar, position=(x, 0.0, z), turn=turn_of(0.0, turn, 0.0),
            size=(size, size, size), finishes={"Body": finish, "Neck": finish},
        )  # fmt: skip
    yield Prop(
        id="floor", name="Terrace floor", mesh=floor[0].id, position=(0.0, 0.0, 0.0),
        finishes={"surface": "trodden_clay"}, paint=_floor_paint(floor[1]),
    )  # fmt: skip
