"""Map sets: colour, roles, channels, packing, mips, synthesis, and files that are not what they say."""

from __future__ import annotations

import struct
import zlib
from pathlib import Path

import colour
import cv2
import numpy as np
import OpenEXR
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage
from skimage import data as photographs

from jade_coat.demo import surfaces
from jade_coat.files.assets import Assets
from jade_coat.files.library import Library
from jade_coat.maps import synthesis
from jade_coat.maps.color import LINEAR_OF_BYTE, hex_to_linear, to_linear, to_srgb
from jade_coat.maps.findings import findings, looks_flipped, tiles, with_blended_edges, without_steps
from jade_coat.maps.images import as_float, png_bytes, quantized, read_image
from jade_coat.maps.mapset import Guess, MapFile, MapSet, guess, map_files, stem_of
from jade_coat.maps.packing import PACKS, PackedLookup, halved, halved_normals, pack_set, smoothed, toksvig
from jade_coat.maps.picture import BadImage
from jade_coat.maps.sampling import bilinear
from jade_coat.material.surface import Role


def test_the_transfer_curve_is_that_of_iec_61966_2_1() -> None:
    """Against colour-science's eotf_sRGB and its inverse, with the joints 0.04045 and 0.0031308."""
    codes = np.concatenate([np.linspace(0, 1, 2001), [0.04044, 0.04045, 0.04046]])
    np.testing.assert_allclose(to_linear(codes), colour.models.eotf_sRGB(codes), atol=2e-6)
    light = np.concatenate([np.linspace(0, 1, 2001), [0.0031307, 0.0031308, 0.0031309]])
    np.testing.assert_allclose(to_srgb(light), colour.models.eotf_inverse_sRGB(light), atol=2e-6)
    assert np.array_equal(quantized(to_srgb(LINEAR_OF_BYTE)), np.arange(256))
    assert hex_to_linear("#ffffff") == (1.0, 1.0, 1.0)


@pytest.mark.parametrize(
    ("name", "expected"),
    [
        ("wall_BaseColor.png", [(Role.BASE_COLOR, "rgb")]), ("wall-albedo-2k.jpg", [(Role.BASE_COLOR, "rgb")]),
        ("Wall_Diff_1024.png", [(Role.BASE_COLOR, "rgb")]), ("T_Wall_D.png", [(Role.BASE_COLOR, "rgb")]),
        ("wall_nor_gl.exr", [(Role.NORMAL, "rgb")]), ("wallNormal.tif", [(Role.NORMAL, "rgb")]),
        ("wall_N.png", [(Role.NORMAL, "rgb")]), ("wall.rough.tiff", [(Role.ROUGHNESS, "r")]),
        ("wall_metalness.png", [(Role.METALLIC, "r")]), ("wall_ao.png", [(Role.OCCLUSION, "r")]),
        ("wall_AmbientOcclusion.png", [(Role.OCCLUSION, "r")]), ("wall_disp.exr", [(Role.HEIGHT, "r")]),
        ("wall_height_16bit.png", [(Role.HEIGHT, "r")]), ("leaf_opacity.png", [(Role.OPACITY, "r")]),
        ("lamp_emissive.png", [(Role.EMISSIVE, "rgb")]),
        ("wall_ORM.png", [(Role.OCCLUSION, "r"), (Role.ROUGHNESS, "g"), (Role.METALLIC, "b")]),
        ("wall_arm_4k.jpg", [(Role.OCCLUSION, "r"), (Role.ROUGHNESS, "g"), (Role.METALLIC, "b")]),
        ("wall_OcclusionRoughnessMetallic.png", [(Role.OCCLUSION, "r"), (Role.ROUGHNESS, "g"), (Role.METALLIC, "b")]),
        ("notes.png", []), ("d_wall.png", []),
    ],
)  # fmt: skip
def test_roles_are_guessed_from_common_names(name: str, expected: list) -> None:
    assert [(g.role, g.channels) for g in guess(name)] == expected


def test_special_namings_set_their_flags() -> None:
    assert guess("wall_normal_dx.png")[0].flip_green
    assert guess("wall_NormalDX.png")[0].flip_green
    assert not guess("wall_NormalGL.png")[0].flip_green
    assert guess("wall_gloss.png")[0].invert
    assert stem_of("old_wall_BaseColor_2k.png") == stem_of("old_wall-normal-gl.png") == "old wall"


