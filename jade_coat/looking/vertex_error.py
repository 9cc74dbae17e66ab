"""How far a value that is worked out at the vertices is from what it is between them."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from jade_coat.looking.look_at import LookAt
from jade_coat.material.compile import seen_from_ahead, with_shared
from jade_coat.material.shared import SharedValue
from jade_coat.program import Value, passes

PLACES = 2000


@dataclass(frozen=True)
class VertexError:
    """The difference on average and at the most, in the value's own unit, over places of a surface."""

    mean: float
    most: float


def vertex_error(
    look: LookAt, value: Value, shared: dict[str, SharedValue], places: int = PLACES, seed: int = 0
) -> VertexError:
    """Compare a value with what it is when interpolated between the corners of its triangle, at places by chance.

    `value` may be asked for at the vertices already. Raises KeyError for what the look does not read.
    """

    def exact(node: Value) -> Value:
        return node.args[0] if node.op == "per_vertex" else node

    outputs = seen_from_ahead(with_shared(passes.rebuilt({"v": value}, exact), shared))
    at = replace(look, outputs=outputs)
    rng = np.random.default_rng(seed)
    owner = rng.integers(0, len(look.triangles), places)
    shares = rng.dirichlet((1, 1, 1), places).astype(np.float32)
    there = at.at(["v"], owner, shares[:, 1:])["v"]
    corners = [
        at.at(["v"], owner, np.broadcast_to(np.array(w, np.float32), (places, 2)))["v"]
        for w in ((0, 0), (1, 0), (0, 1))
    ]
    between = sum(share * corner for share, corner in zip(shares.T, corners, strict=True))
    away = np.abs(between - there).max(axis=0)
    return VertexError(float(away.mean()), float(away.max()))
