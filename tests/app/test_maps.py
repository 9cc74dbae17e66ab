"""Maps in the real window: the review with its flags, one picture alone, watching, and the texture-size check."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPoint, QTimer

from jade_coat.app.build import map_watch
from jade_coat.app.build.map_card import CELL
from jade_coat.app.build.map_review import MapReview
from jade_coat.app.build.texture_size import TextureSize
from jade_coat.maps.images import png_bytes
from jade_coat.maps.mapset import MapFile, MapSet
from jade_coat.material.surface import Role
from jade_coat.stage import edits
from tests.app.conftest import Hand
from tests.app.wall import shown


def test_the_review_shows_channels_flags_what_is_wrong_and_mends_it(hand: Hand) -> None:
    assets = hand.session.library.assets
    flipped = np.zeros((64, 64, 3), np.uint8)
    y, x = np.mgrid[0:64, 0:64] / 64 * 2 * np.pi
    slope = 0.5 * np.stack([np.cos(x) * np.sin(y), np.sin(x) * np.cos(y)], axis=2)  # green the wrong way round
    normal = np.concatenate([-slope, np.ones((64, 64, 1))], axis=2)
    flipped[...] = np.round((normal / np.linalg.norm(normal, axis=2, keepdims=True) * 0.5 + 0.5) * 255)
    packed = np.zeros((64, 64, 3), np.uint8)
    packed[..., 0], packed[..., 1], packed[..., 2] = 250, 120, 5
    files = [("step_normal.png", flipped), ("step_orm.png", packed)]
    names = [assets.put("maps", n, png_bytes(p)) for n, p in files]
    maps = (
        MapFile(role=Role.NORMAL, asset=names[0], file="step_normal.png"),
        MapFile(role=Role.ROUGHNESS, asset=names[1], file="step_orm.png", channels="r", color_space="srgb"),
    )
    review = MapReview(hand.window, MapSet(id="step", name="Step", maps=maps), [], hand.session.library)
    review.show()
    normals, rough = review.cards
    assert [f.mend for f in normals.findings] == ["Flip the green"]
    assert [f.mend for f in rough.findings] == ["Mark it as data"]
    review.mend_all()
    assert not normals.findings
    assert not rough.findings
    hand.click(rough.channels, QPoint(2 * (CELL + 3) + 10, 10))  # the green channel holds the roughness
    entry = review.map_set().file(Role.ROUGHNESS)
    assert entry.channels == "g"
    assert entry.color_space == "linear"
    assert review.map_set().file(Role.NORMAL).flip_green
    rough.doubled.emit()  # the same file's blue holds metal
    extra = review.cards[2]
    index = extra.role.findData("metallic")
    extra.role.setCurrentIndex(index)
    extra.role.activated.emit(index)
    hand.click(extra.channels, QPoint(3 * (CELL + 3) + 10, 10))
    assert review.map_set().file(Role.METALLIC).channels == "b"
    review.close()


def test_one_picture_dropped_alone_becomes_a_mask(hand: Hand, tmp_path: Path) -> None:
    path = tmp_path / "blots.png"
    path.write_bytes(png_bytes((np.random.default_rng(0).random((64, 64)) * 255).astype(np.uint8)))

    def accept() -> None:
        review = getattr(hand.window, "review", None)
        if review is not None and review.isVisible():
            review._use.click()

    timer = QTimer()
    timer.timeout.connect(accept)
    timer.start(20)
    hand.window.bring(path)
    timer.stop()
    made = hand.session.project.map_sets[-1]
    assert made.name == "Blots"
    assert made.file(Role.MASK) is not None
    (tmp_path / "text.png").write_text("no picture")
    count = len(hand.session.project.map_sets)
    hand.window.bring(tmp_path / "text.png")
    assert "text.png" in hand.window.told.informativeText()
    assert len(hand.session.project.map_sets) == count


def test_a_map_saved_by_another_program_reloads_and_a_half_written_one_is_waited_for(
    hand: Hand, tmp_path: Path, monkeypatch
) -> None:
    session, watch = hand.session, hand.window._watch
    path = tmp_path / "tint.png"
    before, after = (np.full((32, 32, 3), tone, np.uint8) for tone in ((200, 40, 40), (40, 40, 200)))
    path.write_bytes(png_bytes(before))
    old = session.project.map_set("glazed_tile")
    color = old.file(Role.BASE_COLOR)
    asset = session.library.assets.put("maps", "tint.png", png_bytes(before))
    maps = tuple(m.with_(asset=asset, origin=str(path)) if m is color else m for m in old.maps)
    session.do(edits.set_map_set(map_set="glazed_tile", maps=maps))
    hand.settle()
    red, project = shown(hand), session.project
    watch.look()
    new = png_bytes(after)
    path.write_bytes(new[: len(new) // 2])  # the other program is still writing
    for _ in range(3):
        watch.look()
    assert session.project is project
    path.write_bytes(new)
    watch.look()
    watch.look()
    assert session.project.map_set("glazed_tile").file(Role.BASE_COLOR).asset != asset
    hand.settle()
    assert shown(hand)[..., 2].mean() > red[..., 2].mean() + 5
    assert session.document.undo_title == "Reload tint.png"
    path.unlink()  # a file that goes away changes nothing
    watch.look()
    told: list[str] = []
    session.said.connect(lambda text, _: told.append(text))
    monkeypatch.setattr(map_watch, "PATIENCE", 2)
    path.write_text("it never becomes a picture")
    for _ in range(5):
        watch.look()
    assert sum("cannot be read" in t for t in told) == 1


def test_the_texture_size_check_shows_the_loss_and_changes_no_file(hand: Hand) -> None:
    session = hand.session
    map_set = session.project.map_set("glazed_tile")
    ask = TextureSize(hand.window, session, hand.window.view, map_set)
    ask.show()
    assert ask.found.likeness.ssim > 0.999
    ask.choose(64)
    coarse = ask.found
    ask.choose(16)
    assert ask.found.likeness.ssim < coarse.likeness.ssim < 1
    assert ask.found.likeness.mean_difference > coarse.likeness.mean_difference > 0
    assert ask.found.bytes_small * 100 < ask.found.bytes_full
    assert "CIEDE2000" in ask._figures.text()
    assets = [m.asset for m in map_set.maps]
    session.do(edits.set_map_set(map_set="glazed_tile", max_side=ask.side))
    hand.settle()
    changed = session.project.map_set("glazed_tile")
    assert [m.asset for m in changed.maps] == assets
    textures = session.library.textures(changed)
    assert {max(t.levels[0].shape[:2]) for t in textures} == {16}
    ask.close()
