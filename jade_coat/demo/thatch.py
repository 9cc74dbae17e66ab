"""Reed over the tops of the walls, and brooms: strands in the demo."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from jade_coat.maps.color import hex_to_linear
from jade_coat.material.material import Coat, Dial, Finish, Material
from jade_coat.material.placing import SwayMove
from jade_coat.material.seam import Seam
from jade_coat.material.strands import Strands
from jade_coat.material.surface import Surface
from jade_coat.material.where import FacingTerm, NoiseTerm
from jade_coat.mesh import shapes
from jade_coat.mesh.data import MeshData
from jade_coat.program.types import Array
from jade_coat.stage.mesh_assets import Category
from jade_coat.stage.project import Prop
from jade_coat.stage.turns import turn_of

CATEGORY = Category(id="reed", name="Reed", finish="old_reed")
COPING_SLOTS, BROOM_SLOTS = {"Reed": "reed"}, {"Handle": "wood", "Bristles": "reed"}
WIDTH, HEIGHT, RADIUS = 5.4, 2.4, 4.2
"""Those of the kiln wall that the reed lies on."""
SQUARE = 0.5
"""Metres of a course that one square of its UVs spans."""
COURSES = (((0.05, 0.10), (0.31, -0.12)), ((0.0, 0.17), (0.2, 0.0)))
"""Each course from its root to its tips: away from the wall and above its top, metres."""


def coping(grain: float) -> MeshData:
    """Two courses of reed on either side of a bent wall's top; u runs along them, v from root to tip."""
    rng = np.random.default_rng(5)
    columns = round(WIDTH / (0.013 * grain))
    parts = [_course(columns, root, tip, side, rng) for side in (1.0, -1.0) for root, tip in COURSES]
    return shapes.merged(parts, "Reed")


def _course(
    columns: int, root: tuple[float, float], tip: tuple[float, float], side: float, rng: np.random.Generator
) -> MeshData:
    """One course: its upper side, the cut ends of the reeds, and what is seen of it from below."""
    longer = 1 + 0.035 * rng.standard_normal(columns + 1) + 0.03 * _waves(columns, rng)
    thicker = 0.009 * _waves(columns, rng) + 0.003 * rng.standard_normal(columns + 1)
    at = np.array([0.0, 0.25, 0.5, 0.75, 1.0, 1.001, 1.001, 0.6])
    lift = np.array([0.0, 0.02, 0.03, 0.028, 0.012, 0.012, -0.05, -0.07])

    def place(s: Array, t: Array) -> tuple[Array, Array]:
        step = np.rint(t * (len(at) - 1)).astype(int)
        own = np.rint(s * columns).astype(int)
        own = own if side > 0 else columns - own
        along = at[step] * np.where(at[step] > 0.5, longer[own], 1.0)
        across, up = np.array(tip) - np.array(root)
        length = float(np.hypot(across, up))
        rise = lift[step] + np.where(step > 0, thicker[own], 0.0)
        away = root[0] + along * across - rise * up / length
        high = root[1] + along * up + rise * across / length
        angle = (own / columns - 0.5) * WIDTH / RADIUS
        reach = RADIUS - side * away
        positions = np.stack([reach * np.sin(angle), HEIGHT + high, RADIUS - reach * np.cos(angle)], axis=1)
        return positions, np.stack([own / columns * WIDTH / SQUARE, np.minimum(at[step], 0.999)], axis=1)

    return shapes.sheet(columns, len(at) - 1, place, "reed")


def _waves(columns: int, rng: np.random.Generator) -> Array:
    """Bundles along a course, about −1 to 1."""
    x = np.linspace(0, 1, columns + 1)
    waves = (np.sin(2 * np.pi * (x * rng.integers(20, 90) + rng.random())) for _ in range(5))
    return np.asarray(sum(waves, np.zeros(columns + 1)) / 3)


def broom(grain: float) -> MeshData:
    """A broom that stands on its bristles."""
    flare = [(0.0, 0.0), (0.12, 0.0), (0.115, 0.02), (0.075, 0.22), (0.035, 0.38), (0.03, 0.4), (0.0, 0.405)]
    head = shapes.lathe(flare, round(48 / grain), round(40 / grain), [("Bristles", 1.0)])
    u, v = head.uvs[0].T
    head = head.with_(uvs=(np.stack([u / u.max(), np.clip(v / v.max(), 0, 0.999)], axis=1).astype(np.float32),))
    handle = shapes.rod(0.016, 1.0)
    up = np.array([0.0, 0.36 - handle.bounds[0][1], 0.0])
    raised = handle.with_(positions=(handle.positions + up).astype(np.float32))
    return shapes.joined([(raised, "Handle"), (head, "Bristles")])


CURTAIN_HIGH = 0.9
"""Metres that a reed curtain hangs down."""


