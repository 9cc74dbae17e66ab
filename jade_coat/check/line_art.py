"""Whether line art stays sharp: the edges of its UV layout should lie along the texels."""

from __future__ import annotations

import numpy as np

from jade_coat.material.kind_part import PREFIX
from jade_coat.material.material import Material
from jade_coat.material.recipe_reads import recipes_run
from jade_coat.material.surface import MapLookup
from jade_coat.mesh.data import MeshData

ASLANT = np.radians(0.5)
"""From this angle to the texels on an edge of the layout is aslant."""
MUCH = 0.05
"""The share of all edges that may be so."""


def aslant(mesh: MeshData, uv_set: int) -> float:
    """The share, by length, of the edges of a UV set's layout that lie neither along the texels' rows nor columns."""
    sides = np.concatenate([mesh.triangles[:, [i, (i + 1) % 3]] for i in range(3)]).astype(np.int64)
    edges, counts = np.unique(np.sort(sides, axis=1), axis=0, return_counts=True)
    rim = edges[counts == 1]  # vertices are apart where the layout is cut
    ends = mesh.uv(uv_set)[rim].astype(np.float64)
    way = np.abs(ends[:, 1] - ends[:, 0])
    length = np.hypot(*way.T)
    if not len(rim) or length.sum() <= 0:
        return 0.0
    off = np.arctan2(way.min(axis=1), way.max(axis=1)) > ASLANT
    return float(length[off].sum() / length.sum())


def line_sets(material: Material, lookup: MapLookup) -> set[int]:
    """The UV sets that the lines of two tones are read by."""
    link = material.link_at(f"{PREFIX}tones.line")
    if link is None or not link.recipe:
        return set()
    steps = [s for r in recipes_run(frozenset({link.recipe}), lookup) for s in r.steps]
    return {int(s.pick or "0") for s in steps if s.kind == "uv"} if any(s.kind == "map" for s in steps) else set()


def line_note(mesh: MeshData, material: Material, lookup: MapLookup) -> str:
    """What keeps the lines of a material from being sharp on a mesh, in words; empty where nothing does."""
    told = []
    for uv_set in sorted(line_sets(material, lookup)):
        if uv_set >= len(mesh.uvs):
            told.append(f"Its lines are read by UV set {uv_set + 1}, which the mesh does not have.")
            continue
        share = aslant(mesh, uv_set)
        if share > MUCH:
            told.append(
                f"{share:.0%} of the edges of UV set {uv_set + 1} lie aslant to the texels: lines there are stepped. "
                "Lay them out straight to keep line art sharp."
            )
    return " ".join(told)
