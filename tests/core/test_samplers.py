"""Many maps on the few samplers that OpenGL 3.3 promises: shared as layers of arrays, or refused in words."""

from __future__ import annotations

import json
import re

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from jade_coat.files.assets import Assets
from jade_coat.files.glsl_bundle import bundle_files
from jade_coat.files.library import Library
from jade_coat.maps.images import png_bytes
from jade_coat.maps.mapset import MapFile, MapSet
from jade_coat.maps.packing import PackedLookup
from jade_coat.material.compile import compile_material, live_fields
from jade_coat.material.material import Coat, Material
from jade_coat.material.rows import field_values
from jade_coat.material.surface import Role, Surface
from jade_coat.material.where import NoiseTerm
from jade_coat.mesh import shapes
from jade_coat.program import TextureRef
from jade_coat.program.glsl_backend import emit
from jade_coat.program.samplers import PROMISED, TooManySamplers, shared_samplers
from jade_coat.stage.alone import single
from jade_coat.stage.project import Project
from jade_coat.view import programs
from jade_coat.view.camera import eye_of
from tests.support import put_mesh

ROLES = (Role.BASE_COLOR, Role.NORMAL, Role.ROUGHNESS, Role.HEIGHT, Role.METALLIC, Role.OPACITY, Role.EMISSIVE)
"""Roles that fill all four packs."""


def stacked(count: int, sides: list[int]) -> tuple[Project, Library]:
    """A material of so many coats, each with a map set of its own that fills four textures of its side."""
    assets, rng, sets, coats = Assets(), np.random.default_rng(3), [], []
    for i in range(count):
        side = sides[i % len(sides)]
        maps = []
        for role in ROLES:
            coarse = rng.integers(60, 200, (4, 4, 3), dtype=np.uint8)
            coarse = np.full_like(coarse, (128, 128, 255)) if role is Role.NORMAL else coarse
            picture = cv2.resize(coarse, (side, side), interpolation=cv2.INTER_CUBIC)
            name = assets.put("maps", f"{role}{i}.png", png_bytes(picture))
            channels = "rgb" if role.is_color or role is Role.NORMAL else "r"
            space = "srgb" if role.is_color else "linear"
            maps.append(MapFile(role=role, asset=name, file=f"{i}.png", channels=channels, color_space=space))
        sets.append(MapSet(id=f"s{i}", name=f"Set {i}", maps=tuple(maps)))
        where = (NoiseTerm(id="n", size=0.2, seed=i),) if i else ()
        coats.append(Coat(id=f"c{i}", name=f"Coat {i}", surface=Surface(map_set=f"s{i}", tile_size=0.7), where=where))
    material = Material(id="stack", name="Stack", coats=tuple(coats))
    return Project(map_sets=tuple(sets), materials=(material,)), Library(assets)


def picture(renderer, project: Project, library: Library) -> np.ndarray:
    material, mesh = project.materials[0], shapes.ball(0.8, 32)
    textures = {t.name: t for s in project.map_sets for t in library.textures(s)}
    for texture in textures.values():
        renderer.assets.put_texture(texture.key, texture.is_color, texture.levels)
    named = {name: t.key for name, t in textures.items()}
    renderer.assets.set_material(material, PackedLookup(project.map_sets), named)
    put_mesh(renderer, "stack ball", mesh)
    renderer.scenes.set("stack", single("stack ball", mesh, material, field_values(material)))
    eye = eye_of(np.array([0.0, 0.6, 2.6]), np.zeros(3), 0.7, 1.0)
    return renderer.picture("stack", eye, 160, 160, looks=("lit", "where:c1"), stream="stack")


def samplers_of(source: str) -> int:
    return len(re.findall(r"^uniform sampler", source, re.M))


