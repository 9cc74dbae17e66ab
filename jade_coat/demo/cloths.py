"""Dyed cloths on poles between the gate's posts, which sway in the wind."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from jade_coat.maps.color import hex_to_linear
from jade_coat.material.material import Coat, Dial, Finish, Material
from jade_coat.material.placing import SwayMove
from jade_coat.material.seam import Seam
from jade_coat.material.surface import Surface
from jade_coat.material.where import NoiseTerm
from jade_coat.mesh import shapes
from jade_coat.mesh.data import MeshData
from jade_coat.stage.mesh_assets import Category
from jade_coat.stage.project import Prop
from jade_coat.stage.turns import turn_of

HIGH = 0.86
"""Metres that a cloth hangs down."""
CATEGORY = Category(id="cloth", name="Cloth", finish="indigo_cloth")
SLOTS = {"Cloth": "cloth", "Pole": "wood"}


def mesh(grain: float) -> MeshData:
    """A cloth that hangs from a pole; its pole lies at the origin, along x."""
    cloth = shapes.hanging_cloth(1.0, HIGH, round(70 / grain))
    beam = shapes.box(1.26, 0.035, 0.035)
    low, high = beam.bounds
    down = np.array([0.0, -HIGH / 2 - 0.01, 0.0])
    hung = cloth.with_(positions=(cloth.positions + down).astype(np.float32))
    laid = beam.with_(positions=(beam.positions - (low + high) / 2).astype(np.float32))
    return shapes.joined([(hung, "Cloth"), (laid, "Pole")])


def material() -> Material:
    """Linen, dyed and faded in patches; its foot sways."""
    dye = Surface(color=hex_to_linear("#2f4a78"), roughness=0.95, specular=0.35, transmission=0.4)
    faded = Surface(color=hex_to_linear("#8d9ab0"), roughness=0.95, specular=0.35, transmission=0.4)
    patches = NoiseTerm(id="noise", size=0.3, octaves=4, seed=21, range=(0.35, 0.75))
    return Material(
        id="cloth", name="Dyed cloth", depth=0.002, two_sided=True,
        coats=(
            Coat(id="dye", name="Dye", surface=dye),
            Coat(id="faded", name="Faded", amount=0.55, surface=faded, where=(patches,), seam=Seam(kind="soft")),
        ),
        dials=(
            Dial(id="dye", path="dye.surface.color", name="Dye", group="Cloth"),
            Dial(id="faded", path="faded.amount", name="Faded", group="Cloth"),
            Dial(id="sway", path="moves:sway.amount", name="Sway", group="Wind"),
        ),
        moves=(SwayMove(id="sway", along="wind", amount=0.5, foot=-0.05, tip=-HIGH, bend=1.6, rate=0.45, lean=0.35),),
    )  # fmt: skip


def finishes() -> tuple[Finish, ...]:
    """Two dyes."""
    return (
        Finish(id="indigo_cloth", name="Indigo cloth", parent="cloth"),
        Finish(id="madder_cloth", name="Madder cloth", parent="cloth",
               values={"dye": hex_to_linear("#8a3324"), "faded": 0.35}),
    )  # fmt: skip


def props(mesh_id: str) -> Iterator[Prop]:
    """In two gaps of the gate."""
    for i, (gap, finish) in enumerate(((0, "indigo_cloth"), (2, "madder_cloth"))):
        yield Prop(
            id=f"cloth_{i + 1}", name=f"Cloth {i + 1}", mesh=mesh_id, position=(-2.64 + 1.32 * gap, 1.02, 2.35),
            turn=turn_of(0.0, 0.0, 0.0), parent="terraces", finishes={"Cloth": finish, "Pole": "rack_wood"},
        )  # fmt: skip
