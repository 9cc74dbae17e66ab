"""The scatters of all grounds as the scene is told of them: after an edit, the cells of pieces that are others.

What an edit reaches is strewn at once. A scatter that is to be strewn all over may be left due: whoever keeps it then
has that done elsewhere, and the pieces there were stay to be seen until then.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Protocol

import numpy as np

from jade_coat.ground.paths import rects_of
from jade_coat.ground.pieces import Cell, Pieces
from jade_coat.ground.scatter import (
    SAME,
    Footing,
    Rect,
    Scatter,
    cells_in,
    cells_over,
    inside,
    strewn,
)
from jade_coat.program.types import Array
from jade_coat.stage.footprints import Box, Footprints, Meshes, changed_in
from jade_coat.stage.ground_looks import same
from jade_coat.stage.ground_water import holds_water, pools_of
from jade_coat.stage.grounds import Ground
from jade_coat.stage.project import Project, Prop

PLACING = tuple(
    name for name in Scatter.model_fields
    if name not in ("id", "name", "visible", "far", "dial", "low", "high", "mesh", "variant", "gone")
)  # fmt: skip
"""The fields of a scatter that all of its pieces follow from."""


DRESS = ("materials", "finishes", "map_sets", "recipes", "shared")
"""What of a project the lift of grounds follows from, beside them."""
AT_ONCE = 3000
"""Of about so many pieces or fewer nothing is left due, once it stands."""


class Lift(Protocol):
    """How far the layers of a ground lift it; `basis` is what that follows from beside heights and weights."""

    basis: tuple[object, ...]

    def __call__(self, places: Array) -> Array:
        """The lift at places `(n, 2)`, metres `(n,)`."""

    def prepare(self, rects: Iterable[Rect]) -> None:
        """Make ready for places in some rectangles."""


Lifts = Callable[[Project, Ground], Lift | None]


def no_lift(project: Project, ground: Ground) -> None:
    """Grounds as their heights alone have them."""


def footing(ground: Ground, clear: Array | None = None, lift: Lift | None = None) -> Footing:
    """What pieces stand on, of a ground; `clear` is how far places are from props."""
    pools = {layer.id: pools_of(ground, layer) for layer in ground.layers if holds_water(layer)}
    return Footing(ground.heights, ground.layers, ground.weights, ground.corner, ground.foot, clear, pools, lift,
                   ground.paths)  # fmt: skip


def _placed_by(scatter: Scatter) -> tuple[object, ...]:
    return tuple(getattr(scatter, name) for name in PLACING)


@dataclass
class _Held:
    """The pieces of one scatter, and what they follow from."""

    scatter: Scatter
    cells: dict[Cell, Pieces] = field(default_factory=dict)
    lift: tuple[object, ...] = ()
    stands: bool = False
    """Whether it was strewn yet."""


@dataclass(frozen=True)
class Strewed:
    """What is to be told of a scatter: cells that are others (None for one without pieces), or all there are."""

    cells: dict[Cell, Pieces | None]
    whole: bool


@dataclass(frozen=True, eq=False)
class Due:
    """Scatters of a ground that are to be strewn all over; `footprints` are those of what stands there, if known."""

    project: Project
    ground: Ground
    kinds: tuple[Scatter, ...]
    footprints: Footprints | None
    clear: Array | None
    lift: Lift | None
    mesh_data: Meshes

    def strewn(self) -> Grown:
        """Strew them: to be done wherever it keeps nobody waiting."""
        footprints, clear = self.footprints, self.clear
        if footprints is None:
            footprints, _ = _stood_on(self.project, self.ground, self.mesh_data)
            clear = footprints.clear if footprints is not None else None
        base, size = footing(self.ground, clear, self.lift), self.ground.heights.size
        return Grown({s.id: strewn(s, base, cells_over(s, size)) for s in self.kinds}, footprints)


@dataclass(frozen=True)
class Grown:
    """What came of that: pieces by scatter and cell, and what stands on the ground."""

    cells: dict[str, dict[Cell, Pieces]]
    footprints: Footprints | None


class Strewing:
    """Keeps the pieces of all scatters; told of another state of a project, it strews anew where something differs.

    `later` leaves due what is to be strewn all over and is much.
    """

    def __init__(self, mesh_data: Meshes, lifts: Lifts = no_lift, later: bool = False) -> None:
        self._mesh_data, self._lifts, self._later = mesh_data, lifts, later
        self._held: dict[tuple[str, str], _Held] = {}
        self._stood: dict[str, Footprints] = {}
        self._due: dict[str, Due] = {}

    def copied(self) -> Strewing:
        """Another that goes on from the same state, and leaves nothing due."""
        made = Strewing(self._mesh_data, self._lifts)
        made._held = {key: replace(held, cells=dict(held.cells)) for key, held in self._held.items()}
        made._stood = {name: stood.copied() for name, stood in self._stood.items()}
        return made

    def pieces(self, ground: str, scatter: str) -> dict[Cell, Pieces]:
        """The pieces of a scatter by cell."""
        held = self._held.get((ground, scatter))
        return held.cells if held is not None else {}

    @property
    def due(self) -> Due | None:
        """What is to be strewn next."""
        return next(iter(self._due.values()), None)

    def grow(self, due: Due, grown: Grown) -> Iterator[tuple[str, str, Strewed]]:
        """Take what was due and is strewn now. Where it is due in another way by now it is shown until that is done."""
        ground = due.ground.id
        if self._due.get(ground) is due:
            del self._due[ground]
            if grown.footprints is not None:
                self._stood[ground] = grown.footprints
        for scatter in due.kinds:
            held = self._held.get((ground, scatter.id))
            if held is None:
                continue
            told = _sown(held, grown.cells[scatter.id], whole=True)
            held.stands = ground not in self._due or scatter.id not in {s.id for s in self._due[ground].kinds}
            yield ground, scatter.id, Strewed(told, True)

    def stands(self, ground: str, scatter: str) -> bool:
        """Whether a scatter is strewn as it is to be."""
        held = self._held.get((ground, scatter))
        return held is None or held.stands

    def update(self, before: Project, project: Project) -> Iterator[tuple[str, str, Strewed | None]]:
        """By ground and scatter, what is another; None for one that is not to be seen any more."""
        seen = {(g.id, s.id) for g in project.grounds if project.shows(g) for s in g.scatter if s.visible}
        for gone in [k for k in self._held if k not in seen]:
            del self._held[gone]
            if all(name != gone[0] for name, _ in self._held):
                self._stood.pop(gone[0], None)
                self._due.pop(gone[0], None)
            yield *gone, None
        changed = _changed_props(before, project) if seen else []
        dressed = any(getattr(project, name) is not getattr(before, name) for name in DRESS)
        for ground in project.grounds:
            old = before.grounds.get(ground.id)
            kinds = [s for s in ground.scatter if (ground.id, s.id) in seen]
            same_as_before = old is ground and not changed and all((ground.id, s.id) in self._held for s in kinds)
            lift = self._lifts(project, ground) if kinds and (dressed or not same_as_before) else None
            if not kinds or (same_as_before and (lift is None or self._lifted_so(ground, kinds, lift))):
                continue
            yield from self._strew(project, old, ground, kinds, changed, lift)

    def _lifted_so(self, ground: Ground, kinds: list[Scatter], lift: Lift | None) -> bool:
        """Whether some pieces stand on the lift that there is."""
        return all(same(self._held[ground.id, s.id].lift, _basis(lift)) for s in kinds)

    def _strew(
        self, project: Project, old: Ground | None, ground: Ground, kinds: list[Scatter],
        changed: list[tuple[str, Prop | None]], lift: Lift | None,
    ) -> Iterator[tuple[str, str, Strewed | None]]:  # fmt: skip
        reached = {s.id: self._reached(old, ground, s, lift) for s in kinds}
        all_over = [s for s in kinds if reached[s.id] is None]
        due = self._to_be_due(ground, all_over, lift)
        if due and len(due) == len(kinds) and ground.id not in self._stood:
            self._due[ground.id] = Due(project, ground, tuple(due), None, None, lift, self._mesh_data)
            self._expect(ground, due, lift)
            return
        clear, beside = self._clear_of(project, ground, kinds, changed)
        self._due.pop(ground.id, None)
        if due:
            stood = self._stood.get(ground.id)
            self._due[ground.id] = Due(project, ground, tuple(due), stood, clear, lift, self._mesh_data)
            self._expect(ground, due, lift)
        base, size = footing(ground, clear, lift), ground.heights.size
        if lift is not None:
            lift.prepare({r for found in reached.values() for r in (*(found or ()), *beside)})
        for scatter in kinds:
            rects = reached[scatter.id]
            if scatter in due:
                continue
            if rects is None:
                held = self._held[ground.id, scatter.id] = _Held(scatter)
                told = _sown(held, strewn(scatter, base, cells_over(scatter, size)), whole=True)
            else:
                held = self._held[ground.id, scatter.id]
                rects = rects + (beside if scatter.clear > 0 else [])
                cells = sorted({c for r in rects for c in cells_in(scatter, size, r)})
                made = strewn(scatter, base, cells, rects)
                told = _sown(held, {c: _mended(held.cells.get(c), p, rects) for c, p in made.items()})
            held.scatter, held.lift, held.stands = scatter, _basis(lift), True
            if told or rects is None:
                yield ground.id, scatter.id, Strewed(told, rects is None)

    def _reached(self, old: Ground | None, ground: Ground, scatter: Scatter, lift: Lift | None) -> list[Rect] | None:
        """Where pieces of a scatter may be others; None for everywhere."""
        held = self._held.get((ground.id, scatter.id))
        lies = old is not None and (old.corner, old.foot) == (ground.corner, ground.foot)
        if held is None or not held.stands or not lies or old is None:
            return None
        if _placed_by(held.scatter) != _placed_by(scatter) or not same(held.lift, _basis(lift)):
            return None
        found = _reached(old, ground, scatter, lift is not None)
        plucked = set(held.scatter.gone) ^ set(scatter.gone)
        around = [(x - 2 * SAME, x + 2 * SAME, z - 2 * SAME, z + 2 * SAME) for x, z in plucked]
        return found + around if found is not None else None

    def _to_be_due(self, ground: Ground, all_over: list[Scatter], lift: Lift | None) -> list[Scatter]:
        """Which of some scatters that are to be strewn all over are much, or wait for something to be read."""
        if not self._later:
            return []
        across, along = ground.heights.size
        keys = {s.id: self._held.get((ground.id, s.id)) for s in all_over}
        return [
            s for s in all_over
            if (held := keys[s.id]) is None or not held.stands or s.density * across * along > AT_ONCE
            or not same(held.lift, _basis(lift))
        ]  # fmt: skip

    def _expect(self, ground: Ground, due: list[Scatter], lift: Lift | None) -> None:
        for scatter in due:
            held = self._held.setdefault((ground.id, scatter.id), _Held(scatter))
            held.scatter, held.lift, held.stands = scatter, _basis(lift), False

    def _clear_of(
        self, project: Project, ground: Ground, kinds: list[Scatter], changed: list[tuple[str, Prop | None]]
    ) -> tuple[Array | None, list[Rect]]:
        """How far places are from props, as far as any scatter asks, and where that may be another than before."""
        most = _farthest(kinds)
        if most <= 0:
            self._stood.pop(ground.id, None)
            return None, []
        held = self._stood.get(ground.id)
        if held is not None and held.fits(ground, most):
            boxes = held.update(project, ground, changed, self._mesh_data)
            return held.clear, [held.metres(box) for box in boxes]
        made, boxes = _stood_on(project, ground, self._mesh_data)
        assert made is not None
        self._stood[ground.id] = made
        return made.clear, [made.metres(box) for box in boxes]


def _basis(lift: Lift | None) -> tuple[object, ...]:
    return lift.basis if lift is not None else ()


def _farthest(kinds: Sequence[Scatter]) -> float:
    """How far from props any of some scatters keeps, metres."""
    return max((s.clear for s in kinds if s.visible), default=0.0)


def _stood_on(project: Project, ground: Ground, mesh_data: Meshes) -> tuple[Footprints | None, list[Box]]:
    """Where props stand on a ground, and the cells that they are near; None where no scatter keeps clear of them.

    Told as far as twice what is asked for, so that a number that is dragged does not begin anew at each step.
    """
    most = _farthest(ground.scatter)
    if most <= 0:
        return None, []
    made = Footprints(ground, max(2 * most, 0.5))
    return made, made.update(project, ground, [(p.id, p) for p in project.props], mesh_data)


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


def _sown(held: _Held, made: dict[Cell, Pieces], whole: bool = False) -> dict[Cell, Pieces | None]:
    """Keep the pieces of some cells, or of all there are; those that are others than before, None for a cell that has
    none any more."""
    if whole:
        held.cells = {c: p for c, p in made.items() if len(p)}
        return dict(held.cells)
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


def _reached(old: Ground, new: Ground, scatter: Scatter, lifted: bool) -> list[Rect] | None:
    """Where of a ground pieces may be others, as rectangles in metres from its corner; None for everywhere."""
    told = [tuple((s.id, s.way, s.role, s.stands) for s in g.layers) for g in (old, new)]
    if told[0] != told[1] or old.heights.size != new.heights.size:
        return None
    spans = [(g.heights.low, g.heights.high) for g in (old, new)]
    if scatter.by == "high" and spans[0] != spans[1]:
        return None
    rects: list[Rect] = []
    pairs = [(old.heights.pages, new.heights.pages)]
    read = {scatter.layer, scatter.cut_out}
    read |= {s.id for s in new.layers if lifted or s.way != "absolute" or s.role == "damp"}
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
    if scatter.off > 0 and scatter.cut_out in new.weights:  # as far as it keeps from where that layer is now, or was
        by = scatter.off + max(new.heights.size[0] / new.weight_cells[0], new.heights.size[1] / new.weight_cells[1])
        then, now = old.weights[scatter.cut_out], new.weights[scatter.cut_out]
        wide = changed_in(then, now, new.heights.size) if then is not now else []
        rects += [(x0 - by, x1 + by, z0 - by, z1 + by) for x0, x1, z0, z1 in wide]
    beside = max(scatter.off_paths, scatter.by_paths)
    if beside > 0 and old.paths is not new.paths:
        rects += rects_of(old.paths, new.paths, beside + SAME)
    return rects


def counted(pieces: Mapping[Cell, Pieces]) -> int:
    """How many pieces there are."""
    return sum(len(p) for p in pieces.values())
