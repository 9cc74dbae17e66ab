"""One's own mesh and maps become a material, from the files to the saved project."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPoint, QTimer

from jade_coat.app import making
from jade_coat.files.mesh_files import read_mesh
from jade_coat.files.project_folder import open_project
from jade_coat.maps.images import png_bytes
from tests.app.wall import pixel_of
from tests.core.test_mesh import OBJ
from tests.support import assert_valid_glb


def own_files(folder: Path) -> tuple[Path, Path]:
    folder.mkdir()
    (folder / "step.obj").write_text(OBJ)
    maps = folder / "maps"
    maps.mkdir()
    rng = np.random.default_rng(0)
    for name, tone in (("Slate", 60), ("Lichen", 190)):
        noise = rng.integers(-20, 20, (64, 64, 1))
        color = np.clip(np.array([tone, tone // 2, 90]) + noise, 0, 255).astype(np.uint8)
        (maps / f"{name}_albedo.png").write_bytes(png_bytes(color))
        (maps / f"{name}_ORM.png").write_bytes(
            png_bytes(np.clip(128 + np.repeat(noise, 3, 2), 0, 255).astype(np.uint8))
        )
        (maps / f"{name}_disp.png").write_bytes(png_bytes((rng.random((64, 64)) * 65535).astype(np.uint16)))
    return folder / "step.obj", maps


def test_own_mesh_and_maps_become_a_material_and_all_is_there_after_saving(open_window, tmp_path: Path) -> None:
    mesh_path, maps = own_files(tmp_path / "mine")
    hand = open_window(None)
    window, session = hand.window, hand.session
    window.bring(mesh_path)
    hand.until(lambda: bool(session.project.props))
    reviewed = []

    def accept_reviews() -> None:
        review = getattr(window, "review", None)
        if review is not None and review.isVisible():
            if not reviewed:  # correct one: this occlusion is left out
                card = next(c for c in review.cards if c.role.currentData() == "occlusion")
                card.role.setCurrentIndex(0)
                card.role.activated.emit(0)
            reviewed.append(review.map_set())
            review._use.click()

    timer = QTimer()
    timer.timeout.connect(accept_reviews)
    timer.start(30)
    window.bring(maps)
    hand.until(lambda: len(session.project.map_sets) == 2)
    timer.stop()
    roles = [sorted(m.role.value for m in s.maps) for s in session.project.map_sets]
    assert roles[0] == ["base_color", "height", "metallic", "roughness"]
    assert roles[1] == ["base_color", "height", "metallic", "occlusion", "roughness"]
    low, top = (s.id for s in session.project.map_sets)
    slot = session.slot
    making.add_material(window, "Mossy slate", low, top, "R", "interlock", put_on=True)
    hand.settle()
    window.show_workspace("Brush")
    window.bench.brush.set(channels=(0,), radius=1.2, strength=1.0)
    at = pixel_of(hand, np.array([0.6, 0.4, 0.0]))
    hand.drag(window.view, at, at + QPoint(10, 4))
    folder = tmp_path / "saved"
    assert window._save_to(folder)
    assert not session.document.dirty
    kept = session.project
    again = open_project(folder)
    assert again.problems == []
    assert again.project == kept
    assert kept.props.first.paint.whole()[:, 0].max() > 0
    assert kept.props.first.finishes[slot] == session.finish_id
    dialog = window.export_to(tmp_path / "mine.glb", 64)
    hand.until(lambda: (tmp_path / "mine.glb").is_file() and not dialog.isVisible(), 60)
    assert_valid_glb(tmp_path / "mine.glb")
    second = open_window(folder)
    assert second.session.project == kept
    assert len(read_mesh(mesh_path).triangles) == 2
