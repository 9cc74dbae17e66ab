"""Camera mathematics: view and projection matrices, and rays through pixels."""

from __future__ import annotations

import numpy as np

from jade_coat.program.types import Array
from jade_coat.view.requests import Eye


def look_at(position: Array, target: Array) -> Array:
    """The view matrix of an eye that looks at a point with +y up, `(4, 4)`."""
    back = position - target
    back = back / np.linalg.norm(back)
    above = (0.0, 1.0, 0.0) if abs(back[1]) < 1 - 1e-9 else (0.0, 0.0, -1.0)  # straight down, north is up
    right = np.cross(above, back)
    right = right / max(float(np.linalg.norm(right)), 1e-9)
    up = np.cross(back, right)
    view = np.eye(4)
    view[:3, :3] = np.stack([right, up, back])
    view[:3, 3] = -view[:3, :3] @ position
    return view


def look_at_by(position: Array, right: Array, up: Array, ahead: Array) -> Array:
    """The view matrix `(4, 4)` of an eye whose own axes are given, unit and at right angles."""
    view = np.eye(4)
    view[:3, :3] = np.stack([right, up, -ahead])
    view[:3, 3] = -view[:3, :3] @ position
    return view


def perspective(field_of_view: float, aspect: float, near: float, far: float) -> Array:
    """OpenGL's perspective projection, `(4, 4)`; the field of view is vertical, in radians."""
    f = 1 / np.tan(field_of_view / 2)
    projection = np.zeros((4, 4))
    projection[0, 0], projection[1, 1] = f / aspect, f
    projection[2, 2], projection[2, 3] = (far + near) / (near - far), 2 * far * near / (near - far)
    projection[3, 2] = -1
    return projection


def orthographic(half: float, depth: float) -> Array:
    """An orthographic projection of a cube of half-size `half`, looking along −z from 0 to −`depth`."""
    projection = np.eye(4)
    projection[0, 0] = projection[1, 1] = 1 / half
    projection[2, 2], projection[2, 3] = -2 / depth, -1
    return projection


def eye_of(position: Array, target: Array, field_of_view: float, aspect: float) -> Eye:
    """A camera for the renderer; near and far planes follow the distance."""
    distance = float(np.linalg.norm(position - target))
    projection = perspective(field_of_view, aspect, distance * 0.03, distance * 60 + 60)
    return Eye(look_at(position, target), projection, np.asarray(position, float))


def planes(view_projection: Array, part: tuple[float, float, float, float] = (0.0, 0.0, 1.0, 1.0)) -> Array:
    """The six planes `(6, 4)` that bound what a camera sees, normals inwards and of length 1.

    `part` is that of the picture: left, top, right, bottom, from 0 to 1. Gribb & Hartmann 2001, Fast Extraction of
    Viewing Frustum Planes from the World-View-Projection Matrix.
    """
    x, y, z, w = np.asarray(view_projection, np.float64)
    left, top, right, bottom = part
    sides = [x - (2 * left - 1) * w, (2 * right - 1) * w - x, y - (1 - 2 * bottom) * w, (1 - 2 * top) * w - y]
    found = np.stack([*sides, w + z, w - z])
    return np.asarray(found / np.linalg.norm(found[:, :3], axis=1, keepdims=True))


def ray(eye: Eye, x: float, y: float) -> tuple[Array, Array]:
    """Origin and unit direction in world space through a point of the picture: x, y in 0–1 from the upper left."""
    inverse = np.linalg.inv(eye.projection @ eye.view)
    ends = [inverse @ np.array([2 * x - 1, 1 - 2 * y, z, 1.0]) for z in (-1.0, 1.0)]
    near, far = (e[:3] / e[3] for e in ends)
    direction = far - near
    return eye.position, direction / np.linalg.norm(direction)


def ways(eye: Eye, x: Array, y: Array) -> Array:
    """Unit directions in world space `(n, 3)` through points of the picture `(n,)`, 0–1 from the upper left."""
    inverse = np.linalg.inv(eye.projection @ eye.view)
    ends = []
    for z in (-1.0, 1.0):
        clip = np.stack([2 * x - 1, 1 - 2 * y, np.full(len(x), z), np.ones(len(x))], axis=1) @ inverse.T
        ends.append(clip[:, :3] / clip[:, 3:])
    direction = ends[1] - ends[0]
    return np.asarray(direction / np.linalg.norm(direction, axis=1, keepdims=True))


def project(eye: Eye, points: Array) -> Array:
    """World points `(n, 3)` as picture coordinates `(n, 2)`, 0–1 from the upper left."""
    clip = np.concatenate([points, np.ones((len(points), 1))], axis=1) @ (eye.projection @ eye.view).T
    ndc = clip[:, :2] / np.maximum(clip[:, 3:], 1e-9)
    return np.stack([ndc[:, 0] * 0.5 + 0.5, 0.5 - ndc[:, 1] * 0.5], axis=1)


def seen(eye: Eye, points: Array) -> Array:
    """World points `(n, 3)` as picture coordinates (0–1 from the upper left) and metres ahead of the eye, `(n, 3)`.

    What is not ahead of the eye has a third number of 0 or less, and coordinates that say nothing.
    """
    ahead = -(points @ eye.view[2, :3] + eye.view[2, 3])
    return np.concatenate([project(eye, points), ahead[:, None]], axis=1)


def on_line(point: Array, along: Array, origin: Array, way: Array) -> Array | None:
    """The place on a line (a point and a unit direction) that is nearest to a ray; None where both point alike."""
    slant = float(along @ way)
    if 1 - slant * slant < 0.02:
        return None
    between = origin - point
    return np.asarray(point + along * (float(between @ along - (between @ way) * slant) / (1 - slant * slant)))


def on_plane(point: Array, normal: Array, origin: Array, way: Array) -> Array | None:
    """Where a ray meets a plane; None where it runs along it, or away from it."""
    slant = float(way @ normal)
    far = float((point - origin) @ normal) / slant if abs(slant) >= 0.02 else 0.0
    return origin + way * far if 0 < far < 1e5 else None


def halton(index: int, base: int) -> float:
    """The `index`-th number of the Halton sequence, 0–1."""
    result, fraction = 0.0, 1.0
    while index > 0:
        fraction /= base
        result += fraction * (index % base)
        index //= base
    return result


def jittered(projection: Array, sample: int, width: int, height: int) -> Array:
    """The projection shifted by a part of a pixel, another for every sample; sample 0 is not shifted."""
    if sample == 0:
        return projection
    moved = projection.copy()
    moved[0, 2] += (2 * halton(sample, 2) - 1) / width
    moved[1, 2] += (2 * halton(sample, 3) - 1) / height
    return moved
