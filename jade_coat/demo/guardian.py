"""The two painted guardians in the gate: figures lit in two tones, with an outline."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from scipy.spatial.transform import Rotation

from jade_coat.maps.color import hex_to_linear
from jade_coat.material.material import Coat, Dial, Finish, Material
from jade_coat.material.seam import Seam
from jade_coat.material.surface import Surface
from jade_coat.material.tones import Tones
from jade_coat.material.where import NoiseTerm
from jade_coat.mesh import shapes
from jade_coat.mesh.data import MeshData
from jade_coat.stage.mesh_assets import Category
from jade_coat.stage.project import Prop
from jade_coat.stage.turns import turn_of

CATEGORY = Category(id="painted", name="Painted", finish="vermilion_robe")
SLOTS = dict.fromkeys(("Robe", "Sash", "Face", "Hat", "Staff", "Ink"), "painted")
COLORS = {
    "vermilion_robe": ("Vermilion robe", "#b8432c"), "indigo_robe": ("Indigo robe", "#34508c"),
    "ochre_sash": ("Ochre sash", "#d9a441"), "pale_face": ("Pale face", "#e8c9a4"),
    "straw_hat": ("Straw hat", "#c8a86a"), "staff_wood": ("Staff wood", "#6d4a30"),
    "drawn_ink": ("Drawn ink", "#26201f"),
}  # fmt: skip
"""Finishes by id: their names and colours."""


# Long: a table of the figure's parts.
def mesh(grain: float) -> MeshData:
    """A robed figure with a wide hat and a staff, standing on the ground and facing +z."""
    around, rings = round(64 / grain), round(40 / grain)

    def turned(*profile: tuple[float, float]) -> MeshData:
        return shapes.lathe(profile, around, rings, [("surface", 1.0)])

    robe = turned(
        (0.0, 0.0), (0.33, 0.0), (0.345, 0.02), (0.33, 0.06), (0.26, 0.3), (0.2, 0.56), (0.19, 0.7), (0.185, 0.86),
        (0.13, 0.98), (0.06, 1.02), (0.0, 1.03),
    )  # fmt: skip
    sash = turned((0.185, 0.575), (0.215, 0.585), (0.218, 0.64), (0.214, 0.685), (0.185, 0.695))
    face = _placed(shapes.ball(0.135, round(72 / grain)), (0.0, 1.13, 0.01))
    knot = _placed(shapes.ball(0.05, round(40 / grain)), (0.0, 0.635, 0.21))
    hat = _placed(
        turned((0.0, -0.012), (0.29, -0.012), (0.3, 0.0), (0.29, 0.012), (0.13, 0.09), (0.05, 0.15), (0.0, 0.165)),
        (0.0, 1.2, 0.0), (0.12, 0.0, 0.0),
    )  # fmt: skip
    sleeve = turned((0.0, -0.3), (0.09, -0.3), (0.095, -0.28), (0.075, -0.1), (0.06, 0.05), (0.0, 0.09))
    left = _placed(sleeve, (-0.2, 0.84, 0.06), (-0.35, 0.0, -0.45))
    right = _placed(sleeve, (0.2, 0.84, 0.06), (-0.75, 0.0, 0.4))
    hands = [
        _placed(shapes.ball(0.045, round(40 / grain)), at) for at in ((-0.335, 0.575, 0.165), (0.315, 0.63, 0.285))
    ]
    staff = _placed(shapes.rod(0.017, 1.62), (0.33, 0.81, 0.3))
    eyes = [_placed(shapes.ball(0.014, 24), (x, 1.125, 0.141)) for x in (-0.045, 0.045)]
    brows = [
        _placed(shapes.rod(0.008, 0.06), (x, 1.158, 0.142), (0.0, 0.0, t)) for x, t in ((-0.048, 1.3), (0.048, 1.84))
    ]
    beard = _placed(
        turned((0.0, -0.11), (0.02, -0.08), (0.045, 0.0), (0.0, 0.03)), (0.0, 1.035, 0.105), (-0.2, 0.0, 0.0)
    )
    parts = {
        "Robe": [robe, left, right], "Sash": [sash, knot], "Face": [face, *hands], "Hat": [hat], "Staff": [staff],
        "Ink": [*eyes, *brows, beard],
    }  # fmt: skip
    return shapes.joined([(shapes.merged(meshes), slot) for slot, meshes in parts.items()])


def _placed(
    mesh: MeshData, at: tuple[float, float, float], turn: tuple[float, float, float] = (0.0, 0.0, 0.0)
) -> MeshData:
    rotation = Rotation.from_euler("xyz", turn)
    tangents = np.concatenate([rotation.apply(mesh.tangents[:, :3]), mesh.tangents[:, 3:]], axis=1)
    made: MeshData = mesh.with_(
        positions=(rotation.apply(mesh.positions) + at).astype(np.float32),
        normals=rotation.apply(mesh.normals).astype(np.float32), tangents=tangents.astype(np.float32),
    )  # fmt: skip
    return made


def material() -> Material:
    """Paint over clay: flat colours, a drawn edge of the light, and patches where the paint is rubbed."""
    paint = Surface(color=hex_to_linear("#b8432c"), roughness=0.7)
    rubbed = Surface(color=hex_to_linear("#caa98a"), roughness=0.9, height=0.4)
    patches = NoiseTerm(id="noise", size=0.16, octaves=3, seed=44, range=(0.6, 0.64))
    return Material(
        id="figure", name="Painted figure", depth=0.002, kind="toned",
        coats=(
            Coat(id="paint", name="Paint", surface=paint),
            Coat(id="rubbed", name="Rubbed clay", amount=0.0, surface=rubbed, where=(patches,), seam=Seam(kind="soft")),
        ),
        tones=Tones(
            shade=(0.52, 0.4, 0.56), deep=(0.72, 0.7, 0.85), edge=0.05, soft=0.02, gloss=0.22, gloss_size=0.22,
            outline=1.8, line_tint=(0.05, 0.035, 0.04),
        ),
        dials=(
            Dial(id="color", path="paint.surface.color", name="Colour", group="Paint"),
            Dial(id="rubbed", path="rubbed.amount", name="Rubbed", group="Paint"),
            Dial(id="shade", path="light:tones.shade", name="Shade", group="Light"),
            Dial(id="edge", path="light:tones.edge", name="Light ends at", group="Light"),
            Dial(id="gloss", path="light:tones.gloss", name="Gloss", group="Light"),
            Dial(id="outline", path="light:tones.outline", name="Outline", group="Light"),
        ),
    )  # fmt: skip


def finishes() -> Iterator[Finish]:
    """One for each colour; faces have no gloss, robes are rubbed."""
    for key, (name, color) in COLORS.items():
        values: dict[str, object] = {"color": hex_to_linear(color)}
        if "robe" in key:
            values["rubbed"] = 0.8
        if key in ("pale_face", "drawn_ink", "straw_hat"):
            values["gloss"] = 0.0
        yield Finish(id=key, name=name, parent="figure", values=values)


def props(mesh_id: str) -> Iterator[Prop]:
    """One on either side of the middle gap."""
    worn = {"Sash": "ochre_sash", "Face": "pale_face", "Hat": "straw_hat", "Staff": "staff_wood", "Ink": "drawn_ink"}
    for i, (gap, robe, turn) in enumerate(((1, "vermilion_robe", 0.25), (3, "indigo_robe", -0.25))):
        yield Prop(
            id=f"guardian_{i + 1}", name=f"Guardian {i + 1}", mesh=mesh_id, position=(-2.64 + 1.32 * gap, 0.0, 2.3),
            turn=turn_of(0.0, turn, 0.0), parent="terraces", finishes={"Robe": robe, **worn},
        )  # fmt: skip
