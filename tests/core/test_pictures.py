"""Pictures of every kind are read right or refused by name; names of packed maps say what lies where."""

from __future__ import annotations

import io
from pathlib import Path

import cv2
import numpy as np
import OpenEXR
import pytest
import tifffile
from PIL import Image, ImageOps

from jade_coat.files.assets import Assets
from jade_coat.files.library import Library
from jade_coat.maps.findings import findings
from jade_coat.maps.images import as_float, png_bytes, read_image
from jade_coat.maps.mapset import MapFile, MapSet, assumption, guess, stem_of
from jade_coat.maps.packing import MAX_TEXTURE, pack_set, role_picture
from jade_coat.maps.picture import BadImage
from jade_coat.material.surface import Role

RNG = np.random.default_rng(3)
GREY = RNG.random((6, 5)).astype(np.float32)
COLOR = RNG.random((6, 5, 3)).astype(np.float32)


def tiff(values: np.ndarray, **settings: object) -> bytes:
    buffer = io.BytesIO()
    tifffile.imwrite(buffer, values, **settings)
    return buffer.getvalue()


@pytest.mark.parametrize(("values", "settings"), [
    (GREY, {}), (GREY.astype(np.float64), {}), (COLOR.astype(np.float16), {"photometric": "rgb"}),
    ((GREY * 65535).astype(np.uint16), {}), ((GREY.astype(np.float64) * (2**32 - 1)).astype(np.uint32), {}),
    ((COLOR * 255).astype(np.uint8), {"photometric": "rgb"}), ((COLOR * 255).astype(np.uint8), {"photometric": "rgb", "compression": "zlib"}),
    (np.moveaxis(COLOR, 2, 0), {"photometric": "rgb", "planarconfig": "separate"}),
])  # fmt: skip
def test_tiffs_of_every_depth_keep_their_values(values: np.ndarray, settings: dict) -> None:
    """TIFF 6.0; written by tifffile."""
    got = as_float(read_image(tiff(values, **settings), "a.tif"))
    full = np.iinfo(values.dtype).max if values.dtype.kind == "u" else 1
    wanted = values.astype(np.float64) / full
    wanted = np.moveaxis(wanted, 0, 2) if wanted.shape[0] == 3 else wanted
    np.testing.assert_allclose(got.squeeze(), wanted, atol=1e-6)


def test_a_grey_tiff_keeps_its_alpha() -> None:
    both = np.stack([GREY, 1 - GREY], axis=2)
    got = read_image(
        tiff((both * 255).astype(np.uint8), photometric="minisblack", extrasamples=["unassalpha"]), "a.tif"
    )
    assert got.shape == (6, 5, 4)
    np.testing.assert_array_equal(got[..., 0], got[..., 2])
    np.testing.assert_array_equal(got[..., 3], (both[..., 1] * 255).astype(np.uint8))


@pytest.mark.parametrize(("data", "says"), [
    (tiff((GREY * 1000).astype(np.int16)), "signed"), (tiff((GREY * 1000).astype(np.int32)), "signed"),
    (tiff((RNG.random((4, 4, 4)) * 255).astype(np.uint8), photometric="separated"), "CMYK"),
    (tiff((GREY * 255).astype(np.uint8))[:60], "damaged"),
])  # fmt: skip
def test_what_a_tiff_cannot_say_is_refused_by_name(data: bytes, says: str) -> None:
    with pytest.raises(BadImage, match=says) as caught:
        read_image(data, "wall.tif")
    assert "wall.tif" in str(caught.value)


def test_a_cmyk_jpeg_is_refused() -> None:
    buffer = io.BytesIO()
    Image.new("CMYK", (8, 8), (10, 200, 30, 0)).save(buffer, "JPEG")
    with pytest.raises(BadImage, match="CMYK"):
        read_image(buffer.getvalue(), "wall.jpg")


@pytest.mark.parametrize("turn", range(1, 9))
@pytest.mark.parametrize("kind", ["png", "jpeg", "tiff"])
def test_pictures_are_turned_as_their_exif_says(turn: int, kind: str) -> None:
    """Against Pillow's `exif_transpose`."""
    picture = np.zeros((24, 40, 3), np.uint8)
    picture[:8, :16] = 255
    picture[16:, :8, 0] = 200
    exif = Image.Exif()
    exif[0x0112] = turn
    buffer = io.BytesIO()
    Image.fromarray(picture).save(buffer, kind.upper(), exif=exif, **({"quality": 100} if kind == "jpeg" else {}))
    if kind == "tiff":
        buffer = io.BytesIO(tiff(picture, photometric="rgb", extratags=[(274, "H", 1, turn, True)]))
    wanted = np.asarray(ImageOps.exif_transpose(Image.open(io.BytesIO(buffer.getvalue()))).convert("RGB"))
    got = read_image(buffer.getvalue(), f"a.{kind}")
    assert got.shape == wanted.shape
    assert np.abs(got.astype(int) - wanted.astype(int)).max() <= (8 if kind == "jpeg" else 0)


