"""What each measure of a fill asks for, and where it starts."""

from __future__ import annotations

from typing import Any

import numpy as np

from jade_coat.material.fields import Spec

ANGLES = Spec("Angles", "range", "°", 0.0, float(np.pi), hint="B up to the first angle, A from the second on")


METRES = Spec("From, to", "range", "m", -1000.0, 1000.0, (0.0, 5.0), hint="B at the first, A at the second")


SPREAD = Spec("Spread", "range", hint="The noise that becomes B, and A")


SIZE = Spec("Size", "number", "m", 0.001, 1000.0, (0.005, 5.0), True)


SEED = Spec("Seed", "integer", "", 0, 9999, (0, 99))


BEND = Spec("Bend", "number", "m", 0.001, 10.0, (0.005, 1.0), True, "The radius that counts as an edge")


REACH = Spec("Reach", "number", "m", 0.001, 1000.0, (0.02, 5.0), True, "How far away something still shelters")


DIRECTION = Spec("Direction", "point", "", -1.0, 1.0)


def _point(label: str) -> Spec:
    return Spec(label, "point", "m", -1000.0, 1000.0, (-5.0, 5.0))


VALUES = Spec("From, to", "range", hint="What becomes B, and what becomes A")


WIDTH = Spec("Width", "number", "m", 0.001, 100.0, (0.005, 2.0), True, "How far the values run into each other")


SHARES = Spec("From, to", "range", hint="Where B ends and A begins, as shares of the way through its bounds")


TILE = Spec("Tile size", "number", "m", 0.001, 1000.0, (0.05, 8.0), True, "Metres that one tile spans")


CURVE = Spec("Ease curve", "curve", hint="A over the way from B")


FIELDS: dict[str, tuple[tuple[str, Spec], ...]] = {
    "even": (), "part": (("seed", SEED),), "channel": (), "cavity": (("size", BEND),), "occlusion": (("size", REACH),),
    "mesh": (("range", METRES),), "map": (("range", VALUES),), "levels": (("range", VALUES),), "clamp": (),
    "blur": (("size", WIDTH),),
    "gradient": (("points.0", _point("From point")), ("points.1", _point("To point"))),
    "axis": (("range", SHARES),), "angle": (("direction", DIRECTION), ("range", ANGLES)),
    "height": (("range", METRES),),
    "distance": (("points.0", _point("Point")), ("range", METRES)),
    "noise": (("size", SIZE), ("seed", SEED), ("range", SPREAD)),
}  # fmt: skip


STARTS: dict[str, dict[str, Any]] = {
    "axis": {"range": (0.0, 1.0)},
    "angle": {"range": (0.0, float(np.pi / 2))}, "height": {"range": (0.0, 1.0)}, "distance": {"range": (0.0, 1.0)},
    "noise": {"range": (0.3, 0.7), "size": 0.3}, "cavity": {"size": 0.03}, "occlusion": {"size": 0.3},
    "mesh": {"range": (0.0, 0.5)}, "map": {"range": (0.0, 1.0)}, "levels": {"range": (0.2, 0.8)},
    "blur": {"size": 0.1}, "clamp": {"a": 0.8, "b": 0.2},
}  # fmt: skip


POINTED = ("gradient", "distance")


SPACED = ("gradient", "axis", "angle", "distance", "noise")


def channel_name(channel: int) -> str:
    """A channel as people read it: its letter, and its colour set beyond the first."""
    color_set, letter = divmod(channel, 4)
    return f"{'RGBA'[letter]}{f' of set {color_set + 1}' if color_set else ''}"
