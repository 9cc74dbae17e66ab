"""Which level of a texture fits the distance between the points that read it."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from jade_coat.maps.packing import Texture
from jade_coat.maps.sampling import Fetch, bilinear, reading
from jade_coat.program import TextureRef, Value
from jade_coat.program.numpy_backend import Environment, evaluate
from jade_coat.program.types import Array
from jade_coat.program.value import walk


def fitting_levels(
    outputs: Mapping[str, Value], sides: tuple[dict[str, Array], dict[str, Array]], instance: Mapping[str, Array],
    textures: Mapping[str, Texture],
) -> dict[str, int]:  # fmt: skip
    """The mip level of each texture that fits the step from the points of one side to those of the other."""
    moves: dict[str, float] = {}
    uv_of: list[dict[str, list[Array]]] = [{}, {}]
    read = reading(textures)
    means = read["mean"]

    def probing(side: int) -> Fetch:
        def fetch(reference: TextureRef, uv: Array) -> Array:
            uv_of[side].setdefault(reference.name, []).append(uv)
            return bilinear(textures[reference.name].wrapped(0), uv)

        return fetch

    fetched = {str(i): n for i, n in enumerate(walk(list(outputs.values()))) if n.op == "texture"}
    for side in (0, 1):
        environment = Environment(
            attributes=sides[side], instance=instance, fetch=probing(side), mean=means, fetch_level=read["fetch_level"]
        )
        evaluate(fetched, environment)
    for name, reads in uv_of[0].items():
        height, width = textures[name].levels[0].shape[:2]
        for a, b in zip(reads, uv_of[1][name], strict=True):
            step = np.hypot((b - a)[0] * width, (b - a)[1] * height)
            moves[name] = min(moves.get(name, np.inf), float(np.median(step)))
    return {name: max(0, round(np.log2(max(move, 1e-6)) - 0.25)) for name, move in moves.items()}
