"""From nothing: the start page, and how few actions lead to a two-coat material on one's own mesh."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import trimesh
from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtWidgets import QApplication, QFileDialog

from jade_coat.app import importing
from jade_coat.app.build.map_review import MapReview
from jade_coat.app.main import open_early
from jade_coat.app.recent import picture_of, recent
from jade_coat.app.session import Session
from jade_coat.app.window import Window
from jade_coat.files.gltf_writer import mesh_glb
from jade_coat.maps.images import png_bytes
from jade_coat.mesh import shapes
from tests.app.conftest import Hand, hurry
from tests.app.wall import shown


@pytest.fixture
def own_files(tmp_path: Path) -> tuple[Path, Path, Path]:
    """A mesh, and two folders of maps."""
    mesh = tmp_path / "bench.glb"
    mesh.write_bytes(mesh_glb(shapes.joined([(shapes.plane(1.0, 1.0, 0.05), "Top")]), "Bench"))
    rng = np.random.default_rng(3)
    folders = []
    for name, tone in (("slate", 60), ("lichen", 190)):
        folder = tmp_path / name
        folder.mkdir()
        color = rng.integers(tone - 20, tone + 20, (32, 32, 3)).astype(np.uint8)
        (folder / f"{name}_color.png").write_bytes(png_bytes(color))
        (folder / f"{name}_height.png").write_bytes(png_bytes(rng.integers(0, 255, (32, 32)).astype(np.uint8)))
        folders.append(folder)
    return mesh, *folders


def test_eight_actions_lead_from_nothing_to_two_coats_on_ones_own_mesh(open_window, own_files, monkeypatch) -> None:
    hand: Hand = open_window(None)
    window, session = hand.window, hand.session
    mesh, slate, lichen = own_files
    actions = 0

    def press(do) -> None:
        nonlocal actions
        actions += 1
        do()

    def choosing(path: Path) -> None:
        """What is chosen in the file dialog that opens next: an action of its own."""
        nonlocal actions
        actions += 1
        monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *_: ([str(path)], ""))
        monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(path))

    def accept() -> None:
        """Press the main button of the review that stands open."""
        reviews = [w for w in QApplication.topLevelWidgets() if isinstance(w, MapReview) and w.isVisible()]
        if reviews:
            hand.click(reviews[0]._use)
        else:
            QTimer.singleShot(50, accept)

    assert window.pages.currentWidget() is window.start
    choosing(mesh)
    press(lambda: hand.click(window.start.mesh))
    hand.until(lambda: len(session.project.props) == 1)
    assert window.pages.currentWidget() is window.bench
    hand.settle()
    for folder in (slate, lichen):
        choosing(folder)
        before = len(session.project.map_sets)
        press(next(b.do for b in window.commands() if b.command.keys == "Ctrl+M"))
        press(lambda: QTimer.singleShot(50, accept))
        hand.until(lambda n=before: len(session.project.map_sets) == n + 1)
        hand.settle()
    assert actions <= 8
    material = session.material
    assert [c.name for c in material.coats] == ["Slate", "Lichen"]
    assert [c.surface.map_set for c in material.coats] == [s.id for s in session.project.map_sets]
    assert session.project.props["bench"].finishes == {"Top": session.finish_id}
    window.show_workspace("Brush")
    hand.settle()
    before = shown(hand)
    window.bench.brush.set(radius=0.2, strength=1.0)
    middle = window.view.rect().center()
    hand.drag(window.view, middle, middle + QPoint(30, 4))
    hand.settle()
    assert np.abs(shown(hand) - before).max() > 30  # the first stroke shows the second coat


def test_the_start_page_has_shapes_recent_projects_with_pictures_and_comes_back(open_window, demo_copy) -> None:
    hand: Hand = open_window(demo_copy)
    window, session = hand.window, hand.session
    session.document.mark_saved()
    hand.key(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    assert window.pages.currentWidget() is window.start
    assert not window.bench.panes.isVisible()
    assert recent()[0] == demo_copy.resolve()
    assert picture_of(demo_copy).is_file()
    card = window.start.cards[demo_copy.resolve()]
    assert not card._image.isNull()
    hand.click(window.start.shapes["ball"])
    hand.settle()
    assert window.pages.currentWidget() is window.bench
    assert session.material is not None  # nothing is blank: it wears something that can be turned
    assert session.coat_id == "base"
    assert window.bench.dials.fields
    assert (shown(hand).std(axis=(0, 1)) > 10).all()
    window.undo()
    assert window.pages.currentWidget() is window.start
    hand.click(window.start.cards[demo_copy.resolve()])
    hand.settle()
    assert session.project.name == "Saltglaze Terrace"


def test_the_demo_is_made_on_the_first_press_and_opened_on_the_next(open_window, monkeypatch) -> None:
    from functools import partial

    from jade_coat.app import beginning
    from jade_coat.demo import terrace

    monkeypatch.setattr(beginning, "apart", lambda task, job, *given: task(*given, job))
    monkeypatch.setattr(terrace, "build", partial(terrace.build, side=32, grain=8.0, corner=True))
    hand: Hand = open_window(None)
    for _ in range(2):
        hand.click(hand.window.start.demo)
        hand.until(lambda: hand.session.project.name == "Saltglaze Terrace")
        hand.settle()
        assert not hand.session.document.dirty
        hand.session.new()


def test_a_wall_made_in_centimetres_comes_in_at_its_real_size(open_window, tmp_path, monkeypatch) -> None:
    import trimesh

    from jade_coat.app.dialogs.import_size import ImportSize

    path = tmp_path / "wall.stl"
    path.write_bytes(trimesh.creation.box((300, 240, 40)).export(file_type="stl"))
    hand: Hand = open_window(None)
    asked: list[ImportSize] = []

    def answer(dialog: ImportSize) -> int:
        asked.append(dialog)
        dialog.grab()  # it draws itself
        assert dialog.unit.currentData() == "cm"
        assert dialog.size_text.text() == "3 × 2.4 × 0.4 m"
        return 1

    monkeypatch.setattr(ImportSize, "exec", answer)
    hand.window.bring(path)
    hand.until(lambda: len(hand.session.project.props) == 1)
    hand.settle()
    low, high = hand.session.link.mesh_data(hand.session.project.props.first.mesh).bounds
    np.testing.assert_allclose(high - low, (3, 2.4, 0.4), rtol=1e-5)
    assert len(asked) == 1


def test_materials_inside_a_mesh_file_are_offered_and_dress_the_prop(hand: Hand, tmp_path, monkeypatch) -> None:
    from tests.core.test_file_looks import model

    path = tmp_path / "oven.glb"
    path.write_bytes(model())
    session, asked = hand.session, []
    session.offer = lambda what, lines: bool(asked.append((what, lines))) or True
    before = len(session.project.materials)
    importing.bring_meshes(hand.window, [path])
    hand.until(lambda: len(session.project.materials) > before)
    assert "oven.glb brings 1 material of 2 pictures" in asked[0][0]
    assert "dress oven" in asked[0][0]
    made = session.project.materials[-1]
    assert made.coats[0].surface.placement == "square"
    assert session.prop.finishes["Oven"] == session.project.finishes[-1].id
    hand.settle()
    assert not session.faults
    hand.window.undo()
    assert len(session.project.materials) == before
    session.offer = lambda what, lines: False
    importing.bring_meshes(hand.window, [path])
    hand.until(lambda: session.prop.name.startswith("oven 2"))
    hand.settle()
    assert len(session.project.materials) == before


def test_several_mesh_files_are_placed_and_the_one_that_cannot_be_read_is_named(hand: Hand, tmp_path) -> None:
    """Dropped together: the good ones stand beside each other, each undone by itself, the bad one is told by name."""
    pot, bowl, torn = tmp_path / "pot.obj", tmp_path / "bowl.ply", tmp_path / "torn.glb"
    trimesh.creation.box((1, 1, 1)).export(pot)
    trimesh.creation.icosphere(subdivisions=2, radius=0.5).export(bowl)
    torn.write_bytes(b"glTF, but torn")
    window, session = hand.window, hand.session
    told: list[tuple[str, list[str]]] = []
    window._tell = lambda what, lines: told.append((what, list(lines)))
    before = list(session.project.props)
    importing.bring_meshes(window, [pot, torn, bowl])
    hand.until(lambda: len(session.project.props) == len(before) + 2 and bool(told))
    made = list(session.project.props)[len(before) :]
    assert [p.name for p in made] == ["pot", "bowl"]
    assert made[0].position != made[1].position
    ((what, lines),) = told
    assert "1 mesh of 3" in what
    assert ["torn.glb" in line for line in lines] == [True]
    window.undo()
    assert [p.name for p in list(session.project.props)[len(before) :]] == ["pot"]


def test_a_project_opened_before_its_window_fills_every_panel(qapp, kept_client, demo_copy: Path) -> None:
    """As `jade-coat app FOLDER` and `./run demo` start: nobody has touched anything yet."""
    session = Session(kept_client)
    left = open_early(session, demo_copy)
    window = Window(session)
    try:
        hurry(window)
        window.show()
        left(window)
        hand = Hand(window)
        hand.settle()
        bench = window.bench
        assert bench.coat_panel.rows.fields
        assert bench.dials.fields
        assert len(bench.looks.thumbs) > 8
        tiles = [tile for tile in bench.rail.tiles.values() if not tile.visibleRegion().isEmpty()]
        assert len(tiles) > 3
        assert all(bench.swatches.image(f"finish:{tile.finish}") is not None for tile in tiles)
    finally:
        session.document.mark_saved()
        window.close()
        window.deleteLater()
