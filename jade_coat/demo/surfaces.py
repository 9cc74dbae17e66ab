"""The demo's surfaces: glazed wall tile, cushion moss, terrace clay and jar glaze, from fixed seeds."""

from __future__ import annotations

import numpy as np

from jade_coat.maps.color import hex_to_linear
from jade_coat.maps.synthesis import (
    Cells,
    SurfaceMaps,
    blur,
    cells,
    colored,
    ease,
    grid,
    noise,
    normal_from_height,
    occlusion_from_height,
)
from jade_coat.program.types import Array

TILE_COLUMNS, TILE_ROWS = 4, 8


def _rounded_box(x: Array, y: Array, half: tuple[float, float], radius: float) -> Array:
    """Signed distance to a box with rounded corners, negative inside, in the units of x and y."""
    qx, qy = np.abs(x) - half[0] + radius, np.abs(y) - half[1] + radius
    outside = np.hypot(np.maximum(qx, 0), np.maximum(qy, 0))
    return outside + np.minimum(np.maximum(qx, qy), 0) - radius


# Long: how one surface is made, step by step.
def glazed_tile(size: int, seed: int = 11) -> SurfaceMaps:
    """Hand-pressed tiles in a running bond, celadon glaze pooled at the edges, over deep mortar joints."""
    rng = np.random.default_rng(seed)
    x, y = grid(size)
    wobble = noise(size, seed + 1, 6, 2.4) * 0.0012
    row = np.floor(y * TILE_ROWS).astype(int)
    across = x * TILE_COLUMNS + 0.5 * (row % 2)
    column = np.floor(across).astype(int) % TILE_COLUMNS
    tile = row * TILE_COLUMNS + column
    count = TILE_COLUMNS * TILE_ROWS
    lean = rng.uniform(-1, 1, (3, count))
    px = (across - np.floor(across) - 0.5) / TILE_COLUMNS
    py = (y * TILE_ROWS - row - 0.5) / TILE_ROWS
    joint = 0.0105
    half = (0.5 / TILE_COLUMNS - joint / 2, 0.5 / TILE_ROWS - joint / 2)
    shrink = rng.uniform(0.0, 0.0016, count)[tile]
    edge = _rounded_box(px, py, half, 0.010) + shrink + wobble
    inside = ease(0.0, 0.0075, -edge)
    dome = ease(0.0, 0.06, -edge) * 0.045
    tilt = (lean[0][tile] * px + lean[1][tile] * py) * 0.55 + lean[2][tile] * 0.02
    pressed = blur(noise(size, seed + 2, 10, 1.9), 0.002) * 0.011
    mortar = 0.12 + 0.028 * noise(size, seed + 3, 60, 1.0) + 0.02 * noise(size, seed + 4, 10, 1.6)
    face = 0.86 + dome + tilt + pressed
    height = np.clip(mortar * (1 - inside) + face * inside, 0, 1)

    shade = rng.normal(0, 1, count)[tile]
    pool = ease(0.0, 0.020, -edge)  # glaze runs thick towards the rim's foot
    thin = ease(0.0045, 0.0090, -edge) * (1 - ease(0.0090, 0.0150, -edge))  # and breaks over the arris
    cloud = noise(size, seed + 5, 5, 2.0) * 0.5 + noise(size, seed + 6, 22, 1.6) * 0.22
    tone = 0.5 + 0.13 * shade + 0.10 * cloud - 0.20 * (1 - pool)
    glaze = colored(tone, (
        (0.0, hex_to_linear("#2c4f47")), (0.3, hex_to_linear("#4b7565")), (0.55, hex_to_linear("#7a9f8b")),
        (0.8, hex_to_linear("#9cc4ae")), (1.0, hex_to_linear("#c3dac2")),
    ))  # fmt: skip
    speck = cells(size, seed + 7, 900)
    iron = ease(0.0030, 0.0010, speck.first) * (rng.random(900)[speck.index] < 0.35)
    glaze = glaze * (1 - 0.75 * iron[..., None]) + np.array(hex_to_linear("#4a3420")) * 0.75 * iron[..., None]
    bare = np.array(hex_to_linear("#b59a74"))
    glaze = glaze + (bare - glaze) * (0.42 * thin * (0.65 + 0.35 * np.tanh(cloud)))[..., None]
    lime = colored(0.5 + 0.22 * noise(size, seed + 8, 30, 1.2), (
        (0.0, hex_to_linear("#4d463c")), (0.6, hex_to_linear("#857a68")), (1.0, hex_to_linear("#a99d88")),
    ))  # fmt: skip
    color = lime * (1 - inside[..., None]) + glaze * inside[..., None]
    rough_glaze = 0.13 + 0.10 * np.clip(cloud, -1, 1) * 0.6 + 0.25 * thin + 0.35 * iron
    roughness = np.clip(0.95 * (1 - inside) + rough_glaze * inside, 0.05, 1)
    return SurfaceMaps(
        np.clip(color, 0, 1).astype(np.float32), height.astype(np.float32), roughness.astype(np.float32),
        normal_from_height(height, 0.017), occlusion_from_height(height, 5.5),
    )  # fmt: skip


