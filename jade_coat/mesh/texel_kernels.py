"""Compiled loops over the texels of a painted map."""

from __future__ import annotations

import numpy as np

from jade_coat.mesh.kernels import _jit
from jade_coat.program.types import Array


@_jit
def mark_inside(uv: Array, triangles: Array, side: int, inside: Array) -> None:
    """Mark the texels `(side, side) uint8` whose centres lie in a triangle; UVs lie in 0–1, or hardly beyond."""
    for t in range(len(triangles)):
        ax, ay = uv[triangles[t, 0], 0] * side, uv[triangles[t, 0], 1] * side
        bx, by = uv[triangles[t, 1], 0] * side, uv[triangles[t, 1], 1] * side
        cx, cy = uv[triangles[t, 2], 0] * side, uv[triangles[t, 2], 1] * side
        area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
        if abs(area) < 1e-9:
            continue
        share = 1.0 / area
        for y in range(int(np.floor(min(ay, by, cy) - 0.5)), int(np.ceil(max(ay, by, cy) + 0.5))):
            for x in range(int(np.floor(min(ax, bx, cx) - 0.5)), int(np.ceil(max(ax, bx, cx) + 0.5))):
                px, py = x + 0.5, y + 0.5
                v = ((px - ax) * (cy - ay) - (py - ay) * (cx - ax)) * share
                w = ((bx - ax) * (py - ay) - (by - ay) * (px - ax)) * share
                if min(v, w, 1.0 - v - w) >= -1e-6:
                    inside[y % side, x % side] = 1


