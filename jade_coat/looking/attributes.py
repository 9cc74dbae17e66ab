"""Mesh attributes at points of triangles, in the world's directions."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from jade_coat.looking.steps import interpolation_step, room_for
from jade_coat.mesh.attributes import mesh_numbers
from jade_coat.mesh.data import MAX_UV_SETS, MeshData
from jade_coat.mesh.painting import Paint, PaintMap
from jade_coat.program.machine import BlockCall
from jade_coat.program.types import Array
from jade_coat.stage.project import Prop


class AttributeTable:
    """All wanted attributes of a mesh's vertices side by side, to interpolate them in one go.

    World-space directions assume the matrix scales evenly.
    """

    def __init__(self, parts: Mapping[str, Array]) -> None:
        """`parts` holds `(n, k)` values a vertex by name."""
        self._columns: dict[str, slice] = {}
        self.width = sum(values.shape[1] for values in parts.values())
        """Floats a vertex."""
        self._values = room_for(len(next(iter(parts.values()), ())), self.width)
        at = 0
        for name, values in parts.items():
            self._columns[name] = columns = slice(at, at + values.shape[1])
            self._values[:, columns] = values
            at = columns.stop

    def at(self, triangles: Array, owner: Array, weights: Array) -> dict[str, Array]:
        """Values `(k, n) float32` by name, at points of the triangles `(m, 3)` that `owner` `(n,)` picks.

        `weights` `(n, 2)` belong to a triangle's second and third corner. A handedness (the fourth value of anything
        called tangent) comes back as −1 or 1.
        """
        corners = self._values[:, : self.width][triangles[owner]]
        shares = np.stack([1 - weights[:, 0] - weights[:, 1], weights[:, 0], weights[:, 1]], axis=1)
        out = np.einsum("nck,nc->kn", corners, shares)
        out[self._signs()] = np.sign(out[self._signs()])
        return self.split(out)

    def rows(self) -> dict[str, Array]:
        """The vertices' own values `(k, n) float32` by name."""
        return self.split(np.ascontiguousarray(self._values[:, : self.width].T))

    def step(self, triangles: Array, owner: Array, weights: Array, out: Array) -> BlockCall:
        """The same as a step of a chain, into the rows of `out` `(k, …)`."""
        return interpolation_step(self._values, triangles, owner, weights, out, self._signs())

    def split(self, out: Array) -> dict[str, Array]:
        """All values `(k, n)` by name."""
        return {name: out[columns] for name, columns in self._columns.items()}

    def _signs(self) -> list[int]:
        return [columns.start + 3 for name, columns in self._columns.items() if name.endswith("tangent")]


def own_colors(prop: Prop) -> Array | None:
    """A prop's own paint on its vertices, `(n, 4 a set) uint16`."""
    return prop.paint.whole() if isinstance(prop.paint, Paint) else None


def map_reads(prop: Prop, wanted: frozenset[str]) -> frozenset[str]:
    """The attributes needed for `painted`, beside the wanted ones."""
    found = prop.paint_map
    there = isinstance(found, PaintMap) and f"color{found.color_set}" in wanted
    return wanted | {f"uv{found.uv_set}"} if there else wanted


def painted(prop: Prop, attributes: dict[str, Array]) -> dict[str, Array]:
    """Attributes `(k, n)` at points, with what a prop's painted map holds there in place of its colour set."""
    found = prop.paint_map
    name = f"color{found.color_set}" if isinstance(found, PaintMap) else ""
    if name not in attributes:
        return attributes
    there = found.sampled(attributes[f"uv{found.uv_set}"].T).T
    return {**attributes, name: there.astype(np.float32)}


def instance_values(mesh: MeshData, seed: float = 0.0) -> dict[str, Array]:
    """What programs read of a prop as a whole: its random number, and the numbers of its mesh."""
    found = {"seed": np.full((1, 1), seed, np.float32)}
    found |= {f"metres{i}": np.ones((2, 1), np.float32) for i in range(MAX_UV_SETS)}
    found |= {name: np.array(values, np.float32)[:, None] for name, values in mesh_numbers(mesh).items()}
    return found
