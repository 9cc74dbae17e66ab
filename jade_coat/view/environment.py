"""Image-based light: a synthesised sky, its irradiance in spherical harmonics, and its blurred reflections."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np

from jade_coat.program.types import Array

MAP_SIDE = 64
LEVELS = 6
FINE_WIDTH = 1024
"""Texels across to which a picture of the sky is reduced before its light is gathered."""
COARSE = (32, 64)
"""Blocks down and across that its light is gathered in, at least."""
"""Roughness 0, 0.2, …, 1 of the reflection map's layers."""


@dataclass(frozen=True)
class Environment:
    """Light from all around: `irradiance` `(9, 3)` SH of E/π; `reflections` `(LEVELS, side, side, 3)` octahedral."""

    irradiance: Array
    reflections: Array


DARK = Environment(np.zeros((9, 3), np.float32), np.zeros((LEVELS, MAP_SIDE, MAP_SIDE, 3), np.float32))


def directions(side: int) -> Array:
    """The unit direction of every texel of an octahedral map, `(side, side, 3)`; +y is the middle."""
    line = (np.arange(side) + 0.5) / side * 2 - 1
    x, z = np.meshgrid(line, line)
    y = 1 - np.abs(x) - np.abs(z)
    fold = np.maximum(-y, 0)
    v = np.stack([x - np.sign(x) * fold, y, z - np.sign(z) * fold], axis=-1)
    return np.asarray(v / np.linalg.norm(v, axis=-1, keepdims=True))


def hazy_morning(d: Array, sun: Array) -> Array:
    """Radiance `(…, 3)` of a hazy sky over a clay terrace, for unit directions `(…, 3)`; near neutral in the mean."""
    up = d[..., 1:2]
    zenith, horizon = np.array([0.50, 0.58, 0.70]), np.array([1.05, 1.02, 0.95])
    ground, hills = np.array([0.17, 0.155, 0.135]), np.array([0.20, 0.22, 0.20])
    sky = horizon + (zenith - horizon) * np.clip(up, 0, 1) ** 0.55
    azimuth = np.arctan2(d[..., 0:1], d[..., 2:3])
    cloud = 0.5 + 0.5 * np.sin(azimuth * 3 + 7 * np.clip(up, 0, 1) + 1.3) * np.sin(azimuth * 2 - 9 * up)
    sky = sky * (0.80 + 0.50 * cloud * np.clip(up * 3, 0, 1))
    ridge = 0.06 + 0.035 * np.sin(azimuth * 5 + 0.7) + 0.02 * np.sin(azimuth * 11)
    blend = np.clip((up - ridge) / 0.03 + 0.5, 0, 1)
    land = ground + (hills - ground) * np.clip((up + 0.12) / 0.14, 0, 1)
    radiance = land + (sky - land) * blend
    glow = np.clip((d * sun).sum(axis=-1, keepdims=True), 0, 1)
    return radiance + (glow**24 * 2.2 + glow**4 * 0.25) * np.array([1.0, 0.93, 0.82]) * blend


def overcast(d: Array, sun: Array) -> Array:
    """Radiance of an even grey sky, brightest overhead (CIE overcast: a third as bright at the horizon)."""
    up = d[..., 1:2]
    sky = np.array([0.92, 0.96, 1.0]) * (1 + 2 * np.clip(up, 0, 1)) / 3 * 1.5
    ground = np.array([0.20, 0.19, 0.175]) * (1 + 0.2 * np.clip(up, -1, 0))
    blend = np.clip(up / 0.05 + 0.5, 0, 1)
    return ground + (sky - ground) * blend + 0.0 * sun[0]


def kiln_evening(d: Array, sun: Array) -> Array:
    """Radiance at dusk: a deep sky, a band of embers where the sun went, and the warm mouth of a kiln opposite."""
    up = d[..., 1:2]
    zenith, horizon = np.array([0.045, 0.06, 0.12]), np.array([0.34, 0.22, 0.20])
    sky = horizon + (zenith - horizon) * np.clip(up * 1.4, 0, 1) ** 0.5
    flat = sun * np.array([1.0, 0.0, 1.0])
    flat = flat / max(float(np.linalg.norm(flat)), 1e-6)
    toward = np.clip((d * flat).sum(axis=-1, keepdims=True), 0, 1)
    sky = sky + np.array([1.6, 0.55, 0.16]) * toward**3 * np.exp(-((up / 0.16) ** 2))
    ground = np.array([0.06, 0.05, 0.045])
    blend = np.clip(up / 0.04 + 0.5, 0, 1)
    mouth = np.clip(-(d * flat).sum(axis=-1, keepdims=True), 0, 1) ** 40
    return ground + (sky - ground) * blend + mouth * np.array([5.0, 1.7, 0.5]) * np.exp(-(((up - 0.1) / 0.2) ** 2))


