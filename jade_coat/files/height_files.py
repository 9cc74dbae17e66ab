"""Heights from files and into files: pictures of 8, 16 or 32 bits, GeoTIFF, EXR, NumPy and raw numbers."""

from __future__ import annotations

import io
import math
import tempfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from jade_coat.files.arrays import BadArray, read_array
from jade_coat.formats import Format, by_suffix, named
from jade_coat.ground.heights import FEWEST, MOST, Heights
from jade_coat.maps.exr import read_exr
from jade_coat.maps.images import as_float, read_image
from jade_coat.maps.picture import BadImage, check_size
from jade_coat.program.types import Array

_SCALE, _NODATA, _ORIGIN = 33550, 42113, 33922
"""Tags of GeoTIFF 1.1 (OGC 19-008r4): how large a pixel is, and where one lies; GDAL's for what is no height."""
_GEOGRAPHIC = 2
"""What GTModelTypeGeoKey says where places are told in degrees."""
_EARTH = 111_320.0
"""Metres a degree of latitude."""


class BadHeights(ValueError):
    """A file that holds no heights; the message names it and the remedy."""


@dataclass(frozen=True)
class Read:
    """Heights as a file holds them, `(rows, columns) float32`.

    `metres` tells whether they are metres; otherwise they are 0–1 and a range must be chosen. `size` is how large the
    ground is along x and z, metres, where the file says so. `lines` are notes in words.
    """

    values: Array
    metres: bool
    size: tuple[float, float] | None = None
    lines: tuple[str, ...] = ()


def read_heights(data: bytes, name: str) -> Read:
    """Heights out of a file's bytes. Raises BadHeights."""
    found = by_suffix(HEIGHT_FILES, Path(name))
    if found is None:
        raise BadHeights(f"{name} is no file of heights. Choose {named(HEIGHT_FILES)}.")
    try:
        read: Read = found.read(data, name, Path())
    except BadImage as error:
        raise BadHeights(str(error)) from None
    values = np.asarray(read.values, np.float32)
    if values.ndim != 2 or min(values.shape) < FEWEST:
        raise BadHeights(f"{name} holds {values.shape}; a ground needs at least {FEWEST} samples along an edge.")
    lines = list(read.lines)
    bad = ~np.isfinite(values)
    if bad.all():
        raise BadHeights(f"{name} holds no heights: all of its samples say that there is none.")
    if bad.any():
        values = np.where(bad, np.float32(values[~bad].min()), values)
        lines.append(f"{bad.mean():.1%} of the samples have no height; they lie at the lowest.")
    if max(values.shape) > MOST:
        scale = MOST / max(values.shape)
        size = (int(values.shape[1] * scale), int(values.shape[0] * scale))
        lines.append(f"It has {values.shape[1]} × {values.shape[0]} samples and is brought to {size[0]} × {size[1]}.")
        values = cv2.resize(values, size, interpolation=cv2.INTER_AREA)
    return Read(values, read.metres, read.size, tuple(lines))


def ground_heights(read: Read, across: float, low: float, high: float) -> Heights:
    """Heights of a ground `across` metres along x; what is 0–1 in the file lies between two heights, metres."""
    rows, columns = read.values.shape
    along = across * (rows - 1) / (columns - 1)
    if read.size is not None and read.size[0] > 0:
        along = across * read.size[1] / read.size[0]
    values = read.values if read.metres else low + read.values * (high - low)
    return Heights.of(np.asarray(values, np.float32), (across, along))


def _grey(picture: Array) -> Array:
    return np.asarray(picture[..., 0] if picture.shape[2] != 3 else picture.mean(axis=2))


def _read_picture(data: bytes, name: str, _: Path) -> Read:
    picture = read_image(data, name)
    lines = ("It has 8 bits: 256 steps of height, which show as terraces.",) if picture.dtype == np.uint8 else ()
    return Read(_grey(as_float(picture)), picture.dtype == np.float32, None, lines)


def _read_exr(data: bytes, name: str, _: Path) -> Read:
    return Read(_grey(read_exr(data, name)), True)


def _read_npy(data: bytes, name: str, _: Path) -> Read:
    def fits(kind: np.dtype[Any], shape: tuple[int, ...]) -> bool:
        return len(shape) == 2 and kind.kind in "fiu"

    try:
        values = read_array(data, fits, "a grid of numbers")
    except BadArray as error:
        raise BadHeights(f"{name} cannot be read: {error}. Save an array of two dimensions with numpy.save.") from None
    check_size(values.shape[1], values.shape[0], name)
    scaled = values.dtype in (np.uint8, np.uint16)
    return Read(values / np.iinfo(values.dtype).max if scaled else values.astype(np.float32), not scaled)


