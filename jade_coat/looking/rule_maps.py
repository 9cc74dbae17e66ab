"""The maps that rules of a ground go by."""

from __future__ import annotations

import numpy as np

from jade_coat.files.library import Library
from jade_coat.ground.rules import LayerRule, Picture
from jade_coat.maps.color import LUMINANCE
from jade_coat.material.where import MAP_READS
from jade_coat.stage.project import Project

SIDE = 2048
"""Texels along the longer edge that are read, at the most: weights are no finer than twice as many."""


def rule_picture(project: Project, library: Library, rule: LayerRule) -> Picture | None:
    """What a rule goes by, where it goes by a map.

    Raises MissingAsset, BadImage, and KeyError for a set that is gone or holds no such map.
    """
    if rule.measure != "map" or not rule.map_set:
        return None
    role, letter = MAP_READS[rule.read]
    map_set = project.map_set(rule.map_set)
    found = library.role(map_set, role, SIDE)
    if found is None:
        raise KeyError(f"{map_set.name} holds no {rule.read}: choose what is to be read of it")
    if letter:
        values = found[..., min("xyzw".index(letter), found.shape[2] - 1)]
    else:
        values = found[..., :3] @ LUMINANCE if found.shape[2] >= 3 else found[..., 0]
    return np.ascontiguousarray(values, np.float32), rule.tile if rule.laid == "tiled" else 0.0
