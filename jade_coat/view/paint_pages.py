"""The vertex paint that props have of their own, in one texture: however many are painted, one draw shows them.

Each prop that is named has a number, which its instances carry. The texture's first texels say by number where a
prop's page begins and how many colour sets it has; the pages lie behind, a texel for each set of each vertex.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

import moderngl
import numpy as np

from jade_coat.program.types import Array
from jade_coat.view.crowd_tables import WIDE

HEADS = 64
"""Rows of the texture that say where pages are: room for so many times `WIDE` painted props."""
LEAST_ROWS = 64
"""Rows for pages at first; where they are full the texture is made twice as large."""


@dataclass(frozen=True)
class _Page:
    """Rows of the texture from `row` on; `texels` of them are in use."""

    row: int
    rows: int
    sets: int
    texels: int


class PaintPages:
    """Keeps the paint of props by their names."""

    def __init__(self, context: Any) -> None:
        self._context = context
        self._texture: Any = None
        self._pages: dict[str, _Page] = {}
        self._numbers: dict[str, int] = {}
        self._vacant: list[int] = []

    @property
    def texture(self) -> Any:
        """The texture that shaders read (`paint.glsl`)."""
        if self._texture is None:
            self._texture = self._made(HEADS + LEAST_ROWS)
        return self._texture

    @property
    def nbytes(self) -> int:
        """Bytes that the texture takes."""
        return 0 if self._texture is None else self._texture.width * self._texture.height * 8

    def __contains__(self, prop: str) -> bool:
        return prop in self._pages

    def number_of(self, prop: str) -> int:
        """The number that instances carry to show a prop's paint; until there is any they show the mesh's.

        Raises ValueError beyond as many props as there are numbers for.
        """
        if prop not in self._numbers:
            number = self._vacant.pop() if self._vacant else len(self._numbers) + 1
            if number >= HEADS * WIDE:
                raise ValueError(f"more than {HEADS * WIDE - 1:,} props have paint of their own")
            self._numbers[prop] = number
        return self._numbers[prop]

    def put(self, prop: str, values: Array) -> None:
        """Take a prop's paint, `(n, 4 a colour set) uint16`, in place of what it had."""
        sets, texels = values.shape[1] // 4, values.shape[0] * values.shape[1] // 4
        rows = max(-(-texels // WIDE), 1)
        held = self._pages.get(prop)
        if held is None or held.rows != rows:
            row = self._room(rows, but=prop)
            held = _Page(row, rows, sets, texels)
        self._pages[prop] = _Page(held.row, rows, sets, texels)
        self._write(held.row * WIDE, values)
        start = held.row * WIDE
        self._write(self.number_of(prop), np.array([[start & 0xFFFF, start >> 16, sets, 0]], np.uint16))

    def patch(self, prop: str, start: int, values: Array) -> None:
        """Write a run of vertices of a prop's paint anew; what would lie beyond its page is left away."""
        page = self._pages.get(prop)
        if page is not None:
            room = page.texels // page.sets - start
            self._write(page.row * WIDE + start * page.sets, values[: max(room, 0)])

    def drop(self, props: Iterable[str]) -> None:
        """Let go of the paint of props that nothing shows any more; their numbers are others' from now on."""
        for prop in props:
            page, number = self._pages.pop(prop, None), self._numbers.pop(prop, None)
            if number is not None:
                self._vacant.append(number)
            if page is not None and number is not None:
                self._write(number, np.zeros((1, 4), np.uint16))
        if not self._pages and self._texture is not None and not self._numbers:
            self._texture.release()
            self._texture = None

    def _room(self, rows: int, but: str) -> int:
        """The first row of a gap of so many rows among the pages, without that of one prop; there may be none yet."""
        at = HEADS
        for page in sorted((p for name, p in self._pages.items() if name != but), key=lambda p: p.row):
            if page.row - at >= rows:
                break
            at = page.row + page.rows
        while at + rows > self.texture.height:
            self._grow()
        return at

    def _grow(self) -> None:
        old = self.texture
        self._texture = self._made(HEADS + 2 * (old.height - HEADS))
        self._texture.write(old.read(), viewport=(0, 0, WIDE, old.height))
        old.release()

    def _made(self, rows: int) -> Any:
        made = self._context.texture((WIDE, rows), 4, bytes(WIDE * rows * 8), dtype="u2")
        made.filter = (moderngl.NEAREST, moderngl.NEAREST)
        return made

    def _write(self, at: int, values: Array) -> None:
        """Write texels from one on."""
        texels = np.ascontiguousarray(values, np.uint16).reshape(-1, 4)
        while len(texels):
            column, row = at % WIDE, at // WIDE
            rows = len(texels) // WIDE if column == 0 else 0  # whole rows at once
            count = rows * WIDE or min(WIDE - column, len(texels))
            self.texture.write(texels[:count].tobytes(), viewport=(column, row, min(count, WIDE), max(rows, 1)))
            texels, at = texels[count:], at + count
