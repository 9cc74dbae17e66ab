"""Maps of paint in the real window: strokes, fills, and a mesh that must be unwrapped first."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPoint

from jade_coat.files.project_folder import open_project
from jade_coat.mesh.painting import PaintMap
from jade_coat.stage import edits
from tests.app.brush_hand import WALL_PROP, panel_of, texts_of, unfold, values_near
from tests.app.conftest import Hand
from tests.app.wall import WALL, paint_a_stroke, pixel_of, shown


def test_a_stroke_on_a_map_shows_is_saved_and_undone_and_the_map_can_go_again(
    hand: Hand, brush, tmp_path: Path
) -> None:
    session, own = hand.session, panel_of(hand).own
    unfold(hand, "This prop's paint")
    hand.settle()
    before = shown(hand)
    own._choose(side=256)
    own._choose(bits=16)
    assert "UV 2" in texts_of(own)
    hand.click(own.to_map)
    hand.until(lambda: isinstance(session.project.prop(WALL_PROP).paint_map, PaintMap))
    hand.settle()
    assert np.abs(shown(hand) - before).mean() < 1.5  # the same paint, on texels now
    made = session.project.prop(WALL_PROP).paint_map
    assert (made.side, made.bits, made.uv_set, made.repeats) == (256, 16, 1, False)
    paint_a_stroke(hand)
    hand.settle()
    painted = session.project.prop(WALL_PROP).paint_map
    changed = painted.paint.changed_tiles(made.paint)
    assert 0 < len(changed) < len(made.paint.tiles)
    assert np.array_equal(painted.picture()[..., [0, 2, 3]], made.picture()[..., [0, 2, 3]])
    at = pixel_of(hand, WALL)
    patch = np.s_[at.y() - 6 : at.y() + 6, at.x() - 4 : at.x() + 40]
    assert np.abs(shown(hand)[patch] - before[patch]).mean() > 6
    session.save(tmp_path / "p")
    again = open_project(tmp_path / "p")
    assert again.problems == []
    assert again.project.prop(WALL_PROP).paint_map == painted
    hand.window.undo()
    hand.settle()
    assert session.project.prop(WALL_PROP).paint_map is made
    assert np.abs(shown(hand)[patch] - before[patch]).mean() < 2.5
    hand.window.redo()
    hand.click(own.to_sets)
    assert {s.name for s in session.project.map_sets} >= {"Kiln wall mask G"}
    hand.click(own.to_vertices)
    hand.until(lambda: session.project.prop(WALL_PROP).paint_map is None)
    assert values_near(hand, WALL, 0.04).min() > 0.9
    hand.click(own.reset)
    assert session.project.prop(WALL_PROP).paint is None


def test_a_fill_works_on_a_map_too(hand: Hand, brush) -> None:
    session, fill = hand.session, panel_of(hand).fill
    session.do(edits.paint_map(prop=WALL_PROP, paint_map=PaintMap.even(64, 8, 1)))
    unfold(hand, "Fill by rule")
    fill._choose("height")
    fill.set(range=(0.0, 2.0))
    hand.click(fill.start_button)
    hand.until(lambda: session.shown_project.prop(WALL_PROP).paint_map.paint.whole().any())
    hand.click(fill.apply_button)
    picture = session.project.prop(WALL_PROP).paint_map.picture()[:, 32, 1] / 255
    mesh = session.link.mesh_data("kiln_wall")
    high = float(np.ptp(mesh.positions[:, 1]))
    v = (np.arange(64) + 0.5) / 64
    np.testing.assert_allclose(picture, np.clip((1 - v) * high / 2, 0, 1), atol=0.02)


def test_a_mesh_without_a_fitting_uv_set_is_unwrapped_and_then_painted_on_a_map(hand: Hand, brush) -> None:
    session = hand.session
    session.choose_prop("cream_jar", session.link.mesh_data(session.project.prop("cream_jar").mesh).slots[0].name)
    own = panel_of(hand).own
    mesh_id = session.project.prop("cream_jar").mesh
    sets = len(session.link.mesh_data(mesh_id).uvs)
    own.unwrap()
    hand.until(lambda: len(session.link.mesh_data(mesh_id).uvs) == sets + 1)
    hand.settle()
    assert own.uv_set == sets
    own.make_map()
    hand.until(lambda: session.project.prop("cream_jar").paint_map is not None)
    jar = session.project.prop("cream_jar")
    at = pixel_of(hand, np.array(jar.position) + [0, 0.3, 0.1])
    hand.drag(hand.window.view, at, at + QPoint(4, 8))
    hand.settle()
    assert session.project.prop("cream_jar").paint_map.picture()[..., 1].max() == 255
