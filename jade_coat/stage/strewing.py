"""The scatters of all grounds as the scene is told of them: after an edit, the cells of pieces that are others."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field

import numpy as np
from scipy.spatial.transform import Rotation

from jade_coat.ground.pieces import Cell, Pieces
from jade_coat.ground.scatter import Footing, Rect, Scatter, cells_in, cells_over, inside, side_of, strewn, values_of
from jade_coat.mesh.data import MeshData
from jade_coat.program.types import Array
from jade_coat.stage.footprints import Footprints, changed_in
from jade_coat.stage.ground_water import holds_water, pools_of
from jade_coat.stage.grounds import Ground
from jade_coat.stage.looks import dress_of
from jade_coat.stage.project import Project, Prop

PLACING = tuple(
    name for name in Scatter.model_fields
    if name not in ("id", "name", "visible", "far", "dial", "low", "high", "mesh", "variant")
)  # fmt: skip
"""The fields of a scatter that its pieces follow from."""


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
        self._stood: dict[str, Footprints] = {}

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
                self._stood.pop(gone[0], None)
            yield *gone, None
        changed = _changed_props(before, project)
        for ground in project.grounds:
            old = before.grounds.get(ground.id)
            kinds = [s for s in ground.scatter if (ground.id, s.id) in seen]
            if not kinds or (old is ground and not changed and all((ground.id, s.id) in self._held for s in kinds)):
                continue
            yield from self._strew(project, old, ground, kinds, changed)

    def _strew(
        self,
        project: Project,
        old: Ground | None,
        ground: Ground,
        kinds: list[Scatter],
        changed: list[tuple[str, Prop | None]],
    ) -> Iterator[tuple[str, str, Strewed | None]]:
        lies = old is not None and (old.corner, old.foot) == (ground.corner, ground.foot)
        clear, beside = self._clear_of(project, ground, kinds, changed)
        base = footing(ground, clear)
        for scatter in kinds:
            key = (ground.id, scatter.id)
            held = self._held.get(key)
            cells, rects = None, None  # all of them
            if held is not None and lies and old is not None and _placed_by(held.scatter) == _placed_by(scatter):
                rects = _reached(old, ground, scatter)
                if rects is not None:
                    rects += beside if scatter.clear > 0 else []
                    cells = sorted({c for r in rects for c in cells_in(scatter, ground.heights.size, r)})
            if held is None or cells is None:
                self._held[key] = held = _Held(scatter)
            held.scatter = scatter
            whole = cells is None
            cells = cells_over(scatter, base.heights.size) if cells is None else cells
            made = strewn(scatter, base, cells, None if whole else rects)
            told = _sown(
                held, made if whole else {c: _mended(held.cells.get(c), p, rects or []) for c, p in made.items()}
            )
            if told or whole:
                yield ground.id, scatter.id, Strewed(told, whole)

    def _clear_of(
        self, project: Project, ground: Ground, kinds: list[Scatter], changed: list[tuple[str, Prop | None]]
    ) -> tuple[Array | None, list[Rect]]:
        """How far places are from props, as far as any scatter asks, and where that may be another than before."""
        most = max((s.clear for s in kinds), default=0.0)
        if most <= 0:
            self._stood.pop(ground.id, None)
            return None, []
        held = self._stood.get(ground.id)
        if held is not None and held.fits(ground, most):
            boxes = held.update(project, ground, changed, self._mesh_data)
            return held.clear, [held.metres(box) for box in boxes]
        # As far as twice what is asked for, so that a number that is dragged does not begin anew at each step.
        held = self._stood[ground.id] = Footprints(ground, max(2 * most, 0.5))
        boxes = held.update(project, ground, [(p.id, p) for p in project.props], self._mesh_data)
        return held.clear, [held.metres(box) for box in boxes]


def _changed_props(before: Project, project: Project) -> list[tuple[str, Prop | None]]:
    """The props that stand otherwise, None for those that are gone."""
    if project.meshes is not before.meshes or project.groups is not before.groups:
        gone = [(name, None) for name in before.props.ids() if name not in project.props]
        return [*gone, *((p.id, p) for p in project.props)]
    pairs = project.props.changed_from(before.props)
    return [((now or then).id, now) for then, now in pairs if then is None or now is None or _moved(then, now)]  # type: ignore[union-attr]


def _moved(then: Prop, now: Prop) -> bool:
    names = ("position", "turn", "size", "mesh", "visible", "parent")
    return any(getattr(then, n) != getattr(now, n) for n in names)


def _mended(held: Pieces | None, made: Pieces, rects: list[Rect]) -> Pieces:
    """The pieces of a cell with those in some rectangles replaced; in a cell they are in the order of their ranks."""
    if held is None:
        return made
    both = Pieces.joined([held.some(np.flatnonzero(~inside(held.places, rects))), made])
    return both.some(np.argsort(both.ranks, kind="stable"))


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
    spans = [(g.heights.low, g.heights.high) for g in (old, new)]
    if scatter.by == "high" and spans[0] != spans[1]:
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
        rects += changed_in(then, now, new.heights.size)
    return rects


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
