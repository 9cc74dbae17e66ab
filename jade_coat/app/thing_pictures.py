"""Small pictures of map sets and looks, for lists and drop-downs: made of the files, without the renderer."""

from __future__ import annotations

import cv2
import numpy as np
from PyQt6 import sip
from PyQt6.QtCore import QSize
from PyQt6.QtGui import QIcon, QImage, QPixmap
from PyQt6.QtWidgets import QComboBox

from jade_coat.app.controls.basics import Choice
from jade_coat.app.controls.images import image_from
from jade_coat.app.session import Session
from jade_coat.files.assets import Assets
from jade_coat.jobs.byte_cache import ByteCache
from jade_coat.maps.color import to_linear, to_srgb
from jade_coat.maps.images import as_float, read_image
from jade_coat.maps.picture import BadImage
from jade_coat.material.surface import Role
from jade_coat.program.types import Array
from jade_coat.stage.looks import as_worn
from jade_coat.stage.origins import Kind
from jade_coat.stage.project import Project
from jade_coat.stage.taking import Place, item

ICON = QSize(34, 26)


def pictured(box: QComboBox, session: Session, kind: Kind) -> QComboBox:
    """A drop-down of things of the project, by id; once it is opened, a picture stands before each that has one."""
    box.setIconSize(QSize(22, 17))

    def look() -> None:
        project, assets = session.project, session.library.assets
        there = {t.id for t in getattr(project, kind)}
        wanted = [box.itemData(i) for i in range(box.count()) if box.itemIcon(i).isNull() and box.itemData(i) in there]
        if wanted:  # large maps take a while to read: not in the window's own time
            session.work(lambda: [(k, picture_of(project, assets, (kind, k))) for k in wanted], show, lambda _: None)

    def show(found: list[tuple[str, QImage | None]]) -> None:
        for key, image in found:
            if image is not None and not sip.isdeleted(box):
                box.setItemIcon(box.findData(key), QIcon(QPixmap.fromImage(image)))

    if isinstance(box, Choice):
        box.opening.connect(look)
    return box


def picture_of(project: Project, assets: Assets, place: Place) -> QImage | None:
    """A small picture of a map set's colour, or of a look's lowest coat with its tint; None for anything else."""
    kind, wanted = place
    tint: tuple[float, ...] = (1.0, 1.0, 1.0)
    if kind in ("finishes", "materials"):
        surface = as_worn(project, wanted).coats[0].surface
        tint, kind, wanted = surface.tint, "map_sets", surface.map_set
        if not wanted:
            return image_from(to_srgb(np.broadcast_to(surface.color, (ICON.height(), ICON.width(), 3)) * tint))
    if kind != "map_sets":
        return None
    found = item(project, (kind, wanted))
    entry = found.file(Role.BASE_COLOR) or next(iter(found.maps), None)
    small = _small(assets, entry.asset, entry.file) if entry is not None else None
    return None if small is None else image_from(to_srgb(np.clip(to_linear(small) * np.array(tint, np.float32), 0, 1)))


_KEPT: ByteCache[Array] = ByteCache(4 << 20, lambda small: small.nbytes)
"""Small pictures by the asset they are of, whose name is its content's: no project is held by them."""


def _small(assets: Assets, asset: str, name: str) -> Array | None:
    try:
        return _KEPT.get(asset, lambda: _made_small(assets, asset, name))
    except (OSError, BadImage):
        return None  # not kept: the file may be put back


def _made_small(assets: Assets, asset: str, name: str) -> Array:
    picture = as_float(read_image(assets.read(asset), name))
    side = min(picture.shape[:2])
    cut = np.ascontiguousarray(picture[: max(side * ICON.height() // ICON.width(), 1), :side, :3])
    small = cv2.resize(cut, (ICON.width() * 2, ICON.height() * 2), interpolation=cv2.INTER_AREA)
    return np.asarray(small.reshape(ICON.height() * 2, ICON.width() * 2, -1))
