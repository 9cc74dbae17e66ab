"""A small picture of what a stamp lays: its colour and what shows through, worked out by the program itself."""

from __future__ import annotations

import numpy as np
from PyQt6.QtGui import QImage

from jade_coat.files.library import Library
from jade_coat.looking.lying import decal_colors
from jade_coat.maps.color import to_srgb
from jade_coat.maps.picture import BadImage
from jade_coat.stage.decals import Decal
from jade_coat.stage.project import Project

SIDE = 84


def stamp_picture(project: Project, library: Library, decal: Decal) -> QImage | None:
    """The picture, with alpha; None where it cannot be worked out."""
    if not decal.finish:
        return None
    try:
        colors, alpha = decal_colors(project, library, decal, SIDE)
    except (OSError, BadImage, KeyError, ValueError):
        return None
    pixels = np.concatenate([np.clip(to_srgb(colors), 0, 1), alpha[..., None]], axis=2)
    data = np.ascontiguousarray((pixels * 255 + 0.5).astype(np.uint8))
    return QImage(data.tobytes(), SIDE, SIDE, SIDE * 4, QImage.Format.Format_RGBA8888).copy()
