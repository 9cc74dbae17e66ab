"""Further copies of props: with ids and names of their own, in other places."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TypeVar

import numpy as np

from jade_coat.stage.arranging import Place, Places, Stand, strewn
from jade_coat.stage.naming import free_id, free_name
from jade_coat.stage.placed import Placed
from jade_coat.stage.project import KINDS_OF_THINGS, Project

Copied = TypeVar("Copied", bound=Placed)


class Copier:
    """Makes copies, each under an id and a name that nothing else has."""

    def __init__(self, project: Project) -> None:
        self._ids = {i for kind in KINDS_OF_THINGS for i in getattr(project, kind).ids()}
        self._names = {t.name for kind in KINDS_OF_THINGS for t in getattr(project, kind)}
        self._next: dict[str, int] = {}

    def copy(self, thing: Copied, place: Place) -> Copied:
        """A copy of a thing in another place, with all it has; it is not locked."""
        name = self._free(thing.name)
        made: Copied = thing.with_(id=free_id(name, self._ids), name=name, locked=False, **place._asdict())
        self._ids.add(made.id)
        return made

    def _free(self, name: str) -> str:
        """A name that is free, found in one step however many copies there are."""
        stem = name.rstrip("0123456789 ") or name
        at = self._next.get(stem, 2)
        while f"{stem} {at}" in self._names:
            at += 1
        self._next[stem] = at + 1
        made = f"{stem} {at}" if name in self._names else free_name(name, self._names)
        self._names.add(made)
        return made


def copies(project: Project, things: Sequence[Placed], runs: Sequence[Places]) -> tuple[Placed, ...]:
    """A copy of each thing for each of some runs of places, which name the things by id."""
    copier = Copier(project)
    by_id: Mapping[str, Placed] = {t.id: t for t in things}
    return tuple(copier.copy(by_id[i], place) for run in runs for i, place in run.items())


def scattered(
    stand: Stand, count: int, radius: float, gap: float, turned: float, spread: float, seed: int
) -> list[Places]:
    """Places for copies strewn about the middle of some things: no two nearer than `gap` metres.

    Each is turned about the vertical by chance, up to `turned` of a whole turn, and larger or smaller by up to
    `spread`. Where there is no room for all, there are fewer.
    """
    middle = stand.positions.mean(axis=0)
    at = strewn(seed, middle, radius, count, gap)
    random = np.random.default_rng([seed, 7])
    up = np.array([0.0, 1.0, 0.0])
    found: list[Places] = []
    for x, z in at:
        by = np.array([x - middle[0], 0.0, z - middle[2]])
        angle = (random.random() - 0.5) * 2 * np.pi * turned
        factor = float(np.exp((random.random() * 2 - 1) * np.log1p(spread)))
        turns = stand.turned(middle, up, angle)
        sized = Stand.of(turns).sized(middle, factor)
        found.append(Stand.of(sized).moved(by))
    return found