def test_maps_on_arrays_look_as_they_do_on_samplers_of_their_own(renderer, monkeypatch) -> None:
    """Software OpenGL has 32 samplers: there seven coats fit either way, and both give the same picture."""
    project, library = stacked(7, [64])
    shared = picture(renderer, project, library)
    assert renderer.faults == {}
    assert renderer.context.info["GL_MAX_TEXTURE_IMAGE_UNITS"] >= 30
    monkeypatch.setattr(programs, "ROOM", 31)
    monkeypatch.setattr("jade_coat.program.glsl_backend.PROMISED", 32)
    alone = picture(renderer, project, library)
    assert len(np.unique(shared[..., 0])) > 40
    assert np.abs(shared.astype(int) - alone.astype(int)).max() <= 1


def test_sixteen_coats_of_four_packs_stay_within_what_is_promised(renderer, gl) -> None:
    """The OpenGL 3.3 core specification promises 16 texture image units a stage (table 6.46)."""
    project, library = stacked(16, [32])
    lit = picture(renderer, project, library)
    assert renderer.faults == {}
    assert len(np.unique(lit[..., 0])) > 40
    material, kind = project.materials[0], lambda t: renderer.assets.kind("stack", t)
    for compiled in (
        renderer.shop.view(material, PackedLookup(project.map_sets), None, kind),
        renderer.shop.sheet(material, PackedLookup(project.map_sets), ("where:c1",), None, kind),
    ):
        assert len(compiled.glsl.textures) > 45
        assert len(compiled.glsl.samplers) + 1 <= PROMISED
    files = bundle_files(project, library, material)
    assert samplers_of(files["material.frag"].decode()) <= PROMISED
    gl.program(vertex_shader=files["material.vert"].decode(), fragment_shader=files["material.frag"].decode()).release()
    listed = json.loads(files["parameters.json"])["textures"]
    assert len(listed) == 64
    assert {t["file"] for t in listed} <= set(files)
    places = [(t["uniform"], t.get("layer", 0)) for t in listed]
    assert len(set(places)) == 64


def test_what_cannot_fit_is_refused_with_the_sizes_to_change_and_mended_by_changing_them(renderer) -> None:
    project, library = stacked(16, [16, 32, 64, 128, 256, 48, 96])
    picture(renderer, project, library)
    reason = renderer.faults["stack"]
    assert "15 can be had" in reason
    assert "Texture size" in reason
    assert re.search(r"s\d+ \(\d+ × \d+\)", reason)
    smaller = project.with_(map_sets=tuple(s.with_(max_side=16) for s in project.map_sets))
    picture(renderer, smaller, library)
    assert renderer.faults == {}


def test_the_emitter_counts_samplers_whatever_the_driver_has() -> None:
    project, _ = stacked(6, [16])
    material = project.materials[0]
    outputs = compile_material(material, PackedLookup(project.map_sets), live_fields(material))
    wanted = {n: outputs[n] for n in ("base_color", "normal", "metallic", "emissive")}
    with pytest.raises(TooManySamplers, match="24 textures at once, and 15 can be had"):
        emit(wanted, programs.layout(material))


@given(st.lists(st.tuples(st.sampled_from(["srgb8", "linear8", "linear16"]), st.sampled_from([16, 32, 64])) | st.none(),
                max_size=80), st.integers(10, 16))  # fmt: skip
def test_every_texture_has_one_place_among_its_kind_and_none_shares_without_need(kinds, room: int) -> None:
    textures = [TextureRef(f"s{i}/a", False) for i in range(len(kinds))]
    known = {t: (k[0], k[1], k[1]) if k else None for t, k in zip(textures, kinds, strict=True)}
    groups = shared_samplers(textures, known.__getitem__, room)  # at most ten kinds, so that it always fits
    assert sorted(t.name for g in groups for t in g) == sorted(t.name for t in textures)
    assert len(groups) <= room
    assert all(len({known[t] for t in g}) == 1 for g in groups)
    if len(textures) > room:
        assert len(groups) > room - max(len([t for t in textures if known[t] == k]) for k in known.values())
    else:
        assert all(len(g) == 1 for g in groups)
