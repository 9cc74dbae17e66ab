"""Which parts of the grounds are drawn otherwise after an edit."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from jade_coat.program.types import Array
from jade_coat.stage.grid import Grid
from jade_coat.stage.ground_looks import lies, span_of
from jade_coat.stage.ground_nodes import GroundNodes
from jade_coat.stage.grounds import Ground
from jade_coat.stage.look_tables import GROUND, LookKey
from jade_coat.stage.project import Project

NODE = "\0node "
"""What the names of parts of a ground begin with, where a slot's name is asked for."""


@dataclass(frozen=True)
class Part:
    """One part of a ground: where it lies `(4, 4)`, how large it is along x, metres, what it wears, and its grid."""

    matrix: Array
    size: float
    wear: LookKey
    grid: Grid


@dataclass
class _Told:
    """What was told of a ground."""

    nodes: GroundNodes
    matrices: Array
    masks: Array
    layers: tuple[str, ...]


def relaid(before: Project, project: Project) -> bool:
    """Whether what a ground's parts wear may be another: its layers, or where it lies."""
    return any(
        then is not None and now is not None and (_other_layers(then, now) or lies(then) is not lies(now))
        for then, now in project.grounds.changed_from(before.grounds)
    )


def _other_layers(then: Ground, now: Ground) -> bool:
    pairs = zip(then.layers, now.layers, strict=False)
    return len(then.layers) != len(now.layers) or any(a is not b for a, b in pairs)


class GroundColumns:
    """Keeps the parts of all grounds as they were told of last."""

    def __init__(self) -> None:
        self._told: dict[str, _Told] = {}

    def update(
        self, before: Project, project: Project, redone: set[str]
    ) -> Iterator[tuple[str, dict[str, Part | None]]]:
        """By ground, the parts that are others now; all of those that are `redone`."""
        changed = {(a or b).id: b for a, b in project.grounds.changed_from(before.grounds)}  # type: ignore[union-attr]
        changed.update({i: project.grounds[i] for i in redone if i in project.grounds})
        if project.groups is not before.groups:
            changed.update({g.id: g for g in project.grounds if g.parent})
        for name, ground in changed.items():
            if ground is None or not project.shows(ground):
                gone = self._told.pop(name, None)
                if gone is not None:
                    yield name, {f"{NODE}{i}": None for i in np.flatnonzero(gone.masks)}
            else:
                yield name, self._parts(ground, name in redone)

    def _parts(self, ground: Ground, whole: bool) -> dict[str, Part | None]:
        before, span = self._told.get(ground.id), span_of(ground)
        nodes = before.nodes.follow(ground, span) if before is not None else GroundNodes.of(ground, span)
        matrices, sizes, masks = nodes.told()
        layers = tuple(layer.id for layer in ground.layers)
        self._told[ground.id] = _Told(nodes, matrices, masks, layers)
        differs = np.ones(len(masks), bool)
        gone: dict[str, Part | None] = {}
        if before is not None:
            same = before.nodes.grid == nodes.grid and before.layers == layers and len(before.masks) == len(masks)
            if same and not whole:
                differs = masks != before.masks
                if matrices is not before.matrices:
                    differs |= (matrices != before.matrices).any(axis=(1, 2))
            there = np.zeros(len(before.masks), bool)
            there[: len(masks)] = masks[: len(before.masks)] != 0
            gone = {f"{NODE}{i}": None for i in np.flatnonzero((before.masks != 0) & ~there)}
        found: dict[str, Part | None] = dict(gone)
        wears: dict[int, LookKey] = {}
        for i in np.flatnonzero(differs & (masks != 0)).tolist():
            mask = int(masks[i])
            if mask not in wears:
                shown = frozenset(layer for k, layer in enumerate(layers) if mask >> k & 1)
                wears[mask] = (GROUND, ground.id, shown)
            found[f"{NODE}{i}"] = Part(matrices[i], float(sizes[i]), wears[mask], nodes.grid)
        return found
