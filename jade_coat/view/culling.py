"""Which instances of a draw the camera can see: those are drawn, the nearest first, and the others left out."""

from __future__ import annotations

from typing import Any

import numpy as np

from jade_coat.material.compile_stacked import RANGE
from jade_coat.material.fields import Number
from jade_coat.material.material import Material
from jade_coat.material.placing import move_path
from jade_coat.material.reach import reach_of_moves
from jade_coat.material.rows import layout
from jade_coat.program.types import Array
from jade_coat.stage.draws import ANY_DISTANCE, Draw, Scene
from jade_coat.stage.grid import Grid
from jade_coat.view.camera import planes
from jade_coat.view.gpu_scenes import GpuScene, Seen, instance_data
from jade_coat.view.requests import Eye
from jade_coat.view.standing import NEAR, Standing

FEWEST = 64
"""Draws of fewer instances are drawn whole."""


def in_span(draw: Draw, standing: Standing, eye: Eye, numbers: Array) -> Array:
    """Which of some instances `(k,)` of a draw are as far from the eye as it is seen from, `(k,) bool`.

    Larger ones are from farther.
    """
    if draw.grid is not None:
        return fine_enough(draw.matrices, draw.grid, eye.position)[numbers]
    if draw.span == ANY_DISTANCE:
        return np.ones(len(numbers), bool)
    away = np.linalg.norm(draw.matrices[numbers, :3, 3].astype(np.float64) - eye.position, axis=1)
    far = away / np.maximum(standing.sizes[numbers], 1e-9)
    return np.asarray((far >= draw.span[0]) & (far < draw.span[1]))


def fine_enough(matrices: Array, grid: Grid, eye: Array) -> Array:
    """Which parts of a ground are drawn for an eye `(3,)`, `(n,) bool`: together they cover it, and none twice.

    A part is, where it is not near enough to be drawn by its four finer ones, and the coarser one round it is.
    """
    sizes = np.stack([matrices[:, 0, 0], matrices[:, 2, 2]], axis=1).astype(np.float64)
    corners = np.stack([matrices[:, 0, 3], matrices[:, 2, 3]], axis=1).astype(np.float64)
    above = max(eye[1] - grid.high, grid.low - eye[1], 0.0)
    level = np.rint(np.log2(sizes[:, 0] / grid.leaf[0])).astype(int)

    def split(places: Array, size: Array) -> Array:
        away = np.hypot(np.hypot(*(places + size / 2 - eye[[0, 2]]).T), above)
        return np.asarray(away < RANGE * size.max(axis=1))

    coarser = np.floor((corners - grid.corner) / (2 * sizes) + 1e-3) * (2 * sizes) + grid.corner
    finest, coarsest = level == 0, level == grid.levels - 1
    return np.asarray((finest | ~split(corners, sizes)) & (coarsest | split(coarser, 2 * sizes)))


def seen_order(draw: Draw, standing: Standing, eye: Eye, margin: float = 0.0) -> tuple[Array, bool]:
    """The numbers `(k,)` of the instances that a camera may see, nearest first, and whether it is outside of all.

    An instance that is turned inside out counts as one that it is inside of. `margin` is how far vertices may be moved,
    metres.
    """
    found = standing.within(planes(eye.projection @ eye.view), margin)
    found = found[in_span(draw, standing, eye, found)]
    middles, radii = standing.balls(found, margin)
    away = ((middles - eye.position) ** 2).sum(axis=1)
    near = abs(eye.projection[2, 3] / (eye.projection[2, 2] - 1.0))
    outside = bool((away > (radii * NEAR + 2 * near) ** 2).all())
    return np.asarray(found[np.argsort(away, kind="stable")]), outside and bool(standing.upright[found].all())


def most_of(scene: Scene, material: Material, path: str) -> float:
    """How large a number of a material is at the most in any look of a scene, by the path of its field."""
    at = layout(material).places.get(path)
    if at is None or material.id not in scene.rows:
        return 0.0
    return float(np.abs(scene.rows[material.id][:, at[0] * 4 + at[1]]).max(initial=0.0))


def reach_in(scene: Scene, material: Material | None) -> float:
    """How far any look of a scene lets a material move a vertex, metres."""
    if material is None or not material.moves or material.id not in scene.rows:
        return 0.0
    amounts = (move_path(move.id, "amount") for move in material.moves)
    values: dict[str, Number] = {path: most_of(scene, material, path) for path in amounts}
    return reach_of_moves(material, values)


def box_around(draw: Draw, bounds: Array, reach: float) -> tuple[Array, Array]:
    """The box `(3,)` to `(3,)` around the instances of a draw, which a material may move so far, metres."""
    linear = draw.matrices[:, :3, :3]
    middles = linear @ bounds.mean(axis=0) + draw.matrices[:, :3, 3]
    halves = np.abs(linear) @ ((bounds[1] - bounds[0]) / 2) + reach
    return (middles - halves).min(axis=0), (middles + halves).max(axis=0)


def seen_instances(context: Any, scene: GpuScene, index: int, bounds: Array, eye: Eye, margin: float = 0.0) -> Seen:
    """The instances of a draw that are seen; of few instances all."""
    draw: Draw = scene.scene.draws[index]
    count = len(draw.rows)
    if count < FEWEST and draw.span == ANY_DISTANCE and draw.grid is None:
        return Seen(None, scene.instances[index], count)
    key = (scene.serial, margin, eye.view.tobytes(), eye.projection.tobytes())
    known = scene.seen.get(index)
    if known is not None and known.key == key:
        return known
    order, outside = seen_order(draw, scene.standing(index, bounds), eye, margin)
    size = scene.instances[index].size
    if known is not None and known.buffer.size == size:
        buffer = known.buffer
    else:
        buffer = context.buffer(reserve=size)
        scene.let_go(index)
    if len(order):
        buffer.write(instance_data(draw, order).tobytes())
    scene.seen[index] = Seen(key, buffer, len(order), outside)
    return scene.seen[index]
