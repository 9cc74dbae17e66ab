"""What the view shows of painting: the channels, marks over the prop, either side of a comparison."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPoint

from jade_coat.app.view.pictures import Split
from jade_coat.mesh.painting import Paint
from jade_coat.stage import edits
from tests.app.brush_hand import WALL_PROP, panel_of, unfold
from tests.app.conftest import Hand
from tests.app.wall import WALL, other_side, paint_a_stroke, pixel_of, shown, wall_paint


def test_all_four_channels_are_seen_at_once_and_one_alone_by_a_click(hand: Hand, brush) -> None:
    hand.session.do(edits.paint_prop(prop=WALL_PROP, paint=Paint.of(np.zeros_like(wall_paint(hand)))))
    unfold(hand, "Over the view")
    hand.click(panel_of(hand).tick("all four channels"), QPoint(8, 8))
    views = hand.window.bench.channels
    hand.until(lambda: len(views.images) == 4)
    hand.settle()

    def light(look: str) -> float:
        image = views.images[look]
        data = image.constBits().asstring(image.sizeInBytes())
        return float(np.frombuffer(data, np.uint8).reshape(image.height(), -1, 4)[..., :3].mean())

    dark = {look: light(look) for look in views.images}
    paint_a_stroke(hand)
    hand.until(lambda: light("paint:G") > dark["paint:G"] + 0.5)
    assert light("paint:R") == pytest.approx(dark["paint:R"], abs=0.2)
    hand.click(hand.window.view, views.boxes()[1].center().toPoint())
    assert hand.window.view.look == "paint:G"
    hand.click(hand.window.view, views.boxes()[1].center().toPoint())
    assert hand.window.view.look == "lit"


def test_edges_dots_and_what_the_mesh_holds_are_drawn_over_the_chosen_prop_alone(hand: Hand, brush) -> None:
    before = shown(hand)
    for words in ("edges of the mesh", "vertices as dots", "how finely it can be painted"):
        unfold(hand, "Over the view")
        panel_of(hand).tick(words).click()
        hand.until(lambda: np.abs(shown(hand) - before).mean() > 0.7)
        hand.settle()
        marked = np.abs(shown(hand) - before).max(axis=2)
        at = pixel_of(hand, WALL)
        assert marked[at.y() - 15 : at.y() + 15, at.x() - 15 : at.x() + 15].mean() > 4, words
        assert marked[-14:-4, 20:60].max() <= 3, words  # the floor
        panel_of(hand).tick(words).click()
        unfold(hand, "Over the view")
        hand.settle()
    assert np.abs(shown(hand) - before).max() <= 2


def test_a_stroke_beside_the_line_of_a_comparison_is_drawn_on_its_own_side_alone(
    hand: Hand, brush, monkeypatch
) -> None:
    view, client, asked = hand.window.view, hand.session.client, set()
    brush.set(radius=0.05)
    view.show_split(Split(finish="plain_wall", name="Plain mix wall"))
    ask = client.request

    def request(stream: str, tag, **wishes) -> None:
        if wishes.get("part") is not None:
            asked.add((stream, wishes["part"].is_seen))
        ask(stream, tag, **wishes)

    monkeypatch.setattr(client, "request", request)
    start = pixel_of(hand, WALL).x()
    for line, sides in ((start + 160, {("main", True)}), (start - 60, {("split", True)})):
        view.set_split_at(line / view.width())
        hand.settle()
        before = {"main": shown(hand), "split": other_side(hand)}
        asked.clear()
        paint_a_stroke(hand)
        assert asked == sides
        hand.settle()
        after = {"main": shown(hand), "split": other_side(hand)}
        changed = {name: (np.abs(after[name] - before[name]).max(axis=2) > 12).sum() for name in after}
        assert min(changed.values()) > 30, changed  # at rest both are whole
        hand.window.undo()
