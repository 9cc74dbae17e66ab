"""Reads TIFF pictures; what has no one meaning as a map is refused by name."""

from __future__ import annotations

import io
from typing import Any

import cv2
import numpy as np

from jade_coat.maps.picture import BadImage, check_size, finite, turned
from jade_coat.program.types import Array

_PRINTING, _PALETTE, _WHITE_IS_ZERO = 5, 3, 0


def read_tiff(data: bytes, name: str) -> Array:
    """The first page as `(h, w, 1 | 3 | 4)` of uint8, uint16 or float32, upright. Raises BadImage.

    Whole numbers of 32 bits become 0 to 1 in float; signed ones have no range that is agreed on and are refused.
    """
    import tifffile

    try:
        with tifffile.TiffFile(io.BytesIO(data)) as tiff:
            page: Any = tiff.pages[0]
            check_size(int(page.imagewidth), int(page.imagelength), name)
            _refuse(page, name)
            tag = page.tags.get(274)
            orientation = int(tag.value) if tag is not None else 1
            picture = _pixels(page, data)
    except BadImage:
        raise
    except Exception as error:  # the library raises many kinds for damaged files
        raise BadImage(f"{name}: the TIFF is damaged or packed in a way that is not read ({str(error)[:120]}). "
                       "Save it again, uncompressed or as PNG.") from None  # fmt: skip
    if int(page.photometric) == _WHITE_IS_ZERO:
        picture = np.iinfo(picture.dtype).max - picture if picture.dtype.kind == "u" else 1 - picture
    if picture.shape[2] == 2:
        picture = np.concatenate([np.repeat(picture[..., :1], 3, axis=2), picture[..., 1:]], axis=2)
    picture = np.ascontiguousarray(picture[..., :4])
    if picture.dtype == np.uint32:
        picture = (picture / np.float64(2**32 - 1)).astype(np.float32)
    return turned(finite(picture), orientation if orientation in range(1, 9) else 1)


def _refuse(page: Any, name: str) -> None:
    kind = np.dtype(page.dtype) if page.dtype is not None else np.dtype(bool)
    if int(page.photometric) == _PRINTING:
        raise BadImage(f"{name}: its colours are for printing (CMYK). Save it as RGB.")
    if int(page.photometric) == _PALETTE:
        raise BadImage(f"{name}: its colours come from a palette. Save it as RGB.")
    if int(page.photometric) > _PRINTING and int(page.photometric) != 6:
        raise BadImage(f"{name}: its colours are not RGB ({page.photometric!s:.40}). Save it as RGB.")
    if kind.kind == "i":
        raise BadImage(f"{name}: its numbers are signed ({kind}), which says no range. Save it unsigned or as float.")
    if kind not in (np.uint8, np.uint16, np.uint32, np.float16, np.float32, np.float64):
        raise BadImage(f"{name}: its texels are {kind}, which is not read. Save it with 8, 16 or 32 bits.")


def _pixels(page: Any, data: bytes) -> Array:
    """The page's texels: by tifffile, or where that lacks the packing, by OpenCV."""
    try:
        found = np.asarray(page.asarray())
    except ValueError:
        if np.dtype(page.dtype) not in (np.uint8, np.uint16, np.float32) or page.samplesperpixel == 2:
            raise
        decoded = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED | cv2.IMREAD_ANYDEPTH)
        if decoded is None:
            raise
        found = decoded if decoded.ndim == 2 else decoded[..., [2, 1, 0, 3][: decoded.shape[2]]]
        tag = page.tags.get(274)
        if tag is not None and int(tag.value) != 1:
            raise ValueError("turned and packed") from None  # OpenCV may have turned it already
    if int(page.planarconfig) == 2 and found.ndim == 3:
        found = np.moveaxis(found, 0, 2)
    return found[:, :, None] if found.ndim == 2 else found
