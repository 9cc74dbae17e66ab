"""A mesh that came with an animation, in the window: it plays, is scrubbed, and is pointed at and painted where it is."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF

from jade_coat.app import importing
from jade_coat.app.view import pictures
from jade_coat.mesh.posed import posed
from tests.app.wall import shown
from tests.core.test_motion import rod_file


def test_a_model_with_an_animation_moves_by_the_clock_and_is_pointed_at_where_it_is(hand, tmp_path) -> None:
    session, window, view = hand.session, hand.window, hand.window.view
    path = tmp_path / "rod.glb"
    path.write_bytes(rod_file().bytes())
    importing.bring_meshes(window, [path])
    hand.settle()
    asset = session.project.mesh("rod")
    assert asset.clips == ("bend",)
    assert "moves by bend" in window._message.text()
    prop = session.prop
    still = shown(hand)
    box = window.bench.shared.clips["rod"].box
    box.setFocus()
    box.setCurrentIndex(box.findData("bend"))
    box.activated.emit(box.currentIndex())
    hand.settle()
    assert session.project.mesh("rod").clip == "bend"
    pictures = []
    for time in (0.0, 1.0, 1.25):
        session.seek(time)
        hand.settle()
        pictures.append(shown(hand).astype(int))
    assert all((np.abs(a - b).max(axis=2) > 24).mean() > 0.01 for a, b in zip(pictures, pictures[1:], strict=False))
    session.seek(1.0 + asset_length(session))  # it starts again at its end
    hand.settle()
    off = np.abs(shown(hand).astype(int) - pictures[1]).max(axis=2)
    assert (off > 24).mean() < 0.002  # the shared dials of the rest have gone on

    session.seek(1.0)
    hand.settle()
    mesh = session.link.mesh_data("rod")
    now = posed(mesh, "bend", 1.0)
    top = int(np.argmax(mesh.positions[:, 1]))
    hits = 0
    for x in np.linspace(0.1, 0.9, 17):
        for y in np.linspace(0.1, 0.9, 13):
            found = view.pick(QPointF(view.width() * x, view.height() * y))
            if found is None or found.prop.id != prop.id:
                continue
            hits += 1
            point = np.linalg.inv(prop.matrix()) @ np.append(found.hit.point, 1.0)
            assert (point[:3] >= now.positions.min(axis=0) - 1e-4).all()
            assert (point[:3] <= now.positions.max(axis=0) + 1e-4).all()
            corners = mesh.positions[mesh.triangles[found.hit.triangle]]  # at rest it is on the same triangle
            assert np.linalg.norm(found.local[0] - corners, axis=1).min() < np.ptp(corners, axis=0).max() + 1e-3
    assert hits > 10
    assert np.abs(now.positions[top] - mesh.positions[top]).max() > 0.3

    window.undo()
    hand.settle()
    assert session.project.mesh("rod").clip == ""
    session.seek(0.0)
    hand.settle()
    assert np.abs(shown(hand).astype(int) - still.astype(int)).max() <= 2


def asset_length(session) -> float:
    """How long the only clip takes, seconds."""
    return session.link.mesh_data("rod").motion.clips[0].length


def test_a_new_process_finds_a_mesh_where_it_was(hand, tmp_path, monkeypatch) -> None:
    monkeypatch.setattr(pictures, "SAMPLES", 2)  # what is seen of the sky follows once the view rests
    session, window = hand.session, hand.window
    path = tmp_path / "rod.glb"
    path.write_bytes(rod_file().bytes())
    importing.bring_meshes(window, [path])
    hand.settle()
    panel = window.bench.shared
    panel.clips["rod"].changed.emit("bend")
    session.seek(0.9)
    hand.settle()
    view = window.view
    view.refresh()
    hand.settle()
    before = shown(hand).astype(int)
    session.client._process.kill()
    hand.settle()
    view.refresh()
    hand.settle()
    assert np.abs(shown(hand).astype(int) - before).max() <= 2