def test_colour_space_follows_from_the_role() -> None:
    """Packed data maps and normal maps are linear; decoding them as colour shifts every value (common practice, no source)."""
    for role in Role:
        entry = map_files("x.png", "maps/x", [Guess(role=role)])[0]
        assert entry.color_space == ("srgb" if role in (Role.BASE_COLOR, Role.EMISSIVE) else "linear")
    assert map_files("sky.exr", "maps/x", [Guess(role=Role.BASE_COLOR)])[0].color_space == "linear"


def texture_of(entries: dict[Role, tuple[np.ndarray, dict]]) -> dict:
    assets = Assets()
    maps = []
    for role, (picture, settings_) in entries.items():
        asset = assets.put("maps", f"{role.value}.png", png_bytes(picture))
        space = "srgb" if role.is_color else "linear"
        maps.append(MapFile(**{"role": role, "asset": asset, "file": "x.png", "color_space": space, **settings_}))
    made = MapSet(id="s", name="S", maps=tuple(maps))
    textures = {t.name: t for t in pack_set(made, assets.read)}
    lookup = PackedLookup([made])
    return {role: (textures[lookup.read("s", role).texture.name], lookup.read("s", role).channels) for role in entries}


def values_of(found, role: Role, level: int = 0) -> np.ndarray:
    texture, channels = found[role]
    return texture.linear(level)[..., ["rgba".index(c) for c in channels]]


def test_any_channel_of_a_packed_file_goes_to_its_role() -> None:
    rng = np.random.default_rng(0)
    packed = rng.integers(0, 256, (16, 16, 4), dtype=np.uint8)
    found = texture_of({
        Role.OCCLUSION: (packed, {"channels": "r"}), Role.ROUGHNESS: (packed, {"channels": "g"}),
        Role.METALLIC: (packed, {"channels": "b"}), Role.HEIGHT: (packed, {"channels": "a", "invert": True}),
    })  # fmt: skip
    np.testing.assert_allclose(values_of(found, Role.OCCLUSION)[..., 0], packed[..., 0] / 255, atol=1e-3)
    np.testing.assert_allclose(values_of(found, Role.ROUGHNESS)[..., 0], packed[..., 1] / 255, atol=1e-4)
    np.testing.assert_allclose(values_of(found, Role.METALLIC)[..., 0], packed[..., 2] / 255, atol=1e-3)
    np.testing.assert_allclose(values_of(found, Role.HEIGHT)[..., 0], 1 - packed[..., 3] / 255, atol=1e-4)


def test_colour_is_filtered_in_linear_light() -> None:
    """Half black and half white is half the light, sRGB code 188, not 128."""
    checks = np.zeros((8, 8, 3), np.uint8)
    checks[::2] = 255
    texture, _ = texture_of({Role.BASE_COLOR: (checks, {})})[Role.BASE_COLOR]
    assert (texture.levels[1][..., :3] == 188).all()
    assert texture.levels[-1].shape == (1, 1, 4)


def test_normals_stay_unit_through_the_chain_and_green_can_be_flipped() -> None:
    tilted = np.zeros((8, 8, 3))
    tilted[..., 0] = np.where(np.arange(8) % 2, 0.6, -0.6)[None]
    tilted[..., 1], tilted[..., 2] = 0.3, np.sqrt(1 - 0.36 - 0.09)
    coded = quantized(tilted * 0.5 + 0.5, 16)
    found = texture_of({Role.NORMAL: (coded, {})})
    xy = values_of(found, Role.NORMAL, 1) * 2 - 1
    z = np.sqrt(1 - 0.36 - 0.09)
    expected_y = 0.3 / np.hypot(0.3, z)  # x cancels, and y is scaled back to unit length
    np.testing.assert_allclose(xy[..., 0], 0, atol=1e-4)
    np.testing.assert_allclose(xy[..., 1], expected_y, atol=1e-3)
    flipped = texture_of({Role.NORMAL: (coded, {"flip_green": True})})
    np.testing.assert_allclose(values_of(flipped, Role.NORMAL)[..., 1] * 2 - 1, -0.3, atol=1e-4)


