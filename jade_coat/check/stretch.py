"""Whether the maps of haze look stretched on the cards that wear it."""

from __future__ import annotations

import numpy as np

from jade_coat.material.placing import CARD_SET
from jade_coat.mesh.data import MeshData

NOTABLE = 2.0


def stretch(mesh: MeshData, repeats: tuple[float, float]) -> float:
    """How many times as long a map is across a mesh's cards as along them, by their corners; 1 is even."""
    half = np.abs(mesh.uv(CARD_SET)).max(axis=0)
    if half.min() <= 0:
        return 1.0
    return float((half[0] / repeats[0]) / (half[1] / repeats[1]))


def stretch_note(mesh: MeshData, repeats: tuple[float, float]) -> str:
    """A flag with its mend, in words; empty where nothing looks stretched."""
    found = stretch(mesh, repeats)
    if 1 / NOTABLE <= found <= NOTABLE:
        return ""
    longer, way = (found, "across") if found > 1 else (1 / found, "along")
    across, along = (repeats[0] * found, repeats[1]) if found > 1 else (repeats[0], repeats[1] / found)
    return f"Its maps are stretched {longer:.1f} times {way}. Repeats of {across:.2g}, {along:.2g} would be even."
