"""Grounds in the picture: covered once whatever the eye, as the weights say, placed by the heights; kept in files."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jade_coat.files.assets import Assets
from jade_coat.files.project_folder import BadProject, open_project, save_project
from jade_coat.ground.heights import Heights
from jade_coat.ground.pages import Pages
from jade_coat.ground.synthesis import Land
from jade_coat.maps.packing import PackedLookup
from jade_coat.material.material import Coat, Finish, Material
from jade_coat.material.paint_source import own_key
from jade_coat.material.shared import shared_name
from jade_coat.material.stacking import GroundLayer
from jade_coat.material.surface import Surface
from jade_coat.stage import edits
from jade_coat.stage.document import Document
from jade_coat.stage.draws import Scene
from jade_coat.stage.ground_grids import own_grids, texels
from jade_coat.stage.ground_looks import ground_material
from jade_coat.stage.ground_nodes import NODE_MESH, node_mesh
from jade_coat.stage.grounds import Ground, new_ground
from jade_coat.stage.project import Project
from jade_coat.stage.scene import SceneColumns
from jade_coat.view.camera import eye_of, seen
from jade_coat.view.culling import fine_enough
from tests.core.test_ground import shares
from tests.support import put_mesh, some_ground

COLORS = {"red": (0.5, 0.05, 0.05), "green": (0.05, 0.4, 0.05), "blue": (0.05, 0.05, 0.6)}
SIDE = 96


def plain(heights: Heights, weights: dict[str, np.ndarray], **layers) -> Project:
    """A project of a ground with a layer of each colour; `layers` says what is special about some."""
    materials, finishes, made = [], [], []
    for i, (name, color) in enumerate(COLORS.items()):
        coat = Coat(id="c", name="C", surface=Surface(color=color, roughness=1.0, height=0.3 + 0.2 * i))
        materials.append(Material(id=f"m_{name}", name=name, coats=(coat,)))
        finishes.append(Finish(id=name, name=f"f {name}", parent=f"m_{name}"))
        made.append(GroundLayer(id=name, name=name, finish=name, **layers.get(name, {})))
    ground = new_ground("g", "G", heights, made[0], 33)
    pages = {n: Pages.of(w) for n, w in weights.items()}
    return Project(materials=tuple(materials), finishes=tuple(finishes),
                   grounds=(ground.with_(layers=tuple(made), weights=pages),))  # fmt: skip


def give_own(renderer, ground: Ground) -> None:
    """Give a renderer the textures that are a ground's own."""
    for texture, grids in own_grids(ground).items():
        renderer.assets.put_map(own_key(ground.id, texture), texels([g.whole() for g in grids]))


def drawn(renderer, project: Project, name: str = "ground") -> SceneColumns:
    """Give a renderer the grounds of a project."""
    columns, scene = SceneColumns(lambda _p, _m: node_mesh()), Scene()
    columns.update(project).apply(scene)
    put_mesh(renderer, NODE_MESH, node_mesh())
    for ground in project.grounds:
        give_own(renderer, ground)
    for material in columns.materials.values():
        renderer.assets.set_material(material, PackedLookup(()))
    renderer.scenes.set(name, scene)
    return columns


def random_weights(rng: np.random.Generator) -> dict[str, np.ndarray]:
    made = {}
    for name in COLORS:
        coarse = rng.integers(0, 256, (5, 5)).astype(np.uint8)
        made[name] = np.kron(coarse, np.ones((7, 7), np.uint8))[:33, :33]
    return made