def exr(folder: Path, channels: dict, **header: object) -> bytes:
    path = folder / "made.exr"
    with OpenEXR.File({"type": OpenEXR.scanlineimage, **header}, channels) as file:
        file.write(str(path))
    return path.read_bytes()


def test_exr_channels_are_read_whatever_their_layer_or_case(tmp_path: Path) -> None:
    planes = {c: np.ascontiguousarray(COLOR[..., i]) for i, c in enumerate("rgb")}
    for names in ("r g b", "R G B", "diffuse.R diffuse.G diffuse.B", "N.X N.Y N.Z"):
        made = dict(zip(names.split(), planes.values(), strict=True))
        np.testing.assert_allclose(read_image(exr(tmp_path, made), "a.exr"), COLOR, atol=1e-6)
    np.testing.assert_allclose(read_image(exr(tmp_path, {"Y": GREY}), "a.exr")[..., 0], GREY)
    np.testing.assert_allclose(read_image(exr(tmp_path, {"depth.V": GREY}), "a.exr")[..., 0], GREY)


@pytest.mark.parametrize(("names", "says"), [
    ("X Y Z", "direction or a colour"), ("a.R a.G a.B b.R b.G b.B", "not clear"), ("Y RY BY", "brightness"), ("U V", "U, V"),
])  # fmt: skip
def test_exr_channels_without_one_meaning_are_refused_by_name(tmp_path: Path, names: str, says: str) -> None:
    with pytest.raises(BadImage, match=says):
        read_image(exr(tmp_path, dict.fromkeys(names.split(), GREY)), "a.exr")


def test_an_exr_fills_its_display_window(tmp_path: Path) -> None:
    """OpenEXR, technical introduction: pixels outside the data window are black; those outside the display are not shown."""
    data = exr(tmp_path, {"RGB": COLOR}, displayWindow=((0, 0), (7, 7)), dataWindow=((2, -3), (6, 2)))
    got = read_image(data, "a.exr")
    assert got.shape == (8, 8, 3)
    np.testing.assert_allclose(got[:3, 2:7], COLOR[3:], atol=1e-6)
    assert got[3:].max() == got[:, :2].max() == 0


def test_one_texel_that_is_no_number_does_not_spoil_the_coarse_levels() -> None:
    values = np.full((16, 16), 0.5, np.float32)
    values[3, 4] = np.nan
    assets = Assets()
    entry = MapFile(role=Role.HEIGHT, asset=assets.put("maps", "h.tif", tiff(values)), file="h.tif", channels="r")
    levels = pack_set(MapSet(id="s", name="S", maps=(entry,)), assets.read)[0].levels
    assert all(abs(level[..., 3].mean() / 65535 - 0.5) < 0.01 for level in levels)


def test_colour_under_alpha_0_survives_loading_and_every_level() -> None:
    picture = np.zeros((32, 32, 4), np.uint8)
    picture[..., :3] = (200, 90, 30)
    picture[8:24, 8:24, 3] = 255
    assert (read_image(png_bytes(picture), "a.png")[..., :3] == (200, 90, 30)).all()
    assets = Assets()
    asset = assets.put("maps", "leaf.png", png_bytes(picture))
    maps = (MapFile(role=Role.BASE_COLOR, asset=asset, file="leaf.png", color_space="srgb"),
            MapFile(role=Role.OPACITY, asset=asset, file="leaf.png", channels="a"))  # fmt: skip
    packed = {t.name[-1]: t for t in pack_set(MapSet(id="s", name="S", maps=maps), assets.read)}
    for level in packed["a"].levels:
        assert np.abs(level[..., :3].astype(int) - (200, 90, 30)).max() <= 1
    assert packed["c"].levels[0][..., 1].mean() == pytest.approx(255 / 4)


def test_floats_beyond_0_to_1_are_told_and_fitted() -> None:
    values = np.linspace(-2, 6, 64, dtype=np.float32).reshape(8, 8)
    assets = Assets()
    entry = MapFile(role=Role.HEIGHT, asset=assets.put("maps", "h.tif", tiff(values)), file="h.tif", channels="r",
                    blend_edges=True)  # fmt: skip
    (found,) = findings(entry, read_image(assets.read(entry.asset), "h.tif"))
    assert "-2 to 6" in found.text
    mended = entry.with_(**found.changes, blend_edges=False)
    np.testing.assert_allclose(role_picture(mended, assets.read)[..., 0], (values + 2) / 8, atol=1e-6)