# Long: one compiled loop.
@_jit
def texels_in_ball(
    reached: Array, positions: Array, normals: Array, triangles: Array, uv: Array, side: int, tile_side: int,
    inside: Array, p: Array, radius: float, facing: Array, least_cosine: float, across: Array, up: Array,
    rim: Array, gutter: float, place: Array, room: Array, used: Array,
) -> int:  # fmt: skip
    """Distances, in radii, of the texels of some triangles from the middle of a ball.

    `room` `(tiles, tile texels, 3)` gets 2 − distance (0: not reached) and the place across and up in the brush's
    plane; `place` `(all tiles,)` says which entry of it a tile has (−1: none yet), `used` which tiles have one. Beside
    triangles marked in `rim` `(m,) uint8` texels up to `gutter` away are reached too where no triangle covers them, so
    that a filtered read at a seam finds what is painted. Returns how many tiles, or −1 when there is no room for more.
    """
    a_row, count, r2 = side // tile_side, 0, radius * radius
    for i in range(len(reached)):
        t = reached[i]
        ia, ib, ic = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ax, ay = uv[ia, 0] * side, uv[ia, 1] * side
        bx, by = uv[ib, 0] * side - ax, uv[ib, 1] * side - ay
        cx, cy = uv[ic, 0] * side - ax, uv[ic, 1] * side - ay
        area = bx * cy - by * cx
        if abs(area) < 1e-9:
            continue
        share, beyond = 1.0 / area, gutter if rim[t] else 0.0
        gxx = gxy = gyy = hx = hy = d2 = 0.0
        for k in range(3):
            e1, e2 = positions[ib, k] - positions[ia, k], positions[ic, k] - positions[ia, k]
            jx, jy = (e1 * cy - e2 * by) * share, (e2 * bx - e1 * cx) * share
            o = p[k] - positions[ia, k]
            gxx += jx * jx
            gxy += jx * jy
            gyy += jy * jy
            hx += jx * o
            hy += jy * o
            d2 += o * o
        det = gxx * gyy - gxy * gxy
        if det <= 0.0:
            continue
        qx, qy = (gyy * hx - gxy * hy) / det, (gxx * hy - gxy * hx) / det  # the middle's foot, in texels
        left = radius * radius - (d2 - qx * hx - qy * hy)
        if left < 0.0:
            continue
        wide, tall = np.sqrt(left * gyy / det), np.sqrt(left * gxx / det)
        lx, ly = max(min(0.0, bx, cx) - beyond, qx - wide), max(min(0.0, by, cy) - beyond, qy - tall)
        mx, my = min(max(0.0, bx, cx) + beyond, qx + wide), min(max(0.0, by, cy) + beyond, qy + tall)
        ea = np.sqrt((cx - bx) ** 2 + (cy - by) ** 2)
        eb, ec = np.sqrt(cx * cx + cy * cy), np.sqrt(bx * bx + by * by)
        size = abs(area)
        na = normals[ia, 0] * facing[0] + normals[ia, 1] * facing[1] + normals[ia, 2] * facing[2]
        nb = normals[ib, 0] * facing[0] + normals[ib, 1] * facing[1] + normals[ib, 2] * facing[2]
        nc = normals[ic, 0] * facing[0] + normals[ic, 1] * facing[1] + normals[ic, 2] * facing[2]
        # What lies between normals that face near enough does so too: they are no longer than 1.
        faces = least_cosine <= -1.0 or min(na, nb, nc) >= max(least_cosine, 0.0)
        for y in range(int(np.floor(ay + ly - 0.5)), int(np.ceil(ay + my - 0.5)) + 1):
            py = y + 0.5 - ay
            for x in range(int(np.floor(ax + lx - 0.5)), int(np.ceil(ax + mx - 0.5)) + 1):
                px = x + 0.5 - ax
                v, w = (px * cy - py * cx) * share, (bx * py - by * px) * share
                u = 1.0 - v - w
                outside = min(u, v, w) < -1e-6
                if outside and (beyond == 0.0 or min(u * size / ea, v * size / eb, w * size / ec) < -beyond):
                    continue
                tx, ty = x % side, y % side
                if outside and inside[ty, tx]:
                    continue
                o0 = u * positions[ia, 0] + v * positions[ib, 0] + w * positions[ic, 0] - p[0]
                o1 = u * positions[ia, 1] + v * positions[ib, 1] + w * positions[ic, 1] - p[1]
                o2 = u * positions[ia, 2] + v * positions[ib, 2] + w * positions[ic, 2] - p[2]
                away = o0 * o0 + o1 * o1 + o2 * o2
                if away >= r2:
                    continue
                away = np.sqrt(away) / radius
                if not faces:
                    square = 0.0
                    for k in range(3):
                        n = u * normals[ia, k] + v * normals[ib, k] + w * normals[ic, k]
                        square += n * n
                    if u * na + v * nb + w * nc < least_cosine * np.sqrt(square) - 1e-6:
                        continue
                tile = (ty // tile_side) * a_row + tx // tile_side
                slot = place[tile]
                if slot < 0:
                    if count == len(used):
                        return -1
                    slot = count
                    place[tile], used[count] = slot, tile
                    count += 1
                texel = (ty % tile_side) * tile_side + tx % tile_side
                if 2.0 - away > room[slot, texel, 0]:
                    room[slot, texel, 0] = 2.0 - away
                    room[slot, texel, 1] = (o0 * across[0] + o1 * across[1] + o2 * across[2]) / radius
                    room[slot, texel, 2] = (o0 * up[0] + o1 * up[1] + o2 * up[2]) / radius
    return count


@_jit
def take_texels(
    room: Array, used: Array, count: int, place: Array, rows: Array, distance: Array, plane: Array, starts: Array
) -> None:
    """Move what `texels_in_ball` found into lists, one tile after another, and empty the room again.

    `starts` `(count + 1,)` says where each tile's run begins.
    """
    n = 0
    for slot in range(count):
        starts[slot] = n
        place[used[slot]] = -1
        for texel in range(room.shape[1]):
            if room[slot, texel, 0] > 0.0:
                rows[n] = texel
                distance[n] = 2.0 - room[slot, texel, 0]
                plane[n, 0], plane[n, 1] = room[slot, texel, 1], room[slot, texel, 2]
                room[slot, texel, 0] = 0.0
                n += 1
    starts[count] = n


@_jit
def texel_owners(uv: Array, triangles: Array, side: int, gutter: float, owner: Array, weights: Array) -> None:
    """Which triangle each texel `(side, side)` lies in, or up to `gutter` texels beside (−1: none), and where in it.

    Weights belong to its second and third corner; beside a triangle they go on beyond it. The square repeats.
    """
    for turn in range(2):  # first what lies inside, then the gutters round it
        reach = 0.0 if turn == 0 else gutter
        for t in range(len(triangles)):
            ax, ay = uv[triangles[t, 0], 0] * side, uv[triangles[t, 0], 1] * side
            bx, by = uv[triangles[t, 1], 0] * side - ax, uv[triangles[t, 1], 1] * side - ay
            cx, cy = uv[triangles[t, 2], 0] * side - ax, uv[triangles[t, 2], 1] * side - ay
            area = bx * cy - by * cx
            if abs(area) < 1e-9:
                continue
            share, size = 1.0 / area, abs(area)
            ea = np.sqrt((cx - bx) ** 2 + (cy - by) ** 2)
            eb, ec = np.sqrt(cx * cx + cy * cy), np.sqrt(bx * bx + by * by)
            lx, mx = min(0.0, bx, cx) - reach, max(0.0, bx, cx) + reach
            ly, my = min(0.0, by, cy) - reach, max(0.0, by, cy) + reach
            # A triangle that spans the square many times over is looked at around its middle: the rest repeats that.
            wx, wy = (bx + cx) / 3, (by + cy) / 3
            lx, mx, ly, my = max(lx, wx - side), min(mx, wx + side), max(ly, wy - side), min(my, wy + side)
            for y in range(int(np.floor(ay + ly - 0.5)), int(np.ceil(ay + my - 0.5)) + 1):
                for x in range(int(np.floor(ax + lx - 0.5)), int(np.ceil(ax + mx - 0.5)) + 1):
                    tx, ty = x % side, y % side
                    if owner[ty, tx] >= 0:
                        continue
                    px, py = x + 0.5 - ax, y + 0.5 - ay
                    v, w = (px * cy - py * cx) * share, (bx * py - by * px) * share
                    u = 1.0 - v - w
                    if min(u * size / ea, v * size / eb, w * size / ec) >= -reach - 1e-6:
                        owner[ty, tx] = t
                        weights[ty, tx, 0], weights[ty, tx, 1] = v, w
