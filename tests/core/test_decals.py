"""Decals: what lies in the box receives the look, in linear light; nothing else changes by a single bit."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from jade_coat.maps.packing import PackedLookup
from jade_coat.material.material import Coat, Finish, Material
from jade_coat.material.surface import Surface
from jade_coat.mesh import shapes
from jade_coat.stage import edits
from jade_coat.stage.arranging import turn_between
from jade_coat.stage.decals import Cell, Decal, Shares
from jade_coat.stage.draws import Scene
from jade_coat.stage.mesh_assets import MeshAsset
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.scene import SceneColumns
from jade_coat.stage.turns import turn_of
from jade_coat.view.camera import eye_of
from jade_coat.view.renderer import Renderer

WALL, MARK = (0.2, 0.5, 0.8), (0.9, 0.1, 0.05)


def plain(name: str, color: tuple[float, float, float], rough: float) -> Material:
    return Material(
        id=name, name=name, coats=(Coat(id="base", name="Base", surface=Surface(color=color, roughness=rough)),)
    )


def project_of(*decals: Decal, props: int = 1) -> Project:
    mesh = shapes.plane(4.0, 4.0, 0.5)
    finishes = (Finish(id="wall_f", name="Wall", parent="wall"), Finish(id="mark_f", name="Mark", parent="mark"))
    asset = MeshAsset(id="plane", name="Plane", asset="meshes/plane", slots=tuple(s.name for s in mesh.slots))
    stood = tuple(
        Prop(
            id=f"p{i}",
            name=f"P{i}",
            mesh="plane",
            position=(0.0, -2.0 * i, 0.0),
            finishes=dict.fromkeys(asset.slots, "wall_f"),
        )
        for i in range(props)
    )
    return Project(
        materials=(plain("wall", WALL, 0.7), plain("mark", MARK, 0.2)), finishes=finishes, meshes=(asset,), props=stood,
        decals=decals,
    )  # fmt: skip


class Stage:
    """A renderer that shows states of a project."""

    def __init__(self, gl) -> None:
        self.renderer, self.mesh = Renderer(gl), shapes.plane(4.0, 4.0, 0.5)
        self.columns = SceneColumns(lambda project, mesh: self.mesh)
        from tests.support import put_mesh

        put_mesh(self.renderer, "plane", self.mesh)
        self.renderer.scenes.set("stage", Scene())

    def show(self, project: Project, look: str = "base_color", place=(0.0, 5.0, 0.0)) -> np.ndarray:
        patch = self.columns.update(project)
        for material in self.columns.materials.values():
            self.renderer.assets.set_material(material, PackedLookup(project.map_sets), {})
        self.renderer.patch_scene("stage", patch)
        eye = eye_of(np.array(place), np.zeros(3), 0.7, 1.0)
        picture = self.renderer.picture("stage", eye, 200, 200, looks=(look,))
        assert self.renderer.faults == {}
        return picture[..., :3].astype(np.int64)


@pytest.fixture
def stage(gl):
    return Stage(gl)


def decal(**changes) -> Decal:
    usual = {"id": "d", "name": "D", "finish": "mark_f", "size": (1.0, 0.5, 1.0), "fade": 0.0}
    return Decal(**{**usual, **changes})


def linear(picture: np.ndarray) -> np.ndarray:
    """IEC 61966-2-1."""
    v = picture / 255.0
    return np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4)


@pytest.mark.parametrize("opacity", [1.0, 0.9, 0.5, 0.1])
def test_opacity_mixes_in_linear_light_and_nothing_outside_the_box_changes(stage: Stage, opacity: float) -> None:
    """0.9 lets a tenth of the ground through (common practice, no source); Porter & Duff 1984, over."""
    before = stage.show(project_of())
    after = stage.show(project_of(decal(opacity=opacity)))
    changed = np.abs(after - before).max(axis=2) > 0
    ys, xs = np.nonzero(changed)
    # One metre of the four, seen from five metres at 0.7 rad: 2 · 5 · tan 0.35 = 3.65 m over 200 pixels.
    half = 0.5 / (5 * math.tan(0.35)) * 100
    assert abs(xs.min() - (100 - half)) < 1.5
    assert abs(ys.max() - (100 + half)) < 1.5
    assert changed[120, 80]
    middle = linear(after[90:110, 90:110]).mean(axis=(0, 1))
    wanted = (1 - opacity) * np.array(WALL) + opacity * np.array(MARK)
    assert np.abs(middle - wanted).max() < 0.01
    outside = np.ones_like(changed)
    outside[ys.min() : ys.max() + 1, xs.min() : xs.max() + 1] = False
    assert (after[outside] == before[outside]).all()


def test_every_channel_is_switched_by_itself(stage: Stage) -> None:
    looks = ("base_color", "roughness", "height")
    before = {look: stage.show(project_of(), look) for look in looks}
    for share, look in (("color", "base_color"), ("surface", "roughness")):
        alone = Shares(**{n: float(n == share) for n in Shares.model_fields})
        for other in looks:
            picture = stage.show(project_of(decal(shares=alone)), other)
            same = (picture == before[other]).all()
            assert same == (other != look), (share, other)


def test_it_fades_by_angle_toward_its_ends_and_with_distance(stage: Stage) -> None:
    before = stage.show(project_of())
    for tilt, shown in ((0.0, True), (0.9, True), (1.3, False), (math.pi, False)):
        turn = turn_of(tilt, 0.0, 0.0)
        made = stage.show(project_of(decal(turn=turn, angle=(1.0, 1.2), size=(1.0, 3.0, 1.0))))
        assert (made != before).any() == shown, tilt
    near_end = decal(position=(0.0, 0.24, 0.0), fade=0.5)
    faint = stage.show(project_of(near_end))[100, 100]
    full = stage.show(project_of(decal(position=(0.0, 0.0, 0.0), fade=0.5)))[100, 100]
    assert np.abs(faint - before[100, 100]).max() < np.abs(full - before[100, 100]).max() / 3
    assert (stage.show(project_of(decal(far=(2.0, 4.0)))) == before).all()
    assert (stage.show(project_of(decal(far=(20.0, 40.0)))) != before).any()


def test_the_higher_order_lies_on_top_and_only_receivers_receive(stage: Stage) -> None:
    other = decal(id="e", finish="wall_f", size=(0.5, 0.5, 0.5))
    under = stage.show(project_of(decal(order=1), other.with_(order=0)))
    over = stage.show(project_of(decal(order=1), other.with_(order=2)))
    assert (under[100, 100] != over[100, 100]).any()
    before = stage.show(project_of(props=2))
    deep = decal(size=(1.0, 6.0, 1.0), position=(0.0, -1.0, 0.0))
    assert (stage.show(project_of(deep, props=2)) != before).any()
    assert (stage.show(project_of(deep.with_(only=("p1",)), props=2)) == before).all()  # p0 stands before it
    assert (stage.show(project_of(deep.with_(only=("p0",)), props=2)) != before).any()


def test_an_edit_of_one_decal_sends_it_alone_and_what_goes_is_gone(stage: Stage) -> None:
    project = project_of(decal(), decal(id="e", position=(1.0, 0.0, 0.0)))
    before = stage.show(project_of())
    both = stage.show(project)
    moved = edits.place_things.on(project, {"e": place(project.decals["e"], x=0.5)})
    patch = SceneColumns(lambda p, m: stage.mesh)
    patch.update(project)
    found = patch.update(moved)
    assert set(found.decals) == {"e"}
    assert not found.draws
    assert not found.tables
    assert (stage.show(moved) != both).any()
    gone = edits.remove_things.on(moved, ("d", "e"))
    assert (stage.show(gone) == before).all()
    assert "mark" not in stage.columns.materials


def place(thing: Decal, x: float):
    from jade_coat.stage.arranging import place_of

    return place_of(thing)._replace(position=(x, 0.0, 0.0))


@given(x=st.floats(-1, 1), y=st.floats(-1, 1), z=st.floats(-1, 1))
@settings(max_examples=200, deadline=None)
def test_the_turn_to_a_normal_is_right_for_every_direction(x: float, y: float, z: float) -> None:
    """Against `scipy.spatial.transform`; the poles and opposite directions included."""
    for normal in (np.array([x, y, z]), np.array([0.0, -1.0, 0.0]), np.array([0.0, 1.0, 0.0]), np.array([x, -1e9, z])):
        if np.linalg.norm(normal) < 1e-6:
            continue
        turn = Rotation.from_quat(turn_between(np.array([0.0, 1.0, 0.0]), normal))
        assert np.allclose(turn.apply([0.0, 1.0, 0.0]), normal / np.linalg.norm(normal), atol=1e-6)
        assert np.isclose(np.linalg.det(turn.as_matrix()), 1.0)


def test_cells_count_from_the_upper_left_and_wrong_ones_are_refused() -> None:
    assert Cell(columns=4, rows=2, index=5).corner() == (0.25, 0.5, 0.25, 0.5)
    with pytest.raises(ValueError, match="not among"):
        Cell(columns=2, rows=2, index=4)
    with pytest.raises(ValueError, match="rising"):
        decal(angle=(1.2, 1.0))


def test_every_kind_of_material_has_a_program_that_lies(gl) -> None:
    """No name of a helper or an op clashes with those of the box; what a box has none of reads as 0."""
    from jade_coat.stage.looks import worn_materials
    from jade_coat.view.programs import ProgramShop
    from tests.support import every_kind_of_project

    project, _ = every_kind_of_project()
    shop = ProgramShop(gl)
    for material in worn_materials(project):
        for coat in material.coats:
            lean = material.with_(coats=(coat,), dials=(), links=(), moves=())
            assert shop.decal(lean, PackedLookup(project.map_sets, project.recipes)).program


def test_the_view_and_the_numpy_meaning_agree(stage: Stage) -> None:
    """Two implementations of one program: colour, roughness and normal at every pixel of the box, sampled."""
    from jade_coat.files.assets import Assets
    from jade_coat.files.library import Library
    from jade_coat.looking.lying import lain
    from jade_coat.material.quantity import QUANTITIES
    from jade_coat.material.where import NoiseTerm
    from jade_coat.view.camera import on_plane, ray

    spots = Coat(id="spots", name="Spots", surface=Surface(color=(0.1, 0.8, 0.2), roughness=0.9),
                 where=(NoiseTerm(id="noise", size=0.2, octaves=2, seed=4, range=(0.3, 0.7)),))  # fmt: skip
    base = project_of(decal(opacity=0.85, fade=0.3, position=(0.2, 0.05, -0.1), turn=turn_of(0.2, 0.6, 0.1)))
    mark = base.material("mark")
    project = base.with_(materials=(base.material("wall"), mark.with_(coats=(*mark.coats, spots))))
    pictures = {look: stage.show(project, look) for look in ("base_color", "roughness")}
    eye = eye_of(np.array([0.0, 5.0, 0.0]), np.zeros(3), 0.7, 1.0)
    rows, columns = np.mgrid[70:135:5, 60:150:5]
    points = []
    for y, x in zip(rows.ravel(), columns.ravel(), strict=True):
        origin, way = ray(eye, (x + 0.5) / 200, (y + 0.5) / 200)
        points.append(on_plane(np.zeros(3), np.array([0.0, 1.0, 0.0]), origin, way))
    count = len(points)
    below = {n: np.repeat(np.array(q.default, np.float32)[:, None], count, 1) for n, q in QUANTITIES.items()}
    below |= {"base_color": np.repeat(np.array(WALL, np.float32)[:, None], count, 1)}
    below |= {"roughness": np.full((1, count), 0.7, np.float32)}
    up = np.broadcast_to([0.0, 1.0, 0.0], (count, 3))
    below["normal"] = up.T.astype(np.float32)
    found = lain(project, Library(Assets()), project.decals["d"], np.stack(points), up, below)
    seen = linear(pictures["base_color"][rows.ravel(), columns.ravel()])
    assert np.abs(seen - found["base_color"].T).max() < 0.012  # eight bits of a root, and eight of the picture
    rough = pictures["roughness"][rows.ravel(), columns.ravel(), 0] / 255
    assert np.abs(rough - found["roughness"][0]).max() < 0.006
    assert np.ptp(found["base_color"], axis=1).max() > 0.3  # it says something


def test_a_bake_holds_the_decals_of_its_prop_and_of_no_other() -> None:
    from jade_coat.bake.scene_bake import SceneBaker
    from jade_coat.files.assets import Assets
    from jade_coat.files.library import Library
    from jade_coat.jobs.job import Job

    library = Library(Assets())
    asset = library.add_mesh(shapes.plane(4.0, 4.0, 0.5), "Plane", set())
    base = project_of(decal(opacity=0.9), props=2)
    props = tuple(p.with_(mesh=asset.id, finishes=dict.fromkeys(asset.slots, "wall_f")) for p in base.props)
    project = base.with_(meshes=(asset,), props=props)
    baker = SceneBaker(project, library, 64, Job())
    first, second = (baker.maps(p, asset.slots[0]).values["base_color"] for p in project.props)
    assert np.abs(second - WALL).max() < 1e-3
    changed = np.abs(first - np.array(WALL)).max(axis=2) > 1e-3
    assert changed.mean() == pytest.approx(1 / 16, abs=0.012)  # one square metre of sixteen
    wanted = 0.1 * np.array(WALL) + 0.9 * np.array(MARK)
    assert np.abs(first[changed] - wanted).max() < 0.01


def test_a_decal_whose_program_fails_is_told_and_props_that_wear_the_material_stay(stage: Stage, monkeypatch) -> None:
    """The fault is the decal's alone, named as such; it goes with the next change of the material."""
    from jade_coat.material.specials import AS_DECAL
    from jade_coat.view.programs import ProgramFault

    worn = project_of(decal(finish="wall_f"))
    renderer = stage.renderer

    def broken(*args, **more):
        raise ProgramFault("no decal today")

    with monkeypatch.context() as patched:
        patched.setattr(renderer.shop, "decal", broken)
        patch = stage.columns.update(worn)
        for material in stage.columns.materials.values():
            renderer.assets.set_material(material, PackedLookup(()), {})
        renderer.patch_scene("stage", patch)
        eye = eye_of(np.array([0.0, 5.0, 0.0]), np.zeros(3), 0.7, 1.0)
        picture = renderer.picture("stage", eye, 64, 64, looks=("base_color",))
        assert renderer.faults == {"wall" + AS_DECAL: "no decal today"}
    assert np.abs(linear(picture[32, 32, :3]) - WALL).max() < 0.01
    stage.show(worn)  # and no fault any more
