"""Chooses how large a map set's textures may be, looking at both sizes side by side before deciding."""

from __future__ import annotations

import math

import cv2
import numpy as np
from PyQt6.QtWidgets import QCheckBox, QDialog, QVBoxLayout, QWidget

from jade_coat.app.controls.basics import button, choice, column, holder, label, row
from jade_coat.app.controls.images import image_from
from jade_coat.app.controls.zoom_picture import Place, ZoomPicture
from jade_coat.app.session import Session
from jade_coat.app.view.view import View
from jade_coat.check.texture_size import SEEN, SizeCheck, check_size
from jade_coat.maps.color import to_linear, to_srgb
from jade_coat.maps.images import as_float, read_image
from jade_coat.maps.mapset import MapFile, MapSet
from jade_coat.maps.packing import reduced
from jade_coat.program.types import Array
from jade_coat.stage.looks import field_row

LARGE = 1024
"""Pixels along the longer side of the pictures that can be zoomed."""


class TextureSize(QDialog):
    """Compares a map in its full size with a smaller one at the pixel scale of the view."""

    def __init__(self, parent: QWidget, session: Session, view: View, map_set: MapSet) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Texture size of {map_set.name}")
        self._session, self._view, self._set = session, view, map_set
        self.found: SizeCheck | None = None
        self._role = map_set.maps[0].role.value
        self._side = map_set.max_side
        self._values: dict[str, Array] = {}
        self.role = choice([(m.role.value, m.role.label) for m in map_set.maps], self._role, self._choose_role)
        self.role.setMinimumWidth(140)
        self.sizes = choice([], "", lambda side: self.choose(int(side)))
        place = Place()
        self.pictures = [ZoomPicture(place), ZoomPicture(place)]
        self.split = QCheckBox("one picture, split")
        self.split.setToolTip("Lay both over each other, with a line between them that can be dragged")
        self.split.toggled.connect(lambda _: self._lay())
        self._names = [label("", "quiet"), label("", "quiet")]
        for picture in self.pictures:
            picture.setMinimumSize(SEEN, SEEN)
        self._figures = label("", wrap=True)
        self._note = label("", "quiet", wrap=True)
        layout = QVBoxLayout(self)
        layout.setSpacing(10)
        self._top = row(label("Look at"), self.role, label("at most"), self.sizes, 1, self.split)
        layout.addLayout(self._top)
        self._sides = [holder(column(n, p)) for n, p in zip(self._names, self.pictures, strict=True)]
        sides = row(*self._sides, gap=12)
        layout.addLayout(sides, 1)
        layout.addWidget(self._figures)
        layout.addWidget(self._note)
        self._use = button("Use this size", self.accept, "main")
        layout.addLayout(row(1, button("Cancel", self.reject), self._use))
        self._fill_sizes()
        self._show()

    @property
    def side(self) -> int:
        """The chosen longest side in texels; 0 is the file's own."""
        return self._side

    def _entry(self) -> MapFile:
        return next(m for m in self._set.maps if m.role.value == self._role)

    def _picture(self) -> Array:
        if self._role not in self._values:
            entry = self._entry()
            values = as_float(read_image(self._session.library.assets.read(entry.asset), entry.file))
            self._values[self._role] = to_linear(values) if entry.color_space == "srgb" else values
        return self._values[self._role]

    def _choose_role(self, role: str) -> None:
        self._role = role
        self._fill_sizes()
        self._show()

    def _fill_sizes(self) -> None:
        longest = max(self._picture().shape[:2])
        steps = [2**k for k in range(4, 15) if 2**k < longest]
        self.sizes.clear()
        for side in (0, *reversed(steps)):
            self.sizes.addItem(f"{longest} (its own)" if side == 0 else f"{side} texels", str(side))
        self.sizes.setCurrentIndex(max(self.sizes.findData(str(self._side)), 0))
        self.sizes.setMinimumWidth(130)

    def choose(self, side: int) -> None:
        """Look at another size."""
        if side != self._side:
            self._side = side
            self.sizes.setCurrentIndex(max(self.sizes.findData(str(side)), 0))
            self._show()

    def _pixels_a_tile(self) -> float:
        """How many pixels of the view one tile spans, at the distance of what the camera looks at."""
        view = self._view
        high = 2 * view.camera.distance * math.tan(view.camera.field_of_view / 2)
        return self._tile_size() / high * view.height() * view.devicePixelRatioF()

    def _tile_size(self) -> float:
        """Metres that a tile spans on the chosen coat, as the chosen finish has it; else as the set has it."""
        session, material = self._session, self._session.material
        coat = next((c for c in material.coats if c.id == session.coat_id), None) if material else None
        if coat is None or self._set.id not in coat.surface.sets:
            return self._set.tile_size
        detail = coat.surface.detail.map_set == self._set.id and coat.surface.map_set != self._set.id
        path = f"{coat.id}.surface.detail.tile_size" if detail else f"{coat.id}.surface.tile_size"
        found = field_row(session.project, session.finish_id)[path]
        assert isinstance(found, (int, float))
        return float(found)

    def _show(self) -> None:
        values = self._picture()
        longest = max(values.shape[:2])
        side = self._side or longest
        pixels = self._pixels_a_tile()
        wide = 8 if self._role in ("normal", "roughness", "height") else 4
        self.found = check_size(values, side, pixels, wide)
        for name, texels in zip(self._names, (longest, min(side, longest)), strict=True):
            name.setText(f"{texels} texels")
        self._lay()
        like = self.found.likeness
        saved = self.found.bytes_full - self.found.bytes_small
        self._figures.setText(
            f"SSIM {like.ssim:.3f} · CIEDE2000 mean {like.mean_difference:.2f}, 95 % below {like.high_difference:.2f}"
            f" · saves {saved / 1e6:.1f} MB of {self.found.bytes_full / 1e6:.1f} MB of texture memory"
        )
        self._note.setText(
            f"The figures are for the view as it is now, where one tile spans {pixels:.0f} pixels; the wheel shows "
            "both larger. The file stays as it is; the view and every export use the smaller size."
        )

    def _lay(self) -> None:
        """Show both beside each other, or one over the other."""
        assert self.found is not None
        is_color = self._entry().role.is_color
        values = self._picture()
        whole = reduced(np.ascontiguousarray(values[..., :3], np.float32), LARGE)
        less = reduced(np.ascontiguousarray(values[..., :3], np.float32), self._side or max(values.shape[:2]))
        grown = cv2.resize(less, whole.shape[1::-1], interpolation=cv2.INTER_LINEAR).reshape(whole.shape)
        full, small = (image_from(to_srgb(v) if is_color else v) for v in (whole, grown))
        split = self.split.isChecked()
        self._sides[1].setVisible(not split)
        self._names[0].setVisible(not split)
        left, right = (name.text() for name in self._names)
        self.pictures[0].show_image(full, small if split else None, (left, right))
        self.pictures[1].show_image(small)
