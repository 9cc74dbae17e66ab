"""The scatters of all grounds as the scene is told of them: after an edit, the cells of pieces that are others."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field

import numpy as np
from scipy.spatial.transform import Rotation

from jade_coat.ground.pieces import Cell, Pieces
from jade_coat.ground.scatter import Footing, Scatter, cells_in, cells_over, side_of, strewn, values_of
from jade_coat.mesh.data import MeshData
from jade_coat.program.types import Array
from jade_coat.stage.footprints import clear_of_props
from jade_coat.stage.ground_water import holds_water, pools_of
from jade_coat.stage.grounds import Ground
from jade_coat.stage.looks import dress_of
from jade_coat.stage.project import Project, Prop

PLACING = tuple(
    name for name in Scatter.model_fields
    if name not in ("id", "name", "visible", "far", "dial", "low", "high", "mesh", "variant")
)  # fmt: skip
"""The fields of a scatter that its pieces follow from."""
Rect = tuple[float, float, float, float]


def footing(ground: Ground, clear: Array | None = None) -> Footing:
    """What pieces stand on, of a ground; `clear` is how far places are from props."""
    pools = {layer.id: pools_of(ground, layer) for layer in ground.layers if holds_water(layer)}
    return Footing(ground.heights, ground.layers, ground.weights, ground.corner, ground.foot, clear, pools)


def _placed_by(scatter: Scatter) -> tuple[object, ...]:
    return tuple(getattr(scatter, name) for name in PLACING)


@dataclass
class _Held:
    """The pieces of one scatter, and what they follow from."""

    scatter: Scatter
    cells: dict[Cell, Pieces] = field(default_factory=dict)


@dataclass(frozen=True)
class Strewed:
    """What is to be told of a scatter: cells that are others (None for one without pieces), or all there are."""

    cells: dict[Cell, Pieces | None]
    whole: bool


class Strewing:
    """Keeps the pieces of all scatters; told of another state of a project, it strews anew where something differs."""

    def __init__(self, mesh_data: Callable[[Project, str], MeshData]) -> None:
        self._mesh_data = mesh_data
        self._held: dict[tuple[str, str], _Held] = {}
        self._clear: dict[str, Array | None] = {}

    def pieces(self, ground: str, scatter: str) -> dict[Cell, Pieces]:
        """The pieces of a scatter by cell."""
        held = self._held.get((ground, scatter))
        return held.cells if held is not None else {}

    def update(self, before: Project, project: Project) -> Iterator[tuple[str, str, Strewed | None]]:
        """By ground and scatter, what is another; None for one that is not to be seen any more."""
        seen = {(g.id, s.id) for g in project.grounds if project.shows(g) for s in g.scatter if s.visible}
        for gone in [k for k in self._held if k not in seen]:
            del self._held[gone]
            if all(name != gone[0] for name, _ in self._held):
                self._clear.pop(gone[0], None)
            yield *gone, None
        stood = any(getattr(project, n) is not getattr(before, n) for n in ("props", "meshes", "groups"))
        for ground in project.grounds:
            old = before.grounds.get(ground.id)
            kinds = [s for s in ground.scatter if (ground.id, s.id) in seen]
            if not kinds or (old is ground and not stood and all((ground.id, s.id) in self._held for s in kinds)):
                continue
            yield from self._strew(project, old, ground, kinds, stood)

    def _strew(
        self, project: Project, old: Ground | None, ground: Ground, kinds: list[Scatter], stood: bool
    ) -> Iterator[tuple[str, str, Strewed | None]]:
        was = self._clear.get(ground.id)
        lies = old is not None and (old.corner, old.foot) == (ground.corner, ground.foot)
        clears = any(s.clear > 0 for s in kinds)
        shaped = old is None or old.heights is not ground.heights
        if clears and (stood or shaped or not lies or ground.id not in self._clear):
            self._clear[ground.id] = clear_of_props(project, ground, self._mesh_data)
        elif not clears:
            self._clear.pop(ground.id, None)
        clear = self._clear.get(ground.id) if clears else None
        base = footing(ground, clear)
        for scatter in kinds:
            key = (ground.id, scatter.id)
            held = self._held.get(key)
            cells = None  # all of them
            if held is not None and lies and old is not None and _placed_by(held.scatter) == _placed_by(scatter):
                rects = _reached(old, ground, scatter)
                if rects is not None:
                    rects += _cleared(ground, scatter.clear, was, clear)
                    cells = sorted({c for r in rects for c in cells_in(scatter, ground.heights.size, r)})
            if held is None or cells is None:
                self._held[key] = held = _Held(scatter)
            held.scatter = scatter
            whole = cells is None
            cells = cells_over(scatter, base.heights.size) if cells is None else cells
            told = _sown(held, strewn(scatter, base, cells))
            if told or whole:
                yield ground.id, scatter.id, Strewed(told, whole)


def _sown(held: _Held, made: dict[Cell, Pieces]) -> dict[Cell, Pieces | None]:
    """Keep the pieces of some cells; those that are others than before, None for a cell that has none any more."""
    told: dict[Cell, Pieces | None] = {}
    for cell, pieces in made.items():
        if held.cells.get(cell) == pieces or (not len(pieces) and cell not in held.cells):
            continue
        told[cell] = pieces if len(pieces) else None
        if len(pieces):
            held.cells[cell] = pieces
        else:
            held.cells.pop(cell, None)
    return told


def _reached(old: Ground, new: Ground, scatter: Scatter) -> list[Rect] | None:
    """Where of a ground pieces may be others, as rectangles in metres from its corner; None for everywhere."""
    told = [tuple((s.id, s.way, s.role, s.stands) for s in g.layers) for g in (old, new)]
    if told[0] != told[1] or old.heights.size != new.heights.size:
        return None
    rects: list[Rect] = []
    pairs = [(old.heights.pages, new.heights.pages)]
    read = {scatter.layer, scatter.cut_out, *(s.id for s in new.layers if s.way != "absolute" or s.role == "damp")}
    pairs += [(old.weights[s.id], new.weights[s.id]) for s in new.layers if s.id in read]
    for then_layer, now_layer in zip(old.layers, new.layers, strict=True):
        if scatter.dry > 0 and holds_water(now_layer):
            grids = zip(pools_of(old, then_layer).grids, pools_of(new, now_layer).grids, strict=True)
            pairs += [(a, b) for a, b in grids if a is not b]
    for then, now in pairs:
        if then is now:
            continue
        if (then.rows, then.columns) != (now.rows, now.columns):
            return None
        step = np.array(new.heights.size) / (now.columns - 1, now.rows - 1)
        for tile in now.changed_from(then):
            top, _, left, _ = now.rect(tile)
            differs = np.argwhere(now.tile(tile) != then.tile(tile))
            (r0, c0), (r1, c1) = differs.min(axis=0), differs.max(axis=0)
            rects.append((
                float((left + c0 - 1) * step[0]), float((left + c1 + 1) * step[0]),
                float((top + r0 - 1) * step[1]), float((top + r1 + 1) * step[1]),
            ))  # fmt: skip
    return rects


def _cleared(ground: Ground, wanted: float, was: Array | None, now: Array | None) -> list[Rect]:
    """Where pieces that keep so far from props may stand now and could not before, or the other way round."""
    if was is now or wanted <= 0:
        return []
    shape = (was if now is None else now).shape  # type: ignore[union-attr]
    free = [np.ones(shape, bool) if f is None or f.shape != shape else f >= wanted for f in (was, now)]
    differs = free[0] != free[1]
    if not differs.any():
        return []
    rows, columns = shape
    step = np.array(ground.heights.size) / (columns - 1, rows - 1)
    # Props are small against a ground: squares of it are told, not one box round all that differs.
    side = max(min(rows, columns) // 16, 1)
    found: list[Rect] = []
    for top in range(0, rows, side):
        for left in range(0, columns, side):
            part = differs[top : top + side, left : left + side]
            if part.any():
                found.append((
                    float((left - 1) * step[0]), float((left + side + 1) * step[0]),
                    float((top - 1) * step[1]), float((top + side + 1) * step[1]),
                ))  # fmt: skip
    return found


def counted(pieces: Mapping[Cell, Pieces]) -> int:
    """How many pieces there are."""
    return sum(len(p) for p in pieces.values())


def near(pieces: Mapping[Cell, Pieces], scatter: Scatter, place: Array, radius: float) -> Pieces:
    """The pieces that stand within some metres of a place `(2,)` of the ground, the nearest first."""
    side, low, high = side_of(scatter), place - radius, place + radius
    first, last = np.floor(low / side).astype(int), np.floor(high / side).astype(int)
    cells = [(x, z) for x in range(first[0], last[0] + 1) for z in range(first[1], last[1] + 1)]
    found = Pieces.joined(pieces[c] for c in cells if c in pieces)
    away = np.hypot(*(found.places.astype(np.float64) - place).T)
    order = np.argsort(away, kind="stable")
    return found.some(order[away[order] <= radius])


def as_prop(project: Project, scatter: Scatter, piece: Pieces, prop_id: str, name: str) -> Prop:
    """One piece as a prop of the project, that stands and looks as it does."""
    matrix = piece.matrices[0].astype(np.float64)
    size = float(np.linalg.norm(matrix[:, 0]))
    x, y, z, w = Rotation.from_matrix(matrix[:, :3] / size).as_quat()
    dress = dress_of(project, scatter.mesh, scatter.variant)
    value = values_of(scatter)[int(piece.steps[0])] if scatter.dial else None
    values = {slot: {scatter.dial: value} for slot in dress} if value is not None else {}
    return Prop(
        id=prop_id, name=name, mesh=scatter.mesh, variant=scatter.variant, turn=(x, y, z, w), size=(size,) * 3,
        position=(float(matrix[0, 3]), float(matrix[1, 3]), float(matrix[2, 3])), values=values,
    )  # fmt: skip
