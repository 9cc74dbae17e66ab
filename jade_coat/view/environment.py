"""Image-based light: a synthesised sky, its irradiance in spherical harmonics, and its blurred reflections."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from jade_coat.program.types import Array

MAP_SIDE = 64
LEVELS = 6
"""Roughness 0, 0.2, …, 1 of the reflection map's layers."""


@dataclass(frozen=True)
class Environment:
    """Light from all around: `irradiance` `(9, 3)` SH of E/π; `reflections` `(LEVELS, side, side, 3)` octahedral."""

    irradiance: Array
    reflections: Array


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


def _reflections(sky: Array, d: Array, weight: Array, level: int) -> Array:
    """The sky blurred by the GGX lobe of one roughness with n = v = r (Karis 2013), `(side, side, 3)`."""
    to = directions(MAP_SIDE).reshape(-1, 3)
    alpha2 = max(level / (LEVELS - 1), 0.03) ** 4
    cosine = np.clip((to @ d.T).astype(np.float32), 0, 1)
    half2 = (cosine + 1) / 2  # cos² of half the angle between l and r
    lobe = cosine * weight[None].astype(np.float32) / (half2 * np.float32(alpha2 - 1) + 1) ** 2
    lobe /= np.maximum(lobe.sum(axis=1, keepdims=True), 1e-12)
    return np.asarray(lobe @ sky.astype(np.float32)).reshape(MAP_SIDE, MAP_SIDE, 3)


@lru_cache(maxsize=4)
def synthesised(sun: tuple[float, float, float], white: bool = False) -> Environment:
    """The light of the hazy sky with its sun in a direction, or of a white furnace."""
    paint = uniform_white if white else hazy_morning
    d = directions(40).reshape(-1, 3)
    weight = solid_angles(40).ravel()
    sky = paint(d, np.array(sun))
    layers = [_reflections(sky, d, weight, level) for level in range(1, LEVELS)]
    sharp = paint(directions(MAP_SIDE), np.array(sun))
    return Environment(irradiance(sky, d, weight).astype(np.float32), np.stack([sharp, *layers]).astype(np.float32))


@lru_cache(maxsize=1)
def split_sum_table(side: int = 32, rings: int = 48, sectors: int = 24) -> Array:
    """Scale and bias of F0 by n·v (columns) and roughness (rows), `(side, side, 2) float32` (Karis 2013, eq. 7–8).

    Half vectors are drawn by GGX importance on a grid of `rings` × `sectors` over half the circle (the other half is
    its mirror image); the Smith term is the height-correlated one of glTF 2.0, Appendix B.
    """
    line = (np.arange(side) + 0.5) / side
    nv = line[None, :, None]
    alpha2 = (line[:, None, None] ** 2) ** 2
    grid1, grid2 = np.meshgrid((np.arange(rings) + 0.5) / rings, (np.arange(sectors) + 0.5) / sectors)
    u1, u2 = grid1.ravel(), grid2.ravel()
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