@pytest.mark.parametrize("lead", [0.0, 0.6])
def test_what_is_seen_of_layers_is_what_their_weights_say(renderer, lead: float) -> None:
    """Seen from above, against the NumPy meaning of the same shares at the same places."""
    rng = np.random.default_rng(5)
    weights = random_weights(rng)
    flat = Heights.of(np.zeros((65, 65), np.float32), (8.0, 8.0))
    project = plain(flat, weights, **{n: {"lead": lead} for n in COLORS})
    drawn(renderer, project)
    eye = eye_of(np.array([0.0, 14.0, 0.001]), np.zeros(3), 0.5, 1.0)
    picture = renderer.picture("ground", eye, SIDE, SIDE, ("base_color",), stream="ground")[..., :3] / 255.0
    assert not renderer.faults
    half = 14.0 * np.tan(0.25)
    at = (np.arange(SIDE) + 0.5) / SIDE * 2 - 1
    x, z = np.meshgrid(at * half, at * half)
    cells = np.stack([(x + 4) / 8 * 32, (z + 4) / 8 * 32], axis=-1)
    whole = np.rint(cells).astype(int)
    middle = np.abs(cells - whole).max(axis=-1) < 0.2  # between cells weights are mixed by 8-bit filtering
    taken = np.stack([weights[n][whole[..., 1], whole[..., 0]] for n in COLORS])
    same = np.ones_like(middle)
    for dy in (-1, 0, 1):
        for dx in (-1, 0, 1):
            there = np.stack(
                [weights[n][np.clip(whole[..., 1] + dy, 0, 32), np.clip(whole[..., 0] + dx, 0, 32)] for n in COLORS]
            )
            same &= (there == taken).all(axis=0)
    kept = middle & same
    assert kept.sum() > 200
    own = taken[:, kept] / 255.0
    heights = np.repeat(np.array([[0.3], [0.5], [0.7]]), own.shape[1], axis=1)
    wanted = shares(own, heights, np.full_like(own, lead))
    mixed = np.einsum("ln,lc->nc", wanted, np.array(list(COLORS.values())))
    shown = np.where(mixed <= 0.0031308, mixed * 12.92, 1.055 * mixed ** (1 / 2.4) - 0.055)
    assert np.abs(picture[kept] - shown).max() < 0.02


def test_a_ground_is_where_its_heights_are_and_what_lies_over_it_covers(renderer) -> None:
    """The far edge of a slope of 1 in 2 is seen where it lies; painted fully, what lies over hides all that shares."""
    ramp = Heights.of(np.repeat(np.linspace(0, 4, 65, dtype=np.float32)[None], 65, axis=0), (8.0, 8.0))
    full = {n: np.full((33, 33), 255 if n != "green" else 0, np.uint8) for n in COLORS}
    project = plain(ramp, full, blue={"way": "over"})
    drawn(renderer, project)
    eye = eye_of(np.array([0.0, 12.0, 38.0]), np.array([0.0, 2.0, 0.0]), 0.25, 1.0)
    picture = renderer.picture("ground", eye, SIDE, SIDE, ("base_color",), stream="slope", backdrop=False)
    there = picture[..., 3] > 127
    assert (picture[there][:, 2] > picture[there][:, 0] + 60).all()
    x = np.linspace(-3.6, 3.6, 25)
    far = np.stack([x, (x + 4) / 2, np.full(25, -4.0)], axis=1)  # its far edge, by hand
    for u, v in seen(eye, far)[:, :2] * SIDE:
        top = np.flatnonzero(there[:, int(u)]).min()
        assert top == pytest.approx(v, abs=1.6)


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 2**31))
def test_the_parts_that_are_drawn_cover_a_ground_once_and_neighbours_are_at_most_a_level_apart(seed: int) -> None:
    rng = np.random.default_rng(seed)
    rows, columns = (int(n) for n in rng.integers(40, 600, 2))
    heights = Heights.of((rng.random((rows, columns)) * 3).astype(np.float32), (columns * 0.5, rows * 0.5))
    ground = new_ground("g", "G", heights, GroundLayer(id="a", name="A"), 33)
    scene = Scene()
    SceneColumns(lambda _p, _m: node_mesh()).update(Project(grounds=(ground,))).apply(scene)
    (draw,) = scene.drawn
    eye = np.array([rng.uniform(-1, 1) * columns * 0.4, rng.uniform(0, 60), rng.uniform(-1, 1) * rows * 0.4])
    chosen = draw.matrices[fine_enough(draw.matrices, draw.grid, eye)].astype(float)
    corner, leaf = np.array(draw.grid.corner), np.array(draw.grid.leaf)
    count = 2 ** (draw.grid.levels - 1)
    drawn_by = np.zeros((count, count), int)
    level = np.full((count, count), -1)
    for m in chosen:
        size = round(m[0, 0] / leaf[0])
        x, z = (round(v) for v in (m[[0, 2], 3] - corner) / leaf)
        drawn_by[z : z + size, x : x + size] += 1
        level[z : z + size, x : x + size] = int(np.log2(size))
    inside = np.zeros((count, count), bool)
    inside[: -(-(rows - 1) // 32), : -(-(columns - 1) // 32)] = True
    assert (drawn_by[inside] == 1).all()
    for a, b, there in (
        (level[1:], level[:-1], inside[1:] & inside[:-1]),
        (level[:, 1:], level[:, :-1], inside[:, 1:] & inside[:, :-1]),
    ):
        assert np.abs(a - b)[there].max(initial=0) <= 1


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 2**31))
def test_the_scene_of_edits_one_by_one_is_that_of_the_ground_as_it_is(seed: int) -> None:
    rng = np.random.default_rng(seed)
    document, columns, scene = (
        Document(Project(grounds=(some_ground(),))),
        SceneColumns(lambda _p, _m: node_mesh()),
        Scene(),
    )
    columns.update(document.project).apply(scene)
    for _ in range(6):
        ground: Ground = document.project.grounds.first
        layer = ground.layers[int(rng.integers(len(ground.layers)))].id
        at = rng.integers(0, 25, 2)
        patch = np.full((8, 8), int(rng.integers(0, 256)), np.uint8)
        if rng.random() < 0.5:
            pages = ground.weights[layer].with_values(int(at[0]), int(at[1]), patch)
            document.do(edits.paint_layers(ground="land", weights={layer: pages}))
        elif rng.random() < 0.5:
            raised = ground.heights.pages.with_values(int(at[0]), int(at[1]), patch.astype(np.float32) / 50)
            document.do(edits.sculpt(ground="land", pages=raised))
        else:
            document.undo()
        columns.update(document.project).apply(scene)
    fresh = Scene()
    SceneColumns(lambda _p, _m: node_mesh()).update(document.project).apply(fresh)

    def told(of: Scene) -> set[tuple[object, ...]]:
        return {(d.material, d.grid, m.tobytes(), float(s)) for d in of.drawn
                for m, s in zip(d.matrices, d.seeds, strict=True)}  # fmt: skip

    assert told(scene) == told(fresh)


