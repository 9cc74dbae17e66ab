"""Meshes that move by themselves: clips of glTF files, read, kept, drawn, pointed at and split."""

from __future__ import annotations

import json
import struct

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import CubicHermiteSpline
from scipy.spatial.transform import Rotation

from jade_coat.files.assets import Assets
from jade_coat.files.gltf_reader import read_gltf
from jade_coat.files.gltf_writer import mesh_glb
from jade_coat.files.library import Library
from jade_coat.mesh import shapes
from jade_coat.mesh.attributes import ATTRIBUTES, vertex_attributes
from jade_coat.mesh.data import BadMesh
from jade_coat.mesh.motion import HELD, held_most
from jade_coat.mesh.posed import bounds_of, posed
from jade_coat.mesh.subdivide import subdivided
from jade_coat.program import lib
from jade_coat.stage import edits
from jade_coat.stage.document import Document
from jade_coat.stage.mesh_assets import MeshAsset
from jade_coat.stage.project import Project
from tests.core.test_placing import in_vertex_stage

ROD = shapes.box(0.4, 2.0, 0.4)
"""Its lower half hangs from one joint, its upper from another, a metre up."""


class Gltf:
    """A glTF file in the making."""

    def __init__(self) -> None:
        self.blob = b""
        self.json: dict = {"asset": {"version": "2.0"}, "bufferViews": [], "accessors": []}

    def accessor(self, values, kind: str = "f4") -> int:
        array = np.ascontiguousarray(values, np.dtype(kind))
        width = 1 if array.ndim == 1 else array[0].size
        self.blob += bytes(-len(self.blob) % 4)
        view = {"buffer": 0, "byteOffset": len(self.blob), "byteLength": array.nbytes}
        self.blob += array.tobytes()
        self.json["bufferViews"].append(view)
        types = {1: "SCALAR", 3: "VEC3", 4: "VEC4", 16: "MAT4"}
        self.json["accessors"].append({
            "bufferView": len(self.json["bufferViews"]) - 1, "count": len(array), "type": types[width],
            "componentType": {"f4": 5126, "u2": 5123, "u4": 5125}[kind],
            **({"min": array.min(axis=0).tolist(), "max": array.max(axis=0).tolist()} if width == 3 else {}),
        })  # fmt: skip
        return len(self.json["accessors"]) - 1

    def bytes(self) -> bytes:
        text = json.dumps({**self.json, "buffers": [{"byteLength": len(self.blob)}]}).encode()
        text += b" " * (-len(text) % 4)
        head = struct.pack("<4sII", b"glTF", 2, 28 + len(text) + len(self.blob)) + struct.pack(
            "<I4s", len(text), b"JSON"
        )
        return head + text + struct.pack("<I4s", len(self.blob), b"BIN\0") + self.blob

    def animation(self, name: str, *channels: tuple[int, str, list[float], np.ndarray, str]) -> None:
        samplers = [{"input": self.accessor(t), "output": self.accessor(np.asarray(v, float).reshape(-1, v.shape[-1])
                     if path != "weights" else np.ravel(v)), "interpolation": way}
                    for _, path, t, v, way in channels]  # fmt: skip
        targets = [{"sampler": i, "target": {"node": n, "path": path}} for i, (n, path, *_) in enumerate(channels)]
        self.json.setdefault("animations", []).append({"name": name, "samplers": samplers, "channels": targets})


TURNS = Rotation.from_euler("z", [[0.0], [80.0], [-40.0]], degrees=True).as_quat()
TIMES = [0.0, 1.0, 1.5]


def rod_file(way: str = "LINEAR") -> Gltf:
    """The rod: nodes 0 (skinned mesh), 1 and its child 2 (joints), the file's own pose bent by 30 degrees."""
    made = Gltf()
    y = ROD.positions[:, 1].astype(np.float64)
    upper = np.clip(y - y.min(), 0, 2) / 2
    shares = np.stack([1 - upper, upper, 0 * y, 0 * y], axis=1)
    joints = np.tile([0, 1, 0, 0], (len(y), 1))
    at = {"POSITION": made.accessor(ROD.positions), "NORMAL": made.accessor(ROD.normals), "TANGENT": made.accessor(ROD.tangents),
          "JOINTS_0": made.accessor(joints, "u2"), "WEIGHTS_0": made.accessor(shares)}  # fmt: skip
    inverse = np.stack([np.eye(4), np.eye(4)])
    inverse[1, 1, 3] = -1.0
    rest = Rotation.from_euler("z", 30, degrees=True).as_quat()
    made.json |= {
        "meshes": [{"primitives": [{"attributes": at, "indices": made.accessor(ROD.triangles.ravel(), "u4")}]}],
        "nodes": [{"mesh": 0, "skin": 0}, {"children": [2]}, {"translation": [0, 1, 0], "rotation": rest.tolist()}],
        "skins": [{"joints": [1, 2], "inverseBindMatrices": made.accessor(inverse.transpose(0, 2, 1).reshape(-1, 16))}],
        "scenes": [{"nodes": [0, 1]}], "scene": 0,
    }  # fmt: skip
    made.animation(
        "bend",
        (2, "rotation", TIMES, TURNS, way),
        (1, "translation", TIMES, np.array([[0, 0, 0], [1.0, 0, 0], [1, 0, 0]]), way),
    )
    return made


