"""What grows and lies on the hillside: grass in tufts, stones under moss, shards of broken ware."""

from __future__ import annotations

import math

import numpy as np

from jade_coat.ground.scatter import Scatter
from jade_coat.maps.color import hex_to_linear
from jade_coat.material.material import Coat, Dial, Finish, Material
from jade_coat.material.placing import SwayMove
from jade_coat.material.seam import Seam
from jade_coat.material.settle import Settle
from jade_coat.material.surface import Surface
from jade_coat.material.where import FacingTerm, NoiseTerm, PaintTerm
from jade_coat.mesh import shapes
from jade_coat.mesh.building import build_mesh
from jade_coat.mesh.data import FULL, MeshData
from jade_coat.program.types import Array
from jade_coat.stage.mesh_assets import Category

CATEGORIES = (
    Category(id="grass", name="Grass", finish="green_grass"), Category(id="stone", name="Stone", finish="field_stone"),
)  # fmt: skip
SLOTS = {
    "Grass tuft": {"surface": "grass"}, "Grass tuft, far": {"surface": "grass"}, "Field stone": {"surface": "stone"},
    "Shard": {"surface": "clay"},
}  # fmt: skip
AWAY = 13.0
"""From how far a tuft is drawn by fewer blades, metres."""


def meshes() -> dict[str, MeshData]:
    """All of them, by name."""
    return {
        "Grass tuft": tuft(22, 3, 0.011, 7), "Grass tuft, far": tuft(7, 2, 0.028, 7), "Field stone": stone(18, 4),
        "Shard": shard(3),
    }  # fmt: skip


def tuft(blades: int, joints: int, wide: float, seed: int) -> MeshData:
    """Blades that arch away from one root: R is how far wind takes them, G when, B how high on the blade a place is."""
    rng = np.random.default_rng(seed)
    positions: list[Array] = []
    normals: list[Array] = []
    uvs: list[tuple[float, float]] = []
    colors: list[tuple[float, ...]] = []
    triangles: list[tuple[int, int, int]] = []
    for i in range(blades):
        way = 2 * math.pi * (i * 0.618 + rng.uniform(-0.08, 0.08))
        root = np.array([math.cos(way), 0.0, math.sin(way)]) * rng.uniform(0.01, 0.075)
        long, lean = rng.uniform(0.2, 0.42), rng.uniform(0.15, 0.75)
        outward = np.array([math.cos(way), 0.0, math.sin(way)])
        side = np.array([-math.sin(way), 0.0, math.cos(way)])
        phase, start = rng.random(), len(positions)
        for k in range(joints + 1):
            t = k / joints
            bend = lean * t * t
            at = root + long * (outward * bend + np.array([0.0, t * math.sqrt(max(1 - 0.5 * bend * bend, 0.2)), 0.0]))
            half = side * wide * (1 - t) ** 0.7 if k < joints else side * 0.0
            # Normals between the blade's own and straight up: grass is lit as the ground it covers.
            normal = outward * -0.35 + np.array([0.0, 1.0, 0.0]) + side * 0.0
            for sign in (-1, 1) if k < joints else (1,):
                positions.append(at + half * sign)
                normals.append(normal / np.linalg.norm(normal) + side * 0.25 * sign)
                uvs.append((sign * wide, t * long))
                colors.append((t * t, phase, t, 0.0))
        for k in range(joints):
            a = start + 2 * k
            if k < joints - 1:
                triangles += [(a, a + 1, a + 2), (a + 1, a + 3, a + 2)]
            else:
                triangles.append((a, a + 1, a + 2))
    unit = np.array(normals) / np.linalg.norm(normals, axis=1, keepdims=True)
    paint = (np.array(colors) * FULL).astype(np.uint16)
    return build_mesh(np.array(positions), np.array(triangles), "tuft", unit, (np.array(uvs),), (paint,))


def _bumps(points: Array, seed: int) -> Array:
    """Smooth bumps over the unit ball, about −1 to 1."""
    rng = np.random.default_rng(seed)
    ways, phases = rng.standard_normal((9, 3)) * 1.7, rng.random(9) * 6.3
    return np.asarray(np.sin(points @ ways.T + phases).mean(axis=1) * 2.2)


