"""Small pictures of what each side made of something that collides: looks, maps, paint, weights and heights."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import cv2
import numpy as np
from PyQt6.QtGui import QImage

from jade_coat.app.controls.images import image_from
from jade_coat.app.merging import TwoSides
from jade_coat.app.thing_pictures import picture_of
from jade_coat.files.assets import Assets
from jade_coat.ground.heights import Heights
from jade_coat.ground.pages import Pages
from jade_coat.mesh.painting import Paint, PaintMap
from jade_coat.program.types import Array
from jade_coat.stage.merging import ABSENT, Collision
from jade_coat.stage.project import Project

WIDTH, HEIGHT = 132, 84


def side_picture(sides: TwoSides, collision: Collision, value: Any, project: Project, assets: Assets) -> QImage | None:
    """What a side's version looks like; None where there is no picture of it."""
    if value is ABSENT:
        return None
    try:
        pixels = _pixels(sides, collision, value)
        if pixels is not None:
            return image_from(pixels)
        kind, wanted = collision.place[0], collision.place[1] if len(collision.place) > 1 else ""
        if kind in ("map_sets", "materials", "finishes") and any(i.id == wanted for i in getattr(project, kind)):
            return picture_of(project, assets, (kind, wanted))  # type: ignore[arg-type]
    except (OSError, ValueError, KeyError):
        return None
    return None


def _pixels(sides: TwoSides, collision: Collision, value: Any) -> Array | None:
    """A picture `(h, w, 3)`, 0 to 1, of an array."""
    if isinstance(value, dict) and set(value) == {"paint", "paint_map"}:
        value = value["paint_map"] if value["paint_map"] is not None else value["paint"]
    if isinstance(value, PaintMap):
        return _fitted(value.picture()[..., :3] / float(value.paint.full))
    if isinstance(value, Heights):
        return _land(value)
    if isinstance(value, Mapping) and value and all(isinstance(v, Pages) for v in value.values()):
        return _weights(value, collision)
    if isinstance(value, Paint):
        return _vertices(sides, collision, value)
    return None


def _fitted(picture: Array) -> Array:
    scale = min(WIDTH / picture.shape[1], HEIGHT / picture.shape[0])
    size = (max(round(picture.shape[1] * scale), 1), max(round(picture.shape[0] * scale), 1))
    small = cv2.resize(np.ascontiguousarray(picture, np.float32), size, interpolation=cv2.INTER_AREA)
    return np.asarray(small.reshape(size[1], size[0], -1))


def _land(heights: Heights) -> Array:
    """Heights as light from the upper left falls on them."""
    step = max(heights.pages.columns // 256, 1)
    values = heights.whole[::step, ::step].astype(np.float64)
    down, across = np.gradient(values, heights.spacing[1] * step, heights.spacing[0] * step)
    light = (1 - across - down) / np.sqrt(1 + across**2 + down**2) / np.sqrt(3.0)
    span = max(float(np.ptp(values)), 1e-9)
    shade = np.clip(0.2 + 0.6 * light + 0.2 * (values - values.min()) / span, 0, 1)
    return _fitted(np.repeat(shade[..., None], 3, axis=2))


def _weights(grids: Mapping[str, Pages], collision: Collision) -> Array:
    """The weights of the layer in which both sides differ most."""
    mine, theirs = collision.mine, collision.theirs
    name = max(grids, key=lambda n: len(mine[n].changed_from(theirs[n])) if n in mine and n in theirs else -1)
    return _fitted(np.repeat(grids[name].whole()[..., None] / 255.0, 3, axis=2))


def _vertices(sides: TwoSides, collision: Collision, paint: Paint) -> Array | None:
    """The vertices of a prop from its broadest side, each in the colour of its paint."""
    prop = sides.mine.props.get(collision.place[1])
    if prop is None:
        return None
    mesh = sides.library.mesh_by_id(sides.mine, prop.mesh)
    if mesh.vertex_count != paint.count:
        return None
    low, high = mesh.bounds
    thin = int(np.argmin(high - low))
    axes = [(2, 1), (0, 2), (0, 1)][thin]
    at = (mesh.positions[:, axes] - low[[*axes]]) / max(float((high - low)[[*axes]].max()), 1e-9)
    side = min(WIDTH, HEIGHT) - 1
    column = (at[:, 0] * side).astype(int)
    row = ((1 - at[:, 1]) * side).astype(int)
    picture = np.full((side + 1, side + 1, 3), 0.12)
    picture[row, column] = 0.25 + 0.75 * paint.whole()[:, :3] / float(paint.full)
    return picture
