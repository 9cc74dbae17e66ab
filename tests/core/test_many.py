"""Thousands of props: an edit costs what it changes, and what is sent alone gives the picture that all would give."""

from __future__ import annotations

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from jade_coat.files.assets import Assets
from jade_coat.files.library import Library
from jade_coat.material.material import Coat, Finish, Material
from jade_coat.material.surface import Surface
from jade_coat.mesh import shapes
from jade_coat.mesh.picking import hit_in_world
from jade_coat.stage.boxes import PropBoxes
from jade_coat.stage.document import Document
from jade_coat.stage.project import Camera, Project, Prop, changed_items, turn_matrix
from jade_coat.stage.scene import build_scene
from jade_coat.view.client import RenderClient
from jade_coat.view.given import Given
from jade_coat.view.link import STAGE, StageLink
from jade_coat.view.messages import PlaceInstances
from tests.support import eye_for


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
    material = Material(id="m", name="M", coats=(Coat(id="c", name="C", surface=Surface(color=(0.6, 0.2, 0.1))),))
    finishes = (Finish(id="plain", name="Plain", parent="m"),)
    rng = np.random.default_rng(4)
    props = tuple(
        Prop(id=f"p{i}", name=f"P{i}", mesh=meshes[i % 2].id, finishes={meshes[i % 2].slots[0]: ("m", "plain")[i % 3 > 0]},
             position=tuple(float(v) for v in rng.uniform(-2, 2, 3)))
        for i in range(count)
    )  # fmt: skip
    return Project(meshes=meshes, materials=(material,), finishes=finishes, props=props), library


def test_one_moved_prop_of_thousands_sends_one_instance() -> None:
    project, library = yard(3000)
    client, document = Told(), Document(project)
    link = StageLink(client, library)
    link.sync(document.project)
    client.sent.clear()
    document.do("set_prop", prop="p1234", position=(7.0, 0.0, 0.0), turn=(0.1, 0.2, 0.3))
    assert link.sync(document.project)
    (message,) = client.sent
    assert isinstance(message, PlaceInstances)
    assert message.matrices.shape == (1, 4, 4)
    assert np.array_equal(message.matrices[0], document.project.prop("p1234").matrix().astype(np.float32))


STEPS = st.lists(
    st.one_of(
        st.tuples(st.just("set_prop"), st.integers(0, 11), st.floats(-3, 3)),
        st.tuples(st.just("put_finish"), st.integers(0, 11), st.sampled_from(["m", "plain"])),
        st.tuples(st.just("remove_prop"), st.integers(0, 11), st.none()),
        st.tuples(st.just("undo"), st.just(0), st.none()),
        st.tuples(st.just("home"), st.integers(0, 11), st.floats(0, 1)),
        st.tuples(st.just("set_field"), st.just(0), st.floats(0, 1)),
    ),
    max_size=12,
)


@settings(max_examples=60, deadline=None, suppress_health_check=list(HealthCheck))
@given(STEPS)
def test_what_was_sent_in_parts_is_the_scene_built_anew(steps) -> None:
    project, library = yard(12)
    client, document = Told(), Document(project)
    link = StageLink(client, library)
    link.sync(document.project)
    for name, at, value in steps:
        props = document.project.props
        if name == "undo":
            document.undo()
        elif name == "set_field":
            document.do("set_field", material="m", path="c.surface.roughness", value=value)
        elif props:
            prop = props[at % len(props)]
            if name == "home":  # back to where it stood at first, and another look at once
                document.do_all("Home", [
                    ("set_prop", {"prop": prop.id, "position": project.prop(prop.id).position, "size": 1.0}),
                    ("set_field", {"material": "m", "path": "c.surface.roughness", "value": value}),
                ])  # fmt: skip
            elif name == "set_prop":
                document.do("set_prop", prop=prop.id, position=(value, 0.5, -value), size=1.0 + abs(value))
            elif name == "put_finish":
                document.do("put_finish", prop=prop.id, slot=next(iter(prop.finishes)), finish=value)
            else:
                document.do("remove_prop", prop=prop.id)
        link.sync(document.project)
    wanted = link._keyed(build_scene(document.project, link.mesh_data), document.project)
    held = client._scenes[STAGE]
    assert len(held.draws) == len(wanted.draws)
    for a, b in zip(held.draws, wanted.draws, strict=True):
        assert (a.mesh, a.material, a.start, a.count) == (b.mesh, b.material, b.start, b.count)
        for part in ("matrices", "rows", "props", "seeds"):
            assert np.array_equal(getattr(a, part), getattr(b, part)), part
    for name, rows in wanted.rows.items():
        assert np.array_equal(held.rows[name], rows)


