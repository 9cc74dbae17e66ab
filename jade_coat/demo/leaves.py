"""Tea bushes and ferns: an atlas of twigs and fronds, cut out, lit through from behind, moved by the wind."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from jade_coat.maps.color import hex_to_linear, to_srgb
from jade_coat.maps.images import png_bytes
from jade_coat.maps.synthesis import blur, normal_from_height
from jade_coat.material.material import Coat, Dial, Finish, Material
from jade_coat.material.placing import SwayMove
from jade_coat.material.seam import Seam
from jade_coat.material.surface import Surface
from jade_coat.material.where import NoiseTerm, PaintTerm
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.makers import Bush, CardField
from jade_coat.program.types import Array
from jade_coat.stage.mesh_assets import Category
from jade_coat.stage.project import Prop
from jade_coat.stage.turns import turn_of

CATEGORIES = (
    Category(id="leaf", name="Leaf", finish="tea_leaves"), Category(id="shade", name="Shade", finish="leaf_shade"),
)  # fmt: skip
SLOTS = {"surface": "leaf", "fill": "shade"}
SIDE = 2
"""Cells across and down: two twigs of tea above two fronds."""
Cell = tuple[Array, Array, Array]
"""Colour `(n, n, 3)`, opacity and height `(n, n)`."""


def atlas(side: int) -> dict[str, bytes]:
    """The maps by role: colour, opacity, normal and roughness."""
    n = side // SIDE
    cells = [_twig(n, 3), _twig(n, 8), _frond(n, 5), _frond(n, 12)]
    color, opacity, height = (
        np.concatenate([np.concatenate([cells[r * SIDE + c][i] for c in range(SIDE)], axis=1) for r in range(SIDE)])
        for i in range(3)
    )
    # Colour runs on beyond the edge of what shows, so that no pale rim is filtered in.
    near = np.maximum(blur(opacity, 0.02), 1e-3)
    filled = np.stack([blur(color[..., c] * opacity, 0.02) / near for c in range(3)], axis=-1)
    color = np.where(opacity[..., None] > 0.5, color, np.clip(filled, 0, 1))
    normal = normal_from_height(blur(height, 0.0015), 0.012) * 0.5 + 0.5
    rough = np.clip(0.55 - 0.15 * height, 0, 1)
    return {
        "base_color": png_bytes(_bytes(to_srgb(color))), "opacity": png_bytes(_bytes(opacity)[..., None]),
        "normal": png_bytes(_bytes(normal)), "roughness": png_bytes(_bytes(rough)[..., None]),
    }  # fmt: skip


def _bytes(values: Array) -> Array:
    return np.asarray(np.round(np.clip(values, 0, 1) * 255).astype(np.uint8))


def _leaf(canvas: Cell, at: tuple[float, float], turn: float, long: float, wide: float, tint: Array) -> None:
    """Lay one pointed leaf over a cell; it starts at a place and points along an angle from upwards."""
    color, opacity, height = canvas
    n = len(opacity)
    y, x = (np.mgrid[0:n, 0:n] + 0.5) / n
    dx, dy = x - at[0], at[1] - y
    along = (dx * np.sin(turn) + dy * np.cos(turn)) / long
    across = (dx * np.cos(turn) - dy * np.sin(turn)) / wide
    inside = np.clip(along, 0, 1)
    half = np.sin(np.pi * inside**0.8) ** 0.8
    shape = np.clip((half - np.abs(across)) * wide * n * 1.2, 0, 1) * ((along > 0) & (along < 1))
    vein = np.exp(-((across / 0.07) ** 2)) + 0.5 * np.exp(-((np.sin(along * 34 - np.abs(across) * 5) / 0.35) ** 2))
    shade = 0.75 + 0.35 * (1 - np.abs(across)) - 0.12 * vein
    color += shape[..., None] * (tint * shade[..., None] - color)
    height += shape * (0.55 + 0.45 * (1 - across**2) - 0.2 * vein - height)
    opacity[:] = np.maximum(opacity, shape)


def _empty(n: int) -> Cell:
    return np.zeros((n, n, 3)) + hex_to_linear("#38541d"), np.zeros((n, n)), np.zeros((n, n))


def _stem(canvas: Cell, wide: float, top: float) -> None:
    color, opacity, height = canvas
    n = len(opacity)
    y, x = (np.mgrid[0:n, 0:n] + 0.5) / n
    middle = 0.5 + 0.03 * np.sin(y * 5)
    shape = np.clip((wide - np.abs(x - middle)) * n, 0, 1) * (y > 1 - top)
    color += shape[..., None] * (np.array(hex_to_linear("#5d5a2c")) - color)
    opacity[:] = np.maximum(opacity, shape)
    height[:] = np.maximum(height, shape * 0.6)


def _twig(n: int, seed: int) -> Cell:
    """A twig of tea: dark leaves below, young ones at its tip."""
    rng, canvas = np.random.default_rng(seed), _empty(n)
    _stem(canvas, 0.012, 0.8)
    dark, young = np.array(hex_to_linear("#2f5a1e")), np.array(hex_to_linear("#86a83a"))
    for i in range(9):
        up = i / 8
        turn = (-1) ** i * (1.25 - 0.75 * up) + rng.uniform(-0.15, 0.15)
        tint = dark + (young - dark) * np.clip(up * 1.2 - 0.2, 0, 1) * rng.uniform(0.7, 1.0)
        y = 0.94 - 0.66 * up
        _leaf(canvas, (0.5 + 0.03 * np.sin(y * 5), y), turn, rng.uniform(0.27, 0.34) * (1 - 0.25 * up), 0.09, tint)
    return canvas


def _frond(n: int, seed: int) -> Cell:
    """A fern's frond: leaflets in pairs, shorter towards its tip."""
    rng, canvas = np.random.default_rng(seed), _empty(n)
    _stem(canvas, 0.008, 0.96)
    tint = np.array(hex_to_linear("#4c7d2a"))
    for i in range(17):
        up = i / 16
        long = 0.4 * (1 - up) ** 0.7 * (0.5 + 0.5 * np.clip(up * 5, 0, 1)) + 0.03
        for side in (-1, 1):
            y = 0.96 - 0.9 * up
            at = (0.5 + 0.03 * np.sin(y * 5), y)
            _leaf(canvas, at, side * (1.25 - 0.35 * up), long, 0.022, tint * rng.uniform(0.8, 1.15))
    return canvas


