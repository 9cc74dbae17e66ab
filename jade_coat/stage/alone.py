"""Scenes of one mesh alone, for previews."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

import numpy as np

from jade_coat.material.fields import Number
from jade_coat.material.material import Material
from jade_coat.material.rows import layout
from jade_coat.mesh.data import MeshData, Slot
from jade_coat.stage.draws import Draw, Scene

Look = tuple[Material, dict[str, Number]]
"""A material, and the values of its fields by path."""
NO_LOOKS: Mapping[str, Look] = MappingProxyType({})


def single(
    mesh: str, data: MeshData, material: Material, values: dict[str, Number], others: Mapping[str, Look] = NO_LOOKS
) -> Scene:
    """A scene of one mesh at the origin, all slots in one look but those that have others: for previews."""
    one, zero = np.eye(4, dtype=np.float32)[None], np.zeros(1, np.int32)
    draws, rows = [], {}
    for slot in data.slots if others else (Slot("", 0, sum(s.count for s in data.slots)),):
        made, own = others.get(slot.name, (material, values))
        draws.append(Draw(mesh, "", slot.start, slot.count, made.id, one, zero, np.zeros(1, np.float32)))
        rows[made.id] = layout(made).pack(own)[None]
    return Scene(draws, rows)