def cushion_moss(size: int, seed: int = 23) -> SurfaceMaps:
    """Cushions of moss: rounded clumps of many sizes, fibres on top, yellow tips over dark green."""
    warp = np.stack([noise(size, seed + i, 12, 2.0) for i in (1, 2)]) * 0.006
    big, small, tuft = (cells(size, seed + 3 + i, n, warp) for i, n in enumerate((90, 700, 6000)))

    def domes(c: Cells, reach: float) -> Array:
        return np.sqrt(np.clip(1 - (c.first * np.sqrt(c.count) / reach) ** 2, 0, 1))

    fibre = noise(size, seed + 9, 140, 0.7)
    swell = noise(size, seed + 8, 3, 2.2)
    body = 0.50 * domes(big, 0.95) + 0.26 * domes(small, 0.9) + 0.14 * domes(tuft, 0.9)
    height = body + 0.045 * swell + 0.018 * fibre
    height = np.clip((height - height.min()) / np.ptp(height), 0, 1)
    tone = np.clip(0.10 + 0.78 * height + 0.055 * fibre + 0.07 * swell, 0, 1)
    color = colored(tone, (
        (0.0, hex_to_linear("#141c08")), (0.35, hex_to_linear("#33450f")), (0.62, hex_to_linear("#56671f")),
        (0.85, hex_to_linear("#6f7b2e")), (1.0, hex_to_linear("#98954a")),
    ))  # fmt: skip
    young = ease(0.2, 1.6, noise(size, seed + 12, 4, 2.0))[..., None]
    color = color * (1 + young * np.array([0.10, 0.22, -0.15]))
    return SurfaceMaps(
        np.clip(color, 0, 1).astype(np.float32), height.astype(np.float32),
        np.clip(0.88 + 0.05 * fibre, 0.6, 1).astype(np.float32), normal_from_height(height, 0.022),
        occlusion_from_height(height, 2.6),
    )  # fmt: skip


def terrace_clay(size: int, seed: int = 37) -> SurfaceMaps:
    """Trodden red clay with pressed-in pebbles and fine drying cracks."""
    warp = np.stack([noise(size, seed + i, 8, 2.0) for i in (1, 2)]) * 0.008
    ground = noise(size, seed + 3, 4, 2.1) * 0.06 + noise(size, seed + 4, 30, 1.3) * 0.016
    crack = cells(size, seed + 5, 70, warp)
    gap = (crack.second - crack.first) * np.sqrt(crack.count)
    cracks = 1 - ease(0.0, 0.045, gap + 0.02 * noise(size, seed + 6, 40, 1.2))
    stone = cells(size, seed + 7, 260, warp * 0.4)
    rng = np.random.default_rng(seed)
    radius = rng.uniform(0.10, 0.42, stone.count)[stone.index] * (rng.random(stone.count)[stone.index] < 0.55)
    reach = stone.first * np.sqrt(stone.count)
    pebble = np.sqrt(np.clip(1 - (reach / np.maximum(radius, 1e-3)) ** 2, 0, 1))
    height = np.clip(0.45 + ground - 0.16 * cracks + 0.30 * pebble * radius * 2, 0, 1)
    tone = np.clip(0.5 + 2.2 * ground + 0.06 * noise(size, seed + 8, 90, 0.8) - 0.25 * cracks, 0, 1)
    clay = colored(tone, (
        (0.0, hex_to_linear("#4b2a1c")), (0.5, hex_to_linear("#8a5238")), (1.0, hex_to_linear("#bb7f58")),
    ))  # fmt: skip
    grey = colored(rng.random(stone.count)[stone.index], (
        (0.0, hex_to_linear("#6b5f55")), (1.0, hex_to_linear("#a89c8c")),
    ))  # fmt: skip
    mask = ease(0.05, 0.45, pebble)[..., None]
    color = clay * (1 - mask) + grey * mask * (0.75 + 0.25 * pebble[..., None])
    roughness = np.clip(0.9 - 0.25 * mask[..., 0] + 0.03 * noise(size, seed + 9, 60, 1.0), 0.3, 1)
    return SurfaceMaps(
        color.astype(np.float32), height.astype(np.float32), roughness.astype(np.float32),
        normal_from_height(height, 0.02), occlusion_from_height(height, 4.0),
    )  # fmt: skip