def test_halving_keeps_the_mean_and_odd_sizes_work() -> None:
    rng = np.random.default_rng(1)
    values = rng.random((16, 32, 4), dtype=np.float32)
    np.testing.assert_allclose(halved(values).mean(axis=(0, 1)), values.mean(axis=(0, 1)), atol=1e-6)
    odd = rng.random((7, 5, 4), dtype=np.float32)
    assert halved(odd).shape == (3, 2, 4)
    assert halved_normals(odd).shape == (3, 2, 4)


def test_maps_of_different_sizes_share_a_texture() -> None:
    rough = np.full((4, 4), 64, np.uint8)
    height = np.random.default_rng(0).integers(0, 65536, (32, 32), dtype=np.uint16)
    found = texture_of({Role.ROUGHNESS: (rough, {"channels": "r"}), Role.HEIGHT: (height, {"channels": "r"})})
    assert found[Role.ROUGHNESS][0] is found[Role.HEIGHT][0]
    np.testing.assert_allclose(values_of(found, Role.ROUGHNESS), 64 / 255, atol=1e-4)
    np.testing.assert_allclose(values_of(found, Role.HEIGHT)[..., 0], height / 65535, atol=2e-5)
    assert {role for pack in PACKS for role, _ in pack.roles} == set(Role)


def test_bilinear_reads_equal_scipys() -> None:
    """Against `scipy.ndimage.map_coordinates` of order 1 with wrapping, in double precision."""
    rng = np.random.default_rng(4)
    texels = rng.random((37, 53, 4), dtype=np.float32)
    uv = rng.uniform(-2, 3, (2, 5000)).astype(np.float32)
    wrapped = np.pad(texels, ((1, 1), (1, 1), (0, 0)), mode="wrap")
    x, y = (uv[0].astype(float) % 1) * 53 - 0.5, (uv[1].astype(float) % 1) * 37 - 0.5
    expected = ndimage.map_coordinates(texels[..., 2].astype(float), [y, x], order=1, mode="grid-wrap")
    np.testing.assert_allclose(bilinear(wrapped, uv)[2], expected, atol=3e-5)
    corners = np.array([[0.5 / 53, 1.5 / 53], [0.5 / 37, 2.5 / 37]], np.float32)
    np.testing.assert_allclose(bilinear(wrapped, corners).T, [texels[0, 0], texels[2, 1]], atol=1e-6)
    wild = np.array([[np.nan, np.inf, 1e30, -1e-9, -np.inf]] * 2, np.float32)
    assert bilinear(wrapped, wild).shape == (4, 5)


# Files


@pytest.mark.parametrize("kind", ["png8", "png16", "jpeg", "tiff8", "tiff16", "tiff32", "exr"])
def test_every_format_is_read(tmp_path: Path, kind: str) -> None:
    x = np.linspace(0.1, 0.9, 24, dtype=np.float32)
    picture = np.stack([np.tile(x, (16, 1)), np.tile(x[::-1], (16, 1)), np.full((16, 24), 0.25)], axis=2).astype(
        np.float32
    )
    path = tmp_path / f"a.{kind.rstrip('0123456789')}"
    if kind == "exr":
        OpenEXR.File({}, {"RGB": picture}).write(str(path))
    else:
        top = {"8": 255, "16": 65535, "32": 1, "jpeg": 255}["jpeg" if kind == "jpeg" else kind.lstrip("pngtif")]
        dtype = {255: np.uint8, 65535: np.uint16, 1: np.float32}[top]
        cv2.imwrite(str(path), (picture * top + (0.5 if top > 1 else 0)).astype(dtype)[..., ::-1])
    got = as_float(read_image(path.read_bytes(), path.name))
    assert got.shape == (16, 24, 3)
    np.testing.assert_allclose(got, picture, atol=0.03 if kind == "jpeg" else 3e-3)


def png_header(width: int, height: int) -> bytes:
    body = b"IHDR" + struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + struct.pack(">I", 13) + body + struct.pack(">I", zlib.crc32(body))


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"this is a text file called .png\n" * 20, "not a picture"), (b"", "not a picture"),
        (png_header(30000, 30000), "too large"), (png_header(17000, 20), "too large"),
        (png_bytes(np.zeros((64, 64, 3), np.uint8))[:90], "damaged|not a picture"),
        (b"\x76\x2f\x31\x01" + b"\0" * 200, "EXR is damaged"),
    ],
)  # fmt: skip
def test_bad_pictures_are_refused_with_the_files_name_and_a_remedy(data: bytes, says: str) -> None:
    with pytest.raises(BadImage, match=says) as caught:
        read_image(data, "wall_height.png")
    assert "wall_height.png" in str(caught.value)
    assert any(word in str(caught.value) for word in ("Use", "Save"))


