"""Looks written with their own maps: KHR_texture_transform lays them where the program does, and what cannot be is baked."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from jade_coat.bake.exporting import export_glb
from jade_coat.files.assets import Assets
from jade_coat.files.file_looks import look_of
from jade_coat.files.gltf_materials import read_materials
from jade_coat.files.library import Library
from jade_coat.jobs.job import Job
from jade_coat.looking.attributes import instance_values
from jade_coat.maps.images import png_bytes
from jade_coat.maps.mapset import MapFile, MapSet
from jade_coat.maps.packing import PackedLookup
from jade_coat.maps.sampling import reading
from jade_coat.material.compile import compile_material, fixed_fields
from jade_coat.material.material import Coat, Finish, Material
from jade_coat.material.rows import field_values
from jade_coat.material.surface import Role, Surface
from jade_coat.mesh import shapes
from jade_coat.program.numpy_backend import Environment, evaluate
from jade_coat.stage.project import Project, Prop
from tests.support import assert_valid_glb

RNG = np.random.default_rng(5)
COLOR, DATA = RNG.integers(40, 220, (8, 8, 3)).astype(np.uint8), RNG.integers(0, 256, (8, 8, 3)).astype(np.uint8)
UV = RNG.random((2, 300)).astype(np.float32)


def plain(surface: Surface, **more) -> tuple[Project, Library]:
    """A box in one coat of maps."""
    library = Library(Assets())
    asset = library.add_mesh(shapes.box(2, 1, 1), "Box", set())
    names = {
        "c": png_bytes(np.repeat(np.repeat(COLOR, 8, 0), 8, 1)),
        "d": png_bytes(np.repeat(np.repeat(DATA, 8, 0), 8, 1)),
    }
    kept = {n: library.assets.put("maps", f"{n}.png", data) for n, data in names.items()}
    maps = (
        MapFile(role=Role.BASE_COLOR, asset=kept["c"], file="c.png", color_space="srgb"),
        MapFile(role=Role.ROUGHNESS, asset=kept["d"], file="d.png", channels="g"),
        MapFile(role=Role.METALLIC, asset=kept["d"], file="d.png", channels="b"),
        MapFile(role=Role.OCCLUSION, asset=kept["d"], file="d.png", channels="r"),
    )
    material = Material(id="m", name="M", coats=(Coat(id="c", name="C", surface=surface),), **more)
    return Project(
        map_sets=(MapSet(id="s", name="S", maps=maps),), meshes=(asset,), materials=(material,),
        finishes=(Finish(id="f", name="F", parent="m"),),
        props=(Prop(id="p", name="P", mesh=asset.id, finishes=dict.fromkeys(asset.slots, "f")),),
    ), library  # fmt: skip


def looked_at(material: Material, sets, library: Library, mesh) -> dict[str, np.ndarray]:
    """What a material gives at the UVs, in the mesh's own metres."""
    count = UV.shape[1]
    made = compile_material(material, PackedLookup(sets), fixed_fields(field_values(material)))
    frame = {"normal": np.tile([[0], [0], [1.0]], count), "tangent": np.tile([[1.0], [0], [0], [1]], count)}
    attributes = {f"uv{i}": UV for i in range(4)} | {n: v.astype(np.float32) for n, v in frame.items()}
    textures = {t.name: t for s in sets for t in library.textures(s)}
    names = ("base_color", "roughness", "metallic", "occlusion", "emissive")
    found = evaluate(
        {n: made[n] for n in names}, Environment(attributes, instance=instance_values(mesh), **reading(textures))
    )
    return {n: np.broadcast_to(v, (v.shape[0], count)) for n, v in found.items()}


def content_of(path: Path) -> dict:
    data = path.read_bytes()
    return json.loads(data[20 : 20 + int.from_bytes(data[12:16], "little")])


@settings(max_examples=15, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.sampled_from(["uv", "square"]), st.floats(-3, 3), st.floats(-1, 1), st.tuples(st.booleans(), st.booleans()),
    st.floats(0.2, 3), st.floats(0.1, 1),
)  # fmt: skip
def test_maps_lie_in_the_file_where_the_program_lays_them(tmp_path, placement, turn, shift, flips, size, tint) -> None:
    """Read back by the reader that is checked against the extension's text, and worked out at random places."""
    surface = Surface(
        map_set="s", placement=placement, turn=turn, offset=(shift, -shift / 2), flip_across=float(flips[0]),
        flip_down=float(flips[1]), tile_size=size, repeats=(size, 2.0), tint=(tint, 1.0, tint), roughness_range=(0.1, 0.9),
        metallic_range=(0.0, 0.5), occlusion_strength=0.5, emissive=(2.0, 0.0, 1.0), specular=0.4,
    )  # fmt: skip
    project, library = plain(surface, two_sided=True)
    path = tmp_path / "plain.glb"
    written = export_glb(project, library, path, 128, Job())
    assert any("KHR_texture_transform" in line for line in written.told)
    found = read_materials(path.read_bytes(), "plain", None, lambda file, data: library.assets.put("maps", file, data))
    look = look_of(found[0])
    assert found[0].uv_set == 1
    made = MapSet(id="t", name="T", maps=look.maps)
    again = Material(id="n", name="N", coats=(Coat(id="c", name="C", surface=look.surface.with_(map_set="t")),))
    mesh = library.mesh_by_id(project, project.meshes[0].id)
    first = looked_at(project.materials[0], project.map_sets, library, mesh)
    second = looked_at(again, (made,), library, mesh)
    for name, values in first.items():
        near = np.abs(values - second[name]) < 0.02
        assert near.mean() > 0.99, name  # but where two texels meet within rounding
    assert look.two_sided
    assert look.surface.specular == pytest.approx(0.4)


def test_files_with_repeated_maps_are_valid_and_small(tmp_path: Path) -> None:
    project, library = plain(Surface(map_set="s", tile_size=0.25))
    path = tmp_path / "plain.glb"
    export_glb(project, library, path, 1024, Job())
    assert_valid_glb(path)
    (material,) = content_of(path)["materials"]
    info = material["pbrMetallicRoughness"]["baseColorTexture"]
    assert info["texCoord"] == 1
    metres = library.mesh_by_id(project, project.meshes[0].id).metres[0]
    assert info["extensions"]["KHR_texture_transform"]["scale"] == pytest.approx([m / 0.25 for m in metres], rel=1e-5)
    assert path.stat().st_size < 60_000


@pytest.mark.parametrize("surface", [
    {"tile_break": "hex"}, {"placement": "triplanar"}, {"saturation": 0.5}, {"tint": (2.0, 1.0, 1.0)}, {"transmission": 0.5},
    {"more_sets": ("s",)}, {"gradient": ((0.0, (0.0, 0.0, 0.0)), (1.0, (1.0, 0.0, 0.0)))}, {"map_set": ""},
])  # fmt: skip
def test_what_a_file_cannot_say_is_baked(surface: dict, tmp_path: Path) -> None:
    project, library = plain(Surface(**{"map_set": "s", **surface}))
    path = tmp_path / "baked.glb"
    export_glb(project, library, path, 32, Job())
    (material,) = content_of(path)["materials"]
    assert material["pbrMetallicRoughness"]["baseColorTexture"].get("texCoord", 0) == 0
    assert "KHR_texture_transform" not in content_of(path).get("extensionsUsed", [])
