"""Files are brought in: pictures and meshes of more formats, units, and projects made without a window."""

from __future__ import annotations

import io
from pathlib import Path

import cv2
import numpy as np
import pytest
import trimesh
from PIL import Image

from jade_coat.cli import main
from jade_coat.files.mesh_files import read_mesh
from jade_coat.files.project_folder import open_project
from jade_coat.maps.images import png_bytes, read_image
from jade_coat.maps.picture import BadImage
from jade_coat.mesh.data import BadMesh
from jade_coat.mesh.units import UNITS, across, likely_unit, scaled

RNG = np.random.default_rng(5)
PICTURE = RNG.integers(0, 255, (9, 13, 4)).astype(np.uint8)


def written(kind: str, array: np.ndarray, **options) -> bytes:
    buffer = io.BytesIO()
    Image.fromarray(array).save(buffer, kind, **options)
    return buffer.getvalue()


@pytest.mark.parametrize(
    ("kind", "channels", "options"),
    [("BMP", 3, {}), ("TGA", 3, {}), ("TGA", 4, {}), ("TGA", 4, {"compression": "tga_rle"}), ("TGA", 4, {"orientation": 1}),
     ("WEBP", 3, {"lossless": True}), ("WEBP", 4, {"lossless": True, "exact": True})],
)  # fmt: skip
def test_pictures_of_another_library_are_read_texel_for_texel(kind: str, channels: int, options) -> None:
    """Written by Pillow."""
    source = PICTURE[..., :channels]
    read = read_image(written(kind, source, **options), f"a.{kind.lower()}")
    np.testing.assert_array_equal(read, source)


def test_a_grey_tga_has_one_channel_and_a_palette_its_colours() -> None:
    grey = PICTURE[..., 0]
    np.testing.assert_array_equal(read_image(written("TGA", grey), "a.tga")[..., 0], grey)
    colors = Image.fromarray(PICTURE[..., :3]).quantize(16)
    buffer = io.BytesIO()
    colors.save(buffer, "BMP")
    np.testing.assert_array_equal(read_image(buffer.getvalue(), "a.bmp"), np.asarray(colors.convert("RGB")))


def test_an_hdr_picture_is_a_map_in_linear_light() -> None:
    """Written by OpenCV; its shared exponent keeps 8 bits of the largest channel."""
    light = (RNG.random((6, 8, 3)) * 20).astype(np.float32)
    data = cv2.imencode(".hdr", light[..., ::-1])[1].tobytes()
    read = read_image(data, "a.hdr")
    assert np.abs(read - light).max() <= light.max() / 128


@pytest.mark.parametrize("name", ["a.tga", "a.webp", "a.bmp"])
def test_what_is_cut_short_is_named(name: str) -> None:
    kind = {"a.tga": "TGA", "a.webp": "WEBP", "a.bmp": "BMP"}[name]
    data = written(kind, RNG.integers(0, 255, (64, 64, 3)).astype(np.uint8))
    with pytest.raises(BadImage, match=name):
        read_image(data[: len(data) // 3], name)


def test_stl_is_smooth_where_it_bends_and_sharp_at_its_edges(tmp_path: Path) -> None:
    for name, binary in (("ball.stl", True), ("ascii.stl", False)):
        ball = trimesh.creation.icosphere(subdivisions=3, radius=0.5)
        (tmp_path / name).write_bytes(
            ball.export(file_type="stl") if binary else ball.export(file_type="stl_ascii").encode()
        )
        mesh = read_mesh(tmp_path / name)
        assert len(mesh.triangles) == len(ball.faces)
        assert len(np.unique(mesh.positions, axis=0)) == len(ball.vertices)
        outward = mesh.positions / np.linalg.norm(mesh.positions, axis=1, keepdims=True)
        assert (outward * mesh.normals).sum(axis=1).min() > 0.99  # joined: nowhere does it bend by 30 degrees
    (tmp_path / "box.stl").write_bytes(trimesh.creation.box().export(file_type="stl"))
    box = read_mesh(tmp_path / "box.stl")
    assert len(np.unique(np.round(np.concatenate([box.positions, box.normals], axis=1), 4), axis=0)) == 24
    assert np.sort(np.abs(box.normals), axis=1)[:, 2].min() > 0.999
    (tmp_path / "short.stl").write_bytes((tmp_path / "box.stl").read_bytes()[:200])
    with pytest.raises(BadMesh, match=r"short\.stl"):
        read_mesh(tmp_path / "short.stl")


def test_units_are_guessed_by_size_and_scale_all_that_is_a_length(tmp_path: Path) -> None:
    for extents, unit in (((3.0, 2.4, 0.4), "m"), ((300, 240, 40), "cm"), ((12000, 900, 20), "mm")):
        (tmp_path / "a.stl").write_bytes(trimesh.creation.box(extents).export(file_type="stl"))
        mesh = read_mesh(tmp_path / "a.stl")
        assert likely_unit(mesh) == unit
        metres = scaled(mesh, UNITS[unit][1])
        assert across(metres) == pytest.approx(max(extents) * UNITS[unit][1])
        np.testing.assert_allclose(metres.metres, np.array(mesh.metres) * UNITS[unit][1], rtol=1e-5)
        np.testing.assert_array_equal(metres.normals, mesh.normals)


def test_a_project_is_made_and_dressed_without_a_window(tmp_path: Path, capsys) -> None:
    wall, maps, project = tmp_path / "wall.stl", tmp_path / "maps", tmp_path / "yard"
    wall.write_bytes(trimesh.creation.box((300, 240, 40)).export(file_type="stl"))
    maps.mkdir()
    for name in ("brick", "lichen"):
        for role in ("color", "height"):
            (maps / f"{name}_{role}.png").write_bytes(
                png_bytes(PICTURE[..., :3] if role == "color" else PICTURE[..., 0])
            )
    (maps / "notes.png").write_bytes(png_bytes(PICTURE[..., :3]))
    assert main(["import", str(project), str(wall), str(maps), "--unit", "cm"]) == 0
    told = capsys.readouterr().out
    assert "3 × 2.4 × 0.4 m" in told
    assert "brick (map set): base colour, height" in told
    assert "left out: notes.png" in told
    assert (
        main(["material", str(project), "--base", "brick", "--top", "lichen", "--channel", "G", "--prop", "wall"]) == 0
    )
    opened = open_project(project)
    assert opened.problems == []
    made = opened.project.materials[-1]
    assert [c.surface.map_set for c in made.coats] == ["brick", "lichen"]
    assert made.coats[1].where[0].painted.channel == "G"
    worn = set(opened.project.prop("wall").finishes.values())
    assert {opened.project.finish(f).parent for f in worn} == {made.id}
    assert main(["bake", str(project), "--finish", worn.pop(), "--size", "32", "--out", str(tmp_path / "out")]) == 0
    assert main(["material", str(project), "--base", "nothing"]) == 1
    assert "there are: brick, lichen" in capsys.readouterr().err
    (tmp_path / "other").mkdir()
    (tmp_path / "other" / "x.txt").write_text("")
    assert main(["import", str(tmp_path / "other"), str(wall)]) == 1
    assert "Choose an empty folder" in capsys.readouterr().err
