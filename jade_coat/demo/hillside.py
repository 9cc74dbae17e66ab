"""The hillside round the terrace: its land, the covers that lie on it, and where each of them does."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from jade_coat.ground.heights import Heights
from jade_coat.ground.pages import Pages
from jade_coat.ground.paths import GroundPath
from jade_coat.ground.rules import LayerRule, run
from jade_coat.ground.stroke import GroundBrush, by_hand_after, painted, shaped
from jade_coat.ground.synthesis import Land
from jade_coat.kiln.brief import Brief
from jade_coat.material.material import Coat, Dial, Finish, Material
from jade_coat.material.stacking import GroundLayer
from jade_coat.material.surface import Surface
from jade_coat.stage.grounds import Ground, new_ground

POOLS = (((-6.2, 4.0), 1.6), ((7.2, -4.0), 2.0), ((8.0, 6.5), 2.6), ((-9.0, 11.0), 1.8))
"""Where water stands, metres from the middle, and how far."""
ACROSS, SAMPLES = 64.0, 257
"""Metres along an edge of the hillside, and samples of its heights."""


@dataclass(frozen=True)
class Cover:
    """One stuff that covers the hillside: its words for the kiln, a seed, the size of its tile and how it is tinted."""

    name: str
    brief: Brief
    seed: int
    tile: float
    tint: tuple[float, float, float] = (1.0, 1.0, 1.0)
    relief: float = 1.0


COVERS: dict[str, Cover] = {
    "gravel": Cover("Gravel", Brief("stone", "pebbles", warm=0.25, light=0.1), 5, 0.9, relief=1.3),
    "scree": Cover("Scree", Brief("stone", "plain", broken=0.5, warm=0.15), 9, 2.2, (0.9, 0.86, 0.8), 1.6),
    "turf": Cover("Turf", Brief("moss", "plain", tint=(0.10, 0.155, 0.035), relief=1.2), 12, 1.3),
    "dry_grass": Cover("Dry grass", Brief("moss", "plain", tint=(0.30, 0.235, 0.095)), 17, 1.7),
    "litter_cover": Cover("Fallen leaves", Brief("leaf", "leaves", warm=0.3, vivid=0.2), 21, 1.1, relief=1.2),
    "sand": Cover("Sand", Brief("sand", "plain"), 27, 1.9),
}
"""By the ids of their map sets."""


def material() -> Material:
    """One coat of a map set that each finish chooses."""
    coat = Coat(id="cover", name="Cover", surface=Surface(map_set="gravel", placement="planar", space="world",
                                                          tile_break="hex", tile_size=1.2))  # fmt: skip
    return Material(
        id="hillside", name="Hillside", coats=(coat,), depth=0.04,
        dials=(
            Dial(id="maps", path="cover.surface.map_set", name="Cover", group="Cover"),
            Dial(id="tile", path="cover.surface.tile_size", name="Tile size", group="Cover"),
            Dial(id="tint", path="cover.surface.tint", name="Tint", group="Cover"),
            Dial(id="relief", path="cover.surface.normal_strength", name="Relief", group="Cover"),
        ),
    )  # fmt: skip


def finishes() -> tuple[Finish, ...]:
    """A finish for each cover."""
    return tuple(
        Finish(id=f"hill_{key}", name=f"Hill {c.name.lower()}", parent="hillside",
               values={"maps": key, "tile": c.tile, "tint": c.tint, "relief": c.relief})
        for key, c in COVERS.items()
    )  # fmt: skip


def heights() -> Heights:
    """Terraced land that falls to the south, level where the pottery stands."""
    land = Land(samples=SAMPLES, across=ACROSS, height=10.0, hill=30.0, lean=1.1, steps=7, flat=0.55, streams=0.2,
                rough=0.42, seed=11).heights()  # fmt: skip
    values = land.whole.astype(np.float64)
    z, x = np.mgrid[0:SAMPLES, 0:SAMPLES] / (SAMPLES - 1) * ACROSS - ACROSS / 2
    yard = -0.06 - 0.40 * np.maximum(z - 0.7, 0)
    away = np.hypot(np.maximum(np.abs(x) - 5.0, 0), np.maximum(np.abs(z + 0.5) - 6.5, 0))
    share = np.clip(away / 7.0, 0, 1)
    share = share * share * (3 - 2 * share)
    middle = values[SAMPLES // 2, SAMPLES // 2]
    made = Heights.of((yard * (1 - share) + (values - middle - 0.4) * share).astype(np.float32), land.size)
    for at, size in POOLS:  # water stands where the land is level
        place = np.array(at) + ACROSS / 2
        level = float(made.at(place[None])[0]) - 0.12
        for _ in range(3):
            made = shaped(made, GroundBrush(deed="flatten", radius=size * 1.7, strength=0.9, hard=0.55), place, level)
        for share, deep in ((1.25, 0.45), (0.8, 0.35), (0.45, 0.25)):  # and it is a hollow
            made = shaped(made, GroundBrush(deed="lower", radius=size * share, strength=deep, hard=0.25), place, level)
    return made


WALK = (
    (-30.0, 25.0), (-17.0, 19.0), (-8.0, 13.5), (-4.6, 7.0), (-5.4, 1.5), (-8.0, -5.0), (-6.0, -12.0), (2.0, -17.0),
    (12.0, -21.0), (22.0, -30.0),
)  # fmt: skip
"""Where people walk, metres from the middle."""
PATHS = (
    GroundPath(id="way", name="Way to the kiln", points=tuple((x + ACROSS / 2, z + ACROSS / 2) for x, z in WALK),
               width=1.7),
)  # fmt: skip


LAYERS = (
    GroundLayer(id="clay", name="Red clay", finish="trodden_clay", lead=0.55),
    GroundLayer(id="sand", name="Sand", finish="hill_sand", lead=0.5),
    GroundLayer(id="dry", name="Dry grass", finish="hill_dry_grass", lead=0.6, lift=0.04),
    GroundLayer(id="turf", name="Turf", finish="hill_turf", lead=0.6, lift=0.05),
    GroundLayer(id="scree", name="Scree", finish="hill_scree", lead=0.7, sides="three", lift=0.08),
    GroundLayer(id="moss", name="Moss", finish="hill_turf", lead=0.5),
    GroundLayer(id="path", name="Gravel path", finish="hill_gravel", way="over", soft=0.2),
    GroundLayer(id="leaves", name="Fallen leaves", finish="hill_litter_cover", way="over", soft=0.12),
    GroundLayer(
        id="damp",
        name="Damp",
        way="absolute",
        role="damp",
        stands=0.55,
        murk=0.22,
        water=(0.045, 0.05, 0.04),
        rain="rings",
        rain_follows="damp",
    ),
)
RULES = (
    LayerRule(layer="sand", measure="noise", scale=7.0, least=0.55, soft=0.15, strength=0.8),
    LayerRule(layer="dry", measure="slope", steep_from=0.0, steep_to=math.radians(24), soft=0.4, strength=0.9),
    LayerRule(layer="turf", measure="noise", scale=9.0, least=0.44, soft=0.14),
    LayerRule(layer="scree", measure="slope", steep_from=math.radians(33), steep_to=math.radians(90), soft=0.12),
    LayerRule(layer="moss", measure="hollow", scale=3.0, least=0.35, soft=0.4, strength=0.85),
    LayerRule(layer="leaves", measure="noise", scale=5.0, least=0.66, soft=0.1, strength=0.9),
    LayerRule(layer="path", measure="path", path="way", reach=0.75, soft=1.0),
    LayerRule(layer="damp", measure="flow", least=0.5, soft=0.35),
)


def ground() -> Ground:
    """The hillside with all that lies on it; the same every time."""
    land = heights()
    made = new_ground("hillside_ground", "Hillside", land, LAYERS[0], SAMPLES)
    columns, rows = made.weight_cells
    bare = {layer.id: Pages.flat(rows, columns, "uint8", 0) for layer in LAYERS[1:]}
    weights = {**made.weights, **bare}
    sharing = [layer.id for layer in LAYERS if layer.way == "shared"]
    weights |= run(RULES, land, weights, sharing, None, paths=PATHS)
    by_hand = Pages.flat(rows, columns, "uint8", 0)
    corner = np.full(2, ACROSS / 2)
    bare_yard = GroundBrush(deed="paint", radius=5.2, strength=0.85, hard=0.5, ragged=0.5)
    for at in [(-2.5, -2.0), (2.5, -2.0), (0.0, 2.0), (-2.0, 5.0), (2.0, 5.0)]:
        weights |= painted(weights, sharing, "clay", land.size, bare_yard, np.array(at) + corner)
        by_hand = by_hand_after(by_hand, land.size, bare_yard, np.array(at) + corner)
    for at, size in POOLS:
        pool = GroundBrush(deed="paint", radius=size, strength=0.95, hard=0.45, ragged=0.5)
        for _ in range(2):
            weights |= painted(weights, sharing, "damp", land.size, pool, np.array(at) + corner)
            by_hand = by_hand_after(by_hand, land.size, pool, np.array(at) + corner)
    return made.with_(layers=LAYERS, weights=weights, rules=RULES, by_hand=by_hand, paths=PATHS)
