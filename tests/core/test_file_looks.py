"""Materials and pictures inside glTF files, and what is handed over: names, chosen props, several squares."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pygltflib as g
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jade_coat.bake.exporting import export_glb
from jade_coat.cli import main
from jade_coat.files.assets import Assets
from jade_coat.files.file_looks import look_of, notes_of
from jade_coat.files.gltf_materials import read_materials
from jade_coat.files.gltf_writer import mesh_glb
from jade_coat.files.library import Library
from jade_coat.files.project_folder import open_project
from jade_coat.jobs.job import Job
from jade_coat.maps.images import png_bytes
from jade_coat.maps.mapset import further_squares
from jade_coat.maps.packing import PackedLookup
from jade_coat.maps.sampling import reading
from jade_coat.material.compile import compile_material, fixed_fields
from jade_coat.material.rows import field_values
from jade_coat.mesh import shapes
from jade_coat.mesh.data import BadMesh, Slot
from jade_coat.program.numpy_backend import Environment, evaluate
from jade_coat.stage.document import Document
from jade_coat.stage.making import file_looks, placed_mesh
from jade_coat.stage.project import Project

rng = np.random.default_rng(3)
COLOR = rng.integers(0, 256, (16, 16, 4)).astype(np.uint8)
ROUGH = rng.integers(0, 256, (16, 16, 3)).astype(np.uint8)


def model(**changes) -> bytes:
    """A box whose material has a colour, a metallic-roughness and no other picture, as other programs write it."""
    box = shapes.box(1, 1, 1)
    glb = g.GLTF2.load_from_bytes(mesh_glb(box.with_(slots=(Slot("Oven", 0, len(box.triangles)),)), "oven"))
    blob = bytearray(glb.binary_blob())
    for picture in (COLOR, ROUGH):
        data = png_bytes(picture)
        blob += bytes(-len(blob) % 4)
        glb.bufferViews.append(g.BufferView(buffer=0, byteOffset=len(blob), byteLength=len(data)))
        glb.images.append(g.Image(bufferView=len(glb.bufferViews) - 1, mimeType="image/png"))
        glb.textures.append(g.Texture(source=len(glb.images) - 1))
        blob += data
    glb.buffers[0].byteLength = len(blob)
    glb.set_binary_blob(bytes(blob))
    own = {
        "pbrMetallicRoughness": g.PbrMetallicRoughness(
            baseColorTexture=g.TextureInfo(index=0), metallicRoughnessTexture=g.TextureInfo(index=1),
            baseColorFactor=[0.5, 0.25, 1.0, 1.0], roughnessFactor=0.5, metallicFactor=0.75,
        ),
        "emissiveFactor": [0.1, 0.0, 0.0], "extensions": {"KHR_materials_emissive_strength": {"emissiveStrength": 5.0}},
        "alphaMode": "MASK", "alphaCutoff": 0.3, "doubleSided": True,
    } | changes  # fmt: skip
    for name, value in own.items():
        setattr(glb.materials[0], name, value)
    return b"".join(glb.save_to_bytes())


def taken(data: bytes, folder: Path | None = None):
    """A project of that file and its materials."""
    assets = Assets()
    library = Library(assets)
    document = Document(Project())
    placed = placed_mesh(document.project, library.add_mesh, shapes.box(1, 1, 1).with_(
        slots=(Slot("Oven", 0, 12),)), "oven")  # fmt: skip
    document.do_all("Import", placed.steps)
    found = read_materials(data, "oven.glb", folder, lambda file, content: assets.put("maps", file, content))
    document.do_all("Looks", file_looks(document.project, placed.prop.id, [look_of(f) for f in found]))
    return document.project, library, found


def test_a_files_material_looks_here_as_gltf_means_it() -> None:
    """Against glTF 2.0, 3.9.2: factors multiply texels; G is roughness, B metallic; alpha below the cutoff is gone."""
    project, library, found = taken(model())
    material = project.material("oven") if any(m.id == "oven" for m in project.materials) else project.materials[-1]
    assert (material.kind, material.cut, material.two_sided) == ("masked", 0.3, True)
    assert project.props.get("oven").finishes["Oven"] == project.finishes[-1].id
    made = compile_material(
        material, PackedLookup(project.map_sets, project.recipes), fixed_fields(field_values(material))
    )
    uv = ((np.stack(np.meshgrid(np.arange(16), np.arange(16))) + 0.5) / 16).reshape(2, -1).astype(np.float32)
    textures = {t.name: t for s in project.map_sets for t in library.textures(s)}
    count = uv.shape[1]
    frame = {"normal": np.tile([[0], [0], [1.0]], count), "tangent": np.tile([[1.0], [0], [0], [1]], count)}
    environment = Environment(
        attributes={"uv0": uv, **{n: v.astype(np.float32) for n, v in frame.items()}}, **reading(textures)
    )
    names = ("base_color", "roughness", "metallic", "opacity", "emissive")
    got = {
        n: np.broadcast_to(v, (v.shape[0], count))
        for n, v in evaluate({n: made[n] for n in names}, environment).items()
    }
    encoded = COLOR[..., :3].reshape(-1, 3) / 255
    linear = np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4)  # IEC 61966-2-1
    np.testing.assert_allclose(got["base_color"].T, linear * (0.5, 0.25, 1.0), atol=2e-3)
    np.testing.assert_allclose(got["roughness"][0], ROUGH[..., 1].ravel() / 255 * 0.5, atol=2e-3)
    np.testing.assert_allclose(got["metallic"][0], ROUGH[..., 2].ravel() / 255 * 0.75, atol=2e-3)
    np.testing.assert_allclose(got["opacity"][0], COLOR[..., 3].ravel() / 255, atol=2e-3)
    np.testing.assert_allclose(got["emissive"][:, 0], (0.5, 0, 0), atol=1e-4)
    assert [notes_of(f) for f in found] == [[]]


SCALE = st.tuples(st.floats(0.1, 8), st.floats(0.1, 8), st.sampled_from([-1, 1]))


@settings(max_examples=30, deadline=None)
@given(st.floats(-3, 3), st.floats(-1, 1), st.floats(-1, 1), SCALE)
def test_a_texture_transform_places_the_maps_as_its_extension_says(turn, x, y, scale) -> None:
    """KHR_texture_transform: translation · rotation · scale, with the rotation written out as in its text."""
    placed = {"KHR_texture_transform": {"offset": [x, y], "rotation": turn, "scale": [scale[0] * scale[2], scale[1]]}}
    info = g.TextureInfo(index=0, extensions=placed)
    project, _, _ = taken(model(pbrMetallicRoughness=g.PbrMetallicRoughness(baseColorTexture=info)))
    made = compile_material(
        project.materials[-1], PackedLookup(project.map_sets), fixed_fields(field_values(project.materials[-1]))
    )
    texture = next(n for n in _nodes(made["base_color"]) if n.op == "texture")
    uv = np.array([[0.3, 0.9], [0.2, 0.7]], np.float32)
    at = evaluate({"at": texture.args[0]}, Environment(attributes={"uv0": uv}))["at"]
    u, v = uv.astype(float) * np.array([[scale[0] * scale[2]], [scale[1]]])
    expected = np.stack([np.cos(turn) * u + np.sin(turn) * v + x, -np.sin(turn) * u + np.cos(turn) * v + y])
    np.testing.assert_allclose(at, expected, atol=2e-5)


def _nodes(value):
    seen, waiting = set(), [value]
    while waiting:
        node = waiting.pop()
        if node not in seen:
            seen.add(node)
            waiting += node.args
            yield node


def test_what_is_not_read_of_a_material_is_named() -> None:
    info = g.TextureInfo(index=0, extensions={"KHR_texture_transform": {"scale": [4000.0, 4.0]}})
    _, _, found = taken(model(
        pbrMetallicRoughness=g.PbrMetallicRoughness(baseColorTexture=info, metallicRoughnessTexture=g.TextureInfo(index=1, texCoord=1)),
        extensions={"KHR_materials_unlit": {}, "KHR_materials_sheen": {}},
    ))  # fmt: skip
    told = " ".join(notes_of(found[0]))
    for words in ("repeated beyond what is taken", "lie in different ways", "KHR_materials_sheen is not read"):
        assert words in told
    plain = mesh_glb(shapes.box(1, 1, 1), "plain")
    assert read_materials(plain, "plain.glb", None, lambda *_: "") == []


@pytest.mark.parametrize("harm", [
    {"emissiveFactor": [1.0]}, {"alphaCutoff": "x"}, {"pbrMetallicRoughness": g.PbrMetallicRoughness(
        baseColorTexture=g.TextureInfo(index=99))}, {"extensions": {"KHR_materials_emissive_strength": {"emissiveStrength": []}}},
])  # fmt: skip
def test_harm_in_a_files_materials_is_refused_by_name(harm) -> None:
    with pytest.raises(BadMesh, match="oven.glb"):
        taken(model(**harm))


def test_pictures_beside_a_file_are_read_and_none_from_elsewhere(tmp_path: Path) -> None:
    text = {"asset": {"version": "2.0"}, "materials": [{"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}],
            "textures": [{"source": 0}], "images": [{"uri": "wall%20one.png"}]}  # fmt: skip
    (tmp_path / "wall one.png").write_bytes(png_bytes(COLOR))
    kept = {}
    found = read_materials(json.dumps(text).encode(), "a.gltf", tmp_path, lambda f, c: kept.setdefault(f, c) and f)
    assert found[0].maps[0].file == "wall one.png"
    assert list(kept) == ["wall one.png"]
    text["images"][0]["uri"] = "../secret.png"
    with pytest.raises(BadMesh, match="not beside it"):
        read_materials(json.dumps(text).encode(), "a.gltf", tmp_path, lambda *_: "")


def test_the_command_line_takes_materials_and_exports_some_props(tmp_path: Path, capsys) -> None:
    (tmp_path / "oven.glb").write_bytes(model())
    project = tmp_path / "project"
    assert main(["import", str(project), str(tmp_path / "oven.glb"), str(tmp_path / "oven.glb"), "--materials"]) == 0
    told = capsys.readouterr().out
    assert told.count("worn by Oven") == 2
    opened = open_project(project)
    first, second = opened.project.props
    assert first.finishes != second.finishes
    assert second.position[0] > first.position[0] + 1.0  # beside it, not in it
    assert (
        main(["export", str(project), "--glb", str(tmp_path / "one.glb"), "--size", "16", "--props", second.name]) == 0
    )
    written = g.GLTF2.load(tmp_path / "one.glb")
    assert [n.name for n in written.nodes] == [second.name]
    finish = next(f for f in opened.project.finishes if f.id == second.finishes["Oven"])
    assert [m.name for m in written.materials] == [finish.name]
    assert main(["export", str(project), "--glb", str(tmp_path / "x.glb"), "--props", "nobody"]) != 0


def test_baked_materials_are_named_for_finishes_once_each(demo, tmp_path: Path) -> None:
    export_glb(demo.project, demo.library, tmp_path / "all.glb", 16, Job())
    names = [m.name for m in g.GLTF2.load(tmp_path / "all.glb").materials]
    assert len(set(names)) == len(names)
    known = {f.name for f in demo.project.finishes}
    assert all(any(name.startswith(f) for f in known) for name in names)
    assert "Celadon wall" in names


def test_further_squares_of_a_map_are_left_out_and_sizes_are_no_squares(tmp_path: Path) -> None:
    names = ["wall_color.1001.png", "wall_color.1002.png", "wall_color.1011.png", "bark_1024.png", "bark_1024.jpg"]
    found = further_squares(names)
    assert list(found) == ["wall_color.1002.png", "wall_color.1011.png"]
    assert "UDIM" in found["wall_color.1002.png"]
    for name in names[:3]:
        (tmp_path / name).write_bytes(png_bytes(COLOR[..., :3]))
    read = Library(Assets()).read_map_folder(tmp_path)
    assert [[m.file for m in s] for s in read.sets] == [["wall_color.1001.png"]]
    assert [name for name, _ in read.skipped] == names[1:3]
