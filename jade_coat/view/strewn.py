"""Which pieces of scatters are drawn for an eye: cells that it cannot see are left out whole, then pieces by distance.

Towards the distance from which none is seen they thin out, those of the highest rank first, and of each more and more
points are left out before it goes, so that none goes at once.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from jade_coat.ground.pieces import NO_PIECES, Pieces
from jade_coat.program.types import Array
from jade_coat.stage.draws import Draw, Strewn
from jade_coat.view.camera import planes
from jade_coat.view.gpu_assets import GpuAssets
from jade_coat.view.gpu_scenes import GpuScene, GpuScenes
from jade_coat.view.requests import Eye
from jade_coat.view.standing import between

FIRST = 0.55
"""The share of its distance at which the first pieces are gone."""
FADE = 0.15
"""Over which share of the distance at which it goes a piece becomes fainter."""
GOING = 20
"""From which bit of the number of its row on is told how far a piece has gone, in sixteenths (`placed.glsl`)."""
MOST_CASTING = 40_000
"""So many pieces of a scatter throw shadows, those nearest to the middle of what does."""


@dataclass
class Balls:
    """Balls round the cells of a scatter, without the size of its mesh: `sizes` are those of its largest pieces."""

    middles: Array = field(default_factory=lambda: np.zeros((0, 3)))
    radii: Array = field(default_factory=lambda: np.zeros(0))
    sizes: Array = field(default_factory=lambda: np.zeros(0))
    order: list[Pieces] = field(default_factory=list)


def balls_of(strewn: Strewn, before: Balls | None) -> Balls:
    """The balls round all cells; those of cells that are as before are not worked out again."""
    known = {id(p): i for i, p in enumerate(before.order)} if before is not None else {}
    made = Balls(order=list(strewn.cells.values()))
    count = len(made.order)
    made.middles, made.radii, made.sizes = np.empty((count, 3)), np.empty(count), np.empty(count)
    for i, pieces in enumerate(made.order):
        at = known.get(id(pieces))
        if at is not None and before is not None:
            made.middles[i], made.radii[i], made.sizes[i] = before.middles[at], before.radii[at], before.sizes[at]
            continue
        places = pieces.matrices[:, :, 3].astype(np.float64)
        low, high = places.min(axis=0), places.max(axis=0)
        made.middles[i], made.radii[i] = (low + high) / 2, float(np.linalg.norm(high - low)) / 2
        made.sizes[i] = float(np.sqrt((pieces.matrices[:, :, 0].astype(np.float64) ** 2).sum(axis=1).max()))
    return made


def chosen(strewn: Strewn, balls: Balls, eye: Eye, reach: float) -> tuple[Pieces, Array]:
    """The pieces that an eye may see some of, and how far each has gone from afar, `(n,)` of 16.

    `reach` is how far a piece of size 1 reaches from where it stands.
    """
    away = np.linalg.norm(balls.middles - eye.position, axis=1) - balls.radii
    radii = balls.radii + balls.sizes * reach
    near = (away < strewn.far) & between((balls.middles, radii), planes(eye.projection @ eye.view))
    found = Pieces.joined(balls.order[i] for i in np.flatnonzero(near))
    if not len(found):
        return found, np.zeros(0, np.int32)
    away = np.linalg.norm(found.matrices[:, :, 3] - eye.position.astype(np.float32), axis=1)
    goes = strewn.far * (1 - (1 - FIRST) * found.ranks)
    left = np.clip((goes - away) / (goes * FADE), 0, 1)
    there = left > 0
    return found.some(there), np.floor((1 - left[there]) * 16).astype(np.int32)


def placed(draw: Draw, pieces: Pieces, rows: Array, gone: Array | int = 0) -> Draw:
    """A draw of some pieces; `rows` gives that of each step, `gone` is how far each has gone from afar, of 16."""
    matrices = np.zeros((len(pieces), 4, 4), np.float32)
    matrices[:, :3], matrices[:, 3, 3] = pieces.matrices, 1.0
    return replace(draw, matrices=matrices, rows=np.asarray(rows[pieces.steps] | gone << GOING, np.int32),
                   seeds=pieces.seeds)  # fmt: skip


class Strewer:
    """Puts the pieces that an eye sees into the draws of scatters, before each picture."""

    def __init__(self, context: Any, assets: GpuAssets, scenes: GpuScenes) -> None:
        self._context, self._assets, self._scenes = context, assets, scenes

    def stand(self, found: GpuScene, eye: Eye) -> None:
        """Choose the pieces of all scatters of a scene for an eye."""
        if not found.scene.strewn:
            return
        key = (found.serial, eye.view.tobytes(), eye.projection.tobytes(), self._assets.version)
        if found.stood == key:
            return
        found.stood = key
        by_name: dict[str, list[int]] = {}
        for i, draw in enumerate(found.scene.draws):
            if draw.strewn:
                by_name.setdefault(draw.strewn, []).append(i)
        found.balls = {n: balls_of(s, found.balls.get(n)) for n, s in found.scene.strewn.items()}
        for name, draws in by_name.items():
            strewn = found.scene.strewn.get(name)
            pieces, gone = NO_PIECES, np.zeros(0, np.int32)
            if strewn is not None:
                pieces, gone = chosen(strewn, found.balls[name], eye, self._reach(found, draws))
            for i in draws:
                draw, rows = found.scene.draws[i], strewn.rows.get(i) if strewn is not None else None
                if rows is not None:
                    made = placed(draw, pieces, rows, gone)
                else:
                    made = placed(draw, NO_PIECES, np.zeros(1, np.int32))
                self._scenes.put_instances(found, i, made)

    def _reach(self, found: GpuScene, draws: list[int]) -> float:
        """How far a piece reaches from where it stands, metres at size 1."""
        corners = [np.abs(m.bounds).max(axis=0) for i in draws
                   if (m := self._assets.meshes.get(found.scene.draws[i].mesh)) is not None]  # fmt: skip
        # Wind and the like move what grows by less than its own size again.
        return max((float(np.linalg.norm(c)) for c in corners), default=1.0) * 1.5


def casting(found: GpuScene, index: int, low: Array, high: Array) -> Draw:
    """The draw of all pieces of a scatter that stand in a box `(3,)` to `(3,)` and may throw a shadow there."""
    draw = found.scene.draws[index]
    strewn = found.scene.strewn.get(draw.strewn)
    rows = strewn.rows.get(index) if strewn is not None else None
    if strewn is None or rows is None:
        return draw
    balls = found.balls.get(draw.strewn)
    if balls is None or len(balls.order) != len(strewn.cells):
        balls = found.balls[draw.strewn] = balls_of(strewn, balls)
    near = (np.abs(balls.middles - (low + high) / 2) <= (high - low) / 2 + balls.radii[:, None]).all(axis=1)
    pieces = Pieces.joined(balls.order[i] for i in np.flatnonzero(near))
    at = pieces.matrices[:, :, 3]
    pieces = pieces.some(np.flatnonzero(((at >= low) & (at <= high)).all(axis=1)))
    if len(pieces) > MOST_CASTING:
        away = ((pieces.matrices[:, :, 3] - (low + high) / 2) ** 2).sum(axis=1)
        pieces = pieces.some(np.argpartition(away, MOST_CASTING)[:MOST_CASTING])
    return placed(draw, pieces, rows)
