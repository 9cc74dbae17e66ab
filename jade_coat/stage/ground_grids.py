"""The textures that are a ground's own: its heights, its weights by four, and how water may stand on it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from jade_coat.ground.pages import Pages
from jade_coat.material.compile_stacked import HEIGHTS, pools_texture
from jade_coat.material.stacking import weights_texture
from jade_coat.program import TextureRef
from jade_coat.program.types import Array
from jade_coat.stage.ground_water import holds_water, pools_of
from jade_coat.stage.grounds import Ground

CHANNELS = 4
"""Layers whose weights are one texture."""


def own_grids(ground: Ground) -> dict[TextureRef, tuple[Pages, ...]]:
    """All of them, each with the grids that are its channels."""
    found: dict[TextureRef, tuple[Pages, ...]] = {HEIGHTS: (ground.heights.pages,)}
    weights = [ground.weights[layer.id] for layer in ground.layers]
    for i in range(0, len(weights), CHANNELS):
        found[weights_texture(i)] = tuple(weights[i : i + CHANNELS])
    for i, layer in enumerate(ground.layers):
        if holds_water(layer):
            found[pools_texture(i)] = pools_of(ground, layer).grids
    return found


def texels(grids: Sequence[Array]) -> Array:
    """Grids `(h, w)` as texels: of floats one or three channels, of weights four."""
    if grids[0].dtype == np.float32:
        return np.ascontiguousarray(np.stack(grids, axis=-1))
    made = np.zeros((*grids[0].shape, CHANNELS), np.uint8)
    for i, grid in enumerate(grids):
        made[..., i] = grid
    return made