def bent(turn: Rotation, away: tuple[float, float, float]) -> np.ndarray:
    """The rod's vertices by the formula of a skin: the sum of what each joint makes of them, by weight."""
    upper = np.clip(ROD.positions[:, 1:2].astype(float) - ROD.positions[:, 1].min(), 0, 2) / 2
    joint = np.array([0.0, 1.0, 0.0])
    turned = turn.apply(ROD.positions - joint) + joint
    return ROD.positions * (1 - upper) + turned * upper + np.array(away)


@pytest.mark.parametrize("way", ["LINEAR", "STEP"])
def test_a_skin_is_posed_as_the_specification_says(way: str) -> None:
    """glTF 2.0: 3.7.3 (skins) and appendix C (interpolation), against SciPy's rotations."""
    mesh = read_gltf(rod_file(way).bytes(), "rod.glb", kept=False)
    assert [c.name for c in mesh.motion.clips] == ["bend"]
    np.testing.assert_allclose(mesh.positions, bent(Rotation.from_euler("z", 30, degrees=True), (0, 0, 0)), atol=1e-5)
    linear = {0.0: (0, 0), 0.5: (40, 0.5), 1.0: (80, 1), 1.25: (20, 1), 1.5 + 0.25: (20, 0.25)}
    for time, (angle, away) in linear.items() if way == "LINEAR" else {0.5: (0, 0), 1.25: (80, 1)}.items():
        found = posed(mesh, "bend", time)
        turn = Rotation.from_euler("z", angle, degrees=True)
        np.testing.assert_allclose(found.positions, bent(turn, (away, 0, 0)), atol=3e-4)
        top = ROD.positions[:, 1] == ROD.positions[:, 1].max()
        np.testing.assert_allclose(found.normals[top], turn.apply(ROD.normals[top]), atol=2e-3)
        np.testing.assert_allclose(np.linalg.norm(found.normals, axis=1), 1, atol=1e-5)
        np.testing.assert_allclose((found.normals * found.tangents[:, :3]).sum(axis=1), 0, atol=1e-5)
    assert posed(mesh, "no such", 1.0) is mesh


def test_shapes_and_turning_nodes_move_as_the_specification_says() -> None:
    """glTF 2.0: 3.7.2.2 (morph targets) and the cubic splines of appendix C, against SciPy's Hermite spline."""
    made, box = Gltf(), shapes.box(1, 1, 1)
    taller = np.where(box.positions[:, 1:2] > 0, np.array([[0.0, 2.0, 0.0]]), 0.0)
    at = {"POSITION": made.accessor(box.positions), "NORMAL": made.accessor(box.normals)}
    made.json |= {
        "meshes": [{"primitives": [{"attributes": at, "indices": made.accessor(box.triangles.ravel(), "u4"), "targets": [{"POSITION": made.accessor(taller)}]}], "weights": [0.25]},
                   {"primitives": [{"attributes": at, "indices": made.accessor(box.triangles.ravel(), "u4")}]}],
        "nodes": [{"mesh": 0}, {"children": [2], "translation": [5, 0, 0]}, {"mesh": 1, "translation": [2, 0, 0]}, {"mesh": 1, "translation": [0, 0, 9]}],
        "scenes": [{"nodes": [0, 1, 3]}],
    }  # fmt: skip
    times, keys, slopes = [0.0, 0.5, 2.0], np.array([0.25, 1.0, 0.0]), np.array([0.0, -1.0, 0.5])
    spline = np.stack([slopes, keys, slopes], axis=1)
    turns = Rotation.from_euler("y", [[0.0], [90.0]], degrees=True).as_quat()
    made.animation("grow", (0, "weights", times, spline, "CUBICSPLINE"), (1, "rotation", [0.0, 2.0], turns, "LINEAR"))
    mesh = read_gltf(made.bytes(), "grow.glb", kept=False)
    count = len(box.positions)
    np.testing.assert_allclose(np.ptp(mesh.positions[:count], axis=0), (1, 1.5, 1), atol=1e-6)
    for time in (0.0, 0.3, 0.5, 1.1, 1.9):
        found = posed(mesh, "grow", time)
        amount = CubicHermiteSpline(times, keys, slopes)(time)
        np.testing.assert_allclose(np.ptp(found.positions[:count, 1]), 1 + 2 * amount, atol=2e-3)
        turn = Rotation.from_euler("y", 45 * time, degrees=True)
        moved = np.sort(turn.apply(box.positions + (2, 0, 0)) + (5, 0, 0), axis=0)
        np.testing.assert_allclose(np.sort(found.positions[count : 2 * count], axis=0), moved, atol=2e-3)
        np.testing.assert_array_equal(found.positions[2 * count :], mesh.positions[2 * count :])
        low, high = bounds_of(mesh, "grow")
        assert (found.positions >= low - 1e-5).all()
        assert (found.positions <= high + 1e-5).all()


