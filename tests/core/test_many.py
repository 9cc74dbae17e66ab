"""Thousands of props: an edit costs what it changes, and what is sent alone gives the picture that all would give."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from jade_coat.files.assets import Assets
from jade_coat.files.library import Library
from jade_coat.material.material import Coat, Dial, Finish, Material
from jade_coat.material.surface import Surface
from jade_coat.mesh import shapes
from jade_coat.mesh.painting import PaintMap
from jade_coat.stage import edits
from jade_coat.stage.desk import Camera
from jade_coat.stage.document import Document
from jade_coat.stage.draws import Scene
from jade_coat.stage.mesh_assets import FarLevel, MeshAsset
from jade_coat.stage.project import Group, Project, Prop
from jade_coat.stage.scene import SceneColumns
from jade_coat.stage.things import BLOCK, Things
from jade_coat.stage.turns import angles_of, turn_matrix, turn_of
from jade_coat.view.client import RenderClient
from jade_coat.view.culling import in_span
from jade_coat.view.given import Given
from jade_coat.view.link import STAGE, StageLink
from jade_coat.view.messages import PatchScene
from jade_coat.view.standing import Standing
from tests.support import every_kind_of_project, eye_for


class Told(Given):
    """Keeps what would be sent."""

    def __init__(self) -> None:
        super().__init__()
        self.sent: list = []

    def send(self, message) -> None:
        self.sent.append(message)

    def send_arrays(self, arrays, message) -> None:
        self.sent.append(arrays)

    def forget_stream(self, name: str) -> None:
        """There are none."""


def yard(count: int) -> tuple[Project, Library]:
    """So many boxes and tiles in two looks."""
    library = Library(Assets())
    meshes = tuple(
        library.add_mesh(mesh, name, set()).with_(id=name)
        for name, mesh in (("box", shapes.box(0.4, 0.4, 0.4)), ("tile", shapes.rail_tile()))
    )
    coats = (Coat(id="c", name="C", surface=Surface(color=(0.6, 0.2, 0.1))),)
    dials = (
        Dial(id="rough", name="Rough", path="c.surface.roughness"),
        Dial(id="way", name="Way", path="c.surface.placement"),
    )
    materials = tuple(Material(id=i, name=i, coats=coats, dials=dials) for i in "mn")
    finishes = (Finish(id="plain", name="Plain", parent="m"), Finish(id="other", name="Other", parent="m"))
    rng = np.random.default_rng(4)
    props = tuple(
        Prop(id=f"p{i}", name=f"P{i}", mesh=meshes[i % 2].id, finishes={meshes[i % 2].slots[0]: ("m", "plain")[i % 3 > 0]},
             position=tuple(float(v) for v in rng.uniform(-2, 2, 3)))
        for i in range(count)
    )  # fmt: skip
    return Project(meshes=meshes, materials=materials, finishes=finishes, props=props), library


def test_one_moved_prop_of_thousands_sends_one_instance() -> None:
    project, library = yard(3000)
    client, document = Told(), Document(project)
    link = StageLink(client, library)
    link.sync(document.project)
    client.sent.clear()
    document.do(
        edits.set_prop(prop="p1234", position=(7.0, 0.0, 0.0), turn=turn_of(0.1, 0.2, 0.3), size=(1.0, 2.0, 0.5))
    )
    assert link.sync(document.project)
    (message,) = client.sent
    assert isinstance(message, PatchScene)
    assert not message.patch.tables
    assert not message.patch.rows
    (patch,) = message.patch.draws.values()
    assert patch.matrices.shape == (1, 4, 4)
    assert np.array_equal(patch.matrices[0], document.project.prop("p1234").matrix().astype(np.float32))


def looks(scene: Scene, columns: SceneColumns) -> dict:
    """What each slot of each prop is drawn as, whatever the order: material, row, matrix, seed, mesh and triangles."""
    found = {}
    for prop, slots in columns._where.items():
        for slot, (number, at, _) in slots.items():
            draw = scene.draws[number]
            row = scene.rows[draw.material][draw.rows[at]]
            found[prop, slot] = (draw.mesh, draw.paint, draw.paints.get(at), draw.start, draw.count, draw.material, row.tobytes(),
                                 draw.matrices[at].tobytes(), float(draw.seeds[at]))  # fmt: skip
    assert len(found) == sum(len(d.rows) for d in scene.draws)
    return found


STEPS = st.lists(
    st.one_of(
        st.tuples(st.just("set_prop"), st.integers(0, 11), st.floats(-3, 3)),
        st.tuples(st.just("put_finish"), st.integers(0, 11), st.sampled_from(["m", "plain", "other", "n"])),
        st.tuples(st.just("own"), st.integers(0, 11), st.sampled_from([0.2, 0.4])),
        st.tuples(st.just("remove_prop"), st.integers(0, 11), st.none()),
        st.tuples(st.just("undo"), st.just(0), st.none()),
        st.tuples(st.just("home"), st.integers(0, 11), st.floats(0, 1)),
        st.tuples(st.just("set_field"), st.just(0), st.floats(0, 1)),
        st.tuples(st.just("add_coat"), st.just(0), st.none()),
        st.tuples(st.just("map_kind"), st.just(0), st.sampled_from(["uv", "triplanar"])),
        st.tuples(st.just("remove_finish"), st.just(0), st.none()),
        st.tuples(st.just("group"), st.integers(0, 11), st.booleans()),
        st.tuples(st.just("show"), st.integers(0, 11), st.booleans()),
        st.tuples(st.just("mesh"), st.just(0), st.floats(0.2, 1)),
    ),
    max_size=14,
)


def _done(document: Document, library: Library, name: str, at: int, value) -> None:
    props = list(document.project.props)
    prop = props[at % len(props)] if props else None
    if name == "undo":
        document.undo()
    elif name == "set_field":
        document.do(edits.set_field(material="m", path="c.surface.roughness", value=value))
    elif name == "add_coat":
        document.do(
            edits.add_coat(material="m", coat=Coat(id=f"c{len(document.project.material('m').coats)}", name="C"))
        )
    elif name == "map_kind":
        document.do(edits.set_dial(finish="other", dial="way", value=value))
    elif name == "remove_finish" and any(f.id == "plain" for f in document.project.finishes):
        document.do(edits.remove_finish(finish="plain"))
    elif name == "show" and document.project.groups:
        document.do(edits.show_things(things=("g",), on=value))
    elif name == "mesh":
        mesh = library.add_mesh(shapes.box(value, 0.4, 0.4), "box", set())
        document.do(edits.exchange_mesh(mesh=mesh.with_(id="box")))
    elif prop is not None and name == "group":
        if not document.project.groups:
            document.do(edits.add_group(group=Group(id="g", name="G", visible=value)))
        document.do(edits.put_in_group(things=(prop.id,), group="g" if value else ""))
    elif prop is not None and name == "home":  # back to where it stood at first, and another look at once
        document.do_all("Home", [
            edits.set_prop(prop=prop.id, position=(0.0, 0.0, 0.0), size=(1.0, 1.0, 1.0)),
            edits.set_field(material="m", path="c.surface.roughness", value=value),
        ])  # fmt: skip
    elif prop is not None and name == "set_prop":
        size = (1.0 + abs(value), 1.0, 0.5)
        document.do(edits.set_prop(prop=prop.id, position=(value, 0.5, -value), size=size))
    elif prop is not None and name == "own":
        document.do(edits.set_prop_dial(prop=prop.id, slot=next(iter(prop.finishes)), dial="rough", value=value))
    elif prop is not None and name == "put_finish" and value in {"m", "n", *(f.id for f in document.project.finishes)}:
        document.do(edits.put_finish(prop=prop.id, slot=next(iter(prop.finishes)), finish=value))
    elif prop is not None and name == "remove_prop":
        document.do(edits.remove_prop(prop=prop.id))


@settings(max_examples=150, deadline=None, suppress_health_check=list(HealthCheck))
@given(STEPS)
def test_what_was_sent_in_parts_is_the_scene_built_anew(steps) -> None:
    project, library = yard(12)
    client, document = Told(), Document(project)
    link = StageLink(client, library)
    link.sync(document.project)
    for name, at, value in steps:
        _done(document, library, name, at, value)
        link.sync(document.project)
    anew, scene = SceneColumns(link._meshes.of, lambda p, mesh: p.mesh(mesh).asset), Scene()
    anew.update(document.project).apply(scene)
    held = client._scenes[STAGE]
    assert looks(held, link._columns) == looks(scene, anew)
    assert held.rows.keys() == scene.rows.keys()
    for draw in held.drawn:
        assert draw.mesh in client._meshes
        assert draw.material in client._materials


def test_a_moved_prop_is_seen_where_it_is_and_throws_its_shadow_there() -> None:
    project, library = yard(40)
    camera = Camera(target=(0, 0, 0), distance=7.0, pitch=0.5)
    client, document = RenderClient(), Document(project)
    pictures: list = []
    client.on_picture = pictures.append
    try:
        link = StageLink(client, library)

        def picture() -> np.ndarray:
            link.sync(document.project)
            eye = eye_for(camera, 160, 100)
            client.request("main", scene=STAGE, eye=eye, width=160, height=100)
            assert client.wait(lambda: client.idle)
            return pictures[-1].pixels

        first = picture()
        for i in range(8):
            document.do(edits.set_prop(prop=f"p{i}", position=(0.3 * i - 1.0, 1.5, 0.0)), merge=None)
        patched = picture()
        assert not np.array_equal(first, patched)
        again = StageLink(client, library)
        again.sync(document.project)
        link = again
        client.request("main", scene=STAGE, eye=eye_for(camera, 160, 100), width=160, height=100)
        assert client.wait(lambda: client.idle)
        assert np.array_equal(pictures[-1].pixels, patched)
    finally:
        client.close()


ANGLES = st.one_of(st.floats(-7, 7), st.sampled_from([0.0, np.pi / 2, -np.pi / 2, np.pi]))


@given(st.lists(ANGLES, min_size=3, max_size=3))
def test_a_turn_is_about_x_then_y_then_z_and_its_angles_make_it_again(angles) -> None:
    """SciPy: extrinsic x, y, z."""
    from scipy.spatial.transform import Rotation

    wanted, turn = Rotation.from_euler("xyz", angles).as_matrix(), turn_of(*angles)
    assert np.allclose(turn_matrix(turn), wanted, atol=1e-9)
    assert np.allclose(turn_matrix(turn), Rotation.from_quat(turn).as_matrix(), atol=1e-9)
    assert np.allclose(turn_matrix(turn_of(*angles_of(turn))), wanted, atol=1e-6)


@pytest.mark.parametrize("degrees", [-134, -90, 0, 46, 91, 134, 179])
def test_what_is_turned_about_the_upright_alone_says_so_however_far(degrees: int) -> None:
    found = np.degrees(angles_of(turn_of(0.0, np.radians(degrees), 0.0)))
    assert np.allclose(found, (0, degrees, 0), atol=1e-4)


@given(st.lists(st.tuples(st.sampled_from("prop"), st.integers(0, 3 * BLOCK)), max_size=60), st.integers(0, 3 * BLOCK))
def test_things_are_an_ordered_map_whose_states_tell_what_differs(steps, count) -> None:
    """Against a dictionary."""
    first = Things(Prop(id=f"p{i}", name="P", mesh="m") for i in range(count))
    made, plain = first, {p.id: p for p in first}
    for kind, number in steps:
        if kind == "p":
            made = made.without(f"p{number}")
            plain.pop(f"p{number}", None)
        elif kind == "r":
            gone = [f"p{i}" for i in range(number)]
            made = made.without(*gone)
            plain = {i: p for i, p in plain.items() if i not in gone}
        else:
            new = Prop(id=f"p{number}", name=kind, mesh="m")
            made = made.with_(new)
            plain[new.id] = new
    assert list(made.ids()) == list(plain)
    assert all(a is b for a, b in zip(made, plain.values(), strict=True))
    assert all(made.get(f"p{i}") is plain.get(f"p{i}") for i in range(3 * BLOCK))
    before = {p.id: p for p in first}
    told = {(a or b).id: (a, b) for a, b in made.changed_from(first)}
    ids = [*before, *(i for i in plain if i not in before)]
    assert told == {i: (before.get(i), plain.get(i)) for i in ids if before.get(i) is not plain.get(i)}
    assert made == Things(plain.values())


def test_hidden_and_locked_go_down_through_groups() -> None:
    project, _ = yard(3)
    document = Document(project)
    document.do(edits.add_group(group=Group(id="outer", name="Outer")))
    document.do(edits.add_group(group=Group(id="inner", name="Inner", parent="outer"), things=("p0", "p1")))
    document.do(edits.show_things(things=("outer",), on=False))
    document.do(edits.lock_things(things=("inner",), on=True))
    now = document.project
    assert [now.shows(p) for p in now.props] == [False, False, True]
    assert [now.locks(p) for p in now.props] == [True, True, False]
    with pytest.raises(ValueError, match="locked"):
        document.do(edits.set_prop(prop="p0", position=(1.0, 0.0, 0.0)))
    with pytest.raises(ValueError, match="part of itself"):
        document.do(edits.put_in_group(things=("outer",), group="inner"))
    document.do(edits.remove_group(group="inner"))
    assert document.project.prop("p0").parent == "outer"


def test_an_edit_shares_all_that_it_does_not_change() -> None:
    project, _ = yard(500)
    document = Document(project)
    document.do(edits.set_prop(prop="p7", size=(2.0, 2.0, 2.0)))
    ((before, after),) = document.project.props.changed_from(project.props)
    assert (before, after) == (project.prop("p7"), document.project.prop("p7"))
    for name in Project.model_fields:
        if name != "props":
            assert getattr(project, name) is getattr(document.project, name)
    assert Project.model_validate(document.project.model_dump()).differs_from(document.project) is False


def test_a_prop_that_goes_back_together_with_another_change_is_sent_back() -> None:
    project, library = yard(6)
    client, document = Told(), Document(project)
    link = StageLink(client, library)

    def turned(value: float) -> edits.Edit:
        return edits.set_field(material="m", path="c.surface.roughness", value=value)

    def moved(place: tuple[float, float, float]) -> edits.Edit:
        return edits.set_prop(prop="p2", position=place)

    for steps in ([], [turned(0.3)], [moved((5.0, 0.0, 0.0))], [moved(project.prop("p2").position), turned(0.7)]):
        document.do_all("Change", steps)
        link.sync(document.project)
    ((draw, at, _),) = link._columns._where["p2"].values()
    wanted = document.project.prop("p2").matrix().astype(np.float32)
    assert np.array_equal(client._scenes[STAGE].draws[draw].matrices[at], wanted)


def test_a_dial_table_that_is_nearly_full_is_told_before_it_is(monkeypatch) -> None:
    """The bound follows from the widest texture that is promised in practice; a smaller one shows that it is told."""
    from jade_coat.stage import look_tables

    project = every_kind_of_project()[0].with_(grounds=())
    material = project.material("m")
    texels = -(-look_tables.Table(material).width // 4)
    assert look_tables.most_looks(material) * 2 * texels <= look_tables.ROWS_A_COLUMN * look_tables.WIDEST
    assert look_tables.most_looks(material) > 300_000 / texels
    columns = SceneColumns(lambda project, mesh: shapes.box(1, 1, 1))
    columns.update(project)
    assert columns.crowded() == []
    monkeypatch.setattr(look_tables, "ROWS_A_COLUMN", 8)
    monkeypatch.setattr(look_tables, "WIDEST", 2 * texels)
    props = [project.prop("p1").with_(id=f"q{i}", name=f"Q{i}", values={"surface": {"d0": i / 9}}) for i in range(8)]
    columns.update(project.with_(props=(*project.props, *props)))
    (told,) = columns.crowded()
    assert told.startswith("M has")
    assert "its table holds 8" in told


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 2**31), st.integers(1, 3))
def test_of_a_mesh_with_levels_each_prop_is_seen_once_by_the_one_for_its_distance_and_size(
    seed: int, count: int
) -> None:
    """Whatever was changed on the way: levels added, moved and taken away, props moved and sized."""
    rng = np.random.default_rng(seed)
    meshes = [MeshAsset(id=f"m{i}", name=f"M{i}", asset=f"meshes/{i}", slots=("surface",)) for i in range(count + 1)]
    starts = np.cumsum(rng.uniform(0.5, 6, count))
    levels = tuple(FarLevel(mesh=f"m{i + 1}", away=float(s)) for i, s in enumerate(starts))
    box = shapes.box(0.4, 0.4, 0.4)
    document = Document(Project(meshes=tuple(meshes)))
    columns, scene = SceneColumns(lambda _project, _mesh: box), Scene()

    def told() -> None:
        columns.update(document.project).apply(scene)

    for i in range(12):
        place, size = tuple(rng.uniform(-9, 9, 3)), tuple(rng.uniform(0.3, 3, 3))
        document.do(edits.add_prop(prop=Prop(id=f"p{i}", name=f"P{i}", mesh="m0", position=place, size=size)))
    told()
    assert [len(d.rows) for d in scene.drawn] == [12]
    document.do(edits.set_levels(mesh="m0", levels=levels))
    told()
    if rng.random() < 0.5:
        document.do(edits.remove_mesh(mesh="m1"))  # what stood in for it from afar is gone: the one before is seen on
        levels = document.project.mesh("m0").levels
        assert len(levels) == count - 1
        told()
    eye = eye_for(Camera(target=tuple(rng.uniform(-6, 6, 3)), yaw=0.0, pitch=0.0, distance=rng.uniform(0.2, 9)), 80, 80)
    wanted = {}
    for prop in document.project.props:
        away = float(np.linalg.norm(np.array(prop.position) - eye.position)) / max(prop.size)
        wanted[prop.seed] = f"m{([0] + [int(s.mesh[1:]) for s in levels if s.away <= away])[-1]}"
    spans = [in_span(d, Standing(d, np.array([[-1.0] * 3, [1.0] * 3])), eye, np.arange(12)) for d in scene.drawn]
    seen = [
        (float(d.seeds[i]), d.mesh) for d, there in zip(scene.drawn, spans, strict=True) for i in np.flatnonzero(there)
    ]
    assert len(seen) == 12
    for number, mesh in seen:
        assert min(wanted.items(), key=lambda item: abs(item[0] - number))[1] == mesh
    document.undo()
    told()


@pytest.mark.parametrize("by_group", [False, True])
@pytest.mark.parametrize("on_map", [False, True])
def test_a_painted_prop_that_was_hidden_has_its_paint_when_it_is_shown_again(
    demo, by_group: bool, on_map: bool
) -> None:
    """While nothing shows it its paint is let go; the prop itself did not change, or in its visibility alone."""
    wall = demo.project.prop("kiln_wall_prop")
    if on_map:
        wall = wall.with_(paint=None, paint_map=PaintMap.even(64, 8, 0))
    group = Group(id="hidden", name="Hidden")
    shown = demo.project.with_(
        groups=demo.project.groups.with_(group),
        props=demo.project.props.with_(wall.with_(parent="hidden" if by_group else "")),
    )
    wall = shown.prop(wall.id)
    if by_group:
        hidden = shown.with_(groups=shown.groups.with_(group.with_(visible=False)))
    else:
        hidden = shown.with_(props=shown.props.with_(wall.with_(visible=False)))
    client = Told()
    link = StageLink(client, demo.library)

    def is_there() -> bool:
        return wall.id in client._maps if on_map else client.paint_of(wall.id) is not None

    for project, expected in ((shown, True), (hidden, False), (shown, True)):
        link.sync(project)
        assert is_there() == expected
