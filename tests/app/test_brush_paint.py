"""Paint as a whole: what a mesh can hold of it, copies, dials in its place, long work on it."""

from __future__ import annotations

import time
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt

from jade_coat.app import importing
from jade_coat.files.gltf_writer import mesh_glb
from jade_coat.jobs.job import Job
from jade_coat.mesh.data import FULL
from jade_coat.mesh.subdivide import subdivided
from jade_coat.stage import edits
from tests.app.brush_hand import WALL_PROP, panel_of, texts_of, unfold
from tests.app.conftest import Hand, move
from tests.app.wall import WALL, paint_a_stroke, pixel_of, wall_paint


def test_splitting_where_vertices_are_too_few_keeps_the_paint_and_lets_a_small_brush_paint(hand: Hand, brush) -> None:
    session, vertices = hand.session, panel_of(hand).vertices
    brush.set(radius=0.02)
    unfold(hand, "Too few vertices?")
    assert brush.shown.held
    hand.until(lambda: "too few" in texts_of(vertices))
    unfold(hand, "Too few vertices?")
    old, paint = session.link.mesh_data("kiln_wall"), wall_paint(hand)
    at = pixel_of(hand, WALL)
    move(hand.window.view, QPointF(at), Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier)
    assert "Too few vertices here" in panel_of(hand)._few.text()
    hand.click(panel_of(hand).what_to_do)
    move(hand.window.view, QPointF(at), Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier)
    hand.until(lambda: "Splitting here adds" in texts_of(vertices))
    assert "two tones" not in texts_of(vertices)
    session.do(edits.set_material(material="kiln_wall", kind="toned"))  # drawn by the mesh's own triangles
    hand.until(lambda: "changes the shadows as drawn" in texts_of(vertices))
    session.document.undo()
    move(hand.window.view, QPointF(at), Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier)
    hand.until(lambda: "Splitting here adds" in texts_of(vertices) and "two tones" not in texts_of(vertices))
    foretold = int(texts_of(vertices).partition("Splitting here adds ")[2].partition(" ")[0].replace(",", ""))
    hand.click(vertices.here)
    hand.until(lambda: session.link.mesh_data("kiln_wall") is not old)
    hand.settle()
    new = session.link.mesh_data("kiln_wall")
    assert new.vertex_count == old.vertex_count + foretold
    assert np.array_equal(wall_paint(hand)[: old.vertex_count], paint)
    near = np.linalg.norm(new.positions + np.array([0, 0, -2.4]) - WALL, axis=1) < 0.02
    assert near.sum() > 20
    fine = wall_paint(hand)
    hand.drag(hand.window.view, at, at + QPoint(1, 0), steps=1)
    assert (wall_paint(hand)[near] != fine[near]).any()
    hand.window.undo()
    hand.window.undo()
    assert session.link.mesh_data("kiln_wall") is old
    assert np.array_equal(wall_paint(hand), paint)
    hand.click(vertices.everywhere)
    hand.until(lambda: session.link.mesh_data("kiln_wall").vertex_count > 3 * old.vertex_count)


def test_paint_or_dial_compares_four_ways_in_this_scene(hand: Hand, brush) -> None:
    unfold(hand, "Paint or dial?")
    worth = panel_of(hand).worth
    hand.until(lambda: len(worth.ways) == 4)
    by = {w.key: w for w in worth.ways}
    n = hand.session.link.mesh_data("kiln_wall").vertex_count
    assert by["vertices"].nbytes == 8 * n
    assert by["map"].nbytes == 512 * 512 * 4
    assert (by["dial"].draws, by["finish"].draws) == (0, 0)
    assert str(f"{n:,}") in texts_of(worth)
    worth._choose("1024 16")
    hand.until(lambda: worth.ways[2].nbytes == 1024 * 1024 * 8)


def test_paint_is_copied_between_props_and_carried_over_to_a_mesh_imported_anew(
    hand: Hand, brush, tmp_path: Path
) -> None:
    session = hand.session
    mesh = session.link.mesh_data("kiln_wall")
    paint_a_stroke(hand)
    twin = session.project.prop(WALL_PROP).with_(id="twin", name="Twin", paint=None, position=(6.0, 0.0, 0.0))
    session.do(edits.add_prop(prop=twin))
    session.choose_prop("twin", "surface")
    unfold(hand, "This prop's paint")
    own = panel_of(hand).own
    own.copy.setCurrentIndex(own.copy.findData(WALL_PROP))
    own.copy.activated.emit(own.copy.currentIndex())
    hand.until(lambda: session.project.prop("twin").paint is not None)
    assert session.project.prop("twin").paint is session.project.prop(WALL_PROP).paint  # the same mesh: shared
    finer = subdivided(mesh).mesh
    (tmp_path / "finer.glb").write_bytes(mesh_glb(finer, "Kiln wall"))
    dialog = importing.bring_mesh_anew(hand.window, tmp_path / "finer.glb")
    assert dialog is not None
    hand.until(lambda: session.link.mesh_data("kiln_wall").vertex_count == finer.vertex_count)
    hand.settle()
    told = hand.window.attention().informativeText()
    assert "keep their paint" in told
    assert "Kiln wall" in told
    painted = wall_paint(hand)
    assert len(painted) == finer.vertex_count
    near = np.linalg.norm(finer.positions + np.array([0, 0, -2.4]) - WALL, axis=1) < 0.05
    assert painted[near, 1].min() > 0.8 * FULL
    hand.window.attention().close()
    hand.window.undo()
    assert session.link.mesh_data("kiln_wall").vertex_count == mesh.vertex_count


def test_long_work_on_paint_tells_how_far_it_is_and_can_be_given_up(hand: Hand, brush) -> None:
    unfold(hand, "This prop's paint")
    own, came, told = panel_of(hand).own, [], []

    def task(job: Job) -> str:
        job.step(0.25, "Copying")
        while True:
            job.step(0.25, "Copying")
            told.append(1)
            time.sleep(0.005)

    own._work("Copying", task, came.append)
    hand.until(lambda: "25 %" in texts_of(own))
    hand.click(own.cancel)
    hand.until(own.to_map.isVisible)
    count = len(told)
    hand.until(lambda: len(told) <= count + 2 and not own._job)
    time.sleep(0.05)
    assert len(told) <= count + 2  # it has stopped
    assert came == []
