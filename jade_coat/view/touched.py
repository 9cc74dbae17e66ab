"""Which parts of grounds' own textures have become others."""

from __future__ import annotations

MOST = 512
"""So many parts of a ground's textures are told of one by one; beyond that all of it."""
Part = tuple[float, float, float, float]
"""From and up to, along the texture's columns and rows, 0 to 1."""


class Touched:
    """Notes every change, until it is asked for; `version` counts them."""

    def __init__(self) -> None:
        self.version = 0
        self._parts: dict[str, list[Part]] = {}

    def note(self, key: str, box: tuple[int, int, int, int], size: tuple[int, ...]) -> None:
        """Texels of a texture of some size (column, row, width, height) are others, and what is mixed with them.

        Only the textures of grounds count: those with two parts in their key.
        """
        ground, _, name = key.partition("\n")
        if not name:
            return
        self.version += 1
        (column, row, wide, high), (columns, rows) = box, size
        told = self._parts.setdefault(ground, [])
        told.append((
            (column - 2) / columns, (row - 2) / rows, (column + wide + 2) / columns, (row + high + 2) / rows,
        ))  # fmt: skip
        if len(told) > MOST:
            self._parts[ground] = [(0.0, 0.0, 1.0, 1.0)]

    def take(self, ground: str) -> list[Part]:
        """The parts of a ground's textures that have become others since this was last asked."""
        return self._parts.pop(ground, [])
