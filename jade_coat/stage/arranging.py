"""Where things come to stand when many are moved, turned, sized, copied along a line or round a point, or dropped."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import NamedTuple

import numpy as np

from jade_coat.program.types import Array
from jade_coat.stage.placed import Placed, Vec3
from jade_coat.stage.turns import Turn

LEAST_SIZE, MOST_SIZE = 1e-4, 1e4


class Place(NamedTuple):
    """Where a thing stands: position in metres, turn as a unit quaternion `(x, y, z, w)`, size along its own axes."""

    position: Vec3
    turn: Turn
    size: Vec3


Places = dict[str, Place]


def place_of(thing: Placed) -> Place:
    """Where a thing stands now."""
    return Place(thing.position, thing.turn, thing.size)


class Stand:
    """Some things as they stood when a hand took hold of them; every way to move them starts from there."""

    def __init__(self, things: Iterable[Placed]) -> None:
        listed = list(things)
        self.ids = tuple(t.id for t in listed)
        self.positions = np.array([t.position for t in listed], np.float64).reshape(-1, 3)
        self.turns = np.array([t.turn for t in listed], np.float64).reshape(-1, 4)
        self.sizes = np.array([t.size for t in listed], np.float64).reshape(-1, 3)

    @classmethod
    def of(cls, places: Places) -> Stand:
        """Things that would stand in some places."""
        made = cls(())
        made.ids = tuple(places)
        made.positions = np.array([p.position for p in places.values()], np.float64).reshape(-1, 3)
        made.turns = np.array([p.turn for p in places.values()], np.float64).reshape(-1, 4)
        made.sizes = np.array([p.size for p in places.values()], np.float64).reshape(-1, 3)
        return made

    def __len__(self) -> int:
        return len(self.ids)

    def places(self, positions: Array | None = None, turns: Array | None = None, sizes: Array | None = None) -> Places:
        """The places by id, with some columns `(n, 3)`, `(n, 4)` or `(n, 3)` replaced."""
        columns = (
            (self.positions if positions is None else positions).tolist(),
            (self.turns if turns is None else turns).tolist(),
            (self.sizes if sizes is None else sizes).tolist(),
        )
        rows = zip(self.ids, *columns, strict=True)
        return {i: Place((p[0], p[1], p[2]), (t[0], t[1], t[2], t[3]), (s[0], s[1], s[2])) for i, p, t, s in rows}

    def moved(self, by: Array | Sequence[float]) -> Places:
        """All shifted by one vector in metres."""
        return self.places(positions=self.positions + np.asarray(by, np.float64))

    def turned(self, pivot: Array, axis: Array, angle: float) -> Places:
        """All turned about an axis through a point, right-handed, by an angle in radians."""
        from scipy.spatial.transform import Rotation  # slow to import

        turn = Rotation.from_rotvec(unit_vector(axis) * angle)
        positions = turn.apply(self.positions - pivot) + pivot
        return self.places(positions, (turn * Rotation.from_quat(self.turns)).as_quat())

    def turned_own(self, axis: int, angle: float) -> Places:
        """Each turned where it stands about an axis of its own (0, 1, 2), right-handed, by an angle in radians."""
        from scipy.spatial.transform import Rotation  # slow to import

        turn = Rotation.from_rotvec(np.eye(3)[axis] * angle)
        return self.places(turns=(Rotation.from_quat(self.turns) * turn).as_quat())

    def sized(self, pivot: Array, factor: float, axis: int | None = None) -> Places:
        """All larger by a factor about a point; with an axis (0, 1, 2) each along that axis of its own alone.

        Along one axis each stays where it stands: what is stretched alone does not move its neighbours.
        """
        factors = np.ones(3)
        factors[slice(None) if axis is None else axis] = factor
        sizes = np.clip(self.sizes * factors, LEAST_SIZE, MOST_SIZE)
        if axis is not None:
            return self.places(sizes=sizes)
        return self.places(pivot + (self.positions - pivot) * factor, sizes=sizes)


def unit_vector(of: Array | Sequence[float]) -> Array:
    """A vector at length 1. Raises ValueError for one without a length."""
    vector = np.asarray(of, np.float64)
    length = float(np.linalg.norm(vector))
    if length < 1e-12:
        raise ValueError("a direction needs a length")
    return vector / length


def snapped(value: float, step: float) -> float:
    """A number on the nearest multiple of a step; as it is where the step is 0."""
    return round(value / step) * step if step > 0 else value


def turn_between(start: Array, end: Array) -> Turn:
    """The shortest turn that takes one direction to another, for opposite ones too, as a quaternion."""
    from scipy.spatial.transform import Rotation  # slow to import

    a, b = unit_vector(start), unit_vector(end)
    if float(a @ b) < -0.5:  # nearly opposite: half a turn about any axis across, then the little that is left
        across = unit_vector(np.cross(a, np.eye(3)[int(np.argmin(np.abs(a)))]))
        turn = Rotation.from_quat(turn_between(-a, b)) * Rotation.from_rotvec(across * np.pi)
        x, y, z, w = (float(v) for v in turn.as_quat())
        return (x, y, z, w)
    quaternion = np.append(np.cross(a, b), 1.0 + float(a @ b))
    x, y, z, w = (float(v) for v in quaternion / np.linalg.norm(quaternion))
    return (x, y, z, w)


def along_line(stand: Stand, count: int, step: Array | Sequence[float]) -> list[Places]:
    """The places of `count` further copies, each a step in metres from the one before."""
    return [stand.moved(np.asarray(step, np.float64) * i) for i in range(1, count + 1)]


def round_point(
    stand: Stand, count: int, centre: Array | Sequence[float], whole: float, turning: bool = True
) -> list[Places]:
    """The places of `count` further copies round a vertical axis through a point, spread over an angle in radians.

    Over a whole turn the last one does not fall on the first. Without `turning` they keep facing as they do.
    """
    closed = abs(abs(whole) - 2 * np.pi) < 1e-6
    step = whole / (count + 1 if closed else max(count, 1))
    made = []
    for i in range(1, count + 1):
        places = stand.turned(np.asarray(centre, np.float64), np.array([0.0, 1.0, 0.0]), step * i)
        if not turning:
            places = {k: p._replace(turn=t) for (k, p), t in zip(places.items(), _turns(stand), strict=True)}
        made.append(places)
    return made


def _turns(stand: Stand) -> list[Turn]:
    return [(t[0], t[1], t[2], t[3]) for t in stand.turns.tolist()]


Below = Callable[[Array], tuple[Array, Array] | None]
"""What lies straight below a point `(3,)`: the point there and its unit normal, or None."""


def dropped(
    stand: Stand, lows: Mapping[str, Array], below: Below, tilting: bool = False
) -> tuple[Places, tuple[str, ...]]:
    """The places on what lies below, and the ids of those with nothing below.

    `lows` gives the middle of each thing's foot `(3,)` in the world. With `tilting` a thing leans with the surface:
    what was up for it is the surface's normal then.
    """
    from scipy.spatial.transform import Rotation  # slow to import

    places, nowhere = stand.places(), []
    for i, wanted in enumerate(stand.ids):
        foot = np.asarray(lows[wanted], np.float64)
        found = below(foot)
        if found is None:
            nowhere.append(wanted)
            continue
        point, normal = found
        place = places[wanted]
        turn = place.turn
        offset = stand.positions[i] - foot
        if tilting:
            lean = Rotation.from_quat(turn_between(np.array([0.0, 1.0, 0.0]), normal))
            own = Rotation.from_quat(turn)
            upright = own.apply([0.0, 1.0, 0.0])
            back = Rotation.from_quat(turn_between(upright, np.array([0.0, 1.0, 0.0])))
            made = (lean * back * own).as_quat()
            turn = (float(made[0]), float(made[1]), float(made[2]), float(made[3]))
            offset = (lean * back).apply(offset)
        x, y, z = (float(v) for v in point + offset)
        places[wanted] = Place((x, y, z), turn, place.size)
    return places, tuple(nowhere)


def strewn(seed: int, middle: Array, radius: float, count: int, gap: float) -> Array:
    """Places `(n, 2)` in a disc of the ground (x, z), no two nearer than `gap` metres; fewer where there is no room.

    Dart throwing with the best of some candidates (Mitchell 1991), so that they lie evenly.
    """
    random = np.random.default_rng(seed)
    found = np.zeros((0, 2))
    for _ in range(count):
        angle, away = random.random((2, 24))
        candidates = (
            np.stack([np.cos(angle * 2 * np.pi), np.sin(angle * 2 * np.pi)], axis=1) * (np.sqrt(away) * radius)[:, None]
        )
        if len(found):
            distance = np.linalg.norm(candidates[:, None] - found[None], axis=2).min(axis=1)
            best = int(distance.argmax())
            if distance[best] < gap:
                break
        else:
            best = 0
        found = np.concatenate([found, candidates[best : best + 1]])
    return found + np.asarray(middle, np.float64)[[0, 2]]
