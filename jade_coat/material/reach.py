"""How far a material reaches beyond the mesh that wears it."""

from __future__ import annotations

from collections.abc import Mapping

from jade_coat.material.fields import Number
from jade_coat.material.material import Material
from jade_coat.material.placing import largest


def reach_of_moves(material: Material, values: Mapping[str, Number] | None = None) -> float:
    """How far a material can move a vertex at the most, metres, with the values of one look by path, or its own."""

    def most(path: str, own: float) -> float:
        link = material.link_at(path)
        found = (link.low, link.high) if link is not None else ((values or {}).get(path, own),)
        return max(abs(v) for v in found if isinstance(v, (int, float)))

    return largest(material.moves, most)