@settings(max_examples=80, deadline=None)
@given(
    st.binary(max_size=300),
    st.sampled_from([b"", b"\x89PNG\r\n\x1a\n", b"II*\0", b"\xff\xd8\xff", b"\x76\x2f\x31\x01"]),
)
def test_no_bytes_whatever_do_more_than_raise_bad_image(data: bytes, magic: bytes) -> None:
    try:
        read_image(magic + data, "x.png")
    except BadImage as error:
        assert "x.png" in str(error)


def test_a_folder_is_sorted_into_sets(tmp_path: Path) -> None:
    grey = png_bytes(np.full((8, 8), 99, np.uint8))
    names = [
        "Bark_basecolor.png",
        "Bark_normal.png",
        "Bark_ORM.png",
        "stone albedo.png",
        "stone rough.png",
        "readme.png",
    ]
    for name in names:
        (tmp_path / name).write_bytes(grey)
    (tmp_path / "notes.txt").write_text("not a map")
    library = Library(Assets())
    found = library.read_map_folder(tmp_path)
    sets = found.sets
    assert sorted(len(s) for s in sets) == [2, 5]
    assert [m.file for m in found.left_out] == ["readme.png"]
    assert found.notes == ["notes.txt: no PNG, JPEG, TIFF, EXR, HDR, WebP, BMP or TGA"]
    assert len({m.asset for s in sets for m in s}) == 5  # one file, one asset, whatever its roles


# Synthesis


@pytest.mark.parametrize(
    "make", [surfaces.glazed_tile, surfaces.cushion_moss, surfaces.terrace_clay, surfaces.run_glaze]
)
def test_synthesised_maps_tile_and_repeat_from_their_seed(make) -> None:
    maps, again = make(128), make(128)
    for name in ("color", "height", "roughness", "normal", "occlusion"):
        values = getattr(maps, name)
        assert np.array_equal(values, getattr(again, name)), name
        assert np.isfinite(values).all()
        low = -1 if name == "normal" else 0
        assert values.min() >= low - 1e-6
        assert values.max() <= 1 + 1e-6
        for axis in (0, 1):  # the step over the edge is no larger than the largest step inside
            inside = np.abs(np.diff(values, axis=axis))
            edge = np.abs(np.take(values, 0, axis) - np.take(values, -1, axis))
            assert edge.max() <= inside.max() + 1e-3, (name, axis)


def test_normals_of_a_known_height_are_its_slope() -> None:
    x, _ = synthesis.grid(256)
    height = (0.5 + 0.5 * np.sin(2 * np.pi * x)).astype(np.float32)
    normal = synthesis.normal_from_height(height, 0.1)
    slope = 0.1 * np.pi * np.cos(2 * np.pi * x)
    np.testing.assert_allclose(-normal[..., 0] / normal[..., 2], slope, atol=2e-4)
    down = synthesis.normal_from_height(height.T.copy(), 0.1)
    np.testing.assert_allclose(down[..., 1] / down[..., 2], slope.T, atol=2e-4)  # green points up: against y
    flat = synthesis.occlusion_from_height(np.full((64, 64), 0.4, np.float32), 5.0)
    np.testing.assert_allclose(flat, 1.0, atol=1e-5)


def test_cells_are_the_nearest_centres_across_the_edge() -> None:
    found = synthesis.cells(48, 5, 12)
    centres = np.random.default_rng(5).random((12, 2))
    x, y = synthesis.grid(48)
    offset = np.stack([x, y], axis=-1)[:, :, None] - centres
    offset -= np.rint(offset)
    np.testing.assert_allclose(found.first, np.linalg.norm(offset, axis=-1).min(axis=2), atol=1e-5)


# What may be wrong with a map


def entry_of(role: Role, **more) -> MapFile:
    wide = role.is_color or role is Role.NORMAL
    made = MapFile(
        role=role, asset="maps/x", file="x.png", channels="rgb" if wide else "r",
        color_space="srgb" if role.is_color else "linear",
    )  # fmt: skip
    return made.with_(**more)


def texts(entry: MapFile, picture: np.ndarray) -> list[str]:
    return [f.mend for f in findings(entry, picture)]


