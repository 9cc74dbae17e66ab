"""The box round every prop in the world, kept from state to state: what a ray meets first is found among thousands."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from jade_coat.program.types import Array
from jade_coat.stage.project import Prop, changed_items

Bounds = Callable[[str], tuple[Array, Array]]
"""The lowest and the highest corner `(3,)` of a mesh in its own space, by its id."""


class PropBoxes:
    """Axis-aligned boxes of props; only those of props that are others are worked out again."""

    def __init__(self) -> None:
        self._props: tuple[Prop, ...] = ()
        self._meshes: tuple[object, ...] = ()
        self._middles = self._halves = np.zeros((0, 3))

    def update(self, props: tuple[Prop, ...], meshes: tuple[object, ...], bounds: Bounds) -> None:
        """Take the props as they are now; `meshes` are the assets that `bounds` follows from."""
        if meshes is not self._meshes or len(props) != len(self._props):
            self._middles, self._halves = np.zeros((len(props), 3)), np.zeros((len(props), 3))
            changed = list(range(len(props)))
        else:
            changed = changed_items(self._props, props)
        for i in changed:
            low, high = bounds(props[i].mesh)
            matrix = props[i].matrix()
            self._middles[i] = matrix[:3, :3] @ ((low + high) / 2) + matrix[:3, 3]
            self._halves[i] = np.abs(matrix[:3, :3]) @ ((high - low) / 2)
        self._props, self._meshes = props, meshes

    def along(self, origin: Array, direction: Array) -> list[tuple[float, int]]:
        """The numbers of the props whose box a ray meets, with the distance to it, the nearest first.

        The slab test of Kay & Kajiya 1986; a ray that starts in a box meets it at 0.
        """
        with np.errstate(divide="ignore", invalid="ignore"):
            near = (self._middles - self._halves - origin) / direction
            far = (self._middles + self._halves - origin) / direction
        # A ray along a face gives 0 / 0: it is between the two planes, and they do not bound it.
        enter = np.nan_to_num(np.fmin(near, far), nan=-np.inf, posinf=np.inf, neginf=-np.inf).max(
            axis=1, initial=-np.inf
        )
        leave = np.where(np.isnan(near) & np.isnan(far), np.inf, np.fmax(near, far)).min(axis=1, initial=np.inf)
        found = np.flatnonzero((enter <= leave + 1e-9) & (leave >= 0))
        order = found[np.argsort(enter[found], kind="stable")]
        return [(max(float(enter[i]), 0.0), int(i)) for i in order]
