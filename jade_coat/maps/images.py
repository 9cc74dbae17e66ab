"""Reads and writes picture files of 8 bits, 16 bits or float."""

from __future__ import annotations

import io
import os
import re
import struct
from pathlib import Path

import cv2
import numpy as np

from jade_coat.formats import Format, by_suffix, named
from jade_coat.maps.color import to_linear
from jade_coat.maps.exr import read_exr
from jade_coat.maps.picture import BadImage, check_size, finite, turned
from jade_coat.maps.tiff import read_tiff
from jade_coat.program.types import Array

_PNG_MAGIC = b"\x89PNG\r\n\x1a\n"
_HDR_MAGIC = (b"#?RADIANCE", b"#?RGBE")
_EXR_MAGIC = b"\x76\x2f\x31\x01"


def read_image(data: bytes, name: str) -> Array:
    """Decode a file's bytes to `(height, width, channels)` of uint8, uint16 or float32; RGB(A) order, turned upright.

    Grey with alpha becomes RGBA; numbers that are not finite become 0 (or the largest half float). Raises BadImage when
    it is no picture, is damaged, holds what has no one meaning, or is too large (checked before decoding).
    """
    found = next((f for f in PICTURES if f.opens is not None and f.opens(data)), None)
    if found is None and Path(name).suffix.lower() in TGA.suffixes:
        found = TGA  # its bytes say nothing of what they are
    read = found.read if found is not None else _read_plain
    picture: Array = read(data, name, Path())
    return picture


def _read_plain(data: bytes, name: str, _: Path) -> Array:
    turn = _check_header(data, name)
    return turned(finite(_decoded(data, name)), turn)


def _decoded(data: bytes, name: str) -> Array:
    array = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED | cv2.IMREAD_ANYDEPTH)
    if array is None:
        raise BadImage(f"{name}: the picture is damaged. Save it again from the program it came from.")
    if array.ndim == 2:
        return array[:, :, None]
    order = [2, 1, 0, 3][: array.shape[2]]
    return np.ascontiguousarray(array[:, :, order])


def _read_tga(data: bytes, name: str, _: Path) -> Array:
    from PIL import Image

    try:
        with Image.open(io.BytesIO(data), formats=["TGA"]) as opened:
            check_size(*opened.size, name)
            channels = {"L": "L", "LA": "RGBA", "RGBA": "RGBA", "P": "RGBA" if "transparency" in opened.info else "RGB"}
            picture = np.asarray(opened.convert(channels.get(opened.mode, "RGB")))
    except BadImage:
        raise
    except Exception:  # the library raises many kinds for damaged files
        raise BadImage(f"{name}: the picture is damaged. Save it again from the program it came from.") from None
    return picture[:, :, None] if picture.ndim == 2 else picture


def linear_radiance(data: bytes, name: str) -> Array:
    """A picture of light as `(h, w, 3) float32`: EXR and HDR as they are, others decoded from sRGB. Raises BadImage."""
    picture = read_image(data, name)
    if picture.dtype == np.float32:
        return picture[..., :3] if picture.shape[2] >= 3 else np.repeat(picture[..., :1], 3, axis=2)
    return to_linear(as_float(np.repeat(picture[..., :1], 3, axis=2) if picture.shape[2] < 3 else picture[..., :3]))


def _check_header(data: bytes, name: str) -> int:
    """Refuse what is too large or no picture; returns how it is to be turned (the Exif orientation, 1 to 8)."""
    try:
        width, height, turn, mode = _header(data)
    except Exception:  # parsers of several libraries, each with its own errors for what is no header
        raise BadImage(f"{name}: this is not a picture Jade Coat can read. Use {named(PICTURES)}.") from None
    check_size(width, height, name)
    if mode == "CMYK":
        raise BadImage(f"{name}: its colours are for printing (CMYK). Save it as RGB.")
    return turn


