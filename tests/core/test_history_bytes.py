"""The history is bounded in bytes: paint far behind is packed, and what is let go is told."""

from __future__ import annotations

import numpy as np

from jade_coat.mesh.painting import TILE, Paint, PaintMap
from jade_coat.stage import edits
from jade_coat.stage.document import Document
from jade_coat.stage.packed_tree import TilePacker


def uneven(i: int) -> np.ndarray:
    """Paint of 4 MB of which no two tiles are alike."""
    return ((np.arange(500_000)[:, None] // 64 + np.arange(4) * 7 + i) % 65536).astype(np.uint16)


def test_paint_far_behind_in_the_history_is_packed_and_comes_back_whole() -> None:
    from tests.support import every_kind_of_project

    document, packer = Document(every_kind_of_project()[0]), TilePacker()
    document.room = 100 << 20
    paints = [Paint.of(uneven(i)) for i in range(20)]
    document.do(edits.paint_map(prop="p1", paint_map=PaintMap.even(2048, 16, 0)))
    for paint in paints:
        document.do(edits.paint_prop(prop="p0", paint=paint))
    document.do(edits.paint_map(prop="p1", paint_map=None))
    loose = document.history_bytes
    while (found := document.to_pack()) is not None:
        document.packed(found[0], packer.pack(found[0].project, found[1]))
    assert document.history_bytes < loose / 3
    document.undo()
    for paint in reversed(paints):
        assert document.project.prop("p0").paint == paint
        document.undo()
    document.undo()
    assert document.project == every_kind_of_project()[0]
    assert len({id(t) for t in Paint.of(np.full((TILE * 50, 4), 9, np.uint16)).tiles}) == 1  # even paint is one tile


def test_undo_is_bounded_in_bytes_and_says_what_was_let_go() -> None:
    from tests.support import every_kind_of_project

    document = Document(every_kind_of_project()[0])
    document.room = 40 << 20
    for i in range(30):
        document.do(edits.paint_prop(prop="p0", paint=Paint.of(uneven(i))))  # 4 MB each
    assert document.history_bytes <= document.room
    assert 18 <= document.let_go <= 21
    undone = 0
    while document.undo():
        undone += 1
    assert 8 <= undone <= 12
    while document.redo():
        undone -= 1
    assert undone == 0
    assert (document.project.prop("p0").paint.whole() == uneven(29)).all()
    shared = document.project.prop("p0").paint
    for i in range(50):  # a stroke touches few tiles
        shared = shared.replaced({0: np.full_like(shared.tiles[0], i)})
        document.do(edits.paint_prop(prop="p0", paint=shared))
    assert document.history_bytes < (44 << 20)
