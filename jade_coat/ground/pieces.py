"""What a scatter strews: many pieces, each placed for itself."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, fields

import numpy as np

from jade_coat.program.types import Array

Cell = tuple[int, int]
"""A square of a spread, by column and row."""


@dataclass(frozen=True, eq=False)
class Pieces:
    """Pieces of one scatter: matrices `(n, 3, 4) float32` into the world, and for each of them where it stands.

    `places` `(n, 2) float32` are metres from the ground's corner, `seeds` `(n,)` numbers of chance 0–1, `steps` `(n,)
    uint8` those of the dial, `ranks` `(n,)` 0–1: the first to go from afar are those of the highest.
    """

    matrices: Array
    places: Array
    seeds: Array
    steps: Array
    ranks: Array

    def __len__(self) -> int:
        return len(self.matrices)

    @property
    def nbytes(self) -> int:
        """What it takes in memory."""
        return int(sum(getattr(self, f.name).nbytes for f in fields(self)))

    def some(self, chosen: slice | Array) -> Pieces:
        """Some of them."""
        return Pieces(self.matrices[chosen], self.places[chosen], self.seeds[chosen], self.steps[chosen],
                      self.ranks[chosen])  # fmt: skip

    @staticmethod
    def joined(parts: Iterable[Pieces]) -> Pieces:
        """All pieces of some parts, in order."""
        found = [part for part in parts if len(part)]
        if not found:
            return NO_PIECES
        return Pieces(*(np.concatenate([getattr(p, f.name) for p in found]) for f in fields(Pieces)))

    def __eq__(self, other: object) -> bool:
        """Whether all of it is the same."""
        return isinstance(other, Pieces) and all(
            np.array_equal(getattr(self, f.name), getattr(other, f.name)) for f in fields(self)
        )

    __hash__ = None  # type: ignore[assignment]


NO_PIECES = Pieces(
    np.zeros((0, 3, 4), np.float32), np.zeros((0, 2), np.float32), np.zeros(0, np.float32), np.zeros(0, np.uint8),
    np.zeros(0, np.float32),
)  # fmt: skip
