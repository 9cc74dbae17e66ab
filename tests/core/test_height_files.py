"""Heights go into files and come back; GeoTIFF against rasterio (GDAL)."""

from __future__ import annotations

import io

import numpy as np
import pytest
import rasterio
from rasterio.io import MemoryFile
from rasterio.transform import from_origin

from jade_coat.files.height_files import HEIGHT_FILES, BadHeights, ground_heights, heights_bytes, read_heights
from jade_coat.ground.heights import Heights
from jade_coat.ground.synthesis import Land

LAND = Land(samples=65, across=30.0, height=7.0, seed=4).heights()


@pytest.mark.parametrize("suffix", [".png", ".tif", ".exr", ".npy"])
def test_heights_come_back_as_they_were_written(suffix: str) -> None:
    read = read_heights(heights_bytes(LAND, suffix), f"land{suffix}")
    made = ground_heights(read, 30.0, LAND.low, LAND.high)
    assert made.size == pytest.approx(LAND.size)
    step = (LAND.high - LAND.low) / 65535
    assert np.abs(made.whole - LAND.whole).max() <= (step if suffix == ".png" else 0)
    assert read.metres == (suffix != ".png")


def test_a_geotiff_that_is_written_says_to_gdal_what_it_is() -> None:
    with MemoryFile(heights_bytes(LAND, ".tif")) as memory, memory.open() as found:
        assert np.array_equal(found.read(1), LAND.whole)
        assert (found.transform.a, -found.transform.e) == pytest.approx(LAND.spacing)


@pytest.mark.parametrize(
    ("kind", "packing"), [("int16", "lzw"), ("float32", "deflate"), ("uint16", None), ("float32", "none")]
)
def test_a_geotiff_of_gdal_has_its_size_its_heights_and_its_gaps(kind: str, packing: str | None) -> None:
    rng = np.random.default_rng(1)
    values = (rng.random((40, 60)) * 900).astype(kind)
    values[3:6, 10:20] = -9999 if kind != "uint16" else 65535
    profile = {"driver": "GTiff", "height": 40, "width": 60, "count": 1, "dtype": kind, "crs": "EPSG:32633",
               "transform": from_origin(500000, 5200000, 2.5, 4.0), "nodata": float(values[4, 12])}  # fmt: skip
    with MemoryFile() as memory:
        with memory.open(**profile, **({"compress": packing} if packing else {})) as out:
            out.write(values, 1)
        data = memory.read()
    read = read_heights(data, "dem.tif")
    assert read.size == pytest.approx((59 * 2.5, 39 * 4.0))
    assert any("no height" in line for line in read.lines)
    with rasterio.open(io.BytesIO(data)) as found:
        theirs = found.read(1, masked=True)
    kept = ~theirs.mask
    assert np.array_equal(read.values[kept], theirs.data[kept].astype(np.float32))
    assert (read.values[~kept] == read.values[kept].min()).all()
    made = ground_heights(read, read.size[0], 0, 1)
    assert made.size == pytest.approx(read.size)


def test_degrees_become_metres_at_their_latitude() -> None:
    """At 60° a degree of longitude is half as long as one of latitude."""
    profile = {"driver": "GTiff", "height": 20, "width": 20, "count": 1, "dtype": "float32", "crs": "EPSG:4326",
               "transform": from_origin(10, 60, 0.001, 0.001)}  # fmt: skip
    with MemoryFile() as memory:
        with memory.open(**profile) as out:
            out.write(np.ones((20, 20), np.float32), 1)
        read = read_heights(memory.read(), "dem.tif")
    assert read.size[0] / read.size[1] == pytest.approx(0.5, rel=0.01)
    assert read.size[1] == pytest.approx(19 * 111.32, rel=0.01)


@pytest.mark.parametrize(("data", "name", "told"), [
    (b"", "a.png", "a.png"), (b"\x89PNG\r\n\x1a\nrubbish", "b.png", "b.png"), (b"II*\0rubbish", "c.tif", "c.tif"),
    (b"12345", "d.raw", "no square"), (b"x", "e.txt", "no file of heights"), (b"\x93NUMPY", "f.npy", "f.npy"),
    (b"rubbish", "g.exr", "g.exr"),
])  # fmt: skip
def test_what_is_no_heights_is_named_with_the_remedy(data: bytes, name: str, told: str) -> None:
    with pytest.raises(BadHeights, match=told):
        read_heights(data, name)
    assert all(f.holds for f in HEIGHT_FILES)


def test_raw_squares_and_what_no_ground_can_be() -> None:
    ramp = np.linspace(0, 65535, 32 * 32).astype("<u2").reshape(32, 32)
    read = read_heights(ramp.tobytes(), "r.r16")
    assert ground_heights(read, 10.0, -1.0, 3.0).high == pytest.approx(3.0)
    with pytest.raises(BadHeights, match="at least"):
        read_heights(np.ones((3, 3), "<f4").tobytes(), "r.r32")
    with pytest.raises(ValueError, match="no numbers"):
        Heights.of(np.full((20, 20), np.nan), (1.0, 1.0))