def mended(entry: MapFile, picture: np.ndarray) -> MapFile:
    found = findings(entry, picture)
    assert found
    return entry.with_(**found[0].changes)


def test_sound_maps_raise_no_flag() -> None:
    for made in (surfaces.glazed_tile(256), surfaces.cushion_moss(256), surfaces.terrace_clay(256)):
        for role, data in made.files().items():
            assert texts(entry_of(Role(role)), read_image(data, role)) == [], role


def test_encodings_that_do_not_fit_the_role_are_flagged_and_mended() -> None:
    """Packed data maps and normal maps are linear; decoding them as colour shifts every value
    (common practice, no source)."""
    files = {r: read_image(d, r) for r, d in surfaces.terrace_clay(128).files().items()}
    rough = entry_of(Role.ROUGHNESS, color_space="srgb")
    assert texts(rough, files["roughness"]) == ["Mark it as data"]
    assert texts(mended(rough, files["roughness"]), files["roughness"]) == []
    color = entry_of(Role.BASE_COLOR, color_space="linear")
    assert mended(color, files["base_color"]).color_space == "srgb"
    assert texts(entry_of(Role.BASE_COLOR, color_space="linear"), files["base_color"].astype(np.float32) / 255) == []


@pytest.mark.parametrize("make", [surfaces.glazed_tile, surfaces.cushion_moss, surfaces.terrace_clay])
def test_a_normal_map_with_its_green_turned_over_is_told_from_a_right_one(make) -> None:
    normal = read_image(make(256).files()["normal"], "normal").copy()
    assert not looks_flipped(normal[..., :3] / np.iinfo(normal.dtype).max * 2.0 - 1)
    normal[..., 1] = np.iinfo(normal.dtype).max - normal[..., 1]
    entry = entry_of(Role.NORMAL)
    assert texts(entry, normal) == ["Flip the green"]
    assert texts(mended(entry, normal), normal) == []


def test_short_normals_are_flagged_and_brought_to_length_when_read() -> None:
    normal = np.zeros((32, 32, 3), np.float32)
    normal[...] = np.array([0.3, 0.1, 0.6]) * 0.5 + 0.5
    entry = entry_of(Role.NORMAL)
    assert texts(entry, normal) == ["Bring them to length 1"]
    stored = png_bytes((normal * 65535).round().astype(np.uint16))
    sets = [MapSet(id="s", name="S", maps=(e,)) for e in (entry, mended(entry, normal))]
    as_is, unit = (pack_set(s, lambda _: stored)[0].linear(0)[0, 0, :2] * 2 - 1 for s in sets)
    np.testing.assert_allclose(as_is, (0.3, 0.1), atol=1e-3)
    np.testing.assert_allclose(unit, np.array([0.3, 0.1]) / np.sqrt(0.46), atol=1e-3)


def test_a_stepped_height_is_smoothed_by_no_more_than_half_a_step() -> None:
    y, x = np.mgrid[0:128, 0:128] / 128
    smooth = 0.5 + 0.04 * np.sin(2 * np.pi * x) * np.cos(2 * np.pi * y)
    stepped = np.round(smooth * 255).astype(np.uint8)[..., None]
    entry = entry_of(Role.HEIGHT)
    assert texts(entry, stepped) == ["Smooth the steps"]
    assert texts(entry, np.round(smooth * 65535).astype(np.uint16)[..., None]) == []
    values = stepped.astype(np.float32) / 255
    better = without_steps(values)
    assert np.abs(better - values).max() <= 0.5 / 255 + 1e-6
    assert np.abs(better[..., 0] - smooth).mean() < 0.7 * np.abs(values[..., 0] - smooth).mean()


def test_photographs_that_do_not_tile_are_flagged_and_their_edges_blended() -> None:
    """scikit-image's brick, gravel and grass are photographs that do not tile."""
    for name in ("brick", "gravel", "grass"):
        picture = getattr(photographs, name)()
        grey = np.repeat(picture[..., None], 3, axis=2)
        entry = entry_of(Role.BASE_COLOR)
        if name == "brick":  # the others' grain hides the edge from the eye, too
            assert texts(entry, grey) == ["Blend the edges"]
        values = grey.astype(np.float32) / 255
        blended = with_blended_edges(values)
        assert tiles(blended)
        assert blended.std() == pytest.approx(values.std(), rel=0.1)
        middle = slice(200, 312)
        np.testing.assert_allclose(blended[middle, middle], values[middle, middle], atol=1e-5)


