"""The whole terrace round the courtyard's corner: racks of ware, walls, terraces, a flue, and marks on all of it."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
from scipy.spatial.transform import Rotation

from jade_coat.demo import cloths, glows, growth, guardian, leaves, thatch
from jade_coat.demo.marks import COLUMNS, MARKS, ROWS
from jade_coat.maps.color import hex_to_linear
from jade_coat.material.material import Coat, Dial, Finish, Material
from jade_coat.material.seam import Seam
from jade_coat.material.surface import Surface
from jade_coat.material.where import FacingTerm, NoiseTerm
from jade_coat.mesh import shapes
from jade_coat.mesh.data import MeshData
from jade_coat.stage.arranging import turn_between
from jade_coat.stage.decals import Cell, Decal, Stamp
from jade_coat.stage.lamps import Lamp, Mist
from jade_coat.stage.mesh_assets import Category, FarLevel, MeshAsset, Variant
from jade_coat.stage.project import Group, Prop
from jade_coat.stage.stamping import upright_turn
from jade_coat.stage.turns import turn_of

CATEGORIES = (
    Category(id="clay", name="Clay", finish="cream_jar"), Category(id="wood", name="Wood", finish="rack_wood"),
    Category(id="metal", name="Metal", finish="old_copper"), Category(id="wall", name="Wall", finish="ash_wall"),
    cloths.CATEGORY, thatch.CATEGORY,
    guardian.CATEGORY, *leaves.CATEGORIES, *glows.CATEGORIES, *growth.CATEGORIES,
)  # fmt: skip
SLOT_CATEGORIES = {
    "Storage jar": {"Body": "clay", "Neck": "clay"}, "Bowl": {"Body": "clay"}, "Kiln wall": {"surface": "wall"},
    "Drying rack": {"Posts": "wood", "Boards": "wood"}, "Flue": {"Pipe": "metal", "Collar": "metal"},
    "Wall reed": thatch.COPING_SLOTS, "Broom": thatch.BROOM_SLOTS,
    **glows.SLOTS, "Guardian": guardian.SLOTS, "Tea bush": leaves.SLOTS, "Fern": leaves.SLOTS,
    "Cloth": cloths.SLOTS, "Gate post": {"Shaft": "wall", "Cap": "clay"}, "Terrace edge": {"surface": "wall"},
    **growth.SLOTS,
}  # fmt: skip
VARIANTS: dict[str, tuple[tuple[str, dict[str, str]], ...]] = {
    "Storage jar": (
        ("As thrown", {"Body": "cream_jar", "Neck": "cream_jar"}), ("Iron", {"Body": "iron_jar", "Neck": "iron_jar"}),
        ("Cobalt", {"Body": "cobalt_jar", "Neck": "cobalt_jar"}), ("Celadon", {"Body": "celadon_jar"}),
        ("Dipped neck", {"Neck": "iron_jar"}),
    ),
    "Bowl": (
        ("Cream", {"Body": "cream_jar"}), ("Iron", {"Body": "iron_jar"}), ("Cobalt", {"Body": "cobalt_jar"}),
        ("Celadon", {"Body": "celadon_jar"}),
    ),
    "Kiln wall": (
        ("Celadon", {"surface": "celadon_wall"}), ("Ash", {"surface": "ash_wall"}),
        ("Sooted", {"surface": "sooted_wall"}),
        ("Lime-washed", {"surface": "lime_wall"}), ("Cobalt", {"surface": "cobalt_wall"}),
    ),
    "Drying rack": (("Oiled", {}), ("Bleached", {"Posts": "bleached_wood", "Boards": "bleached_wood"})),
    "Flue": (("Weathered", {}), ("New copper", {"Pipe": "new_copper", "Collar": "new_copper"})),
    "Terrace edge": (("Ash", {"surface": "edge_wall"}), ("Overgrown", {"surface": "overgrown_edge"})),
    **growth.VARIANTS,
}  # fmt: skip


def meshes(grain: float) -> dict[str, MeshData]:
    """The meshes that only the whole terrace has."""
    bowl = [
        (0.0, 0.0), (0.05, 0.0), (0.055, 0.012), (0.10, 0.05), (0.135, 0.105), (0.142, 0.115), (0.136, 0.116),
        (0.10, 0.066), (0.05, 0.03), (0.0, 0.026),
    ]  # fmt: skip
    pipe = [
        (0.16, 0.0), (0.16, 1.1), (0.19, 1.12), (0.19, 1.2), (0.16, 1.22), (0.15, 2.5), (0.26, 2.56), (0.26, 2.62),
        (0.02, 2.95), (0.0, 2.96),
    ]  # fmt: skip
    return {
        "Bowl": shapes.lathe(bowl, round(28 / grain), round(70 / grain), [("Body", 1.0)]),
        "Broom": thatch.broom(grain),
        "Cloth": cloths.mesh(grain),
        "Drying rack": _rack(),
        "Guardian": guardian.mesh(grain),
        **leaves.meshes(grain),
        **{name: made.mesh() for name, made in glows.fields(grain).items()},
        "Flue": shapes.lathe(pipe, round(40 / grain), round(14 / grain), [("Pipe", 0.62), ("Collar", 1.0)]),
        "Terrace edge": shapes.bent_wall(1.5, 0.5, 60.0, 0.06 * grain),
        "Wall reed": thatch.coping(grain),
        "Reed curtain": thatch.curtain(),
        "Leaf litter": leaves.litter(grain).mesh(),
        **growth.meshes(),
    }


def _moved(mesh: MeshData, x: float, y: float, z: float) -> MeshData:
    return mesh.with_(positions=(mesh.positions + np.array([x, y, z])).astype(np.float32))


SHELVES = (0.42, 0.92, 1.42)


def _rack() -> MeshData:
    posts = [_moved(shapes.box(0.06, 1.75, 0.06), x, 0.0, z) for x in (-0.85, 0.0, 0.85) for z in (-0.2, 0.2)]
    boards = [_moved(shapes.box(1.86, 0.035, 0.52), 0.0, y, 0.0) for y in SHELVES]
    return shapes.joined([(shapes.merged(posts), "Posts"), (shapes.merged(boards), "Boards")])


def dressed(asset: MeshAsset, grain: float, ids: dict[str, str]) -> MeshAsset:
    """A mesh of the demo with its variants and categories, and what it is made from."""
    found = VARIANTS.get(asset.name, ())
    variants = tuple(
        Variant(
            id="default" if i == 0 else name.lower().replace(" ", "_").replace("-", "_"), name=name, finishes=finishes
        )
        for i, (name, finishes) in enumerate(found)
    )
    levels = (FarLevel(mesh=ids["Grass tuft, far"], away=growth.AWAY),) if asset.name == "Grass tuft" else ()
    made: MeshAsset = asset.with_(
        levels=levels, variants=variants or asset.variants, categories=SLOT_CATEGORIES.get(asset.name, {}),
        made={**leaves.bushes(grain), **glows.fields(grain), "Leaf litter": leaves.litter(grain)}.get(asset.name),
    )  # fmt: skip
    return made


# Long: a table of the demo.
def materials() -> tuple[Material, ...]:
    """Wood, copper, cloth and the marks."""
    wood = Material(
        id="wood", name="Wood", depth=0.002,
        coats=(
            Coat(id="grain", name="Grain", surface=Surface(color=hex_to_linear("#6b4a2c"), roughness=0.72)),
            Coat(
                id="wear", name="Worn grey", amount=0.7,
                surface=Surface(color=hex_to_linear("#94836b"), roughness=0.85),
                where=(NoiseTerm(id="noise", size=0.22, octaves=4, seed=3, range=(0.35, 0.7)),), seam=Seam(kind="soft"),
            ),
        ),
        dials=(
            Dial(id="tint", path="grain.surface.tint", name="Tint", group="Wood"),
            Dial(id="wear", path="wear.amount", name="Wear", group="Age"),
        ),
    )  # fmt: skip
    copper = Material(
        id="copper", name="Copper", depth=0.002,
        coats=(
            Coat(
                id="metal", name="Copper",
                surface=Surface(color=hex_to_linear("#b0623c"), roughness=0.34, metallic=1.0),
            ),
            Coat(
                id="verdigris", name="Verdigris", amount=0.8,
                surface=Surface(color=hex_to_linear("#5d9c8a"), roughness=0.86, height=0.6),
                where=(
                    NoiseTerm(id="noise", size=0.28, octaves=5, seed=12, range=(0.4, 0.62)),
                    FacingTerm(id="up", combine="add", range=(0.5, 1.0)),
                ),
                seam=Seam(kind="soft"),
            ),
        ),
        dials=(
            Dial(id="verdigris", path="verdigris.amount", name="Verdigris", group="Age"),
            Dial(id="polish", path="metal.surface.roughness", name="Roughness", group="Copper"),
        ),
    )  # fmt: skip
    marks = Material(
        id="marks",
        name="Marks",
        depth=0.006,
        coats=(Coat(id="mark", name="Mark", surface=Surface(map_set="marks", placement="square")),),
        dials=(
            Dial(id="tint", path="mark.surface.tint", name="Tint", group="Mark"),
            Dial(id="relief", path="mark.surface.normal_strength", name="Relief", group="Mark"),
        ),
    )
    more = (
        cloths.material(), thatch.material(), thatch.curtain_material(), guardian.material(), leaves.material(),
        leaves.shade(), leaves.litter_material(), *glows.materials(), *growth.materials(),
    )  # fmt: skip
    return (wood, copper, marks, *more)


def finishes() -> tuple[Finish, ...]:
    """Finishes that only the whole terrace has."""
    return (
        Finish(
            id="celadon_jar", name="Celadon jar", parent="cream_jar",
            values={"glaze_tint": (0.28, 0.52, 0.42), "dust": 0.25},
        ),
        Finish(id="edge_wall", name="Terrace edge", parent="ash_wall", values={"repairs": 0.0}),
        Finish(id="overgrown_edge", name="Overgrown edge", parent="overgrown_wall", values={"repairs": 0.0}),
        Finish(id="rack_wood", name="Rack wood", parent="wood", values={"wear": 0.45}),
        Finish(
            id="bleached_wood", name="Bleached wood", parent="rack_wood",
            values={"wear": 1.0, "tint": (1.3, 1.3, 1.25)},
        ),
        Finish(id="old_copper", name="Old copper", parent="copper"),
        Finish(id="new_copper", name="New copper", parent="copper", values={"verdigris": 0.1, "polish": 0.22}),
        Finish(id="wall_marks", name="Wall marks", parent="marks"),
        *cloths.finishes(), *thatch.finishes(), *guardian.finishes(), *leaves.finishes(), *glows.finishes(),
        *growth.finishes(),
    )  # fmt: skip


GROUPS = (
    Group(id="kiln_house", name="Kiln house"), Group(id="ware", name="Ware"), Group(id="terraces", name="Terraces"),
    Group(id="marks_group", name="Marks"), Group(id="lights", name="Lights and haze"),
)  # fmt: skip


_DOWN = np.array([0.0, -1.0, 0.0])


class _Placer:
    """Places props with numbered names."""

    def __init__(self, ids: dict[str, str]) -> None:
        self._ids, self._counts = ids, {}  # type: tuple[dict[str, str], dict[str, int]]

    def at(
        self, mesh: str, position: tuple[float, float, float], turn: float = 0.0, size: float = 1.0, variant: str = "",
        group: str = "", **more: object,
    ) -> Prop:  # fmt: skip
        self._counts[mesh] = count = self._counts.get(mesh, 0) + 1
        stem = mesh.lower().replace(" ", "_")
        return Prop.model_validate({
            "id": f"{stem}_{count}", "name": f"{mesh} {count}", "mesh": self._ids[mesh], "position": position,
            "turn": turn_of(0.0, turn, 0.0), "size": (size,) * 3, "variant": variant, "parent": group, **more,
        })  # fmt: skip


def props(ids: dict[str, str], corner: Prop) -> Iterator[Prop]:
    """Everything that stands round the corner, whose wall is given; `ids` gives meshes by name."""
    place, rng = _Placer(ids), np.random.default_rng(17)
    yield from _walls(place)
    for i in range(8):  # racks along both sides, the ware on their boards
        side, row = (1, -1)[i % 2], i // 2
        x, z, turn = side * (2.9 + 0.05 * row), -0.9 + row * 1.0, -side * math.pi / 2
        yield place.at("Drying rack", (x, 0.0, z), turn, variant="bleached" if i in (2, 5) else "", group="ware")
        across = Rotation.from_rotvec([0, turn, 0])
        for shelf in SHELVES:
            for slot in range(7):
                if rng.random() < 0.12:
                    continue
                off = across.apply([-0.78 + 0.26 * slot + rng.uniform(-0.02, 0.02), 0.0, rng.uniform(-0.05, 0.05)])
                at = (x + float(off[0]), shelf + 0.035, z + float(off[2]))
                variant = ("", "iron", "cobalt", "celadon")[int(rng.integers(4))]
                own = {"Body": {"dust": round(float(rng.uniform(0.1, 0.7)), 2)}}
                yield place.at("Bowl", at, rng.uniform(0, 6.28), rng.uniform(0.7, 1.0), variant, "ware", values=own)
    yield from _terraces(place, rng)
    yield from cloths.props(ids["Cloth"])
    yield from guardian.props(ids["Guardian"])
    yield from leaves.props(ids)
    yield from glows.props(ids)
    yield from thatch.props(ids, [corner, *(p for p in _walls(_Placer(ids)) if p.mesh == ids["Kiln wall"])])
    for i in range(75):  # stacks of bowls by the gate posts
        stack, level = divmod(i, 5)
        x, z = (-2.15 + 0.34 * (stack % 5), -0.3 + 0.34 * (stack // 5))
        at = (x, 0.045 * level, z)
        yield place.at("Bowl", at, rng.uniform(0, 6.28), 0.9, ("", "celadon", "iron", "cobalt")[stack % 4], "ware")


def _terraces(place: _Placer, rng: np.random.Generator) -> Iterator[Prop]:
    for i in range(36):  # jars set out to dry on the terraces in front
        row, column = divmod(i, 12)
        x = -3.05 + 0.55 * column + rng.uniform(-0.05, 0.05)
        variant = ("", "", "iron", "cobalt", "celadon", "dipped_neck")[int(rng.integers(6))]
        own = {"Body": {"dust": round(float(rng.uniform(0.1, 0.8)), 2)}}
        at = (x, -0.5 * (row + 1), 3.15 + 1.3 * row + rng.uniform(-0.12, 0.12))
        yield place.at(
            "Storage jar", at, rng.uniform(0, 6.28), rng.uniform(0.55, 0.95), variant, "terraces", values=own
        )
    for row in range(3):
        for column in range(6):
            at = (-3.75 + 1.5 * column, -0.5 * (row + 1), 2.5 + 1.3 * row)
            yield place.at("Terrace edge", at, 0.0, 1.0, "overgrown" if rng.random() < 0.4 else "", "terraces")
        floor = {"surface": "trodden_clay"}
        at = (0.0, -0.5 * (row + 1), 1.3 * (row + 1))  # its front edge is where the next step goes down
        yield place.at("Terrace floor", at, group="terraces", finishes=floor)


def _walls(place: _Placer) -> Iterator[Prop]:
    for x, z, turn, variant in (
        (-4.6, -0.9, 1.25, "ash"),
        (4.6, -0.9, -1.25, "lime_washed"),
        (0.0, -6.2, 0.0, "sooted"),
    ):
        yield place.at("Kiln wall", (x, 0.0, z), turn, 1.0, variant, "kiln_house")
    for x, z in ((1.85, -1.75), (-2.05, -1.6)):
        yield place.at("Flue", (x, 0.0, z), 0.3, 1.0, "new_copper" if x > 0 else "", "kiln_house")
    for i in range(6):
        yield place.at("Gate post", (-3.3 + 1.32 * i, 0.0, 2.35), 0.1 * i, 0.8, "", "terraces")


def lamps() -> Iterator[Lamp]:
    """Lanterns over the racks, the glow of the kiln, and a lamp that picks out the jars before it."""
    warm, ember = (1.0, 0.70, 0.40), (1.0, 0.42, 0.14)
    for name, at, tint, strength, reach in (
        ("Kiln glow", (-0.25, 0.35, -1.15), ember, 1.1, 4.0), ("Left lantern", (-2.25, 1.95, 0.3), warm, 1.4, 5.0),
        ("Right lantern", (2.25, 1.95, 0.3), warm, 1.4, 5.0), ("Gate lantern", (0.1, 1.35, 2.5), warm, 0.9, 4.5),
        ("Terrace lantern", (-2.6, 0.1, 4.9), warm, 0.9, 4.5),
    ):  # fmt: skip
        yield Lamp(
            id=_key(name), name=name, position=at, color=tint, strength=strength, reach=reach, parent="lights",
            size=(0.08, 0.08, 0.08),
        )  # fmt: skip
    yield Lamp(
        id="jar_spot", name="Jar spot", position=(1.6, 2.6, 2.0),
        turn=turn_between(_DOWN, np.array([-0.75, -2.1, -2.5])),
        color=(1.0, 0.86, 0.66), strength=5.0, reach=6.0, spot=True, inner=0.12, outer=0.3, parent="lights",
    )  # fmt: skip


def mists() -> tuple[Mist, ...]:
    """The haze that lies over the terraces."""
    return (
        Mist(id="haze", name="Haze", position=(0.0, -0.6, 4.4), size=(16.0, 2.2, 9.0), density=0.09, thins=0.5,
             color=(0.9, 0.87, 0.82), parent="lights"),
    )  # fmt: skip


def stamps() -> tuple[Stamp, ...]:
    """One stamp for each mark of the atlas."""
    return tuple(Stamp(id=_key(name), name=name, decal=_mark(i, name, size)) for i, (name, _, size) in enumerate(MARKS))


def _key(name: str) -> str:
    return name.lower().replace(" ", "_").replace("-", "_")


def _mark(i: int, name: str, size: tuple[float, float]) -> Decal:
    cell = Cell(columns=COLUMNS, rows=ROWS, index=i)
    return Decal(id="stamp", name=name, finish="wall_marks", size=(size[0], 0.3, size[1]), cell=cell)


def decals() -> Iterator[Decal]:
    """Marks at joins, on curves and over several props."""
    kept = {s.name: s.decal for s in stamps()}
    radius, middle = 4.2, 1.8  # the kiln wall is bent round an axis 4.2 m before it
    for i, (name, along, y, scale, opacity) in enumerate((
        ("Soot tongue", -0.34, 1.55, 1.25, 0.9), ("Soot tongue", -0.29, 1.7, 0.9, 0.75),
        ("Crack", 0.19, 1.35, 1.0, 0.9), ("Water stain", 0.33, 1.45, 1.25, 0.85),
        ("Pottery sign", 0.03, 1.62, 0.9, 0.92), ("Chip", 0.11, 0.82, 1.1, 1.0),
        ("Lichen spots", -0.12, 0.75, 1.1, 0.9), ("Moss cushion", -0.2, 0.45, 1.3, 1.0),
        ("Blown ash", 0.24, 0.35, 1.5, 0.8),
    )):  # fmt: skip
        normal = np.array([-math.sin(along), 0.0, math.cos(along)])
        at = np.array([radius * math.sin(along), y, middle - radius * math.cos(along)])
        yield _laid(kept[name], f"mark_{i + 1}", at, normal, scale, opacity, 0.0)
    for i, (name, x, y, z, facing, scale, roll) in enumerate((
        ("Glaze drips", 1.02, 0.56, -0.83, (0, 0.25, 1), 0.62, 0.0),
        ("Chip", 0.55, 0.44, -0.63, (0.4, 0.2, 1), 0.8, 0.7),
        ("Verdigris run", 1.85, 1.0, -1.59, (0, 0, 1), 0.8, 0.0), ("Slip splash", 0.15, 0.0, 0.15, (0, 1, 0), 1.4, 0.4),
        ("Jar ring", 0.55, 0.0, 0.35, (0, 1, 0), 1.0, 0.0), ("Jar ring", 0.88, 0.0, 0.42, (0, 1, 0), 0.9, 0.0),
        ("Blown ash", -1.25, 0.0, -0.55, (0, 1, 0), 1.3, 0.6),
        ("Moss cushion", -1.35, 0.12, -0.7, (0, 0.6, 1), 1.1, 0.0),
        ("Crack", -1.28, 0.8, -0.73, (0.2, 0, 1), 0.75, 0.0),
    )):  # fmt: skip
        yield _laid(kept[name], f"mark_{i + 20}", np.array([x, y, z]), np.array(facing, float), scale, 0.95, roll)


def _laid(
    like: Decal, name: str, at: np.ndarray, normal: np.ndarray, scale: float, opacity: float, roll: float
) -> Decal:
    x, y, z = (float(v) for v in at)
    width, depth, height = like.size
    made: Decal = like.with_(
        id=name, name=f"{like.name} {name.rpartition('_')[2]}", position=(x, y, z), turn=upright_turn(normal, roll),
        size=(width * scale, depth, height * scale), opacity=opacity, parent="marks_group",
    )  # fmt: skip
    return made
