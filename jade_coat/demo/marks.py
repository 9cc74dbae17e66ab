"""An atlas of twelve marks that are laid on walls and jars as decals, from fixed seeds: colour, what shows, height."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np

from jade_coat.maps.color import hex_to_linear, to_srgb
from jade_coat.maps.images import png_bytes
from jade_coat.maps.synthesis import blur, ease, noise, normal_from_height
from jade_coat.program.types import Array

COLUMNS, ROWS = 4, 3
Mark = tuple[Array, Array, Array, Array]
"""Linear colour `(n, n, 3)`, how much shows, height and roughness `(n, n)`, each 0 to 1."""


def _grid(n: int) -> tuple[Array, Array]:
    at = (np.arange(n) + 0.5) / n
    x, y = np.meshgrid(at, at)
    return x, y


def _plain(hexed: str, n: int) -> Array:
    return np.broadcast_to(np.array(hex_to_linear(hexed)), (n, n, 3)).copy()


def _edge(x: Array, y: Array) -> Array:
    """1 inside, falling to 0 towards the edge of a cell."""
    return ease(0.0, 0.09, np.minimum(np.minimum(x, 1 - x), np.minimum(y, 1 - y)))


def soot(n: int, seed: int) -> Mark:
    """A tongue of soot that rises and thins upward."""
    x, y = _grid(n)
    sway = 0.05 * noise(n, seed, 3, 2.6)
    width = 0.06 + 0.30 * y**1.3
    body = ease(1.0, 0.15, np.abs(x - 0.5 + sway * (1 - y)) / width) * ease(0.02, 0.75, y) * ease(1.0, 0.9, y)
    grain = 0.82 + 0.14 * noise(n, seed + 1, 7, 2.2)
    return _plain("#120f0d", n), np.clip(body * grain, 0, 1) * _edge(x, y), np.full((n, n), 0.5), np.full((n, n), 0.95)


def drips(n: int, seed: int) -> Mark:
    """Glaze that ran down in thick threads."""
    x, y = _grid(n)
    rng = np.random.default_rng(seed)
    body, rise = np.zeros((n, n)), np.zeros((n, n))
    for _ in range(9):
        at, wide, end = rng.uniform(0.12, 0.88), rng.uniform(0.018, 0.04), rng.uniform(0.35, 0.92)
        across = np.abs(x - at - 0.01 * np.sin(y * 9 + at * 40)) / (
            wide * (1 + 0.5 * np.exp(-(((y - end) / 0.05) ** 2)))
        )
        thread = ease(1.0, 0.7, across) * ease(end + 0.03, end - 0.01, y)
        body = np.maximum(body, thread)
        rise = np.maximum(rise, np.sqrt(np.clip(1 - across**2, 0, 1)) * (thread > 0.02))
    top = ease(0.16, 0.06, y + 0.03 * noise(n, seed + 3, 6, 2.0))
    body, rise = np.maximum(body, top), np.maximum(rise, top * 0.8)
    color = _plain("#3f6d63", n) * (0.75 + 0.5 * rise[..., None])
    return color, body * _edge(x, y), 0.5 + 0.4 * rise, np.full((n, n), 0.12)


def chip(n: int, seed: int) -> Mark:
    """A chip knocked out, with a raw body and a bright arris."""
    x, y = _grid(n)
    r = np.hypot(x - 0.5, (y - 0.5) * 1.15) + 0.055 * noise(n, seed, 3, 2.5)
    inside = ease(0.36, 0.32, r)
    arris = ease(0.30, 0.34, r) * ease(0.40, 0.36, r)
    raw = 0.9 + 0.10 * noise(n, seed + 1, 18, 1.6)
    color = _plain("#a98a63", n) * raw[..., None] + arris[..., None] * 0.25
    height = 0.5 - 0.45 * inside * (0.75 + 0.25 * noise(n, seed + 2, 9, 1.5))
    return np.clip(color, 0, 1), inside * _edge(x, y), np.clip(height, 0, 1), np.full((n, n), 0.92)


def moss(n: int, seed: int) -> Mark:
    """A cushion of moss that thins out at its border."""
    x, y = _grid(n)
    r = np.hypot(x - 0.5, y - 0.55) + 0.085 * noise(n, seed, 3, 2.4)
    tufts = np.clip(0.5 + 0.22 * noise(n, seed + 1, 26, 1.7), 0, 1)
    body = ease(0.45, 0.30, r + 0.10 * (1 - tufts))
    color = _plain("#49591d", n) * (0.55 + 0.9 * tufts[..., None])
    return np.clip(color, 0, 1), body * _edge(x, y), 0.5 + 0.35 * body * tufts, np.full((n, n), 0.98)


def stain(n: int, seed: int) -> Mark:
    """Water that ran and left a darker film with a pale rim of salt."""
    x, y = _grid(n)
    front = 0.5 + 0.045 * noise(n, seed, 3, 2.6)
    width = 0.10 + 0.26 * (1 - np.abs(y - 0.45))
    off = np.abs(x - front) / width
    body = ease(1.0, 0.72, off) * ease(0.03, 0.2, y) * ease(0.98, 0.7, y)
    rim = ease(0.72, 0.86, off) * ease(1.02, 0.92, off) * ease(0.05, 0.2, y) * ease(0.98, 0.75, y)
    color = _plain("#3a3128", n) * (1 - rim[..., None]) + _plain("#c9bfae", n) * rim[..., None]
    return color, np.clip(0.55 * body + 0.5 * rim, 0, 1) * _edge(x, y), np.full((n, n), 0.5), 0.35 + 0.5 * rim


def sign(n: int, seed: int) -> Mark:
    """A painted sign of our own: a jar under a roof, brushed with a half-dry brush."""
    picture = np.zeros((n, n), np.uint8)
    u = n / 100
    roof = np.array([(14, 38), (50, 14), (86, 38), (78, 42), (50, 24), (22, 42)]) * u
    body = (
        np.array([(40, 46), (60, 46), (60, 51), (72, 62), (72, 76), (62, 86), (38, 86), (28, 76), (28, 62), (40, 51)])
        * u
    )
    for shape in (roof, body):
        cv2.fillPoly(picture, [np.round(shape).astype(np.int32)], 255, cv2.LINE_AA)
    cv2.line(
        picture, (round(34 * u), round(68 * u)), (round(66 * u), round(68 * u)), 0, max(round(3 * u), 1), cv2.LINE_AA
    )
    shown = picture.astype(np.float64) / 255
    dry = ease(0.30, 0.62, 0.66 + 0.16 * noise(n, seed, 22, 1.6) + 0.12 * noise(n, seed + 1, 5, 2.2))
    return _plain("#7d1f14", n), shown * dry, np.full((n, n), 0.52), np.full((n, n), 0.7)


def ring(n: int, seed: int) -> Mark:
    """The ring that a wet jar left on a board."""
    x, y = _grid(n)
    r = np.hypot(x - 0.5, y - 0.5) + 0.005 * noise(n, seed, 4, 2.4)
    body = ease(0.045, 0.015, np.abs(r - 0.36)) * (0.75 + 0.18 * noise(n, seed + 1, 6, 2.2))
    return _plain("#efe7d8", n), np.clip(body, 0, 1) * 0.8, np.full((n, n), 0.5), np.full((n, n), 0.8)


def crack(n: int, seed: int) -> Mark:
    """A crack that forks on its way down."""
    x, y = _grid(n)
    rng = np.random.default_rng(seed)
    line = np.zeros((n, n), np.uint8)

    def walk(at: float, top: float, end: float, wide: float) -> None:
        points = [(at, top)]
        while points[-1][1] < end:
            points.append((points[-1][0] + rng.normal(0, 0.022), points[-1][1] + 0.03))
        way = np.round(np.array(points) * n).astype(np.int32)
        cv2.polylines(line, [way], False, 255, max(round(wide * n), 1), cv2.LINE_AA)
        if wide > 0.006:
            mid = points[len(points) // 2]
            walk(mid[0], mid[1], min(end, mid[1] + 0.35), wide * 0.6)

    walk(0.5, 0.06, 0.94, 0.011)
    body = blur(line.astype(np.float64) / 255, 0.0012)
    return _plain("#1b1613", n), np.clip(body * 1.3, 0, 1) * _edge(x, y), 0.5 - 0.45 * body, np.full((n, n), 0.95)


def rust(n: int, seed: int) -> Mark:
    """Verdigris that bled from a nail or a collar."""
    x, y = _grid(n)
    head = ease(0.09, 0.05, np.hypot(x - 0.5, y - 0.16))
    run = (
        ease(1.0, 0.2, np.abs(x - 0.5 + 0.03 * noise(n, seed, 5, 2.0)) / (0.05 + 0.10 * y))
        * ease(0.10, 0.2, y)
        * ease(0.95, 0.3, y)
    )
    color = _plain("#4f9a86", n) * (1 - head[..., None]) + _plain("#2a2019", n) * head[..., None]
    return color, np.clip(np.maximum(run * 0.8, head), 0, 1) * _edge(x, y), 0.5 + 0.2 * head, np.full((n, n), 0.75)


def splash(n: int, seed: int) -> Mark:
    """Slip that splashed: a blot and its drops."""
    x, y = _grid(n)
    rng = np.random.default_rng(seed)
    body = ease(0.20, 0.16, np.hypot(x - 0.5, y - 0.5) + 0.045 * noise(n, seed, 4, 2.4))
    for _ in range(26):
        angle, away = rng.uniform(0, 2 * np.pi), rng.uniform(0.18, 0.45)
        size = rng.uniform(0.006, 0.028)
        body = np.maximum(
            body, ease(size, size * 0.7, np.hypot(x - 0.5 - away * np.cos(angle), y - 0.5 - away * np.sin(angle)))
        )
    return _plain("#d9c3a0", n), body * _edge(x, y), 0.5 + 0.3 * body, np.full((n, n), 0.85)


def ash(n: int, seed: int) -> Mark:
    """Pale ash blown into a corner."""
    x, y = _grid(n)
    drift = ease(0.15, 0.85, y + 0.10 * noise(n, seed, 3, 2.4)) * ease(1.0, 0.92, y)
    grain = ease(0.25, 0.75, 0.5 + 0.2 * noise(n, seed + 1, 40, 1.5))
    return (
        _plain("#b8ad9a", n),
        np.clip(drift * (0.35 + 0.65 * grain), 0, 1) * _edge(x, y),
        np.full((n, n), 0.55),
        np.full((n, n), 0.97),
    )


def lichen(n: int, seed: int) -> Mark:
    """Round spots of lichen."""
    x, y = _grid(n)
    rng = np.random.default_rng(seed)
    body, age = np.zeros((n, n)), np.zeros((n, n))
    for _ in range(22):
        at, size = rng.uniform(0.12, 0.88, 2), rng.uniform(0.02, 0.09)
        r = np.hypot(x - at[0], y - at[1]) / size + 0.09 * noise(n, seed + 2, 14, 2.0)
        spot = ease(1.0, 0.8, r)
        body, age = np.maximum(body, spot), np.where(spot > 0.4, np.clip(r, 0, 1), age)
    color = _plain("#9fae8d", n) * (0.75 + 0.45 * age[..., None])
    return np.clip(color, 0, 1), body * 0.9 * _edge(x, y), 0.5 + 0.15 * body, np.full((n, n), 0.95)


MARKS: tuple[tuple[str, Callable[[int, int], Mark], tuple[float, float]], ...] = (
    ("Soot tongue", soot, (0.55, 1.1)), ("Glaze drips", drips, (0.6, 0.7)), ("Chip", chip, (0.22, 0.22)),
    ("Moss cushion", moss, (0.6, 0.5)), ("Water stain", stain, (0.5, 1.0)), ("Pottery sign", sign, (0.7, 0.7)),
    ("Jar ring", ring, (0.4, 0.4)), ("Crack", crack, (0.35, 0.9)), ("Verdigris run", rust, (0.25, 0.7)),
    ("Slip splash", splash, (0.7, 0.7)), ("Blown ash", ash, (1.0, 0.7)), ("Lichen spots", lichen, (0.8, 0.8)),
)  # fmt: skip
"""Name, picture and size in metres of each mark, in the order of the atlas' cells."""


def atlas(side: int) -> dict[str, bytes]:
    """The files of the atlas by role, as PNG; `side` is the width of a cell in texels."""
    height, width = ROWS * side, COLUMNS * side
    color, shown = np.zeros((height, width, 3)), np.zeros((height, width))
    relief, rough = np.full((height, width), 0.5), np.full((height, width), 0.8)
    normal = np.zeros((height, width, 3))
    for i, (_, make, _) in enumerate(MARKS):
        row, column = divmod(i, COLUMNS)
        at = (slice(row * side, (row + 1) * side), slice(column * side, (column + 1) * side))
        color[at], shown[at], relief[at], rough[at] = make(side, 40 + i)
        normal[at] = normal_from_height(relief[at], 0.05)
    normal = normal if normal.min() < 0 else normal * 2 - 1

    def eight(values: Array) -> Array:
        return (np.clip(values, 0, 1) * 255 + 0.5).astype(np.uint8)

    return {
        "base_color": png_bytes(eight(to_srgb(color))), "opacity": png_bytes(eight(shown)),
        "height": png_bytes(eight(relief)), "roughness": png_bytes(eight(rough)),
        "normal": png_bytes(eight(normal * 0.5 + 0.5)),
    }  # fmt: skip
