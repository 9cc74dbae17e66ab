"""What stacking layers on a ground costs, layer by layer, here and where most of them meet; what cannot be stacked."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jade_coat.check.material_costs import PixelCost, pixel_cost
from jade_coat.material.compile import compile_material, live_fields
from jade_coat.material.compile_stacked import HEIGHTS
from jade_coat.material.kinds import kind_of
from jade_coat.material.paged import PAGES, live_by
from jade_coat.material.quantity import OUTPUTS
from jade_coat.material.shared import CAMERA, TIME
from jade_coat.material.splitting import LIVE
from jade_coat.material.stacking import WEIGHTS, GroundLayer
from jade_coat.material.surface import MapLookup, Role
from jade_coat.program import passes
from jade_coat.program.samplers import PROMISED
from jade_coat.program.types import Array
from jade_coat.stage.ground_grids import own_grids
from jade_coat.stage.ground_looks import ground_material, layer_material
from jade_coat.stage.ground_nodes import GroundNodes
from jade_coat.stage.grounds import Ground
from jade_coat.stage.project import Project


@dataclass(frozen=True)
class Stacked:
    """What a pixel costs where some layers are: in all, and what each of them adds, by its id, in their order."""

    whole: PixelCost
    layers: dict[str, PixelCost]
    textures: int
    """How many textures are read at once."""

    @property
    def crowded(self) -> bool:
        """Whether more textures are read than every machine can at once: those of one size then share an array."""
        return self.textures + 1 > PROMISED


def stacked_cost(project: Project, ground: Ground, shown: frozenset[str], lookup: MapLookup) -> Stacked:
    """The cost of a pixel where some layers are, by their ids; the first is everywhere."""
    there = [layer.id for i, layer in enumerate(ground.layers) if i == 0 or layer.id in shown]
    found: dict[str, PixelCost] = {}
    before = PixelCost(0, 0)
    for k, layer in enumerate(there):
        made = ground_material(project, ground, frozenset(there[: k + 1]))
        now = pixel_cost(made, lookup)
        found[layer] = PixelCost(now.reads - before.reads, now.operations - before.operations)
        before = now
    outputs = compile_material(made, lookup, live_fields(made))
    read = passes.textures([outputs[name] for name in OUTPUTS])
    return Stacked(before, found, len(tuple(read)))


def places_of(ground: Ground, nodes: GroundNodes) -> dict[frozenset[str], int]:
    """Which layers meet, and in how many of the finest parts of a ground."""
    names = [layer.id for layer in ground.layers]
    stack = np.stack([nodes.there(n) if i else np.ones(nodes.low.shape, bool) for i, n in enumerate(names)])
    columns, counts = np.unique(stack.reshape(len(names), -1), axis=1, return_counts=True)
    return {
        frozenset(n for n, on in zip(names, column, strict=True) if on): int(count)
        for column, count in zip(columns.T, counts, strict=True)
    }


PAGE_READS = len(PAGES)
"""Texture reads of a pixel that is drawn from pages, beside those that all of a ground costs for its heights."""


def layers_at(ground: Ground, place: Array, radius: float) -> frozenset[str]:
    """The layers of which there is any within a distance of a place `(2,)`, metres from the corner."""
    columns, rows = ground.weight_cells
    dx, dz = ground.heights.size[0] / (columns - 1), ground.heights.size[1] / (rows - 1)
    rect = (
        int((place[1] - radius) / dz), int((place[1] + radius) / dz) + 2,
        int((place[0] - radius) / dx), int((place[0] + radius) / dx) + 2,
    )  # fmt: skip
    found = {name for name, pages in ground.weights.items() if (pages.values(rect) > 0).any()}
    return frozenset({ground.layers[0].id, *found})


def memory_of(ground: Ground) -> tuple[int, int, int]:
    """Bytes that heights, weights, and how water may stand take on the graphics card."""
    found = [0, 0, 0]
    for texture, grids in own_grids(ground).items():
        channels = len(grids) if grids[0].dtype == "float32" else 1  # weights: four bytes a texel, however many layers
        kind = 0 if texture == HEIGHTS else 1 if texture.name.startswith(WEIGHTS) else 2
        found[kind] += grids[0].rows * grids[0].columns * 4 * channels
    return found[0], found[1], found[2]


def live_layers(project: Project, ground: Ground, lookup: MapLookup) -> list[str]:
    """What keeps parts of a ground from being drawn from pages, layer by layer, in words that name the field."""
    first = ground.layers[0]
    alone = live_by(ground_material(project, ground, frozenset({first.id})), lookup)
    lines = [f"{first.name} {words}, {_by_which(first, words)}: all of it stays live." for words in alone]
    for layer in ground.layers[1:]:
        found = live_by(ground_material(project, ground, frozenset({first.id, layer.id})), lookup)
        told = [words for words in found if words not in alone]
        lines += [f"{layer.name} {words}, {_by_which(layer, words)}: where it is, parts stay live." for words in told]
    if any(layer.way == "absolute" and layer.role == "gap" for layer in ground.layers):
        lines.append("Parts with gaps stay live.")
    return lines


def _by_which(layer: GroundLayer, words: str) -> str:
    """The field of a layer that makes it do what the words say."""
    if layer.rain != "none" and words == LIVE[TIME]:
        return "by its rain"
    if words == LIVE[CAMERA] and (layer.far == "larger" or layer.glint != 1.0):
        return "by how it is laid from afar" if layer.far == "larger" else "by what it mirrors afar"
    return "by what it is made of"


def unstackable(project: Project, layer: GroundLayer, lookup: MapLookup) -> list[str]:
    """What of a layer a ground does not show, and what it lacks, in words."""
    if layer.way == "absolute":
        return []
    material, lines = layer_material(project, layer), []
    kind = kind_of(material.kind)
    if kind.own_light or kind.blend or kind.cut:
        lines.append(f"{layer.name}: {material.name} is {kind.label.lower()}; on a ground it is lit as an opaque one.")
    if material.moves:
        lines.append(f"{layer.name}: {material.name} moves vertices, which a ground does not.")
    top = material.coats[0].surface
    bare = top.map_set and lookup.read(top.map_set, Role.HEIGHT) is None
    if layer.way == "shared" and layer.lead > 0 and bare and len(material.coats) == 1:
        lines.append(f"{layer.name} has no height map: where heights lead, it mixes evenly.")
    return lines
