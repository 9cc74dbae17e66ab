"""Where each dial's numbers lie in a row of the dial table."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from jade_coat.program.sending import SentBare
from jade_coat.program.types import FLOAT_BY_SIZE, Array, Type


@dataclass(frozen=True)
class DialLayout(SentBare):
    """The order of dials in a row. A row is whole texels of four floats; no dial straddles two texels."""

    dials: tuple[tuple[str, Type], ...]

    @cached_property
    def places(self) -> dict[str, tuple[int, int]]:
        """For each dial its texel and its first component there."""
        found: dict[str, tuple[int, int]] = {}
        texel, used = 0, 0
        for name, kind in self.dials:
            if used + kind.size > 4:
                texel, used = texel + 1, 0
            found[name] = (texel, used)
            used += kind.size
        return found

    @cached_property
    def types(self) -> dict[str, Type]:
        """The type of each dial."""
        return dict(self.dials)

    @cached_property
    def texels(self) -> int:
        """How many texels of four floats a row takes; at least one."""
        return max((texel for texel, _ in self.places.values()), default=0) + 1

    def extended(self, extra: Iterable[tuple[str, Type]]) -> DialLayout:
        """This layout with more dials behind it."""
        return DialLayout((*self.dials, *extra))

    def pack(self, values: Mapping[str, float | Sequence[float]]) -> Array:
        """One row `(texels * 4,) float32` out of values by name. Raises KeyError when one is missing."""
        row = np.zeros(self.texels * 4, np.float32)
        for name, kind in self.dials:
            texel, at = self.places[name]
            row[texel * 4 + at : texel * 4 + at + kind.size] = values[name]
        return row

    def columns(self, rows: Array) -> dict[str, Array]:
        """Split rows `(n, texels * 4)` into `(components, n)` by dial name."""
        found = {}
        for name, kind in self.dials:
            texel, at = self.places[name]
            found[name] = np.ascontiguousarray(rows[:, texel * 4 + at : texel * 4 + at + kind.size].T)
        return found


def layout_of(values: Mapping[str, float | Sequence[float]]) -> DialLayout:
    """The layout for these values in their order: a number is a float, a sequence a vector."""
    return DialLayout(
        tuple((name, FLOAT_BY_SIZE[len(v) if isinstance(v, Sequence) else 1]) for name, v in values.items())
    )