def stone(segments: int, seed: int) -> MeshData:
    """A worn stone, half as high as it is wide, with flat faces knocked off it."""
    ball = shapes.ball(1.0, segments)
    rng = np.random.default_rng(seed)
    points = ball.positions.astype(np.float64)
    points = points / np.linalg.norm(points, axis=1, keepdims=True)
    shaped = points * (1 + 0.1 * _bumps(points, seed))[:, None]
    for _ in range(9):
        way = rng.standard_normal(3)
        way /= np.linalg.norm(way)
        over = np.maximum(shaped @ way - rng.uniform(0.62, 0.85), 0)
        shaped -= over[:, None] * way * 0.9
    shaped *= np.array([0.24, 0.15, 0.19])
    shaped[:, 1] += 0.06
    return build_mesh(shaped, ball.triangles, "stone", uvs=ball.uvs)


def shard(seed: int) -> MeshData:
    """A piece of a broken jar: a bent plate with a ragged edge, glazed on both sides."""
    rng = np.random.default_rng(seed)
    corners = 11
    angle = np.sort(rng.uniform(0, 2 * math.pi, corners))
    reach = rng.uniform(0.035, 0.075, corners)
    x, z = np.cos(angle) * reach, np.sin(angle) * reach
    rim = np.stack([x, 0.012 - 1.6 * x * x + 0.6 * z * z, z], axis=1)
    middle = np.array([[0.0, 0.012, 0.0]])
    thick = np.array([0.0, 0.007, 0.0])
    top = np.concatenate([middle + thick, rim + thick])
    low = np.concatenate([middle, rim])
    parts, at = [], 0
    positions: list[Array] = []
    for i in range(corners):
        a, b = 1 + i, 1 + (i + 1) % corners
        positions += [top[[0, b, a]], low[[0, a, b]], top[[a, b]], low[[a, b]]]
        parts += [(at, at + 1, at + 2), (at + 3, at + 4, at + 5),
                  (at + 6, at + 7, at + 8), (at + 7, at + 9, at + 8)]  # fmt: skip
        at += 10
    return build_mesh(np.concatenate(positions), np.array(parts), "shard")


# Long: a table of the demo.
def materials() -> tuple[Material, ...]:
    """Grass, darker at its roots and paler at its tips; stone with moss on top."""
    blade = Surface(color=hex_to_linear("#5f8a2c"), roughness=0.75, specular=0.35, transmission=0.3)
    grass = Material(
        id="grass", name="Grass", depth=0.002, two_sided=True, settle=Settle(reach=0.1, lead=0.0),
        coats=(
            Coat(id="blade", name="Blade", surface=blade),
            Coat(
                id="tip", name="Tip", surface=blade.with_(color=hex_to_linear("#a9b756")), seam=Seam(kind="soft"),
                amount=0.8, where=(PaintTerm(id="paint", channel="B", range=(0.45, 1.0)),),
            ),
            Coat(
                id="root", name="Root", surface=blade.with_(color=hex_to_linear("#2c4317")), seam=Seam(kind="soft"),
                where=(PaintTerm(id="paint", channel="B", range=(0.0, 0.45), invert=True),),
            ),
        ),
        dials=(
            Dial(id="tint", path="blade.surface.tint", name="Tint", group="Grass"),
            Dial(id="color", path="blade.surface.color", name="Colour", group="Grass"),
            Dial(id="tip", path="tip.surface.color", name="Tip", group="Grass"),
            Dial(id="root", path="root.surface.color", name="Root", group="Grass"),
        ),
        moves=(SwayMove(id="sway", along="wind", amount=0.14, weight="R", phase="G", rate=1.1, lean=0.35, bend=1.0),),
    )  # fmt: skip
    stone_material = Material(
        id="stone", name="Field stone", depth=0.01, settle=Settle(reach=0.14),
        coats=(
            Coat(
                id="rock", name="Rock",
                surface=Surface(map_set="scree", placement="triplanar", tile_size=0.9, tint=(0.92, 0.9, 0.86)),
            ),
            Coat(
                id="moss", name="Moss", amount=0.8,
                surface=Surface(map_set="turf", placement="triplanar", tile_size=0.5),
                where=(
                    FacingTerm(id="up", elevation=math.pi / 2, range=(0.35, 0.9)),
                    NoiseTerm(id="noise", size=0.18, octaves=3, seed=5, combine="multiply", range=(0.3, 0.55)),
                ),
                seam=Seam(kind="interlock", softness=0.2),
            ),
        ),
        dials=(
            Dial(id="tint", path="rock.surface.tint", name="Tint", group="Rock"),
            Dial(id="moss", path="moss.amount", name="Moss", group="Moss"),
            Dial(id="settle", path="light:settle.reach", name="Blends up to", group="On the ground"),
        ),
    )  # fmt: skip
    return grass, stone_material