def _read_raw(data: bytes, name: str, _: Path) -> Read:
    """A square of 16-bit numbers, little-endian, or of 32-bit floats."""
    side = math.isqrt(len(data) // 2)
    if side * side * 2 == len(data):
        return Read(np.frombuffer(data, "<u2").reshape(side, side) / np.float32(65535), False)
    side = math.isqrt(len(data) // 4)
    if side * side * 4 == len(data):
        return Read(np.frombuffer(data, "<f4").reshape(side, side), True)
    raise BadHeights(f"{name}: {len(data):,} bytes are no square of 16-bit numbers or floats. Save it as PNG or TIFF.")


def _read_tiff(data: bytes, name: str, _: Path) -> Read:
    """A TIFF, with what GeoTIFF says of its size and of samples without a height."""
    import tifffile

    try:
        with tifffile.TiffFile(io.BytesIO(data)) as tiff:
            page: Any = tiff.pages[0]
            check_size(int(page.imagewidth), int(page.imagelength), name)
            values = np.asarray(page.asarray())
            tags = {code: page.tags[code].value for code in (_SCALE, _NODATA, _ORIGIN) if code in page.tags}
            keys = dict(tiff.geotiff_metadata or {})
    except BadImage:
        raise
    except Exception as error:  # the library raises many kinds for damaged files
        raise BadHeights(f"{name}: the TIFF is damaged or packed in a way that is not read ({str(error)[:120]}). "
                         "Save it again, uncompressed.") from None  # fmt: skip
    if values.ndim == 3:
        values = values[..., 0]
    if values.ndim != 2 or not values.size or values.dtype.kind not in "fiu":
        raise BadHeights(f"{name} holds {values.dtype} {values.shape}, no grid of heights. Save one with one channel.")
    metres = values.dtype.kind == "f" or values.dtype.kind == "i" or _SCALE in tags
    made = values.astype(np.float64)
    none = _numbers((str(tags[_NODATA]).strip("\0 "),), 1) if _NODATA in tags else None
    if none is not None:
        made = np.where(made == none[0], np.nan, made)
    if not metres:
        made = made / np.iinfo(values.dtype).max
    return Read(made.astype(np.float32), metres, *_geo_size(tags, keys, values.shape))


def _geo_size(
    tags: dict[int, Any], keys: dict[str, Any], shape: tuple[int, ...]
) -> tuple[tuple[float, float] | None, tuple[str, ...]]:
    """How large a GeoTIFF's ground is, metres."""
    scale = _numbers(tags.get(_SCALE), 2)
    if scale is None or not all(scale[:2]):
        lost = "What it says of the size of its pixels makes no sense; choose how large it is."
        return None, (lost,) if _SCALE in tags else ()
    dx, dz = (abs(v) for v in scale[:2])
    lines: tuple[str, ...] = ()
    if keys.get("GTModelTypeGeoKey", 0) == _GEOGRAPHIC:
        north = (_numbers(tags.get(_ORIGIN), 5) or (0.0,) * 5)[4]
        dx, dz = dx * _EARTH * math.cos(math.radians(north)), dz * _EARTH
        lines = ("Its pixels are in degrees: metres are those at its northern edge.",)
    return (dx * (shape[1] - 1), dz * (shape[0] - 1)), lines


def _numbers(value: Any, count: int) -> tuple[float, ...] | None:
    """At least so many finite numbers out of a tag; None where it holds something else."""
    try:
        found = tuple(float(v) for v in value)
    except (TypeError, ValueError, OverflowError):
        return None
    return found if len(found) >= count and all(map(math.isfinite, found)) else None


HEIGHT_FILES = (
    Format("PNG", (".png",), "heights 0–1 in 8 or 16 bits", _read_picture),
    Format("TIFF", (".tif", ".tiff"), "heights in 16 bits or float; GeoTIFF with size and gaps", _read_tiff),
    Format("EXR", (".exr",), "heights in metres", _read_exr),
    Format("NumPy", (".npy",), "a grid of numbers: metres, or 0–1 in 8 or 16 bits", _read_npy),
    Format("raw", (".raw", ".r16", ".r32"), "a square of 16-bit numbers or of floats", _read_raw),
)
"""The formats that heights are read from."""


def heights_bytes(heights: Heights, suffix: str) -> bytes:
    """Heights as a file: 16 bits between the lowest and the highest in PNG, metres in TIFF, EXR and NumPy.

    TIFF is a GeoTIFF of its true size in a local system of metres. Raises BadHeights for another ending.
    """
    values = heights.whole
    if suffix == ".png":
        share = (values - heights.low) / max(heights.high - heights.low, 1e-9)
        return cv2.imencode(".png", np.rint(share * 65535).astype(np.uint16))[1].tobytes()
    if suffix in (".tif", ".tiff"):
        return _geotiff(heights)
    if suffix == ".exr":
        return _exr(values)
    if suffix == ".npy":
        buffer = io.BytesIO()
        np.save(buffer, values, allow_pickle=False)
        return buffer.getvalue()
    told = suffix or "a file without an ending"
    raise BadHeights(f"heights cannot be written as {told}. Choose PNG, TIFF, EXR or npy.")


def _geotiff(heights: Heights) -> bytes:
    import tifffile

    dx, dz = heights.spacing
    keys = (1, 1, 0, 2, 1024, 0, 1, 32767, 1025, 0, 1, 2)  # a system of its own; a sample is a point
    extra: list[tuple[Any, ...]] = [
        (_SCALE, "d", 3, (dx, dz, 0.0), False), (_ORIGIN, "d", 6, (0.0, 0.0, 0.0, 0.0, 0.0, 0.0), False),
        (34735, "H", len(keys), keys, False),
    ]  # fmt: skip
    buffer = io.BytesIO()
    tifffile.imwrite(buffer, heights.whole, compression="zlib", predictor=False, extratags=extra, metadata=None)
    return buffer.getvalue()


def _exr(values: Array) -> bytes:
    import OpenEXR  # writes only into files

    with tempfile.TemporaryDirectory(prefix="jade-coat-") as folder:
        path = Path(folder) / "heights.exr"
        header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
        with OpenEXR.File(header, {"Y": np.ascontiguousarray(values)}) as file:
            file.write(str(path))
        return path.read_bytes()
