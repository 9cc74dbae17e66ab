"""Scatter: pieces lie evenly without a grid, follow the layers, stay where they are, and are drawn as props would be."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from jade_coat.files.assets import Assets
from jade_coat.files.library import Library
from jade_coat.ground import blue_noise
from jade_coat.ground.heights import Heights
from jade_coat.ground.pages import Pages
from jade_coat.ground.paths import GroundPath
from jade_coat.ground.pieces import Pieces
from jade_coat.ground.scatter import STEPS, Footing, Scatter, cells_over, strewn
from jade_coat.ground.stroke import GroundBrush, painted, shaped
from jade_coat.ground.synthesis import Land
from jade_coat.looking.ground_lift import GroundLifts
from jade_coat.maps.mapset import MapFile, MapSet
from jade_coat.material.material import Coat, Dial, Finish, Material
from jade_coat.material.recipes import Recipe, Step
from jade_coat.material.stacking import GroundLayer
from jade_coat.material.surface import Role, Surface
from jade_coat.mesh import shapes
from jade_coat.stage import edits, strewing
from jade_coat.stage.document import Document
from jade_coat.stage.draws import Scene
from jade_coat.stage.grounds import new_ground
from jade_coat.stage.mesh_assets import Category, MeshAsset
from jade_coat.stage.plucking import as_prop, near
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.scene import SceneColumns

LAYERS = (
    GroundLayer(id="clay", name="Clay"), GroundLayer(id="turf", name="Turf"),
    GroundLayer(id="path", name="Path", way="over"),
    GroundLayer(id="damp", name="Damp", way="absolute", role="damp", stands=0.5),
)  # fmt: skip
MESH = shapes.box(0.2, 0.3, 0.2)


def footing(heights: Heights | None = None, **painted_as: np.ndarray) -> Footing:
    """Flat ground of 40 m with turf everywhere, and what else is given as painted."""
    heights = heights or Heights.of(np.zeros((65, 65), np.float32), (40.0, 40.0))
    bare = {s.id: Pages.flat(65, 65, "uint8", 255 if s.id == "turf" else 0) for s in LAYERS}
    return Footing(heights, LAYERS, {**bare, **{n: Pages.of(v) for n, v in painted_as.items()}})


def scattered(**numbers) -> Scatter:
    return Scatter(**{"id": "s", "name": "S", "layer": "turf", "mesh": "box", **numbers})


def all_of(scatter: Scatter, on: Footing) -> Pieces:
    return Pieces.joined(strewn(scatter, on, cells_over(scatter, on.heights.size)).values())


@pytest.mark.parametrize("count", [blue_noise.COUNT, 9000, 4096, 700])
def test_every_beginning_of_the_spread_lies_evenly_without_a_grid(count: int) -> None:
    """Relative radius and pair correlation of Poisson disks: Lagae & Dutré 2008, A Comparison of Methods for Generating
    Poisson Disk Distributions (radius 0.65–0.85 of the closest packing; dart throwing reaches 0.55–0.65)."""
    points = blue_noise.tile()[:count]
    tree, close = cKDTree(points, boxsize=1.0), blue_noise.closest_packing(count)
    nearest = tree.query(points, k=2)[0][:, 1]
    assert nearest.min() > 0.56 * close
    assert 0.68 * close < nearest.mean() < 0.9 * close  # 1 would be a grid
    edges = np.array([0.5, 2.5, 3.0, 3.5, 4.0]) * close
    pairs = tree.count_neighbors(tree, edges) - count
    expected = count * (count - 1) * math.pi * edges**2  # of points by chance: Ripley's K
    assert pairs[0] == 0, "no two lie closer than half of the closest packing"
    assert np.allclose(np.diff(pairs) / np.diff(expected), 1.0, atol=0.12)
    # A grid would show as directions that neighbours prefer.
    a, b = tree.query_pairs(1.3 * close, output_type="ndarray").T
    way = (points[b] - points[a] + 0.5) % 1.0 - 0.5
    for fold in (4, 6):
        assert abs(np.exp(1j * fold * np.arctan2(way[:, 1], way[:, 0])).mean()) < 0.07


def test_the_spread_that_comes_along_is_what_its_function_makes() -> None:
    small = blue_noise.ranked_tile(512, seed=3)
    nearest = cKDTree(small, boxsize=1.0).query(small, k=2)[0][:, 1]
    assert nearest.min() > 0.6 * blue_noise.closest_packing(512)
    made = np.floor(blue_noise.ranked_tile(blue_noise.COUNT) * 65536)
    assert np.array_equal(np.floor(blue_noise.tile() * 65536), made)


@settings(max_examples=25, deadline=None)
@given(st.floats(0.05, 30.0), st.integers(0, 999))
def test_as_many_pieces_stand_as_the_density_says_and_no_two_crowd(density: float, seed: int) -> None:
    scatter = scattered(density=density, seed=seed)
    pieces = all_of(scatter, footing())
    wanted = density * 1600
    assert len(pieces) == pytest.approx(wanted, rel=0.03, abs=4 + 2 * math.sqrt(wanted))
    if len(pieces) > 1:
        nearest = cKDTree(pieces.places).query(pieces.places, k=2)[0][:, 1]
        assert nearest.min() > 0.5 * math.sqrt(2 / (math.sqrt(3) * density))
    thinner = all_of(scatter.with_(density=density * 0.6), footing())
    if math.ceil(math.log(density, 4)) == math.ceil(math.log(density * 0.6, 4)):
        assert set(map(tuple, thinner.places)) <= set(map(tuple, pieces.places)), "those that are left stay"


def test_where_pieces_stand_follows_layers_slopes_heights_water_and_cut_outs() -> None:
    half = np.zeros((65, 65), np.uint8)
    half[:, 33:] = 255  # 20 m and beyond
    assert all_of(scattered(density=4.0), footing(turf=half * 0, clay=half * 0 + 255)).places.size == 0
    at = all_of(scattered(density=4.0), footing(turf=half, clay=255 - half)).places
    assert len(at) > 2500
    assert at[:, 0].min() > 20.0
    for other in ("path", "damp"):
        kept = all_of(scattered(density=4.0), footing(**{other: half})).places
        assert len(kept) > 2500
        assert kept[:, 0].max() < 20.7
    assert len(all_of(scattered(density=4.0, dry=0.0), footing(damp=half))) > 6000
    assert all_of(scattered(density=4.0, cut_out="clay"), footing(clay=half)).places[:, 0].max() < 20.7
    thin = all_of(scattered(density=4.0), footing(turf=np.full((65, 65), 51, np.uint8),
                                                  clay=np.full((65, 65), 204, np.uint8)))  # fmt: skip
    assert len(thin) == pytest.approx(0.2 * 6400, rel=0.08), "a layer painted to a fifth grows a fifth"
    ramp = np.repeat(np.linspace(0, 40, 65, dtype=np.float32)[None], 65, axis=0) * np.float32(
        math.tan(math.radians(30))
    )
    slope = footing(Heights.of(ramp, (40.0, 40.0)))
    assert len(all_of(scattered(steep_to=math.radians(29.5)), slope)) == 0
    assert len(all_of(scattered(steep_from=math.radians(30.5)), slope)) == 0
    high = all_of(scattered(heights=(5.0, 12.0)), slope)
    assert len(high) > 100
    assert 5.0 <= high.matrices[:, 1, 3].min() <= high.matrices[:, 1, 3].max() <= 12.0


def test_pieces_keep_off_a_layer_by_metres() -> None:
    """A straight path between two known edges, by hand."""
    path = np.zeros((65, 65), np.uint8)
    path[:, 30:35] = 255  # 18.75 m to 21.25 m
    off = lambda by: np.abs(
        all_of(scattered(density=8.0, cut_out="path", off=by), footing(path=path)).places[:, 0] - 20.0
    )
    step = 40 / 64
    assert 1.25 <= off(0.0).min() < 1.25 + step
    assert 1.25 + 2.0 - step <= off(2.0).min() < 1.25 + 2.0 + step
    assert len(off(2.0)) == pytest.approx(8.0 * 40 * (40 - 2 * 3.25), rel=0.03)


def test_pieces_stand_on_the_ground_upright_leant_or_along_its_slope() -> None:
    ramp = np.repeat(np.linspace(0, 20, 65, dtype=np.float32)[None], 65, axis=0)
    on = replace(footing(Heights.of(ramp, (40.0, 40.0))), corner=(100.0, -50.0), foot=3.0)
    normal = np.array([-1.0, 2.0, 0.0]) / math.sqrt(5)  # of a rise of 1 in 2, by hand
    straight = all_of(scattered(tilt=0.0, follow=0.0, size=(0.5, 2.0)), on)
    assert np.allclose(straight.matrices[:, 1, 3], straight.places[:, 0] / 2 + 3.0, atol=1e-4)
    assert np.allclose(straight.matrices[:, 0, 3] - 100.0, straight.places[:, 0], atol=1e-4)
    sizes = np.linalg.norm(straight.matrices[:, :, 1], axis=1)
    assert 0.5 <= sizes.min() < 0.52
    assert 1.9 < sizes.max() <= 2.0 + 1e-6
    assert np.allclose(straight.matrices[:, :, 1] / sizes[:, None], [0, 1, 0], atol=1e-6)
    along = all_of(scattered(tilt=0.0, follow=1.0), on).matrices
    up = along[:, :, 1] / np.linalg.norm(along[:, :, 1], axis=1, keepdims=True)
    assert np.allclose(up, normal, atol=1e-5)
    leant = all_of(scattered(tilt=0.3, follow=0.0), on).matrices
    off = np.arccos(np.clip(leant[:, 1, 1] / np.linalg.norm(leant[:, :, 1], axis=1), -1, 1))
    assert 0.27 < off.max() <= 0.3 + 1e-5
    linear = leant[:, :, :3].astype(np.float64)
    size = np.linalg.norm(linear[:, :, 0], axis=1)
    turns = linear / size[:, None, None]
    assert np.allclose(turns.transpose(0, 2, 1) @ turns, np.eye(3), atol=1e-5)
    assert (np.linalg.det(turns) > 0).all()


def project_of(*scatters: Scatter, dial: bool = False) -> Project:
    """A ground of 30 m on which boxes may grow, and a prop that stands on it."""
    coat = Coat(id="c", name="C", surface=Surface(color=(0.6, 0.1, 0.1), roughness=0.8))
    dials = (Dial(id="warm", path="c.surface.roughness", name="Warm"),)
    green = coat.with_(surface=Surface(color=(0.1, 0.4, 0.1), roughness=0.9, height=0.5))
    materials = (Material(id="m", name="M", coats=(coat,), dials=dials), Material(id="t", name="T", coats=(green,)))
    finishes = (Finish(id="f", name="F", parent="m"), Finish(id="g", name="G", parent="t"))
    ground = new_ground("land", "Land", Land(samples=129, across=30.0, height=4.0, seed=5).heights(),
                        GroundLayer(id="turf", name="Turf", finish="g"), 129)  # fmt: skip
    bare = Pages.flat(129, 129, "uint8", 0)
    layers = (*ground.layers, GroundLayer(id="moss", name="Moss", finish="g"))
    ground = ground.with_(layers=layers, weights={**ground.weights, "moss": bare}, scatter=scatters)
    box = MeshAsset(id="box", name="Box", asset="box", slots=("surface",), categories={"surface": "red"})
    high = float(ground.heights.at(np.array([[15.0, 15.0]]))[0])
    prop = Prop(id="p", name="P", mesh="box", position=(0.0, high, 0.0), size=(3.0, 3.0, 3.0))
    return Project(materials=materials, finishes=finishes, meshes=(box,), grounds=(ground,), props=(prop,),
                   categories=(Category(id="red", name="Red", finish="f"),))  # fmt: skip


def columns_of(project: Project, later: bool = False) -> tuple[SceneColumns, Scene]:
    lifts = GroundLifts(Library(Assets()))
    columns, scene = SceneColumns(lambda _p, _m: MESH, lambda _p, m: m, lifts.of, later), Scene()
    columns.update(project).apply(scene)
    return columns, scene


def moss_dab(rng: np.random.Generator, project: Project) -> edits.Edit:
    ground = project.grounds.first
    brush = GroundBrush(radius=float(rng.uniform(0.5, 2.5)), strength=0.9)
    weights = painted(ground.weights, ground.sharing, "moss", ground.heights.size, brush, rng.uniform(0, 30, 2))
    return edits.paint_layers(ground="land", weights=weights)


def hill_dab(rng: np.random.Generator, project: Project) -> edits.Edit:
    brush = GroundBrush(deed="raise", radius=float(rng.uniform(0.5, 2.5)))
    made = shaped(project.grounds.first.heights, brush, rng.uniform(0, 30, 2), 0.0)
    return edits.sculpt(ground="land", pages=made.pages)


def step_aside(rng: np.random.Generator, project: Project) -> edits.Edit:
    ground, at = project.grounds.first, rng.uniform(3, 27, 2)
    high = float(ground.heights.at(at[None])[0])
    return edits.set_prop(prop="p", position=(at[0] - 15, high, at[1] - 15))


def pluck(rng: np.random.Generator, project: Project) -> edits.Edit:
    places = tuple((float(x), float(z)) for x, z in rng.uniform(0, 30, (2, 2)))
    return edits.take_pieces(ground="land", scatter="a", places=places)


def lift_land(rng: np.random.Generator, project: Project) -> edits.Edit:
    if rng.random() < 0.3:
        return edits.set_surface(material="t", coat="c", height=float(rng.uniform(0, 1)))
    layer = ("turf", "moss")[rng.integers(2)]
    return edits.set_layer(ground="land", layer=layer, lift=(0.0, 0.4)[rng.integers(2)])


def lead_path(rng: np.random.Generator, project: Project) -> edits.Edit:
    """A path laid, moved, made wider or taken away."""
    paths = project.grounds.first.paths
    points = tuple((float(x), float(z)) for x, z in rng.uniform(0, 30, (3, 2)))
    if not paths:
        return edits.add_path(ground="land", path=GroundPath(id="w", name="W", points=points))
    if rng.random() < 0.2:
        return edits.remove_path(ground="land", path="w")
    if rng.random() < 0.3:
        return edits.set_path(ground="land", path="w", width=float(rng.uniform(0, 4)))
    at = rng.integers(3)
    return edits.set_path(
        ground="land", path="w", points=(*paths[0].points[:at], points[0], *paths[0].points[at + 1 :])
    )


def turn_number(rng: np.random.Generator, project: Project) -> edits.Edit:
    name, value = [("density", 2.0), ("clumps", 0.7), ("clear", 1.0), ("clear", 0.0), ("layer", "moss"), ("far", 9.0),
                   ("dial", "warm"), ("visible", False), ("visible", True), ("cut_out", "moss"),
                   ("off", 1.3), ("off_paths", 0.6), ("by_paths", 2.5)][rng.integers(13)]  # fmt: skip
    return edits.set_scatter(ground="land", scatter="a", **{name: value})


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 2**31))
def test_after_any_edits_pieces_are_what_they_would_be_anew_and_far_ones_never_moved(seed: int) -> None:
    rng = np.random.default_rng(seed)
    document = Document(project_of(scattered(density=3.0, cut_out="moss", off=0.8).with_(id="a"),
                                   scattered(density=0.5, clear=0.8, layer="moss", by_paths=3.0).with_(id="b")))  # fmt: skip
    columns, scene = columns_of(document.project, later=bool(rng.integers(2)))
    waiting = []
    for _ in range(5):
        edit = [moss_dab, moss_dab, hill_dab, step_aside, turn_number, pluck, lift_land, lead_path][rng.integers(8)]
        document.do(edit(rng, document.project))
        columns.update(document.project).apply(scene)
        if columns.due is not None and not waiting:  # what is due is strewn while edits go on
            waiting = [(columns.due, columns.due.strewn())]
        elif waiting and rng.random() < 0.5:
            columns.grow(*waiting.pop()).apply(scene)
    while document.undo_title and rng.random() < 0.5:
        document.undo()
        columns.update(document.project).apply(scene)
    while columns.due is not None or waiting:
        waiting = waiting or [(columns.due, columns.due.strewn())]
        columns.grow(*waiting.pop()).apply(scene)
    _, anew = columns_of(document.project)
    assert scene.strewn.keys() == anew.strewn.keys()
    for name, found in anew.strewn.items():
        assert scene.strewn[name].cells == found.cells
        assert scene.strewn[name].far == found.far
        mine = {(scene.draws[i].material, tuple(scene.rows[scene.draws[i].material][r].tobytes() for r in rows))
                for i, rows in scene.strewn[name].rows.items()}  # fmt: skip
        theirs = {(anew.draws[i].material, tuple(anew.rows[anew.draws[i].material][r].tobytes() for r in rows))
                  for i, rows in found.rows.items()}  # fmt: skip
        assert mine == theirs


@settings(max_examples=10, deadline=None)
@given(st.integers(0, 2**31))
def test_another_state_beside_the_present_one_is_as_it_is_anew_and_only_what_differs_is_strewn(seed: int) -> None:
    rng = np.random.default_rng(seed)
    document = Document(project_of(scattered(density=3.0, cut_out="moss", off=0.8).with_(id="a"),
                                   scattered(density=0.5, clear=0.8, layer="moss").with_(id="b")))  # fmt: skip
    then = document.project
    for _ in range(3):
        document.do([moss_dab, hill_dab, step_aside, pluck][rng.integers(4)](rng, document.project))
    columns, scene = columns_of(document.project)
    before = {name: dict(strewn.cells) for name, strewn in scene.strewn.items()}
    partly: list[bool] = []
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(strewing, "strewn", lambda *a: partly.append(len(a) == 4) or strewn(*a))
        beside, apart = columns.beside(then, "then"), Scene()
        beside.update(then.with_(grounds=tuple(g.with_(id=f"then/{g.id}") for g in then.grounds))).apply(apart)
    _, anew = columns_of(then)
    assert {name.removeprefix("then/"): found.cells for name, found in apart.strewn.items()} == {
        name: found.cells for name, found in anew.strewn.items()
    }
    assert partly
    assert all(partly), "in some rectangles alone"
    # What stands in the present scene is left as it was.
    columns.update(document.project.with_(name="Again")).apply(scene)
    assert {name: found.cells for name, found in scene.strewn.items()} == before


def test_pieces_stand_on_the_ground_as_its_layers_lift_it() -> None:
    """By hand: the layer alone, whose height is 0.5, lifts the ground by 0.4 m times that; beside it nothing does."""
    document = Document(project_of(scattered(density=3.0, tilt=0.0)))
    columns, scene = columns_of(document.project)
    flat = Pieces.joined(columns.strewing.pieces("land", "s").values())
    document.do(edits.set_layer(ground="land", layer="turf", lift=0.4))
    columns.update(document.project).apply(scene)
    lifted = Pieces.joined(columns.strewing.pieces("land", "s").values())
    assert np.array_equal(flat.places, lifted.places)
    assert np.allclose(lifted.matrices[:, 1, 3] - flat.matrices[:, 1, 3], 0.2, atol=1e-4)
    ground = document.project.grounds.first
    half = np.zeros((129, 129), np.uint8)
    half[:, 65:] = 255
    document.do(edits.paint_layers(ground="land", weights={"moss": Pages.of(half), "turf": Pages.of(255 - half)}))
    columns.update(document.project).apply(scene)
    found = Pieces.joined(columns.strewing.pieces("land", "s").values())
    up = found.matrices[:, 1, 3] - ground.heights.at(found.places.astype(np.float64))
    assert len(found) > 1000
    assert found.places[:, 0].max() < 15.3
    assert np.allclose(up[found.places[:, 0] < 14.5], 0.2, atol=1e-4)


def test_what_has_no_meaning_or_cannot_be_read_lifts_nothing_and_all_else_goes_on() -> None:
    document = Document(project_of(scattered(density=3.0, tilt=0.0)))
    columns, _ = columns_of(document.project)
    flat = Pieces.joined(columns.strewing.pieces("land", "s").values())
    steps = (Step(id="out", kind="multiply", args=("1", "x1/0")),)
    gone = MapSet(id="m", name="M", maps=(MapFile(role=Role.HEIGHT, asset="gone.png", file="gone.png", channels="r"),))
    document.do(edits.add_recipe(recipe=Recipe(id="r", name="R", steps=steps)))
    document.do(edits.add_map_set(map_set=gone))
    document.do(edits.set_layer(ground="land", layer="turf", lift=0.4))
    columns.update(document.project)
    for spoil in (edits.link_field(material="t", path="c.surface.height", recipe="r"),
                  edits.set_surface(material="t", coat="c", map_set="m")):  # fmt: skip
        document.do(spoil)
        columns.update(document.project)
        found = Pieces.joined(columns.strewing.pieces("land", "s").values())
        assert np.array_equal(found.matrices, flat.matrices)
        document.undo()
        columns.update(document.project)
        lifted = Pieces.joined(columns.strewing.pieces("land", "s").values())
        assert np.allclose(lifted.matrices[:, 1, 3] - flat.matrices[:, 1, 3], 0.2, atol=1e-4)


def test_a_dial_by_height_follows_a_new_summit_everywhere() -> None:
    document = Document(project_of(scattered(density=3.0, dial="warm", by="high", low=0.1, high=0.9)))
    columns, scene = columns_of(document.project)
    heights = document.project.grounds.first.heights
    brush = GroundBrush(deed="raise", radius=3.0, strength=1.0)
    summit = np.array(np.unravel_index(heights.whole.argmax(), heights.whole.shape))[::-1] * heights.spacing
    document.do(edits.sculpt(ground="land", pages=shaped(heights, brush, summit, 0.0).pages))
    assert document.project.grounds.first.heights.high > heights.high
    columns.update(document.project).apply(scene)
    _, anew = columns_of(document.project)
    name = "land\ns"
    assert scene.strewn[name].cells == anew.strewn[name].cells


def test_a_dab_tells_of_the_cells_it_reached_and_moves_nothing_else() -> None:
    project = project_of(scattered(density=40.0, layer="moss", clear=0.0))
    columns, scene = columns_of(project)
    ground, at = project.grounds.first, np.array([9.0, 21.0])
    brush = GroundBrush(radius=1.0, strength=1.0, hard=0.9, ragged=0.0)
    weights = painted(ground.weights, ground.sharing, "moss", ground.heights.size, brush, at)
    document = Document(project)
    document.do(edits.paint_layers(ground="land", weights=weights))
    patch = columns.update(document.project)
    told = patch.strewn["land\ns"]
    assert told is not None
    assert not told.whole
    assert 1 <= len(told.cells) <= 4
    patch.apply(scene)
    there = Pieces.joined(scene.strewn["land\ns"].cells.values())
    assert 40 < len(there) < 200
    assert np.hypot(*(there.places - at).T).max() < 1.35, "what grows follows the stroke"


def test_pieces_keep_clear_of_props_and_those_taken_out_stay_out() -> None:
    project = project_of(scattered(density=8.0, clear=0.5))
    columns, _ = columns_of(project)
    pieces = Pieces.joined(columns.strewing.pieces("land", "s").values())
    off = np.maximum(np.abs(pieces.places - 15.0) - 0.3, 0)  # the prop is a box of 0.6 m
    assert 0.42 < np.hypot(*off.T).min() < 0.8
    at = np.array([4.0, 5.0])
    found = near(columns.strewing.pieces("land", "s"), project.grounds.first.scatter[0], at, 0.6)
    assert 2 <= len(found) < 20
    document = Document(project)
    places = tuple((float(x), float(z)) for x, z in found.places)
    document.do(edits.take_pieces(ground="land", scatter="s", places=places))
    columns.update(document.project)
    left = Pieces.joined(columns.strewing.pieces("land", "s").values())
    assert len(left) == len(pieces) - len(found)
    assert {tuple(p) for p in left.places} == {tuple(p) for p in pieces.places} - {tuple(p) for p in found.places}
    prop = as_prop(project, project.grounds.first.scatter[0], found.some(slice(0, 1)), "own", "Own")
    assert np.allclose(prop.matrix()[:3], found.matrices[0], atol=1e-5)
    document.do(edits.take_pieces(ground="land", scatter="s", places=(), props=(prop,)))
    columns.update(document.project)
    around = np.hypot(*(Pieces.joined(columns.strewing.pieces("land", "s").values()).places - found.places[0]).T)
    assert around.min() > 0.5, "a prop that was made of a piece is kept clear of as any other"
    document.undo()
    document.undo()
    columns.update(document.project)
    assert Pieces.joined(columns.strewing.pieces("land", "s").values()) == pieces


def test_a_dial_of_its_own_goes_by_damp_in_steps() -> None:
    """A tenth of what is wholly damp wears the last value, and so on: shares of neighbouring steps mix by chance."""
    ramp = np.repeat(np.linspace(0, 255, 65)[None], 65, axis=0).astype(np.uint8)
    on = footing(damp=ramp)
    pieces = all_of(scattered(density=9.0, by="damp", dial="warm", dry=0.0), on)
    told = pieces.steps / (STEPS - 1)
    for low in np.arange(0, 40, 8):
        part = (pieces.places[:, 0] >= low) & (pieces.places[:, 0] < low + 8)
        assert told[part].mean() == pytest.approx((low + 4) / 40, abs=0.02)
    project = project_of(scattered(dial="warm", low=0.2, high=0.9))
    _, scene = columns_of(project)
    ((index, rows),) = scene.strewn["land\ns"].rows.items()
    assert len(set(rows.tolist())) == STEPS
    table = scene.rows[scene.draws[index].material][rows]
    varied = np.flatnonzero(np.ptp(table, axis=0) > 1e-6)
    assert len(varied) == 1
    assert np.allclose(table[:, varied[0]], np.linspace(0.2, 0.9, STEPS), atol=1e-6)
