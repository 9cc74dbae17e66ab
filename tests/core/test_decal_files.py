"""Decals in files: baked where a receiver has maps of its own, else geometry clipped to it; and in the repetition score."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import ConvexHull
from scipy.spatial.transform import Rotation

from jade_coat.bake.decal_geometry import LIFT, clipped, cut_out
from jade_coat.bake.exporting import export_glb
from jade_coat.bake.tiling import slot_repetition
from jade_coat.files.assets import Assets
from jade_coat.files.gltf_reader import read_gltf
from jade_coat.files.library import Library
from jade_coat.jobs.job import Job
from jade_coat.material.material import Coat, Finish, Material
from jade_coat.material.surface import Surface
from jade_coat.mesh import shapes
from jade_coat.mesh.data import FULL
from jade_coat.stage.decals import Decal
from jade_coat.stage.project import Project, Prop
from tests.core.test_truth import walled
from tests.support import assert_valid_glb

MARK = Decal(id="mark", name="Mark", finish="ink_f", size=(0.6, 0.4, 0.3), position=(0.0, 0.0, 0.0), fade=0.0)


@settings(max_examples=60, deadline=None)
@given(st.lists(st.floats(-1.5, 1.5), min_size=9, max_size=9))
def test_a_clipped_polygon_is_what_the_triangle_and_the_cube_share(numbers) -> None:
    """Its area against a fine sampling of the triangle; every corner within the cube; weights stay those of a plane."""
    triangle = np.array(numbers).reshape(3, 3)
    normal = np.cross(triangle[1] - triangle[0], triangle[2] - triangle[0])
    area = np.linalg.norm(normal) / 2
    if area < 0.05:
        return
    tagged = np.concatenate([triangle, triangle @ np.array([[2.0], [-1.0], [0.5]]) + 0.25], axis=1)
    found = clipped(tagged)
    i, j = np.meshgrid(np.arange(120), np.arange(120))
    u, v = (i + 0.5) / 120, (j + 0.5) / 120
    u, v = np.where(u + v > 1, 1 - u, u).ravel(), np.where(u + v > 1, 1 - v, v).ravel()
    points = triangle[0] + u[:, None] * (triangle[1] - triangle[0]) + v[:, None] * (triangle[2] - triangle[0])
    share = (np.abs(points) <= 0.5).all(axis=1).mean()
    if not len(found):
        assert share < 0.01
        return
    assert np.abs(found[:, :3]).max() <= 0.5 + 1e-9
    assert found[:, 3] == pytest.approx(found[:, :3] @ np.array([2.0, -1.0, 0.5]) + 0.25, abs=1e-9)
    parts = [np.cross(found[k, :3] - found[0, :3], found[k + 1, :3] - found[0, :3]) for k in range(1, len(found) - 1)]
    assert sum(np.linalg.norm(p) for p in parts) / 2 == pytest.approx(share * area, abs=0.02 * area + 1e-3)


def test_a_cut_out_wraps_its_receiver_and_lies_a_little_above_it() -> None:
    """On a ball: every corner at the radius and the lift, the UVs those of the box's square, fading by the angle."""
    ball = shapes.ball(0.5, 96)
    prop = Prop(id="b", name="B", mesh="ball", position=(1.0, 2.0, 3.0))
    turn = tuple(Rotation.from_euler("xyz", (0.4, 0.2, -0.7)).as_quat())
    top = Rotation.from_quat(turn).apply([0.0, 1.0, 0.0])
    at = tuple(np.array(prop.position) + top * 0.5)
    decal = MARK.with_(position=at, turn=turn, size=(0.5, 0.8, 0.5), angle=(0.3, 0.5))
    piece = cut_out(decal, prop, ball, 0)
    assert piece is not None
    away = piece.positions.astype(float) - prop.position
    assert np.linalg.norm(away, axis=1) == pytest.approx(0.5 + LIFT, abs=2e-3)
    local = (piece.positions - np.array(at)) @ Rotation.from_quat(turn).as_matrix() / decal.size
    assert piece.uvs[0] == pytest.approx(local[:, [0, 2]] + 0.5, abs=5e-3)
    facing = piece.normals @ top
    alpha = piece.colors[0][:, 3] / FULL
    assert (alpha[facing > np.cos(0.29)] > 0.999).all()
    assert (alpha[facing < np.cos(0.51)] < 1e-3).all()
    assert cut_out(decal.with_(position=(9, 9, 9)), prop, ball, 0) is None
    assert cut_out(decal.with_(turn=tuple((Rotation.from_euler("x", np.pi) * Rotation.from_quat(turn)).as_quat()),
                               size=(0.5, 0.3, 0.5)), prop, ball, 0) is None  # fmt: skip
    hull = ConvexHull(local[:, [0, 2]])
    least, most = (np.pi * (0.5 * np.sin(angle)) ** 2 / 0.25 for angle in (0.5, 0.57))  # whole triangles are kept
    assert least * 0.98 < hull.volume < most


