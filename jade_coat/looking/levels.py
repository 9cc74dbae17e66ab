"""Which level of a texture fits the distance between the points that read it."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from jade_coat.maps.packing import Texture
from jade_coat.maps.sampling import bilinear, reading
from jade_coat.material.paint_source import is_own
from jade_coat.program import TextureRef, Value
from jade_coat.program.numpy_backend import Environment, Fetch, evaluate
from jade_coat.program.types import Array
from jade_coat.program.value import walk


def fitting_levels(
    outputs: Mapping[str, Value], sides: tuple[dict[str, Array], dict[str, Array]], instance: Mapping[str, Array],
    textures: Mapping[str, Texture], own: Fetch | None = None,
) -> dict[str, int]:  # fmt: skip
    """The mip level of each texture that fits the step from the points `(k, n)` of one side to those of the other.

    `own` reads those that belong to the thing itself, which have no levels.
    """
    moves: dict[str, float] = {}
    read = reading(textures)
    both = {name: np.concatenate([values, sides[1][name]], axis=1) for name, values in sides[0].items()}

    def fetch(reference: TextureRef, uv: Array) -> Array:
        if own is not None and is_own(reference):
            return own(reference, uv)
        return bilinear(textures[reference.name].wrapped(0), uv)

    def fetch_level(reference: TextureRef, level: int, uv: Array) -> Array:
        if own is not None and is_own(reference):
            return own(reference, uv)
        return read["fetch_level"](reference, level, uv)

    reads = [n for n in walk(list(outputs.values())) if n.op == "texture"]
    reads = [n for n in reads if own is None or not is_own(n.static)]
    found = evaluate(
        {str(i): n.args[0] for i, n in enumerate(reads)},
        Environment(attributes=both, instance=instance, fetch=fetch, mean=read["mean"], fetch_level=fetch_level),
    )
    for node, uv in zip(reads, found.values(), strict=True):
        height, width = textures[node.static.name].levels[0].shape[:2]
        a, b = np.split(uv, 2, axis=1) if uv.shape[1] > 1 else (uv, uv)
        step = np.hypot((b - a)[0] * width, (b - a)[1] * height)
        moves[node.static.name] = min(moves.get(node.static.name, np.inf), float(np.median(step)))
    return {name: max(0, round(np.log2(max(move, 1e-6)) - 0.25)) for name, move in moves.items()}