SKIES = {"morning": hazy_morning, "overcast": overcast, "evening": kiln_evening}
"""The synthesised skies: radiance `(…, 3)` of unit directions and the direction towards the sun."""
SKY_LABELS = {"morning": "Hazy morning", "overcast": "Overcast noon", "evening": "Kiln at dusk"}


def uniform_white(d: Array, sun: Array) -> Array:
    """Radiance 1 from everywhere: the furnace test's sky."""
    return np.ones(d.shape)


def _basis(d: Array) -> Array:
    """The nine real SH basis functions at directions `(n, 3)` (Ramamoorthi & Hanrahan 2001), `(n, 9)`."""
    x, y, z = d[..., 0], d[..., 1], d[..., 2]
    return np.stack([
        np.full_like(x, 0.282095), 0.488603 * y, 0.488603 * z, 0.488603 * x, 1.092548 * x * y, 1.092548 * y * z,
        0.315392 * (3 * z * z - 1), 1.092548 * x * z, 0.546274 * (x * x - y * y),
    ], axis=-1)  # fmt: skip


_BAND = np.array([1.0] + [2 / 3] * 3 + [1 / 4] * 5)
"""π, 2π/3, π/4 over π: what the cosine lobe leaves of each band, as E/π."""


def solid_angles(side: int) -> Array:
    """The solid angle of each texel of an octahedral map, `(side, side)`; they sum to 4π."""
    d = directions(side)
    # |d| in L1 norm is 1 on the octahedron; the area element there is 1/r³ with r its Euclidean length.
    weight = np.abs(d).sum(axis=-1) ** 3
    return np.asarray(weight / weight.sum() * 4 * np.pi)


def irradiance(radiance: Array, d: Array, weight: Array) -> Array:
    """SH coefficients `(9, 3)` of irradiance over π, from radiance samples `(n, 3)` with solid angles `(n,)`."""
    projected = (_basis(d) * weight[:, None]).T @ radiance
    return np.asarray(projected * _BAND[:, None])


def evaluate_irradiance(coefficients: Array, normal: Array) -> Array:
    """Irradiance over π at normals `(n, 3)`, `(n, 3)`."""
    return np.asarray(_basis(normal) @ coefficients)


def _reflections(sky: Array, d: Array, weight: Array) -> Array:
    """The sky under the GGX lobe of each roughness but 0, n = v = r (Karis 2013): `(LEVELS - 1, side, side, 3)`."""
    to = directions(MAP_SIDE).reshape(-1, 3).astype(np.float32)
    toward = np.ascontiguousarray(d.T.astype(np.float32))
    light = (np.concatenate([sky, np.ones((len(sky), 1))], axis=1) * weight[:, None]).astype(np.float32)
    total = np.empty((LEVELS - 1, len(to), 4), np.float32)
    for start in range(0, len(to), 64):  # what is worked on stays in the processor's cache: three times as quick
        part = slice(start, start + 64)
        cosine = np.clip(to[part] @ toward, 0, 1)
        lobe = np.empty_like(cosine)
        for level in range(1, LEVELS):
            alpha2 = (level / (LEVELS - 1)) ** 4
            # cos² of half the angle between l and r is (1 + cosine) / 2
            np.multiply(cosine, np.float32((alpha2 - 1) / 2), out=lobe)
            lobe += np.float32((alpha2 + 1) / 2)
            lobe *= lobe
            np.divide(cosine, lobe, out=lobe)
            np.matmul(lobe, light, out=total[level - 1, part])
    found = total[..., :3] / np.maximum(total[..., 3:], 1e-12)
    return np.asarray(found.reshape(LEVELS - 1, MAP_SIDE, MAP_SIDE, 3))


