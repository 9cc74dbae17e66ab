"""Pictures looked at large, and a picture beside the view or over it, in the real window."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QImage, QWheelEvent
from PyQt6.QtWidgets import QApplication

from jade_coat.app.build.map_card import MapCard
from jade_coat.app.build.texture_size import TextureSize
from jade_coat.app.controls.images import image_from
from jade_coat.app.controls.zoom_picture import Place, ZoomPicture
from jade_coat.app.view.reference import take_reference
from jade_coat.maps.images import as_float, read_image
from tests.app.conftest import Hand


def pixels(image: QImage) -> np.ndarray:
    image = image.convertToFormat(QImage.Format.Format_RGBA8888)
    data = image.constBits().asstring(image.sizeInBytes())
    return np.frombuffer(data, np.uint8).reshape(image.height(), image.width(), 4)[..., :3].astype(int)


def turn_wheel(widget, at: QPointF, notches: int, keys=Qt.KeyboardModifier.NoModifier) -> None:
    event = QWheelEvent(at, QPointF(widget.mapToGlobal(at.toPoint())), QPoint(), QPoint(0, 120 * notches),
                        Qt.MouseButton.NoButton, keys, Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
    QApplication.sendEvent(widget, event)


def test_what_lies_under_the_pointer_stays_there_while_zooming(qapp) -> None:
    picture = ZoomPicture()
    picture.resize(300, 200)
    picture.show_image(image_from(np.random.default_rng(1).random((64, 96, 3))))
    rng = np.random.default_rng(2)
    for _ in range(40):
        at = QPointF(*rng.uniform((90, 60), (210, 140)))
        before = picture.at(at)
        turn_wheel(picture, at, int(rng.integers(-2, 3)))
        assert (
            np.allclose(picture.at(at), before, atol=1e-6) or not 0 < picture.place.x < 1 or not 0 < picture.place.y < 1
        )
    picture.mouseDoubleClickEvent(None)
    assert (picture.place.zoom, picture.place.x, picture.place.y) == (1.0, 0.5, 0.5)


def test_two_pictures_share_a_place_and_the_keys_move_it(hand: Hand) -> None:
    place = Place()
    both = [ZoomPicture(place), ZoomPicture(place)]
    for one in both:
        one.show_image(image_from(np.zeros((8, 8, 3))))
    hand.key(both[0], Qt.Key.Key_Plus)
    hand.key(both[0], Qt.Key.Key_Right)
    assert both[1].place.zoom > 1
    assert both[1].place.x > 0.5
    hand.key(both[1], Qt.Key.Key_0)
    assert both[0].place.zoom == 1


def test_a_map_is_looked_at_large_channel_by_channel_with_its_values(hand: Hand) -> None:
    entry = next(m for s in hand.session.project.map_sets for m in s.maps if m.role.value == "normal")
    assets = hand.session.library.assets
    card = MapCard(entry, assets)
    large = card.enlarge("g")
    picture = read_image(assets.read(entry.asset), entry.file)
    assert large.buttons["g"].isChecked()
    shown = pixels(large.view.image)
    expected = np.round(as_float(picture)[..., 1] * 255)
    assert np.abs(shown[..., 0] - expected).max() <= 1
    large._point(0.25, 0.75)
    height, width = picture.shape[:2]
    value = as_float(picture)[int(0.75 * height), int(0.25 * width), 1]
    assert f"G {value:.4f}" in large.words.text()
    hand.click(large.buttons["rgb"])
    assert large.channel == "rgb"
    large.tiled.click()
    assert large.view.tiles == 3
    large._point(1.25, -0.25)  # a neighbouring tile holds the same
    assert f"G {value:.4f}" in large.words.text()
    large.accept()


def test_texture_sizes_are_zoomed_together_and_split(hand: Hand) -> None:
    ask = TextureSize(hand.window, hand.session, hand.window.view, hand.session.project.map_sets[0])
    ask.choose(64)
    ask.show()
    left, right = ask.pictures
    turn_wheel(left, QPointF(left.rect().center()), 3)
    assert right.place.zoom == left.place.zoom > 1.5
    assert not np.array_equal(pixels(left.image), pixels(right.image))
    ask.split.click()
    QApplication.processEvents()
    assert left.other is not None
    assert not right.isVisible()
    line = QPoint(round(left.split_at * left.width()), 40)
    hand.drag(left, line, line + QPoint(60, 0))
    assert left.split_at > 0.5
    ask.close()


@pytest.fixture
def reference(hand: Hand, tmp_path):
    """A picture beside the view: grey, as wide to high as the view."""
    view = hand.window.view
    path = tmp_path / "painting.png"
    cv2.imwrite(str(path), np.full((view.height(), view.width(), 3), 60, np.uint8))
    assert take_reference(hand.window.bench.reference, path)
    return hand.window.bench.reference


def seen(hand: Hand) -> np.ndarray:
    return pixels(hand.window.view.grab().toImage())


def test_a_picture_lies_beside_the_view_or_over_it_in_every_way(hand: Hand, reference, tmp_path) -> None:
    view = hand.window.view
    assert reference.pane.isVisible()
    hand.settle()
    narrow = view.width()
    reference.show("")
    hand.settle()
    assert view.width() > narrow
    assert not reference.pane.isVisible()
    plain, rows = seen(hand), slice(view.height() // 2, view.height() // 2 + 40)
    columns = slice(view.width() // 2 + 20, view.width() // 2 + 60)
    reference.show("difference")
    expected = np.abs(plain - 60)[rows, columns]
    assert np.abs(seen(hand)[rows, columns] - expected).max() <= 2
    reference.show("split")
    got = seen(hand)
    assert (got[rows, columns] == 60).all()
    left = slice(view.width() // 2 - 60, view.width() // 2 - 20)
    assert np.array_equal(got[rows, left], plain[rows, left])
    line = QPoint(view.width() // 2, rows.start)
    hand.drag(view, line, line + QPoint(100, 0))
    assert np.array_equal(seen(hand)[rows, columns], plain[rows, columns])
    reference.show("turns")
    hand.until(lambda: (seen(hand)[rows, columns] == 60).all())
    hand.until(lambda: np.array_equal(seen(hand)[rows, columns], plain[rows, columns]))
    reference.close()
    assert reference.image is None
    assert np.array_equal(seen(hand)[rows, columns], plain[rows, columns])


def test_alt_moves_and_zooms_the_picture_alone(hand: Hand, reference) -> None:
    reference.show("split")
    hand.settle()
    view = hand.window.view
    camera, at = view.camera, QPointF(view.rect().center())
    turn_wheel(view, at, 2, Qt.KeyboardModifier.AltModifier)
    assert reference.place.zoom > 1.2
    hand.drag(view, at.toPoint(), at.toPoint() + QPoint(40, 0), keys=Qt.KeyboardModifier.AltModifier)
    assert reference.place.x < 0.5
    assert view.camera == camera
    turn_wheel(view, at, 1)
    assert view.camera.distance < camera.distance


def test_a_picture_that_cannot_be_read_is_told_and_the_last_one_stays(hand: Hand, reference, tmp_path) -> None:
    bad = tmp_path / "bad.png"
    bad.write_bytes(b"not a picture")
    assert not take_reference(reference, bad)
    assert "bad.png" in hand.window._message.text()
    assert not take_reference(reference, tmp_path / "gone.png")
    assert reference.name == "painting.png"
    menu = hand.window.bench.view_bar.reference_menu()
    assert [a.text() for a in menu.actions() if a.isChecked()] == ["Beside the view"]