def run_glaze(size: int, seed: int = 53) -> SurfaceMaps:
    """A jar's glaze: throwing rings under it, broad runs that flowed downward, a fine crackle."""
    _, y = grid(size)
    rings = np.sin(y * 2 * np.pi * 22 + 1.1 * noise(size, seed + 1, 3, 2.4)) + 0.35 * noise(size, seed + 2, 6, 2.0)
    flow = noise(size, seed + 3, 7, 1.9)
    run = np.stack([np.roll(flow, int(k * size / 40), 0) * 0.86**k for k in range(18)]).sum(axis=0)
    run = run / run.std()
    mottle = noise(size, seed + 7, 26, 1.5)
    warp = np.stack([noise(size, seed + i, 10, 2.0) for i in (4, 5)]) * 0.01
    plate = cells(size, seed + 6, 300, warp)
    crackle = 1 - ease(0.0, 0.028, (plate.second - plate.first) * np.sqrt(plate.count))
    height = np.clip(0.6 + 0.035 * rings + 0.06 * run - 0.06 * crackle, 0, 1)
    tone = np.clip(0.60 + 0.11 * run + 0.035 * rings + 0.045 * mottle, 0, 1)
    color = colored(
        tone,
        (
            (0.0, hex_to_linear("#7d6b50")),
            (0.45, hex_to_linear("#b7a583")),
            (0.7, hex_to_linear("#d8caaa")),
            (1.0, hex_to_linear("#efe7d3")),
        ),
    )
    color = color * (1 - 0.35 * crackle[..., None])
    roughness = np.clip(0.20 + 0.05 * run + 0.03 * mottle + 0.25 * crackle, 0.05, 1)
    return SurfaceMaps(
        color.astype(np.float32),
        height.astype(np.float32),
        roughness.astype(np.float32),
        normal_from_height(height, 0.008),
        occlusion_from_height(height, 3.0),
    )


def lime_plaster(size: int, seed: int = 71) -> SurfaceMaps:
    """Lime plaster laid on by hand: broad trowel strokes, grains of sand, hair cracks, a little stain."""
    x, y = grid(size)
    stroke = (
        noise(size, seed + 1, 5, 2.2) * 0.5
        + np.sin((x * 3 + y * 5 + 0.11 * noise(size, seed + 2, 4, 2.2)) * 2 * np.pi) * 0.25
    )
    grain = noise(size, seed + 3, 120, 0.8)
    sand = cells(size, seed + 4, 5000)
    grains = np.clip(1 - (sand.first * np.sqrt(sand.count) / 0.35) ** 2, 0, 1)
    warp = np.stack([noise(size, seed + i, 9, 2.0) for i in (5, 6)]) * 0.02
    plate = cells(size, seed + 7, 26, warp)
    crack = 1 - ease(0.0, 0.02, (plate.second - plate.first) * np.sqrt(plate.count))
    height = np.clip(0.56 + 0.10 * stroke + 0.018 * grain + 0.05 * grains - 0.16 * crack, 0, 1)
    stain = noise(size, seed + 8, 4, 2.0)
    tone = np.clip(0.6 + 0.12 * stroke + 0.05 * grain + 0.12 * stain - 0.3 * crack, 0, 1)
    color = colored(tone, (
        (0.0, hex_to_linear("#6f6455")), (0.45, hex_to_linear("#b3a68f")), (0.75, hex_to_linear("#d3c8b2")),
        (1.0, hex_to_linear("#e8e0cf")),
    ))  # fmt: skip
    return SurfaceMaps(
        color.astype(np.float32), height.astype(np.float32),
        np.clip(0.9 + 0.04 * grain, 0.6, 1).astype(np.float32), normal_from_height(height, 0.016),
        occlusion_from_height(height, 3.0),
    )  # fmt: skip


def wall_repairs(side: int = 64, seed: int = 5) -> Array:
    """Where a wall was patched: a mask `(side, side) uint8` of a few soft blots, painted as coarsely as people do."""
    rng = np.random.default_rng(seed)
    x, y = (np.arange(side)[None] + 0.5) / side, (np.arange(side)[:, None] + 0.5) / side
    total = np.zeros((side, side))
    for cx, cy, rx, ry in ((0.30, 0.34, 0.13, 0.20), (0.385, 0.52, 0.07, 0.13), (0.66, 0.30, 0.11, 0.15),
                           (0.73, 0.42, 0.06, 0.11), (0.52, 0.16, 0.17, 0.06), (0.10, 0.62, 0.08, 0.13)):  # fmt: skip
        away = np.hypot((x - cx) / rx, (y - cy) / ry)
        total = np.maximum(total, ease(1.15, 0.45, away))
    total *= 0.84 + 0.16 * rng.random((side, side))
    return np.asarray(np.round(np.clip(total, 0, 1) * 255), np.uint8)