@lru_cache(maxsize=6)
def synthesised(sun: tuple[float, float, float], white: bool = False, sky: str = "morning") -> Environment:
    """The light of a synthesised sky with its sun in a direction, or of a white furnace."""
    paint = uniform_white if white else SKIES[sky]
    toward = np.array(sun)
    d = directions(40).reshape(-1, 3)
    return _environment(paint(d, toward), d, solid_angles(40).ravel(), paint(directions(MAP_SIDE), toward))


def _environment(sky: Array, d: Array, weight: Array, sharp: Array) -> Environment:
    """The light of radiance samples `(n, 3)` from directions with solid angles, and the sky as mirrors show it."""
    layers = np.concatenate([sharp[None], _reflections(sky, d, weight)]).astype(np.float32)
    return Environment(irradiance(sky, d, weight).astype(np.float32), layers)


def from_lat_long(picture: Array, turn: float = 0.0) -> Environment:
    """The light of a lat-long picture `(h, w, 3)` of linear radiance, +y up, its middle column towards +z.

    `turn` turns it about +y, radians. Every texel counts with its solid angle, so that a sun of a few texels gives the
    same light however the sky is turned. Raises ValueError for a picture with no light in it or of another shape.
    """
    if picture.ndim != 3 or picture.shape[2] < 3 or min(picture.shape[:2]) < 2:
        raise ValueError("a sky is a picture of at least 2 × 2 texels with three channels")
    light = np.maximum(np.nan_to_num(picture[..., :3].astype(np.float32), posinf=6e4), 0)
    if not light.any():
        raise ValueError("the picture holds no light")
    width = max(min(light.shape[1], FINE_WIDTH), 8)
    fine = np.asarray(cv2.resize(light, (width, max(width // 2, 4)), interpolation=cv2.INTER_AREA), np.float32)
    d, weight = _lat_long(*fine.shape[:2])
    return _environment(*_gathered(fine, d, weight, turn), _mirrored(fine, d, weight, turn))


def _lat_long(height: int, width: int) -> tuple[Array, Array]:
    """The unit direction of every texel `(h, w, 3)` and its solid angle `(h, w)`; those sum to 4π."""
    edges = np.cos(np.linspace(0, np.pi, height + 1))
    band = (edges[:-1] - edges[1:]) * 2 * np.pi / width
    theta = (np.arange(height) + 0.5)[:, None] / height * np.pi
    phi = ((np.arange(width) + 0.5)[None, :] / width - 0.5) * 2 * np.pi
    y = np.broadcast_to(np.cos(theta), (height, width))
    d = np.stack([np.sin(theta) * np.sin(phi), y, np.sin(theta) * np.cos(phi)], axis=-1)
    return d, np.repeat(band[:, None], width, axis=1)


def _turned(d: Array, turn: float) -> Array:
    """Directions `(…, 3)` turned about +y."""
    c, s = np.cos(turn), np.sin(turn)
    return np.stack([d[..., 0] * c + d[..., 2] * s, d[..., 1], d[..., 2] * c - d[..., 0] * s], axis=-1)


def _gathered(light: Array, d: Array, weight: Array, turn: float) -> tuple[Array, Array, Array]:
    """Blocks of texels as one sample each: mean radiance `(n, 3)`, the direction its light comes from, solid angle."""
    down, across = (max(n // most, 1) for n, most in zip(light.shape[:2], COARSE, strict=True))
    rows, columns = (n // step * step for n, step in zip(light.shape[:2], (down, across), strict=True))

    def summed(values: Array) -> Array:
        kept = values[:rows, :columns].reshape(rows // down, down, columns // across, across, -1)
        return np.asarray(kept.sum(axis=(1, 3)).reshape(-1, values.shape[2]))

    angle = summed(weight[..., None])
    bright = light.sum(axis=2, keepdims=True) * weight[..., None]
    way = summed((bright + 1e-9 * weight[..., None]) * d)
    way /= np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-12)
    energy = summed(light * weight[..., None])
    scale = 4 * np.pi / angle.sum()
    return energy / angle, _turned(way, turn), angle[:, 0] * scale


def _mirrored(light: Array, d: Array, weight: Array, turn: float) -> Array:
    """The sky in an octahedral map: the mean over each texel, and between texels of the picture what lies there."""
    to = _turned(d, turn).reshape(-1, 3)
    flat = to / np.abs(to).sum(axis=1, keepdims=True)
    x, z = flat[:, 0], flat[:, 2]
    below = flat[:, 1] < 0
    x, z = (
        np.where(below, (1 - np.abs(z)) * np.where(x >= 0, 1, -1), x),
        np.where(below, (1 - np.abs(x)) * np.where(z >= 0, 1, -1), z),
    )
    column, row = (np.clip((v * 0.5 + 0.5) * MAP_SIDE, 0, MAP_SIDE - 1).astype(np.int64) for v in (x, z))
    at = row * MAP_SIDE + column
    own = solid_angles(MAP_SIDE).ravel()

    def gathered(values: Array) -> Array:
        return np.stack([np.bincount(at, (values[..., c] * weight).ravel(), MAP_SIDE**2) for c in range(3)], axis=1)

    # What shines far beyond the mean keeps its whole energy; the rest is evened over the texels that happen to fall in.
    even = np.minimum(light, 8 * float((light.mean(axis=2) * weight).sum()) / (4 * np.pi))
    angle = np.bincount(at, weight.ravel(), MAP_SIDE**2)
    sharp = _looked_up(even, directions(MAP_SIDE), turn).reshape(-1, 3)
    hit = angle > 0.5 * own
    sharp[hit] = gathered(even)[hit] / angle[hit, None]
    return (sharp + gathered(light - even) / own[:, None]).reshape(MAP_SIDE, MAP_SIDE, 3)


def _looked_up(picture: Array, d: Array, turn: float) -> Array:
    height, width = picture.shape[:2]
    padded = np.concatenate([picture[:, -1:], picture, picture[:, :1]], axis=1)
    u = (np.arctan2(d[..., 0], d[..., 2]) - turn) / (2 * np.pi) + 0.5
    v = np.arccos(np.clip(d[..., 1], -1, 1)) / np.pi
    x = ((u - np.floor(u)) * width + 0.5).astype(np.float32).reshape(-1, 1)
    y = np.clip(v * height - 0.5, 0, height - 1).astype(np.float32).reshape(-1, 1)
    read = cv2.remap(padded, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(read.reshape(*d.shape[:-1], 3))


@lru_cache(maxsize=1)
def split_sum_table(side: int = 32, rings: int = 48, sectors: int = 24) -> Array:
    """Scale and bias of F0 by n·v (columns) and roughness (rows), `(side, side, 2) float32` (Karis 2013, eq. 7–8).

    Half vectors are drawn by GGX importance on a grid of `rings` × `sectors` over half the circle (the other half is
    its mirror image); the Smith term is the height-correlated one of glTF 2.0, Appendix B.
    """
    line = ((np.arange(side) + 0.5) / side).astype(np.float32)
    nv = line[None, :, None]
    alpha2 = (line[:, None, None] ** 2) ** 2
    grid1, grid2 = np.meshgrid((np.arange(rings) + 0.5) / rings, (np.arange(sectors) + 0.5) / sectors)
    u1, u2 = grid1.ravel().astype(np.float32), grid2.ravel().astype(np.float32)
    u1 = 1 - (1 - u1) ** 2  # closer together near the horizon, where the weight changes fast
    density = 2 * np.sqrt(1 - u1)
    cos_h = np.sqrt((1 - u1) / (1 + (alpha2 - 1) * u1))
    hx = np.sqrt(np.maximum(1 - cos_h**2, 0)) * np.cos(np.pi * u2)
    vh = np.maximum(np.sqrt(1 - nv**2) * hx + nv * cos_h, 1e-6)
    nl = np.maximum(2 * vh * cos_h - nv, 0)
    root_v = np.sqrt(alpha2 + (1 - alpha2) * nv**2)
    root_l = np.sqrt(alpha2 + (1 - alpha2) * nl**2)
    visibility = 0.5 / (nl * root_v + nv * root_l)
    gain = np.where(nl > 0, visibility * nl * 4 * vh / np.maximum(cos_h, 1e-6), 0) * density
    fresnel = (1 - vh) ** 5
    return np.stack([(gain * (1 - fresnel)).mean(axis=2), (gain * fresnel).mean(axis=2)], axis=-1).astype(np.float32)