def test_a_huge_picture_is_refused_before_it_is_decoded_and_a_large_one_read_in_strips() -> None:
    import struct
    import zlib

    def chunk(kind: bytes, content: bytes) -> bytes:
        return struct.pack(">I", len(content)) + kind + content + struct.pack(">I", zlib.crc32(kind + content))

    header = chunk(b"IHDR", struct.pack(">IIBBBBB", 11585, 11585, 16, 2, 0, 0, 0))
    with pytest.raises(BadImage, match="too large"):
        read_image(b"\x89PNG\r\n\x1a\n" + header, "bomb.png")
    values = (RNG.random((64, 2 * MAX_TEXTURE, 1)) * 255).astype(np.uint8)
    assets = Assets()
    entry = MapFile(
        role=Role.ROUGHNESS, asset=assets.put("maps", "r.png", png_bytes(values)), file="r.png", channels="r"
    )
    got = role_picture(entry, assets.read)
    wanted = cv2.resize(values.astype(np.float32) / 255, (MAX_TEXTURE, 32), interpolation=cv2.INTER_AREA)
    np.testing.assert_allclose(got[..., 0], wanted, atol=1e-6)


# Names


@pytest.mark.parametrize(("name", "expected"), [
    ("Wall_MetallicSmoothness.png", {"metallic": "r", "roughness": "-a"}),
    ("wall_smoothness_metallic.png", {"metallic": "r", "roughness": "-a"}),
    ("wall_metallicroughness.png", {"metallic": "r", "roughness": "g"}),
    ("WALL_ROUGHNESS_METALLIC.png", {"roughness": "r", "metallic": "g"}),
    ("Leaf_AlbedoTransparency.png", {"base_color": "rgb", "opacity": "a"}),
    ("leaf_color_alpha.tga.png", {"base_color": "rgb", "opacity": "a"}),
    ("moss_mask.png", {"mask": "r"}), ("leaf_OpacityMask.png", {"mask": "r"}),
    ("rusty_metal_roughness.png", {"roughness": "r"}), ("wall_gloss.png", {"roughness": "-r"}),
])  # fmt: skip
def test_a_name_that_joins_roles_gives_each_its_channel(name: str, expected: dict) -> None:
    """Packings by name are common practice, no source; what is supposed beyond the name is told."""
    found = {g.role.value: ("-" if g.invert else "") + g.channels for g in guess(name)}
    assert found == expected
    assert bool(assumption(name)) == (len(found) > 1 or any(c.startswith("-") for c in found.values()))


@pytest.mark.parametrize("names", [
    ("Plank_Albedo.png", "Plank_Normal_DirectX.png", "Plank_height_16bit.png", "Plank_normal2k.png", "Plank_ORM_4096.png"),
    ("Albedo - Plank.png", "Normal - Plank.png", "Roughness - Plank.png"),
    ("стена_albedo.png", "стена_normal.png"), ("壁_roughness_2k.exr", "壁-height.png"),
])  # fmt: skip
def test_maps_of_one_set_share_their_stem(names: tuple[str, ...]) -> None:
    assert len({stem_of(n) for n in names}) == 1
    assert stem_of(names[0])


def test_names_in_other_scripts_do_not_share_a_stem() -> None:
    assert stem_of("стена_albedo.png") != stem_of("пол_albedo.png")


def test_one_bad_file_does_not_stop_a_folder_and_what_is_skipped_is_named(tmp_path: Path) -> None:
    good = png_bytes(np.full((8, 8, 4), 99, np.uint8))
    for name in ("wall_albedo.png", "wall_basecolor.png", "wall_MetallicSmoothness.png"):
        (tmp_path / name).write_bytes(good)
    (tmp_path / "wall_MetallicRoughness.png").write_bytes(png_bytes(np.dstack([np.full((8, 8), 255, np.uint8),
                                                          (RNG.random((2, 8, 8)) * 255).astype(np.uint8)[0],
                                                          (RNG.random((8, 8)) * 255).astype(np.uint8)])))  # fmt: skip
    (tmp_path / "wall_normal.png").write_bytes(b"not a picture")
    found = Library(Assets()).read_map_folder(tmp_path)
    (entries,) = found.sets
    assert {(e.role, e.channels, e.file) for e in entries} == {
        (Role.BASE_COLOR, "rgb", "wall_albedo.png"), (Role.METALLIC, "b", "wall_MetallicRoughness.png"),
        (Role.ROUGHNESS, "g", "wall_MetallicRoughness.png"),
    }  # fmt: skip
    assert {e.file for e in found.left_out} == {"wall_basecolor.png", "wall_MetallicSmoothness.png"}
    assert any("wall_normal.png" in note for note in found.notes)
    assert sum("comes from" in note for note in found.notes) == 3
