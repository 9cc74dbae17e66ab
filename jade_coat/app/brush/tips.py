"""The tips at hand: the built-in ones, and pictures that were kept, which stay between projects."""

from __future__ import annotations

import re
from pathlib import Path

import cv2
import numpy as np

from jade_coat.files.atomic import write_atomic
from jade_coat.files.project_folder import data_folder
from jade_coat.maps.images import as_float, png_bytes, read_image
from jade_coat.maps.picture import BadImage
from jade_coat.mesh.tip import TIPS, Tip, built_in, tip_of
from jade_coat.stage.naming import free_name

MOST = 60
"""How many pictures are kept at most."""


def _folder() -> Path:
    return data_folder() / "tips"


def names() -> list[str]:
    """The names of all tips, the built-in ones first."""
    kept = sorted(p.stem for p in _folder().glob("*.png")) if _folder().is_dir() else []
    return [*TIPS, *(name for name in kept if name not in TIPS)]


def tip(name: str) -> Tip | None:
    """The tip of this name; None for none, and for one whose file is gone or damaged."""
    found = built_in(name)
    if found is not None or not name or name != _safe(name):
        return found
    try:
        return _read(_folder() / f"{name}.png", name)
    except (OSError, BadImage, ValueError):
        return None


def keep(path: Path) -> Tip:
    """Make a tip of a picture file and keep it. Raises OSError, BadImage or ValueError, which name the file."""
    if len(names()) - len(TIPS) >= MOST:
        raise ValueError(f"{MOST} tips are kept already. Delete some in {_folder()} first.")
    try:
        made = _read(path, "")
    except ValueError as reason:
        raise ValueError(f"{path.name}: {reason}") from None
    name = free_name(_safe(path.stem) or "Tip", set(names()))
    _folder().mkdir(parents=True, exist_ok=True)
    write_atomic(_folder() / f"{name}.png", png_bytes((made.values * 255 + 0.5).astype(np.uint8)[..., None]))
    return Tip(name, made.values.copy())


def _read(path: Path, name: str) -> Tip:
    picture = as_float(read_image(path.read_bytes(), path.name))
    side = max(picture.shape[:2])
    if side > 2048:  # a tip is small; what is read of a scan is a smaller one of it
        share = 2048 / side
        picture = cv2.resize(np.ascontiguousarray(picture), None, fx=share, fy=share, interpolation=cv2.INTER_AREA)
    return tip_of(name, np.asarray(picture).reshape(*picture.shape[:2], -1))


def _safe(name: str) -> str:
    """A name that is one plain file's."""
    return re.sub(r"[^\w \-]+", "", name).strip()[:40]
