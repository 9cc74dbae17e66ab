"""The walk of a user through the real window: strokes, dials, finishes, looks, imports, saving, and mishaps."""

from __future__ import annotations

import ast
import gc
import os
import subprocess
import sys
import weakref
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt
from PyQt6.QtGui import QDropEvent, QRawFont
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel, QPushButton

import jade_coat.app
from jade_coat.app import theme
from jade_coat.app.build import dial_sheet
from jade_coat.app.build.coat_panel import ExposeDot
from jade_coat.app.commands import command, commands_of
from jade_coat.app.finding import entries_of
from jade_coat.app.view.view import FINISH_MIME
from jade_coat.app.workspaces.known import WORKSPACES
from jade_coat.app.workspaces.planned import PLANNED
from jade_coat.mesh.data import FULL
from jade_coat.stage import edits
from jade_coat.stage.looks import dial_values
from tests.app.conftest import Hand
from tests.app.wall import WALL, paint_a_stroke, pixel_of, shown, wall_paint


def test_a_stroke_paints_moss_where_it_passes_and_undo_takes_it_back_whole(hand: Hand) -> None:
    hand.key(hand.window, Qt.Key.Key_B)
    assert hand.window.workspace == "Brush"
    hand.settle()
    before, picture = wall_paint(hand), shown(hand)
    hand.window.bench.brush.set(radius=0.2, strength=1.0)
    paint_a_stroke(hand)
    hand.settle()
    after = wall_paint(hand)
    changed = (after != before).any(axis=1)
    assert 20 < changed.sum() < 2500
    assert (after[:, [0, 2, 3]] == before[:, [0, 2, 3]]).all()
    mesh = hand.session.link.mesh_data("kiln_wall")
    places = mesh.positions[changed] + np.array([0, 0, -2.4])
    assert np.linalg.norm(places - WALL, axis=1).max() < 0.9
    near = np.linalg.norm(mesh.positions + np.array([0, 0, -2.4]) - WALL, axis=1) < 0.04
    assert after[near, 1].min() > 0.9 * FULL
    painted = shown(hand)
    at = pixel_of(hand, WALL)
    patch = np.s_[at.y() - 6 : at.y() + 6, at.x() - 4 : at.x() + 40]
    assert np.abs(painted[patch] - picture[patch]).mean() > 6
    far = np.s_[:, :120]
    assert np.abs(painted[far] - picture[far]).max() <= 2
    hand.key(hand.window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    hand.settle()
    assert np.array_equal(wall_paint(hand), before)
    assert np.abs(shown(hand) - picture).max() <= 2
    hand.key(hand.window, Qt.Key.Key_Y, Qt.KeyboardModifier.ControlModifier)
    assert np.array_equal(wall_paint(hand), after)


def test_x_and_ctrl_erase_and_the_channel_is_the_one_chosen(hand: Hand) -> None:
    hand.window.show_workspace("Brush")
    hand.window.bench.brush.set(radius=0.2, strength=1.0)
    paint_a_stroke(hand)
    full = wall_paint(hand)[:, 1].astype(int).sum()
    hand.key(hand.window, Qt.Key.Key_X)
    assert hand.window.bench.brush_panel.erase.isChecked()
    paint_a_stroke(hand)
    erased = wall_paint(hand)[:, 1].astype(int).sum()
    assert erased < full
    paint_a_stroke(hand, Qt.KeyboardModifier.ControlModifier)
    assert wall_paint(hand)[:, 1].astype(int).sum() > erased
    hand.key(hand.window, Qt.Key.Key_X)
    hand.click(hand.window.bench.brush_panel.channel_buttons["B"])
    before = wall_paint(hand)
    paint_a_stroke(hand)
    after = wall_paint(hand)
    assert (after[:, 1] == before[:, 1]).all()
    assert after[:, 2].max() > 0.99 * FULL
    assert "not read by" in hand.window.bench.brush_panel._hint.text()


def test_a_mesh_without_own_paint_gets_it_with_the_first_stroke_and_loses_it_with_one_undo(hand: Hand) -> None:
    hand.window.show_workspace("Brush")
    jar = hand.session.project.prop("cream_jar")
    assert jar.paint is None
    at = pixel_of(hand, np.array(jar.position) + [0, 0.3, 0.1])
    hand.drag(hand.window.view, at, at + QPoint(4, 8))
    assert hand.session.project.prop("cream_jar").paint is not None
    assert hand.session.project.prop("tall_jar").paint is None
    hand.window.undo()
    assert hand.session.project.prop("cream_jar").paint is None


def test_turning_dials_by_mouse_wheel_and_keys_changes_the_finish_and_compiles_nothing(hand: Hand) -> None:
    compiles: list[int] = []
    hand.session.picture.connect(lambda picture, image: compiles.append(picture.compiles))
    sheet = hand.window.bench.dials
    picture = shown(hand)
    amount = sheet.fields["moss_amount"]
    hand.drag(amount, QPoint(80, 12), QPoint(20, 12))
    hand.settle()
    value = dial_values(hand.session.project, "celadon_wall")["moss_amount"]
    assert value == pytest.approx(0.9 - 60 / 220, abs=1e-6)
    assert sheet.dots["moss_amount"].isVisible()
    assert np.abs(shown(hand) - picture).mean() > 0.2
    amount.setFocus()
    hand.key(amount, Qt.Key.Key_Up)
    hand.key(amount, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
    assert dial_values(hand.session.project, "celadon_wall")["moss_amount"] == pytest.approx(value + 0.022, abs=1e-6)
    size = sheet.fields["tile_size"]
    hand.click(size)
    QTest.keyClicks(size.findChild(type(hand.window._find)), "0,8 m")
    QTest.keyClick(size.findChild(type(hand.window._find)), Qt.Key.Key_Return)
    assert dial_values(hand.session.project, "celadon_wall")["tile_size"] == pytest.approx(0.8)
    hand.drag(sheet.fields["glaze_roughness"], QPoint(100, 12), QPoint(60, 12))
    low, high = dial_values(hand.session.project, "celadon_wall")["glaze_roughness"]
    assert low == 0.0
    assert high < 0.95
    hand.settle()
    assert len(set(compiles)) == 1
    hand.click(sheet.dots["tile_size"], QPoint(6, 12))
    assert dial_values(hand.session.project, "celadon_wall")["tile_size"] == 1.2
    for _ in range(5):
        hand.window.undo()
    assert dial_values(hand.session.project, "celadon_wall")["moss_amount"] == pytest.approx(value)


def test_a_dial_is_renamed_by_a_double_click_and_keeps_every_value(hand: Hand, monkeypatch) -> None:
    before = {f.id: dial_values(hand.session.project, f.id) for f in hand.session.project.finishes}
    monkeypatch.setattr(dial_sheet.QInputDialog, "getText", lambda *_, **__: ("Greenery", True))
    name = next(n for n in hand.window.bench.dials.findChildren(dial_sheet.DialName) if n.text() == "Moss amount")
    QTest.mouseDClick(name, Qt.MouseButton.LeftButton)
    assert any(n.text() == "Greenery" for n in hand.window.bench.dials.findChildren(dial_sheet.DialName))
    assert {f.id: dial_values(hand.session.project, f.id) for f in hand.session.project.finishes} == before
    hand.window.undo()
    assert hand.session.project.material("kiln_wall").dials[-1].name != "Greenery"


def test_a_second_finish_dropped_on_another_prop_changes_only_that_prop(hand: Hand) -> None:
    session, rail = hand.session, hand.window.bench.rail
    hand.click(rail.tiles["celadon_wall"])
    before = shown(hand)
    hand.click(rail._new)
    made = session.finish_id
    assert session.project.finish(made).parent == "celadon_wall"
    assert made in rail.tiles
    hand.settle()
    assert np.abs(shown(hand) - before).max() <= 2  # nobody wears it yet
    session.do(edits.set_dial(finish=made, dial="glaze_tint", value=(1.0, 0.15, 0.1)))
    session.do(edits.set_dial(finish=made, dial="moss_amount", value=0.0))
    post = session.project.prop("gate_post")
    at = pixel_of(hand, np.array(post.position) + [0.0, 0.9, 0.2])
    mime = QMimeData()
    mime.setData(FINISH_MIME, made.encode())
    event = QDropEvent(
        QPointF(at), Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    )
    hand.window.view.dropEvent(event)
    hand.settle()
    assert session.project.prop("gate_post").finishes["Shaft"] == made
    assert session.project.prop("kiln_wall_prop").finishes["surface"] == "celadon_wall"
    after = shown(hand)
    assert np.abs(after[at.y(), at.x()] - before[at.y(), at.x()]).max() > 20
    wall = pixel_of(hand, WALL)
    assert (
        np.abs(
            after[wall.y() - 5 : wall.y() + 5, wall.x() : wall.x() + 30]
            - before[wall.y() - 5 : wall.y() + 5, wall.x() : wall.x() + 30]
        ).max()
        <= 2
    )
    assert rail.tiles[made].count == 1
    hand.click(hand.window.view, wall)
    assert session.prop_id == "kiln_wall_prop"
    QTest.mouseDClick(rail.tiles[made], Qt.MouseButton.LeftButton)
    assert session.project.prop("kiln_wall_prop").finishes["surface"] == made


def test_only_here_makes_a_child_for_one_prop(hand: Hand) -> None:
    hand.session.choose_prop("tall_jar", "Body")
    button = next(b for b in hand.window.bench.dials.findChildren(QPushButton) if b.text().startswith("Only on"))
    hand.click(button)
    made = hand.session.finish_id
    assert hand.session.project.finish(made).parent == "iron_jar"
    assert hand.session.project.prop("tall_jar").finishes == {"Body": made, "Neck": "iron_jar"}
    hand.window.undo()
    assert hand.session.project.prop("tall_jar").finishes["Body"] == "iron_jar"


def test_looks_are_shown_on_click_and_peeked_at_on_hover(hand: Hand) -> None:
    strip = hand.window.bench.looks
    hand.click(strip.more)
    hand.settle()
    names = {t.look for t in strip.thumbs}
    assert {"lit", "base_color", "roughness", "normal", "height", "coverage", "paint:G", "where:moss"} <= names
    pictures = {}
    for thumb in strip.thumbs:
        assert thumb.image is not None
        if thumb.look in ("lit", "base_color", "roughness", "normal", "height", "coverage", "paint:G"):
            hand.click(thumb)
            hand.settle()
            assert hand.window.view.look == thumb.look
            pictures[thumb.look] = shown(hand).tobytes()
    assert len(set(pictures.values())) == 7
    strip._peek("normal", True)
    assert hand.window.view.look == "normal"
    strip._peek("normal", False)
    assert hand.window.view.look == "paint:G"


def test_the_view_turns_moves_and_comes_closer(hand: Hand) -> None:
    view, camera = hand.window.view, hand.window.view.camera
    hand.drag(view, QPoint(300, 200), QPoint(360, 230), button=Qt.MouseButton.RightButton)
    assert view.camera.yaw != camera.yaw
    assert view.camera.pitch != camera.pitch
    hand.drag(view, QPoint(300, 200), QPoint(360, 200), button=Qt.MouseButton.MiddleButton)
    assert view.camera.target != camera.target
    hand.session.choose_prop("small_jar", "Body")
    hand.key(hand.window, Qt.Key.Key_F)
    assert view.camera.distance < camera.distance
    assert not hand.session.document.dirty  # looking around is no change
    hand.key(hand.window, Qt.Key.Key_N)
    assert view.far_first
    hand.click(view, view.inset_rect().center().toPoint())
    assert not view.far_first
    hand.settle()


def test_the_coat_editor_edits_exposes_and_adds_terms(hand: Hand) -> None:
    panel, session = hand.window.bench.coat_panel, hand.session
    assert "moss.seam.softness" in panel.fields
    hand.drag(panel.fields["moss.surface.height_range"], QPoint(100, 12), QPoint(80, 12))
    assert session.project.material("kiln_wall").coat("moss").surface.height_range[1] < 0.72
    dot = next(d for d in panel.findChildren(ExposeDot) if d.accessibleName() == "Make turn a dial")
    known = len(session.project.material("kiln_wall").dials)
    hand.click(dot)
    assert session.project.material("kiln_wall").dials[known].name == "Joint moss turn"
    session.do(edits.add_term(material="kiln_wall", coat="moss", kind="slope"))
    assert any(p.startswith("moss.where.slope") for p in panel.fields)
    before = len(session.project.material("kiln_wall").dials)
    session.do(edits.expose(material="kiln_wall", path="moss.where.slope.range"))
    assert len(session.project.material("kiln_wall").dials) == before + 1
    assert any("slope" in d or "from" in d.lower() for d in hand.window.bench.dials.fields)
    hand.settle()
    stack = hand.window.bench.stack
    row = next(r for r in stack.rows if r.coat.id == "moss")
    hand.click(row, QPoint(row.width() - 18, 14))
    assert not session.project.material("kiln_wall").coat("moss").shown
    hand.settle()
    hand.window.workspaces["Build"].add_coat()
    assert len(session.project.material("kiln_wall").coats) == 4
    assert session.coat_id == session.project.material("kiln_wall").coats[-1].id
    hand.settle()
    assert hand.session.faults == {}


def test_the_finder_runs_commands_and_finds_finishes(hand: Hand) -> None:
    hand.key(hand.window, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
    finder = hand.window._finder
    QTest.keyClicks(finder.line, "cobalt jar")
    assert finder.list.count() == 1
    hand.key(finder.line, Qt.Key.Key_Return)
    assert hand.session.finish_id == "cobalt_jar"

    def find(words: str) -> None:
        hand.window.find_or_do()
        QTest.keyClicks(hand.window._finder.line, words)
        hand.key(hand.window._finder.line, Qt.Key.Key_Return)

    bench = hand.window.bench
    find("joint moss coat of kiln wall")
    assert (hand.session.material.id, hand.session.coat_id) == ("kiln_wall", "moss")
    bench.panes.turn("dials")
    find("moss amount dial")
    assert "dials" not in bench.panes.shut  # what is found is shown
    find("cushion map set")
    stock = hand.window.workspaces["Build"]._stock
    assert stock.kind == "map_sets"
    stock.close()
    rail = bench.rail
    find("cream jar finish")
    hand.until(
        lambda: (
            rail.viewport()
            .rect()
            .intersects(rail.tiles["cream_jar"].geometry().translated(-rail.horizontalScrollBar().value(), 0))
        )
    )
    hand.window.find_or_do()
    QTest.keyClicks(hand.window._finder.line, "go to check")
    hand.key(hand.window._finder.line, Qt.Key.Key_Return)
    assert hand.window.workspace == "Check"


def test_all_six_workspaces_open_and_the_planned_ones_say_so(hand: Hand) -> None:
    assert list(hand.window.tabs) == [w.name for w in WORKSPACES]
    for name in hand.window.workspaces:
        hand.click(hand.window.tabs[name])
        assert hand.window.workspace == name
        texts = " ".join(w.text() for w in hand.window.pages.currentWidget().findChildren(QLabel))
        assert ("not built yet" in texts) == (name in PLANNED)


def test_nothing_that_is_written_is_cut(hand: Hand) -> None:
    for name in hand.window.workspaces:
        hand.window.show_workspace(name)
        QApplication.processEvents()
        for widget in hand.window.findChildren(QLabel) + hand.window.findChildren(QPushButton):
            if widget.isVisible() and widget.text() and not getattr(widget, "wordWrap", lambda: False)():
                assert widget.width() >= widget.minimumSizeHint().width() - 1, (name, widget.text())
    for field in hand.window.bench.dials.fields.values():
        if hasattr(field, "text"):
            assert field.fontMetrics().horizontalAdvance(field.text()) <= field.width() - 12, field.text()


class _Twice:
    @command("Edit", "Ctrl+Z")
    def again(self) -> None:
        """Undo once more."""


def test_commands_lie_beside_what_they_command_and_arrive_everywhere_by_themselves(hand: Hand) -> None:
    """In the finder, among the keys and on F1; a key that is given away already is refused."""
    window = hand.window
    known = [b.command for b in window.commands()]
    assert len(known) > 30
    assert all(c.title for c in known)
    owners = {type(b.do.__self__).__name__ for b in window.commands()}
    assert owners == {"Window", "ViewCommands", "Panes", "Build", "Brush", "Ground", "Stage"}
    titles = {e.text for e in entries_of(window)}
    assert {c.title for c in known} <= titles
    assert {f"Go to {w.name}" for w in WORKSPACES} <= titles
    assert {"Joint moss", "Moss amount", "Season", "Cushion moss", "Dust on top", "Storage jar"} <= titles
    window.show_keys()
    text = window._keys.text()
    assert all(c.title in text for c in known if c.keys)
    assert window._keys.height() <= window.height()
    QTest.keyClicks(window._keys.line, "smaller")
    assert "Smaller brush" in window._keys.text()
    assert "Redo" not in window._keys.text()
    window._keys.close()
    with pytest.raises(ValueError, match="Ctrl.Z"):
        commands_of(window, _Twice())
    with pytest.raises(TypeError, match="no docstring"):
        command("Edit")(lambda self: None)


def luminance(code: str) -> float:
    r, g, b = (int(code[i : i + 2], 16) / 255 for i in (1, 3, 5))
    linear = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in (r, g, b)]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


@pytest.mark.parametrize("name", theme.THEMES)
def test_text_has_contrast_of_at_least_4_5_in_both_themes(name: str) -> None:
    """WCAG 2.2, contrast (minimum): (L1 + 0.05) / (L2 + 0.05)."""
    for front, back in theme.THEMES[name].pairs():
        light, dark = sorted((luminance(front), luminance(back)), reverse=True)
        assert (light + 0.05) / (dark + 0.05) >= 4.5, (front, back)


def test_both_themes_draw(hand: Hand) -> None:
    dark = hand.window.grab().toImage().pixelColor(3, 500).lightness()
    hand.window.swap_theme()
    QApplication.processEvents()
    light = hand.window.grab().toImage().pixelColor(3, 500).lightness()
    hand.window.swap_theme()
    assert light > 180 > dark


@pytest.mark.skipif("JADE_COAT_XVFB" in os.environ, reason="this is that run")
def test_a_stroke_works_on_a_real_screen_too(demo_folder: Path) -> None:
    """The same stroke under Xvfb, with Qt's xcb plug-in."""
    import shutil

    if shutil.which("xvfb-run") is None:
        pytest.skip("xvfb-run is missing: run ./run test as root, which installs it")
    words = ["xvfb-run", "-a", "-s", "-screen 0 1400x900x24", sys.executable, "-m", "pytest", "-p", "no:cacheprovider",
             f"{__file__}::test_a_stroke_paints_moss_where_it_passes_and_undo_takes_it_back_whole"]  # fmt: skip
    environment = {k: v for k, v in os.environ.items() if k != "QT_QPA_PLATFORM"}
    result = subprocess.run(
        words, capture_output=True, text=True, check=False,
        env={**environment, "JADE_COAT_XVFB": "1", "QT_QPA_PLATFORM": "xcb", "JADE_COAT_DEMO": str(demo_folder)},
        timeout=240, cwd=Path(__file__).parents[2],
    )  # fmt: skip
    assert result.returncode == 0, result.stdout[-3000:] + result.stderr[-2000:]
    assert "1 passed" in result.stdout


def test_an_earlier_project_is_let_go_when_another_is_opened(hand, demo_copy) -> None:
    gone = [weakref.ref(thing) for thing in (hand.session.library, hand.session.link)]
    mesh = weakref.ref(hand.session.link.mesh_data("kiln_wall"))
    hand.window.open_folder(demo_copy)
    hand.settle()
    gc.collect()
    assert [ref() for ref in (*gone, mesh)] == [None, None, None]


def test_every_letter_the_window_shows_is_in_the_font_it_ships(hand: Hand) -> None:
    shown = {
        letter
        for file in Path(jade_coat.app.__file__).parent.rglob("*.py")
        for node in ast.walk(ast.parse(file.read_text()))
        if isinstance(node, ast.Constant) and isinstance(node.value, str)
        for letter in node.value
        if ord(letter) > 127
    }
    assert "°" in shown  # the walk finds some
    for font in theme.FONTS.glob("*.ttf"):
        face = QRawFont(str(font), 14)
        assert {c for c in shown if not face.supportsCharacter(c)} == set(), font.name