def test_a_layer_costs_nothing_where_it_is_not() -> None:
    """The program of a part reads no texture of a layer that is painted nowhere in it."""
    weights = {n: np.zeros((33, 33), np.uint8) for n in COLORS}
    weights["red"][:] = 255
    weights["blue"][:4, :4] = 200
    project = plain(Heights.of(np.zeros((257, 257), np.float32), (32.0, 32.0)), weights)
    columns = SceneColumns(lambda _p, _m: node_mesh())
    scene = Scene()
    columns.update(project).apply(scene)
    by_material = {d.material.rpartition(":")[2]: len(d.rows) for d in scene.drawn}
    assert set(by_material) == {"red", "red+blue"}
    assert by_material["red"] > 5 * by_material["red+blue"]
    ground = project.grounds.first
    made = ground_material(project, ground, frozenset({"red"}))
    assert {c.id.partition("~")[0] for c in made.coats} == {"red"}


def test_a_ground_is_kept_tile_by_tile_and_what_is_damaged_is_named(tmp_path: Path) -> None:
    land = Land(samples=257, across=40.0, seed=3).heights()
    ground = new_ground("g", "Hill", land, GroundLayer(id="a", name="A"), 257)
    rng = np.random.default_rng(2)
    painted = Pages.of((rng.random((257, 257)) * 255).astype(np.uint8))
    project = Project(grounds=(ground.with_(layers=(*ground.layers, GroundLayer(id="b", name="B")),
                                            weights={**ground.weights, "b": painted}, by_hand=painted),))  # fmt: skip
    saved = save_project(project, Assets(), tmp_path / "p")
    opened = open_project(tmp_path / "p")
    assert opened.problems == []
    assert opened.project == project
    files = {f.name for f in (tmp_path / "p" / "paint").iterdir()}
    dug = project.grounds.first.heights.pages.with_values(5, 5, np.full((9, 9), -3, np.float32))
    document = Document(project)
    document.do(edits.sculpt(ground="g", pages=dug))
    save_project(document.project, Assets(), tmp_path / "p", saved.home)
    now = {f.name for f in (tmp_path / "p" / "paint").iterdir()}
    assert len(now - files) == 1  # only the tile that changed was written anew, and the old one is gone
    assert len(files - now) == 1
    (victim,) = now - files
    (tmp_path / "p" / "paint" / victim).write_bytes(b"rubbish")
    opened = open_project(tmp_path / "p")
    assert len(opened.problems) == 1
    assert victim in opened.problems[0]
    kept = opened.project.grounds.first
    assert kept.weights["b"] == painted
    assert np.isfinite(kept.heights.whole).all()
    text = json.loads((tmp_path / "p" / "project.json").read_text())
    text["grounds"][0]["heights"]["pages"]["tiles"].pop()
    (tmp_path / "p" / "project.json").write_text(json.dumps(text))
    with pytest.raises(BadProject, match="the ground Hill: it names"):  # nothing could keep what makes no sense
        open_project(tmp_path / "p")


