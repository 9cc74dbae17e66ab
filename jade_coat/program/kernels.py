"""Loops compiled with numba for ops that would take hundreds of NumPy passes; imported when first used."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

from jade_coat.program.types import Array

F, U = np.float32, np.uint32
MULTIPLIER, INCREMENT, SPREAD = U(1664525), U(1013904223), U(0x9E3779B9)


@numba.njit(inline="always")
def _corner(x: Any, y: Any, z: Any, ax: Any, ay: Any, az: Any) -> Any:
    """The dot product of a corner's hashed gradient with the way from it (pcg3d after its first step)."""
    x = U(x + U(y * z))
    y = U(y + U(z * x))
    z = U(z + U(x * y))
    x, y, z = U(x ^ (x >> U(16))), U(y ^ (y >> U(16))), U(z ^ (z >> U(16)))
    x = U(x + U(y * z))
    y = U(y + U(z * x))
    z = U(z + U(x * y))
    scale = F(2.0**-23)
    gx = F(numba.int32(x >> U(8))) * scale - F(1)
    gy = F(numba.int32(y >> U(8))) * scale - F(1)
    gz = F(numba.int32(z >> U(8))) * scale - F(1)
    return gx * ax + gy * ay + gz * az


@numba.njit(nogil=True, cache=True, error_model="numpy")
def add_gradient_noise(p: Array, scale: Any, seed: Any, weight: Any, total: Array) -> None:
    """Add gradient noise at `p * scale` `(3, n) float32` times `weight` to `total` `(n,)` (Perlin 2002, quintic fade).

    The hash's first step is taken once for all eight corners, as in the GLSL helper.
    """
    one, six, ten, fifteen = F(1), F(6), F(10), F(15)
    shift = U(seed * SPREAD)
    for i in range(p.shape[1]):
        px, py, pz = p[0, i] * scale, p[1, i] * scale, p[2, i] * scale
        lx, ly, lz = np.floor(px), np.floor(py), np.floor(pz)
        fx, fy, fz = px - lx, py - ly, pz - lz
        x0 = U(U(U(numba.int32(lx)) + shift) * MULTIPLIER + INCREMENT)
        y0 = U(U(U(numba.int32(ly)) + shift) * MULTIPLIER + INCREMENT)
        z0 = U(U(U(numba.int32(lz)) + shift) * MULTIPLIER + INCREMENT)
        x1, y1, z1 = U(x0 + MULTIPLIER), U(y0 + MULTIPLIER), U(z0 + MULTIPLIER)
        gx, gy, gz = fx - one, fy - one, fz - one
        u = fx * fx * fx * (fx * (fx * six - fifteen) + ten)
        v = fy * fy * fy * (fy * (fy * six - fifteen) + ten)
        w = fz * fz * fz * (fz * (fz * six - fifteen) + ten)
        a = _corner(x0, y0, z0, fx, fy, fz)
        near = a + (_corner(x1, y0, z0, gx, fy, fz) - a) * u
        a = _corner(x0, y1, z0, fx, gy, fz)
        near = near + (a + (_corner(x1, y1, z0, gx, gy, fz) - a) * u - near) * v
        a = _corner(x0, y0, z1, fx, fy, gz)
        far = a + (_corner(x1, y0, z1, gx, fy, gz) - a) * u
        a = _corner(x0, y1, z1, fx, gy, gz)
        far = far + (a + (_corner(x1, y1, z1, gx, gy, gz) - a) * u - far) * v
        total[i] += (near + (far - near) * w) * weight