def curtain() -> MeshData:
    """A curtain of reed that hangs from a pole at the origin, along x; v runs once down it."""
    sheet = shapes.wall_piece(1.1, CURTAIN_HIGH)
    fold = 0.012 * np.sin(sheet.positions[:, 0] * 60)
    hung = sheet.positions + np.array([0.0, -CURTAIN_HIGH / 2, 0.0]) + np.stack([0 * fold, 0 * fold, fold], axis=1)
    u, v = sheet.uvs[0].T
    uv = np.stack([u, np.clip(v / v.max(), 0, 0.999)], axis=1).astype(np.float32)
    beam = shapes.box(1.24, 0.04, 0.04)
    laid = beam.with_(positions=(beam.positions - np.array([0.0, 0.02, 0.0])).astype(np.float32))
    reed = sheet.with_(positions=hung.astype(np.float32), uvs=(uv,))
    return shapes.joined([(reed, "Reed"), (laid, "Pole")])


def curtain_material() -> Material:
    """The same reed, hanging: it gives way to the wind towards its foot."""
    sway = SwayMove(id="sway", along="wind", amount=0.3, foot=0.0, tip=-CURTAIN_HIGH, bend=1.5, rate=0.5, lean=0.3)
    hanging = material()
    return hanging.with_(
        id="reed_curtain", name="Reed curtain", moves=(sway,),
        dials=(*hanging.dials, Dial(id="sway", path="moves:sway.amount", name="Sway", group="Wind")),
    )  # fmt: skip


def material() -> Material:
    """Cut reed, weathered from the outside, with moss where it lies level."""
    reed = Surface(color=hex_to_linear("#b48c4a"), roughness=0.6, specular=0.5, height=0.5)
    grey = Surface(color=hex_to_linear("#7a705e"), roughness=0.8, specular=0.4, height=0.5)
    moss = Surface(color=hex_to_linear("#56662a"), roughness=0.95, specular=0.2, height=0.6)
    return Material(
        id="thatch", name="Reed", depth=0.01, kind="strands", two_sided=True,
        coats=(
            Coat(id="reed", name="Cut reed", surface=reed),
            Coat(
                id="grey", name="Weathered", amount=0.6, surface=grey, seam=Seam(kind="soft"),
                where=(NoiseTerm(id="noise", size=0.4, octaves=4, seed=8, range=(0.35, 0.7)),),
            ),
            Coat(
                id="moss", name="Moss", amount=0.85, surface=moss, seam=Seam(kind="soft"),
                where=(
                    NoiseTerm(id="noise", size=0.7, octaves=5, seed=31, range=(0.44, 0.6)),
                    FacingTerm(id="up", range=(0.3, 0.75)),
                ),
            ),
        ),
        strands=Strands(
            root=(0.34, 0.3, 0.26), tip=(0.95, 0.9, 0.8), bend=0.8, count=110.0, mottle=0.75, skin=0.07,
            skin_width=0.34, stray=0.22, core=0.16, core_width=0.5, wrap=0.3, through=0.12,
        ),
        dials=(
            Dial(id="weathered", path="grey.amount", name="Weathered", group="Age"),
            Dial(id="moss", path="moss.amount", name="Moss", group="Age"),
            Dial(id="tint", path="reed.surface.tint", name="Tint", group="Reed"),
            Dial(id="shine", path="light:strands.skin", name="Shine", group="Reed"),
        ),
    )  # fmt: skip


def finishes() -> tuple[Finish, ...]:
    """Reed of several ages."""
    return (
        Finish(id="old_reed", name="Old reed", parent="thatch"),
        Finish(id="new_reed", name="New reed", parent="thatch", values={"weathered": 0.1, "moss": 0.0, "shine": 0.16}),
        Finish(id="hanging_reed", name="Hanging reed", parent="reed_curtain", values={"weathered": 0.3, "moss": 0.0}),
        Finish(id="broom_reed", name="Broom bristles", parent="new_reed", values={"tint": (0.75, 0.6, 0.45)}),
    )  # fmt: skip


def props(ids: dict[str, str], walls: Sequence[Prop]) -> Iterator[Prop]:
    """Reed on every wall, and three brooms leaning about."""
    for i, wall in enumerate(walls):
        yield Prop(
            id=f"wall_reed_{i + 1}", name=f"Wall reed {i + 1}", mesh=ids["Wall reed"], position=wall.position,
            turn=wall.turn, size=wall.size, parent="kiln_house", finishes={"Reed": "new_reed"} if i == 1 else {},
        )  # fmt: skip
    for i, (x, z, turn) in enumerate(((2.64, 2.35, 0.0), (-3.05, 1.3, 1.35))):
        yield Prop(
            id=f"reed_curtain_{i + 1}", name=f"Reed curtain {i + 1}", mesh=ids["Reed curtain"], position=(x, 1.02, z),
            turn=turn_of(0.0, turn, 0.0), parent="kiln_house", finishes={"Reed": "hanging_reed", "Pole": "rack_wood"},
        )  # fmt: skip
    brooms = ((-1.42, 2.2, 0.4, -0.16), (1.9, 1.6, 2.0, -0.2), (-2.2, -1.25, 0.2, -0.17))
    worn = {"Handle": "rack_wood", "Bristles": "broom_reed"}
    for i, (x, z, turn, lean) in enumerate(brooms):
        yield Prop(
            id=f"broom_{i + 1}", name=f"Broom {i + 1}", mesh=ids["Broom"], position=(x, 0.0, z),
            turn=turn_of(lean, turn, 0.0), parent="kiln_house", finishes=worn,
        )  # fmt: skip