def test_a_moved_prop_is_seen_where_it_is_and_throws_its_shadow_there() -> None:
    project, library = yard(40)
    project = project.with_(camera=Camera(target=(0, 0, 0), distance=7.0, pitch=0.5))
    client, document = RenderClient(), Document(project)
    pictures: list = []
    client.on_picture = pictures.append
    try:
        link = StageLink(client, library)

        def picture() -> np.ndarray:
            link.sync(document.project)
            eye = eye_for(document.project.camera, 160, 100)
            client.request("main", scene=STAGE, eye=eye, width=160, height=100)
            assert client.wait(lambda: client.idle)
            return pictures[-1].pixels

        first = picture()
        for i in range(8):
            document.do("set_prop", prop=f"p{i}", position=(0.3 * i - 1.0, 1.5, 0.0), merge=None)
        patched = picture()
        assert not np.array_equal(first, patched)
        again = StageLink(client, library)
        again.sync(document.project)
        link = again
        client.request("main", scene=STAGE, eye=eye_for(project.camera, 160, 100), width=160, height=100)
        assert client.wait(lambda: client.idle)
        assert np.array_equal(pictures[-1].pixels, patched)
    finally:
        client.close()


@given(st.lists(st.floats(-7, 7), min_size=3, max_size=3))
def test_a_turn_is_about_x_then_y_then_z(angles) -> None:
    """SciPy: extrinsic x, y, z."""
    from scipy.spatial.transform import Rotation

    assert np.allclose(turn_matrix(*angles), Rotation.from_euler("xyz", angles).as_matrix(), atol=1e-9)


def test_an_edit_shares_all_that_it_does_not_change() -> None:
    project, _ = yard(500)
    document = Document(project)
    document.do("set_prop", prop="p7", size=2.0)
    assert changed_items(project.props, document.project.props) == [7]
    for name in Project.model_fields:
        if name != "props":
            assert getattr(project, name) is getattr(document.project, name)
    assert Project.model_validate(document.project.model_dump()).differs_from(document.project) is False


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 2**31), st.integers(0, 30))
def test_boxes_find_every_prop_that_a_ray_hits_nearest_first(seed: int, moved: int) -> None:
    """Against casting the ray at every prop (Möller & Trumbore, by `mesh.picking`)."""
    project, library = yard(30)
    rng = np.random.default_rng(seed)
    boxes, document = PropBoxes(), Document(project)

    def bounds(mesh: str) -> tuple[np.ndarray, np.ndarray]:
        return library.mesh_by_id(project, mesh).bounds

    boxes.update(document.project.props, project.meshes, bounds)
    for i in range(moved):
        document.do(
            "set_prop", prop=f"p{i % 30}", position=tuple(rng.uniform(-2, 2, 3)), turn=tuple(rng.uniform(-3, 3, 3))
        )
    boxes.update(document.project.props, project.meshes, bounds)
    for _ in range(6):
        origin, target = rng.uniform(-6, 6, 3), rng.uniform(-1, 1, 3)
        direction = (target - origin) / np.linalg.norm(target - origin)
        if rng.random() < 0.3:  # along an axis too
            direction = np.eye(3)[rng.integers(3)] * rng.choice([-1.0, 1.0])
        met = boxes.along(origin, direction)
        assert [d for d, _ in met] == sorted(d for d, _ in met)
        entry = {i: d for d, i in met}
        for i, prop in enumerate(document.project.props):
            hit = hit_in_world(library.mesh_by_id(project, prop.mesh), prop.matrix(), origin, direction)
            if hit is not None:
                assert i in entry
                assert entry[i] <= hit.distance + 1e-5


def test_a_prop_that_goes_back_together_with_another_change_is_sent_back() -> None:
    project, library = yard(6)
    client, document = Told(), Document(project)
    link = StageLink(client, library)

    def turned(value: float) -> tuple[str, dict]:
        return ("set_field", {"material": "m", "path": "c.surface.roughness", "value": value})

    def moved(place: tuple[float, float, float]) -> tuple[str, dict]:
        return ("set_prop", {"prop": "p2", "position": place})

    for steps in ([], [turned(0.3)], [moved((5.0, 0.0, 0.0))], [moved(project.prop("p2").position), turned(0.7)]):
        document.do_all("Change", steps)
        link.sync(document.project)
    held, wanted = client._scenes[STAGE], build_scene(document.project, link.mesh_data)
    for a, b in zip(held.draws, wanted.draws, strict=True):
        assert np.array_equal(a.matrices, b.matrices)