def test_what_follows_a_shared_dial_comes_and_goes_with_it(renderer) -> None:
    """Damp painted all over: at 0 the ground is dry, at 1 under water, and nothing is compiled between."""
    weights = {n: np.full((33, 33), 255 if n in ("red", "blue") else 0, np.uint8) for n in COLORS}
    flat = Heights.of(np.zeros((65, 65), np.float32), (8.0, 8.0))
    project = plain(flat, weights, blue={"way": "absolute", "role": "damp", "follows": "rain"})
    drawn(renderer, project)
    eye = eye_of(np.array([0.0, 14.0, 0.001]), np.zeros(3), 0.5, 1.0)
    seen_by = {}
    compiled = []
    for value in (0.0, 0.4, 1.0):
        renderer.set_shared({shared_name("rain"): value})
        picture = renderer.picture("ground", eye, SIDE, SIDE, ("roughness",), stream="rain")
        seen_by[value] = float(picture[SIDE // 2, SIDE // 2, 0])
        compiled.append(renderer.shop.compiles)
    assert not renderer.faults
    assert seen_by[0.0] > 240
    assert 60 < seen_by[0.4] < seen_by[0.0]
    assert seen_by[1.0] < 60
    assert compiled[0] == compiled[-1]


@pytest.mark.parametrize("lift", [0.0, 0.5])
def test_water_fills_a_hollow_level_although_damp_was_painted_in_its_middle_alone(renderer, lift: float) -> None:
    """In the picture it ends where the land is as high as its level, all round (a bowl of known depth, by hand).

    A layer of height 0.3 that lifts the land rises out of it by as much of its lift.
    """
    z, x = np.mgrid[0:129, 0:129] / 128 * 16 - 8
    away = np.hypot(x, z)
    bowl = Heights.of(np.where(away < 6, 2 - (1 - (away / 6) ** 2), 2.0).astype(np.float32), (16.0, 16.0))
    full = {n: np.full((33, 33), 255 if n == "red" else 0, np.uint8) for n in COLORS}
    ground = plain(bowl, full).grounds.first
    damp = GroundLayer(id="damp", name="Damp", way="absolute", role="damp", stands=0.6)
    painted = np.zeros((33, 33), np.uint8)
    painted[15:18, 15:18] = 0.8 * 255  # half of the way from where it stands to full: level at 1.5 m
    bottom = ground.layers[0].with_(lift=lift)
    project = plain(bowl, full).with_(
        grounds=(
            ground.with_(
                layers=(bottom, *ground.layers[1:], damp), weights={**ground.weights, "damp": Pages.of(painted)}
            ),
        )
    )
    drawn(renderer, project)
    eye = eye_of(np.array([0.0, 40.0, 0.001]), np.zeros(3), 0.4, 1.0)
    wet = renderer.picture("ground", eye, SIDE, SIDE, ("share:damp:water",), stream="pool")[..., 0] / 255.0
    assert not renderer.faults
    half = (40.0 - 1.5) * np.tan(0.2)
    at = ((np.arange(SIDE) + 0.5) / SIDE * 2 - 1) * half
    far = np.hypot(*np.meshgrid(at, at))
    shore = 6 * np.sqrt(0.5 - 0.3 * lift)  # where the bowl is 1.5 m high, lifted
    assert wet[far < shore - 0.4].min() > 0.95
    assert wet[far > shore + 0.4].max() < 0.05
