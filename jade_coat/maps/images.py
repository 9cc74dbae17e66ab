"""Reads and writes picture files: PNG, JPEG, TIFF and EXR of 8 bits, 16 bits or float."""

from __future__ import annotations

import io
import os
import re
import struct
import tempfile
from pathlib import Path

import cv2
import numpy as np

from jade_coat.maps.color import to_linear
from jade_coat.program.types import Array

MAX_SIDE = 16384
MAX_PIXELS = 2**27
SUFFIXES = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".exr")
SKY_SUFFIXES = (".exr", ".hdr", *SUFFIXES[:5])
_PNG_MAGIC = b"\x89PNG\r\n\x1a\n"
_HDR_MAGIC = (b"#?RADIANCE", b"#?RGBE")
_EXR_MAGIC = b"\x76\x2f\x31\x01"


class BadImage(ValueError):
    """A picture file that cannot be used; the message names the file and the remedy."""


def read_image(data: bytes, name: str) -> Array:
    """Decode a file's bytes to `(height, width, channels)` of uint8, uint16 or float32; RGB(A) order.

    Raises BadImage when it is no picture, is damaged, or is larger than 16384 texels a side (checked before decoding).
    """
    if data[:4] == _EXR_MAGIC:
        return _read_exr(data, name)
    _check_header(data, name)
    array = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED | cv2.IMREAD_ANYDEPTH)
    if array is None:
        raise BadImage(f"{name}: the picture is damaged. Save it again from the program it came from.")
    if array.ndim == 2:
        return array[:, :, None]
    order = [2, 1, 0, 3][: array.shape[2]]
    picture = np.ascontiguousarray(array[:, :, order])
    if picture.dtype not in (np.uint8, np.uint16):
        picture = picture.astype(np.float32)
    return picture


def linear_radiance(data: bytes, name: str) -> Array:
    """A picture of light as `(h, w, 3) float32`: EXR and HDR as they are, others decoded from sRGB. Raises BadImage."""
    picture = read_image(data, name)
    if picture.dtype == np.float32:
        return picture[..., :3] if picture.shape[2] >= 3 else np.repeat(picture[..., :1], 3, axis=2)
    return to_linear(as_float(np.repeat(picture[..., :1], 3, axis=2) if picture.shape[2] < 3 else picture[..., :3]))


def _check_header(data: bytes, name: str) -> None:
    try:
        width, height = _size_in_header(data)
    except Exception:  # three parsers, each with its own errors for what is no header
        raise BadImage(f"{name}: this is not a picture Jade Coat can read. Use PNG, JPEG, TIFF or EXR.") from None
    check_size(width, height, name)


def _size_in_header(data: bytes) -> tuple[int, int]:
    if data.startswith(_HDR_MAGIC):
        found = re.search(rb"\n\n-Y (\d+) \+X (\d+)\n", data[:4096])
        if found is None:
            raise ValueError("no size")
        return int(found[2]), int(found[1])
    if data[:8] == _PNG_MAGIC:  # even where nothing follows the header
        width, height = struct.unpack_from(">II", data, 16)
        return int(width), int(height)
    if data[:2] in (b"II", b"MM"):
        import tifffile

        with tifffile.TiffFile(io.BytesIO(data)) as tiff:
            page = tiff.pages[0]
            return int(page.imagewidth), int(page.imagelength)
    from PIL import Image

    # The limit is checked by `check_size`, for all formats alike.
    Image.MAX_IMAGE_PIXELS = None
    with Image.open(io.BytesIO(data)) as header:
        return header.size


def check_size(width: int, height: int, name: str) -> None:
    """Raise BadImage when a picture is too large to hold."""
    if max(width, height) > MAX_SIDE or width * height > MAX_PIXELS:
        raise BadImage(_too_large(name, f"{width} × {height}"))


def _too_large(name: str, size: str) -> str:
    return f"{name}: {size} texels is too large; the limit is {MAX_SIDE} a side. Save a smaller copy."


def _read_exr(data: bytes, name: str) -> Array:
    # The library reads only from files.
    import OpenEXR

    with tempfile.TemporaryDirectory(prefix="jade-coat-") as folder:
        path = Path(folder) / "map.exr"
        path.write_bytes(data)
        try:
            with OpenEXR.File(str(path), header_only=True) as header:
                (x0, y0), (x1, y1) = header.header()["dataWindow"]
            check_size(int(x1 - x0 + 1), int(y1 - y0 + 1), name)
            with OpenEXR.File(str(path), separate_channels=True) as exr:
                channels = {k: v.pixels for k, v in exr.channels().items()}
        except BadImage:
            raise
        except Exception as error:  # the library raises whatever its C++ side throws
            raise BadImage(f"{name}: the EXR is damaged ({error}). Save it again.") from None
    picked = [c for c in "RGBA" if c in channels] or sorted(channels)[:1]
    if not picked:
        raise BadImage(f"{name}: the EXR holds no channels.")
    stack = np.stack([channels[c].astype(np.float32) for c in picked], axis=2)
    return np.nan_to_num(stack, nan=0.0, posinf=65504.0, neginf=0.0)


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
    return Path(name).suffix.lower() in SUFFIXES