def finishes() -> tuple[Finish, ...]:
    """Green and dry grass, and stones."""
    dry = {"color": hex_to_linear("#a08a45"), "tip": hex_to_linear("#cdb878"), "root": hex_to_linear("#5a4a22")}
    return (
        Finish(id="green_grass", name="Green grass", parent="grass"),
        Finish(id="dry_straw", name="Dry grass blades", parent="green_grass", values=dry),
        Finish(id="field_stone", name="Field stone", parent="stone"),
    )


VARIANTS: dict[str, tuple[tuple[str, dict[str, str]], ...]] = {
    "Grass tuft": (("Green", {"surface": "green_grass"}), ("Dry", {"surface": "dry_straw"})),
    "Grass tuft, far": (("Green", {"surface": "green_grass"}), ("Dry", {"surface": "dry_straw"})),
    "Shard": (
        ("Celadon", {"surface": "celadon_jar"}), ("Iron", {"surface": "iron_jar"}), ("Cream", {"surface": "cream_jar"}),
    ),
}  # fmt: skip


def scatters(ids: dict[str, str]) -> tuple[Scatter, ...]:
    """All that is strewn; `ids` gives meshes by name."""
    tuft_id = ids["Grass tuft"]
    return (
        Scatter(id="grass", name="Grass", layer="turf", mesh=tuft_id, density=15.0, size=(0.5, 1.15), clumps=0.3,
                clump=1.4, far=34.0, cut_out="path", dial="tint", by="damp", low=(1.0, 1.0, 1.0),
                high=(0.62, 0.85, 0.5), seed=3),
        Scatter(id="straw", name="Dry grass", layer="dry", mesh=tuft_id, variant="dry", density=9.0, size=(0.45, 1.05),
                clumps=0.5, clump=1.8, far=34.0, cut_out="path", seed=8),
        Scatter(id="ferns", name="Ferns", layer="moss", mesh=ids["Fern"], density=0.8, size=(0.5, 1.0), clumps=0.6,
                clump=3.0, far=45.0, cut_out="path", seed=5),
        Scatter(id="bushes", name="Tea bushes", layer="dry", mesh=ids["Tea bush"], density=0.1, size=(0.7, 1.3),
                clumps=0.4, clump=6.0, far=70.0, cut_out="path", clear=0.6, steep_to=math.radians(28), seed=2),
        Scatter(id="stones", name="Stones", layer="scree", mesh=ids["Field stone"], density=0.9, size=(0.3, 1.9),
                clumps=0.5, clump=2.5, far=50.0, follow=0.7, tilt=math.radians(25), sunk=0.03,
                steep_to=math.radians(62), seed=4),
        Scatter(id="pebbles", name="Stones in the turf", layer="turf", mesh=ids["Field stone"], density=0.12,
                size=(0.35, 1.3), clumps=0.6, clump=4.0, far=45.0, follow=0.8, tilt=math.radians(20), sunk=0.04,
                cut_out="path", seed=14),
        Scatter(id="kerb", name="Stones by the path", layer="path", mesh=ids["Field stone"], density=4.0,
                size=(0.75, 1.6), clumps=0.3, clump=1.6, far=45.0, follow=0.5, tilt=math.radians(25), seed=21,
                off_paths=0.05, by_paths=0.55),
        Scatter(id="shards", name="Shards", layer="clay", mesh=ids["Shard"], density=2.2, size=(0.7, 1.6), clumps=0.75,
                clump=2.2, far=22.0, follow=1.0, tilt=math.radians(18), clear=0.05, seed=6),
        Scatter(id="iron_shards", name="Iron shards", layer="clay", mesh=ids["Shard"], variant="iron", density=1.4,
                size=(0.7, 1.4), clumps=0.75, clump=2.2, far=22.0, follow=1.0, tilt=math.radians(18), clear=0.05,
                seed=7),
    )  # fmt: skip