def test_a_project_keeps_how_a_mesh_moves_and_a_damaged_motion_is_told() -> None:
    mesh = read_gltf(rod_file().bytes(), "rod.glb", kept=False)
    library = Library(Assets())
    asset = library.add_mesh(mesh, "Rod", set())
    assert asset.clips == ("bend",)
    again = Library(library.assets).mesh(asset)
    for time in (0.0, 0.7, 1.4):
        one, other = posed(mesh, "bend", time), posed(again, "bend", time)
        np.testing.assert_array_equal(one.positions, other.positions)
        np.testing.assert_array_equal(one.normals, other.normals)
    assert mesh_glb(again, "Rod") == mesh_glb(mesh, "Rod")
    data = bytearray(mesh_glb(mesh, "Rod"))
    data[data.index(b"shares.npy") + 200] ^= 0xFF
    with pytest.raises(BadMesh, match=r"rod: a motion is damaged|rod: a motion does not fit"):
        read_gltf(bytes(data), "rod")


def test_a_clip_is_chosen_by_an_edit_and_stays_with_the_mesh_when_it_is_exchanged() -> None:
    mesh = read_gltf(rod_file().bytes(), "rod.glb", kept=False)
    library = Library(Assets())
    document = Document(Project(meshes=(library.add_mesh(mesh, "Rod", set()),)))
    assert not document.project.plays
    document.do(edits.set_clip(mesh="rod", clip="bend"))
    assert document.project.plays
    with pytest.raises(ValueError, match="has no clip"):
        document.do(edits.set_clip(mesh="rod", clip="jump"))
    finer = subdivided(mesh).mesh
    assert library.exchanged(document.project.mesh("rod"), finer).clip == "bend"
    assert library.exchanged(document.project.mesh("rod"), ROD).clip == ""
    document.undo()
    assert isinstance(document.project.mesh("rod"), MeshAsset)
    assert document.project.mesh("rod").clip == ""


def test_a_split_mesh_moves_as_the_one_it_was() -> None:
    mesh = read_gltf(rod_file().bytes(), "rod.glb", kept=False)
    finer = subdivided(mesh)
    for time in (0.4, 1.2):
        one, other = posed(mesh, "bend", time), posed(finer.mesh, "bend", time)
        old = finer.parents[:, 0] == finer.parents[:, 1]
        np.testing.assert_allclose(other.positions[old], one.positions, atol=1e-5)
        ends = finer.parents[~old]
        same = np.ptp(mesh.motion.joints[ends], axis=1).max(axis=1) == 0  # both ends hang from the same joints
        flat = same & (np.ptp(mesh.motion.shares[ends], axis=1).max(axis=1) < 1e-6)
        assert flat.any()
        middles = one.positions[ends].mean(axis=1)
        np.testing.assert_allclose(other.positions[~old][flat], middles[flat], atol=1e-5)


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 1000), st.integers(1, 9))
def test_no_more_joints_hold_a_vertex_than_can_and_they_hold_it_whole(seed: int, count: int) -> None:
    rng = np.random.default_rng(seed)
    joints, shares = rng.integers(0, 6, (20, count)), rng.random((20, count)) * (rng.random((20, count)) > 0.3)
    held, kept = held_most(joints, shares)
    assert held.shape == kept.shape == (20, HELD)
    np.testing.assert_allclose(kept.sum(axis=1), 1, atol=1e-6)
    for row in range(20):
        total = np.bincount(joints[row], shares[row], 6)
        most = np.argsort(-total, kind="stable")[:HELD]
        expected = total[most] / total[most].sum() if total.sum() else np.eye(1, min(HELD, 6))[0]
        got = np.sort(kept[row])[::-1]
        np.testing.assert_allclose(got, np.pad(np.sort(expected)[::-1], (0, HELD))[:HELD], atol=1e-5)


def test_in_motion_a_mesh_has_the_attributes_on_both_sides(gl) -> None:
    """What sticks to the mesh stays where it was at rest; what is of the world follows where it is now."""
    mesh = read_gltf(rod_file().bytes(), "rod.glb", kept=False)
    now = posed(mesh, "bend", 0.8)
    matrix = np.eye(4)
    matrix[:3, :3] = Rotation.from_euler("xyz", (0.3, 0.5, -0.2)).as_matrix() * (1.0, 2.0, 0.5)
    matrix[:3, 3] = (1, 2, 3)
    for name in ("position", "object_normal", "object_across", "world_position", "normal", "tangent", "along"):
        numpy = vertex_attributes(now, matrix, None, [name])[name]
        still = vertex_attributes(mesh, matrix, None, [name])[name]
        follows = "MODEL" in ATTRIBUTES[name].glsl or name == "world_position"
        assert (np.abs(numpy - still).max() > 0.05) == follows, name
        roots = {"a": lib.per_vertex(lib.attribute(name, ATTRIBUTES[name].type))}
        np.testing.assert_allclose(in_vertex_stage(gl, now, matrix, roots)["a"], numpy, atol=3e-5)
