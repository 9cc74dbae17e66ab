"""Coats that are copied, pasted between projects, and say what is wrong with their place, in the real window."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, Qt
from PyQt6.QtGui import QGuiApplication

from jade_coat.app.build import coat_clipboard
from jade_coat.app.build.coat_clipboard import MIME
from jade_coat.stage import edits
from tests.app.conftest import Hand
from tests.app.wall import shown


@pytest.fixture
def wall(hand: Hand):
    """The wall's moss chosen in Build."""
    hand.session.choose_prop("kiln_wall_prop", "surface")
    hand.session.choose_coat("moss")
    hand.window.view.setFocus()
    return hand.session


def test_a_coat_is_copied_and_pasted_by_keys_onto_another_material(hand: Hand, wall) -> None:
    moss = wall.project.material("kiln_wall").coat("moss")
    hand.key(hand.window, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    wall.choose_prop("floor", "surface")
    before, picture = wall.project, shown(hand)
    hand.key(hand.window, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    floor = wall.material
    made = floor.coats[-1]
    assert made.name.startswith("Joint moss")
    assert made.surface == moss.surface
    assert made.where == moss.where
    assert wall.coat_id == made.id
    assert wall.project.map_sets == before.map_sets  # what it needs is there already
    hand.settle()
    assert not wall.faults
    assert np.abs(shown(hand) - picture).mean() > 0.02
    hand.window.undo()
    assert wall.project.materials == before.materials


def test_a_coat_goes_from_one_project_to_another_with_all_it_needs(hand: Hand, wall, tmp_path, monkeypatch) -> None:
    source = wall.project.material("kiln_wall").coat("moss")
    wall.do(edits.link_field(material="kiln_wall", path="moss.surface.tint", shared="season", low=(1.0, 1.0, 1.0),
                             high=(0.4, 0.3, 0.1)))  # fmt: skip
    hand.key(hand.window, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    folder = hand.session.folder
    files = {m.asset: wall.library.assets.read(m.asset) for s in wall.project.map_sets if s.id in source.surface.sets
             for m in s.maps}  # fmt: skip
    hand.window.session.document.mark_saved()
    hand.window.new_project()
    coat_clipboard._HELD.clear()  # as in another process: only the folder it came from is known
    from jade_coat.app.beginning import place_shape

    place_shape(hand.window, "ball")
    hand.settle()
    assert wall.folder is None
    hand.key(hand.window, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    made = wall.material.coats[-1]
    assert made.name == "Joint moss"
    (here,) = [s for s in wall.project.map_sets if s.id == made.surface.map_set]
    assert {m.asset for m in here.maps} == set(files)
    assert all(wall.library.assets.read(m.asset) == files[m.asset] for m in here.maps)
    link = wall.material.link_at(f"{made.id}.surface.tint")
    assert wall.project.shared_dial(link.shared).name == "Season"
    hand.settle()
    assert not wall.faults
    assert Path(folder).is_dir()


def test_a_clipboard_without_a_coat_or_with_a_broken_one_is_told(hand: Hand, wall) -> None:
    clipboard, before = QGuiApplication.clipboard(), wall.project
    clipboard.setText("some words")
    hand.key(hand.window, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert "No coat was copied yet" in hand.window._message.text()
    for content in (b"{", b'{"folder": "", "content": {"materials": 3}}', b"\xff\xfe", b'{"folder":"","content":{}}'):
        data = QMimeData()
        data.setData(MIME, content)
        clipboard.setMimeData(data)
        hand.key(hand.window, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
        assert wall.project is before
        assert hand.window._message.text()


def test_coats_that_share_a_channel_or_cannot_interlock_say_so(hand: Hand, wall) -> None:
    bench = hand.window.bench
    row = {r.coat.id: r for r in bench.stack._rows}
    assert row["moss"].note == ""
    wall.do(edits.copy_coat(material="kiln_wall", coat="moss"))
    hand.settle()
    row = {r.coat.id: r for r in bench.stack._rows}
    twin = wall.project.material("kiln_wall").coats[-1]
    assert f"Channel G also shows {twin.name}" in row["moss"].note
    assert "Channel G also shows Joint moss" in row[twin.id].toolTip()
    wall.choose_coat(twin.id)
    assert "a stroke changes both" in bench.coat_panel.notes.text()
    assert bench.coat_panel.notes.isVisible()
    term = next(t for t in twin.where if t.painted is not None)
    wall.do(edits.set_term(material="kiln_wall", coat=twin.id, term=term.id, channel="A"))
    assert "Channel" not in bench.coat_panel.notes.text()
    for other in twin.where:
        wall.do(edits.remove_term(material="kiln_wall", coat=twin.id, term=other.id))
    wall.do(edits.set_field(material="kiln_wall", path=f"{twin.id}.amount", value=1.0))
    assert "covers everything below" in bench.coat_panel.notes.text()