def meshes(grain: float) -> dict[str, MeshData]:
    """A round bush of tea, and a fern whose fronds arch away from its middle."""
    return {name: made.mesh() for name, made in bushes(grain).items()}


def bushes(grain: float) -> dict[str, Bush]:
    """What both are made from."""
    tea = Bush(first=1, last=2, count=round(150 / grain), radii=(0.42, 0.42, 0.42), foot=0.2, fill=0.5, seed=4)
    fern = Bush(
        first=3, last=4, count=round(26 / grain), size=(0.26, 0.55), spread=0.25, radii=(0.1, 0.08, 0.1),
        foot=0.02, core=0.3, outward=0.95, rise=0.9, bend=1.5, cup=0.3, dome=0.4, seed=9,
    )  # fmt: skip
    return {"Tea bush": tea, "Fern": fern}


def shade() -> Material:
    """What is seen between the leaves of a bush: no ground, but its dark inside."""
    inside = Surface(color=hex_to_linear("#1c2b10"), roughness=0.95, specular=0.2)
    return Material(
        id="shade", name="Leaf shade", coats=(Coat(id="base", name="Shade", surface=inside),),
        dials=(Dial(id="color", path="base.surface.color", name="Colour", group="Shade"),),
        moves=(SwayMove(id="sway", along="wind", amount=0.22, weight="R", phase="G", rate=0.9, lean=0.3, bend=1.2),),
    )  # fmt: skip


def litter(grain: float) -> CardField:
    """Fallen leaves of tea, strewn flat."""
    return CardField(
        over="box", radii=(1.7, 0.012, 0.55), count=round(110 / grain), size=(0.09, 0.12), spread=0.4, facing="up",
        columns=SIDE, rows=SIDE, first=1, last=2, foot=0.015, overlap=0.75, seed=11,
    )  # fmt: skip


def litter_material() -> Material:
    """Fallen leaves: brown, some still green."""
    fallen = Surface(map_set="leaves", placement="square", tint=(1.5, 0.75, 0.4), saturation=0.8, specular=0.3)
    green = fallen.with_(tint=(1.0, 0.95, 0.6))
    return Material(
        id="litter", name="Leaf litter", depth=0.002, kind="masked", cut=0.4, two_sided=True,
        coats=(
            Coat(id="fallen", name="Fallen", surface=fallen),
            Coat(
                id="green", name="Green yet", amount=0.6, surface=green, seam=Seam(kind="soft"),
                where=(NoiseTerm(id="noise", size=0.25, octaves=3, seed=9, range=(0.5, 0.65)),),
            ),
        ),
        dials=(
            Dial(id="tint", path="fallen.surface.tint", name="Tint", group="Leaves"),
            Dial(id="green", path="green.amount", name="Green yet", group="Season"),
        ),
    )  # fmt: skip