def test_a_mask_of_64_texels_is_made_soft_and_stays_within_its_values() -> None:
    mask = (np.random.default_rng(2).random((64, 64, 1)) > 0.6).astype(np.float32)
    soft = smoothed(mask)
    assert soft.shape == (512, 512, 1)
    assert soft.min() >= -1e-6
    assert soft.max() <= 1 + 1e-6
    assert soft.mean() == pytest.approx(mask.mean(), abs=1e-3)
    steps = np.abs(np.diff(np.concatenate([soft, soft[:1]]), axis=0)).max()
    assert steps < 0.13  # an eighth of a texel's step, all the way round


def test_a_smaller_texture_is_used_everywhere_and_the_file_stays() -> None:
    """A texture at half size costs a quarter (common practice, no source)."""
    stored = surfaces.glazed_tile(256).files()["base_color"]
    entry = entry_of(Role.BASE_COLOR)
    whole, half = (
        pack_set(MapSet(id="s", name="S", maps=(entry,), max_side=side), lambda _: stored)[0] for side in (0, 128)
    )
    assert whole.levels[0].shape[:2] == (256, 256)
    assert half.levels[0].shape[:2] == (128, 128)
    assert half.size / whole.size == pytest.approx(0.25, rel=0.01)
    np.testing.assert_allclose(half.mean, whole.mean, atol=2e-3)


def test_a_calm_roughness_takes_up_what_the_normals_lose() -> None:
    """Toksvig 2005, worked by hand: roughness 0.3 has α = 0.09 and s = 244.9; of normals 0.95 long s becomes 17.6."""
    assert float(toksvig(np.array([[0.3]]), np.array([[0.95]]))[0, 0]) == pytest.approx(0.565, abs=0.002)
    rough = np.linspace(0.05, 1, 40)[None]
    np.testing.assert_allclose(toksvig(rough, np.ones_like(rough)), rough, atol=1e-6)
    falling = np.stack([toksvig(rough, np.full_like(rough, length)) for length in (1.0, 0.9, 0.6, 0.3)])
    assert (np.diff(falling, axis=0) >= -1e-6).all()
    rng, assets = np.random.default_rng(2), Assets()
    tilt = np.clip(rng.normal(scale=0.35, size=(64, 64, 2)), -0.6, 0.6)
    normal = np.concatenate([tilt, np.sqrt(1 - (tilt**2).sum(axis=2, keepdims=True))], axis=2) * 0.5 + 0.5
    files = {
        Role.NORMAL: np.round(normal * 65535).astype(np.uint16),
        Role.ROUGHNESS: np.full((64, 64, 1), 90, np.uint8),
    }

    def levels(steady: bool, flat: bool = False) -> tuple[np.ndarray, ...]:
        chosen = dict(files)
        if flat:
            chosen[Role.NORMAL] = np.full((64, 64, 3), (32768, 32768, 65535), np.uint16)
        maps = tuple(
            MapFile(role=r, asset=assets.put("maps", f"{r}.png", png_bytes(v)), file=f"{r}.png",
                    channels="rgb" if r is Role.NORMAL else "r", steady=steady and r is Role.ROUGHNESS)
            for r, v in chosen.items()
        )  # fmt: skip
        made = next(t for t in pack_set(MapSet(id="s", name="S", maps=maps), assets.read) if t.name == "s/b")
        return made.levels

    plain, calm = levels(False), levels(True)
    assert np.array_equal(plain[0], calm[0])  # near by nothing changes
    assert all(np.array_equal(p[..., [0, 1, 3]], c[..., [0, 1, 3]]) for p, c in zip(plain, calm, strict=True))
    means = [float(c[..., 2].mean()) / 65535 for c in calm]
    assert means[1] < means[2] < means[-1]
    vectors = np.concatenate([tilt, np.sqrt(1 - (tilt**2).sum(axis=2, keepdims=True))], axis=2).mean(axis=(0, 1))
    expected = float(toksvig(np.array([[90 / 255]]), np.array([[np.linalg.norm(vectors)]]))[0, 0])
    assert means[-1] == pytest.approx(expected, abs=0.01)
    assert all(
        np.abs(p[..., 2].astype(int) - c[..., 2]).max() < 40 for p, c in zip(plain, levels(True, True), strict=True)
    )
