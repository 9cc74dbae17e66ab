"""What paint rules read beside their own mesh: the other props, and what map sets hold."""

from __future__ import annotations

import contextlib
from collections.abc import Callable

import numpy as np

from jade_coat.files.library import Library
from jade_coat.maps.color import LUMINANCE
from jade_coat.maps.packing import PackedLookup
from jade_coat.maps.sampling import reading
from jade_coat.material.where import MAP_READS, MapReading
from jade_coat.mesh.data import BadMesh
from jade_coat.mesh.measures import Around
from jade_coat.program.types import Array
from jade_coat.stage.project import Project, Prop


def surroundings(
    project: Project, library: Library, prop: Prop, cancelled: Callable[[], bool] = lambda: False
) -> Around:
    """Everything around a prop. A prop whose mesh cannot be read is not there; a map that cannot be read raises."""
    props = {}
    for other in project.props:
        if other.id != prop.id:
            with contextlib.suppress(OSError, BadMesh):
                props[other.id] = (library.mesh_by_id(project, other.mesh), other.matrix())
    lookup = PackedLookup(project.map_sets, project.recipes)

    def map_value(map_set: str, read: MapReading, uv: Array) -> Array:
        role, letter = MAP_READS[read]
        found = lookup.read(map_set, role)
        if found is None:
            raise KeyError(f"the map set {map_set!r} holds no {read}; choose another reading")
        textures = {t.name: t for t in library.textures(project.map_set(map_set))}
        fetched = reading(textures)["fetch"](found.texture, np.ascontiguousarray(uv.T, np.float32))
        values = fetched[["rgba".index(c) for c in found.channels]]
        if len(values) == 1:
            return np.asarray(values[0])
        if letter:
            return np.asarray(values["xyzw".index(letter)])
        return np.asarray(LUMINANCE @ values[:3])

    return Around(props, map_value, cancelled)