def material() -> Material:
    """Leaves, darker where they are sheltered, turning in patches."""
    leaf = Surface(map_set="leaves", placement="square", transmission=0.4, specular=0.6)
    inner = leaf.with_(tint=(0.34, 0.4, 0.36))
    turned = leaf.with_(tint=(1.6, 1.1, 0.5))
    return Material(
        id="foliage", name="Leaves", depth=0.002, kind="masked", cut=0.4, two_sided=True,
        coats=(
            Coat(id="leaf", name="Leaf", surface=leaf),
            Coat(
                id="turned", name="Turning", amount=0.35, surface=turned, seam=Seam(kind="soft"),
                where=(NoiseTerm(id="noise", size=0.3, octaves=3, seed=6, range=(0.5, 0.7)),),
            ),
            Coat(
                id="inner", name="Sheltered", surface=inner, seam=Seam(kind="soft"),
                where=(PaintTerm(id="paint", channel="B", range=(0.1, 0.75)),),
            ),
        ),
        dials=(
            Dial(id="tint", path="leaf.surface.tint", name="Tint", group="Leaf"),
            Dial(id="through", path="leaf.surface.transmission", name="Light through", group="Leaf"),
            Dial(id="turned", path="turned.amount", name="Turning", group="Season"),
            Dial(id="sway", path="moves:sway.amount", name="Sway", group="Wind"),
        ),
        moves=(SwayMove(id="sway", along="wind", amount=0.22, weight="R", phase="G", rate=0.9, lean=0.3, bend=1.2),),
    )  # fmt: skip


def finishes() -> tuple[Finish, ...]:
    """Tea and fern, green and turning."""
    return (
        Finish(id="tea_leaves", name="Tea leaves", parent="foliage"),
        Finish(id="fallen_leaves", name="Fallen leaves", parent="litter"),
        Finish(id="leaf_shade", name="Leaf shade", parent="shade"),
        Finish(id="autumn_leaves", name="Autumn leaves", parent="tea_leaves", values={"turned": 1.0}),
        Finish(
            id="fern_leaves", name="Fern leaves", parent="foliage", values={"turned": 0.1, "tint": (1.05, 1.1, 0.9)}
        ),
    )


def props(ids: dict[str, str]) -> Iterator[Prop]:
    """Tea at the ends of the terraces and before the wall, ferns in the damp corners."""
    rng = np.random.default_rng(23)
    tea = [(-3.5, -0.5 * (row + 1), 2.8 + 1.3 * row) for row in range(3)]
    tea += [(3.35, -0.5 * (row + 1), 2.8 + 1.3 * row) for row in range(3)]
    tea += [(-3.45, -1.5, 6.0), (3.3, -1.5, 6.1), (1.6, 0.0, -1.15), (-1.75, 0.0, -1.05)]
    ferns = [(-0.75, 0.0, -1.75), (-0.2, 0.0, -1.9), (0.55, 0.0, -1.95), (2.3, 0.0, -1.1), (-2.5, 0.0, -0.9)]
    ferns += [(-3.2 + 1.32 * i, 0.0, 2.62) for i in (1, 3, 5)]
    for i, (x, y, z, turn) in enumerate(((-1.9, -0.5, 3.1, 0.1), (1.8, -1.0, 4.4, -0.2), (0.3, 0.0, -0.9, 0.3))):
        yield Prop(
            id=f"leaf_litter_{i + 1}", name=f"Leaf litter {i + 1}", mesh=ids["Leaf litter"], position=(x, y, z),
            turn=turn_of(0.0, turn, 0.0), parent="terraces", finishes={"surface": "fallen_leaves"},
        )  # fmt: skip
    for name, places, finish in (("Tea bush", tea, "tea_leaves"), ("Fern", ferns, "fern_leaves")):
        for i, at in enumerate(places):
            size, turn = float(rng.uniform(0.8, 1.15)), float(rng.uniform(0, 6.28))
            worn = "autumn_leaves" if name == "Tea bush" and i % 4 == 1 else finish
            yield Prop(
                id=f"{name.lower().replace(' ', '_')}_{i + 1}", name=f"{name} {i + 1}", mesh=ids[name], position=at,
                turn=turn_of(0.0, turn, 0.0), size=(size,) * 3, parent="terraces", finishes={"surface": worn},
            )  # fmt: skip