def stacked(count: int) -> tuple[Project, Library]:
    library = Library(Assets())
    asset = library.add_mesh(shapes.box(1, 1, 1), "Box", set())
    (slot,) = asset.slots
    colors = {"wall": (0.4, 0.4, 0.4), "ink": (0.8, 0.1, 0.05)}
    materials = tuple(
        Material(id=n, name=n.title(), coats=(Coat(id="c", name="C", surface=Surface(color=c)),))
        for n, c in colors.items()
    )
    finishes = tuple(Finish(id=f"{n}_f", name=n.title(), parent=n) for n in colors)
    props = tuple(
        Prop(id=f"p{i}", name=f"P{i}", mesh=asset.id, position=(2.0 * i, 0, 0), finishes={slot: "wall_f"})
        for i in range(count)
    )
    top = float(shapes.box(1, 1, 1).bounds[1][1])
    over = MARK.with_(position=(0.5, top, 0.0), size=(0.6, 0.4, 0.3), opacity=0.5)  # half over the edge
    return Project(
        materials=materials, finishes=finishes, meshes=(asset,), props=props, decals=(over,)
    ), library  # fmt: skip


def content_of(path: Path) -> dict:
    data = path.read_bytes()
    return json.loads(data[20 : 20 + int.from_bytes(data[12:16], "little")])


def test_a_decal_on_a_prop_that_shares_its_maps_is_written_as_geometry_and_else_baked(tmp_path: Path) -> None:
    project, library = stacked(3)
    path = tmp_path / "shared.glb"
    written = export_glb(project, library, path, 64, Job())
    assert_valid_glb(path)
    assert any("written as geometry" in line for line in written.told)
    content = content_of(path)
    names = [n["name"] for n in content["nodes"] if "mesh" in n]
    assert names == ["P0", "P1", "P2", "Mark on P0"]
    assert [m["name"] for m in content["materials"]] == ["Wall", "Mark"]
    assert content["materials"][1]["alphaMode"] == "BLEND"
    mesh = read_gltf(path.read_bytes(), "shared")
    slot = next(s for s in mesh.slots if s.name.startswith(("decal", "Mark")))
    corners = mesh.positions[mesh.triangles[slot.start : slot.start + slot.count]].astype(float)
    sides = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normals = sides / np.linalg.norm(sides, axis=1, keepdims=True)
    areas = np.linalg.norm(sides, axis=1) / 2
    assert areas[normals[:, 1] > 0.9].sum() == pytest.approx(0.3 * 0.3, abs=2e-3)  # half of its length is on the top
    assert areas[normals[:, 1] < 0.9].sum() < 1e-6  # what faces away does not receive it
    single, own = stacked(1)
    path = tmp_path / "own.glb"
    export_glb(single, own, path, 64, Job())
    assert_valid_glb(path)
    assert [n["name"] for n in content_of(path)["nodes"] if "mesh" in n] == ["P0"]
    apart = project.with_(props=tuple(p.with_(size=(1 + i, 1, 1)) for i, p in enumerate(project.props)))
    export_glb(apart, library, path, 64, Job())  # stretched in other ways: their maps are the same all the same
    assert len(content_of(path)["nodes"]) >= 3


def test_marks_over_a_tiling_lower_its_score() -> None:
    """Decals hide what repeats below (common practice, no source); those that are hidden hide nothing."""
    project, library = walled()
    ink = Material(id="ink", name="Ink", coats=(Coat(id="c", name="C", surface=Surface(color=(0.9, 0.9, 0.9))),))
    rng = np.random.default_rng(4)
    decals = tuple(
        MARK.with_(id=f"d{i}", name=f"D{i}", position=(float(x), 0.0, float(z)), size=(0.5, 0.4, 0.35),
                   turn=tuple(Rotation.from_euler("y", a).as_quat()))
        for i, (x, z, a) in enumerate(zip(*rng.uniform(-2, 2, (2, 60)), rng.uniform(0, 6, 60), strict=True))
    )  # fmt: skip
    prop = project.props.first
    slot = project.meshes[0].slots[0]
    marked = project.with_(
        materials=(*project.materials, ink), finishes=(*project.finishes, Finish(id="ink_f", name="Ink", parent="ink")),
        decals=decals,
    )  # fmt: skip
    plain = slot_repetition(project, library, prop, slot).score
    assert slot_repetition(marked, library, prop, slot).score < plain - 0.25
    hidden = marked.with_(decals=tuple(d.with_(visible=False) for d in decals))
    assert slot_repetition(hidden, library, prop, slot).score == plain