def _header(data: bytes) -> tuple[int, int, int, str]:
    """Width, height, orientation and colour mode."""
    if data.startswith(_HDR_MAGIC):
        found = re.search(rb"\n\n-Y (\d+) \+X (\d+)\n", data[:4096])
        if found is None:
            raise ValueError("no size")
        return int(found[2]), int(found[1]), 1, "RGB"
    if data[:8] == _PNG_MAGIC:  # even where nothing follows the header
        width, height = struct.unpack_from(">II", data, 16)
        if b"eXIf" not in data[:4096]:
            return int(width), int(height), 1, ""
    from PIL import Image

    # The limit is checked by `check_size`, for all formats alike.
    Image.MAX_IMAGE_PIXELS = None
    with Image.open(io.BytesIO(data)) as header:
        turn = header.getexif().get(0x0112, 1)
        return *header.size, turn if turn in range(1, 9) else 1, header.mode


def as_float(picture: Array) -> Array:
    """Any picture as float32, whole-number formats scaled to 0–1."""
    if picture.dtype == np.uint8:
        return picture.astype(np.float32) / np.float32(255)
    if picture.dtype == np.uint16:
        return picture.astype(np.float32) / np.float32(65535)
    return picture.astype(np.float32, copy=False)


def quantized(values: Array, bits: int = 8) -> Array:
    """Values 0–1 as rounded uint8 or uint16."""
    top = (1 << bits) - 1
    return (np.clip(values, 0, 1) * np.float32(top) + np.float32(0.5)).astype(np.uint8 if bits == 8 else np.uint16)


def png_bytes(picture: Array) -> bytes:
    """Encode `(h, w)`, `(h, w, 1 | 3 | 4)` uint8 or uint16 as PNG."""
    array = picture
    if picture.ndim == 3:
        array = picture[:, :, 0] if picture.shape[2] == 1 else picture[:, :, [2, 1, 0, 3][: picture.shape[2]]]
    ok, data = cv2.imencode(".png", np.ascontiguousarray(array), [cv2.IMWRITE_PNG_COMPRESSION, 4])
    if not ok:
        raise ValueError(f"cannot encode a picture of shape {picture.shape} and type {picture.dtype}")
    return bytes(data.tobytes())


def is_image_name(name: str | os.PathLike[str]) -> bool:
    """Whether a file's name says it is a picture this module reads."""
    return by_suffix(PICTURES, Path(name)) is not None


TGA = Format("TGA", (".tga",), "8 bits, one to four channels", _read_tga)
PICTURES = (
    Format("PNG", (".png",), "8 or 16 bits, one to four channels", _read_plain, lambda data: data[:8] == _PNG_MAGIC),
    Format("JPEG", (".jpg", ".jpeg"), "8 bits, one or three channels", _read_plain,
           lambda data: data[:2] == b"\xff\xd8"),
    Format("TIFF", (".tif", ".tiff"), "8 or 16 bits or float, one to four channels",
           lambda data, name, _: read_tiff(data, name), lambda data: data[:2] in (b"II", b"MM")),
    Format("EXR", (".exr",), "half or full float, one to four channels",
           lambda data, name, _: read_exr(data, name), lambda data: data[:4] == _EXR_MAGIC),
    Format("HDR", (".hdr",), "light in three channels, shared exponent", _read_plain,
           lambda data: data.startswith(_HDR_MAGIC)),
    Format("WebP", (".webp",), "8 bits, three or four channels", _read_plain,
           lambda data: data[:4] == b"RIFF" and data[8:12] == b"WEBP"),
    Format("BMP", (".bmp",), "8 bits, three or four channels", _read_plain, lambda data: data[:2] == b"BM"),
    TGA,
)  # fmt: skip
"""The formats that maps are read from."""
SKY_PICTURES = (*PICTURES[3:5], *PICTURES[:3])
"""The formats that skies are read from, those that hold light first."""
