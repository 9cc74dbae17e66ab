"""Meshes: tangents, picking, painting, and files good and bad."""

from __future__ import annotations

import base64
import json
from pathlib import Path

import numpy as np
import pygltflib
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from jade_coat.files.gltf_reader import read_gltf
from jade_coat.files.gltf_writer import mesh_glb
from jade_coat.files.mesh_files import read_mesh
from jade_coat.mesh import shapes
from jade_coat.mesh.building import build_mesh
from jade_coat.mesh.data import FULL, BadMesh, MeshData, Slot
from jade_coat.mesh.picking import hit_in_world, target
from tests.support import NODE, node_script

SHAPES = {
    "wall": shapes.bent_wall(2.0, 1.0, 1.5, 0.1), "box": shapes.box(1.0, 0.5, 2.0), "ball": shapes.ball(0.7, 32),
    "plane": shapes.plane(1.0, 1.0, 0.25), "post": shapes.post(0.4, 1.0, 0.05, 0.1), "tile": shapes.rail_tile(12),
}  # fmt: skip


@pytest.mark.parametrize("name", SHAPES)
def test_shapes_are_sound(name: str) -> None:
    mesh = SHAPES[name]
    corners = mesh.positions[mesh.triangles]
    face = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    facing = (face * mesh.normals[mesh.triangles].mean(axis=1)).sum(axis=1)
    assert (facing > 0).mean() > 0.99  # normals lie on the side the winding says
    np.testing.assert_allclose(np.linalg.norm(mesh.normals, axis=1), 1, atol=1e-5)
    np.testing.assert_allclose(np.linalg.norm(mesh.tangents[:, :3], axis=1), 1, atol=1e-5)
    np.testing.assert_allclose((mesh.normals * mesh.tangents[:, :3]).sum(axis=1), 0, atol=1e-5)
    assert sum(s.count for s in mesh.slots) == len(mesh.triangles)
    with pytest.raises(ValueError, match="read-only"):
        mesh.positions[0] = 0


def test_tangents_of_a_plane_point_along_rising_u_and_bitangents_to_falling_v() -> None:
    mesh = SHAPES["plane"]
    np.testing.assert_allclose(mesh.tangents, np.tile([1, 0, 0, 1], (mesh.vertex_count, 1)), atol=1e-6)
    bitangent = np.cross(mesh.normals, mesh.tangents[:, :3]) * mesh.tangents[:, 3:]
    np.testing.assert_allclose(bitangent, np.tile([0, 0, -1], (mesh.vertex_count, 1)), atol=1e-6)


@pytest.mark.parametrize("name", ["wall", "box", "ball", "post", "mirrored"])
def test_tangents_agree_with_the_reference_mikktspace(tmp_path: Path, name: str) -> None:
    """npm `mikktspace`: Mikkelsen's own code in WebAssembly; its sign is the opposite of glTF's."""
    if name == "mirrored":
        half = shapes.plane(1.0, 1.0, 0.5)
        uv = half.uvs[0].copy()
        uv[:, 0] = np.abs(uv[:, 0] - 0.5)
        mesh = build_mesh(half.positions, half.triangles, uvs=(uv,), normals=half.normals)
    else:
        mesh = SHAPES[name]
    flat = mesh.triangles.ravel()
    payload = {k: base64.b64encode(np.ascontiguousarray(a[flat], np.float32).tobytes()).decode()
               for k, a in (("p", mesh.positions), ("n", mesh.normals), ("u", mesh.uvs[0] * [1, -1] + [0, 1]))}  # fmt: skip
    path = tmp_path / "payload.json"
    path.write_text(json.dumps(payload))
    found = node_script(
        "const m=require('mikktspace');const d=JSON.parse(require('fs').readFileSync(process.argv[1]));"
        "const f=s=>new Float32Array(Uint8Array.from(Buffer.from(s,'base64')).buffer);"
        "console.log(JSON.stringify(Array.from(m.generateTangents(f(d.p),f(d.n),f(d.u)))))",
        str(path),
    )
    expected = np.array(found).reshape(-1, 4)
    got = mesh.tangents[flat]
    cosine = (got[:, :3] * expected[:, :3]).sum(axis=1)
    # At a pole or an edge without UV area the reference picks any direction.
    assert np.percentile(cosine, 2) > 0.999
    assert (np.sign(got[:, 3]) == np.sign(expected[:, 3])).mean() > 0.98


def test_mirrored_uvs_split_the_vertices_where_they_meet() -> None:
    half = shapes.plane(1.0, 1.0, 0.5)
    uv = half.uvs[0].copy()
    uv[:, 0] = np.abs(uv[:, 0] - 0.5)
    mesh = build_mesh(half.positions, half.triangles, uvs=(uv,), normals=half.normals)
    assert mesh.vertex_count == half.vertex_count + 3
    assert set(np.unique(mesh.tangents[:, 3])) == {-1.0, 1.0}
    np.testing.assert_allclose(mesh.positions[mesh.triangles], half.positions[half.triangles])


def test_metres_per_uv_unit_are_measured() -> None:
    mesh = SHAPES["wall"]
    assert mesh.metres[0] == pytest.approx((1.0, 1.0), rel=1e-2)
    doubled = mesh.with_(uvs=(mesh.uvs[0] * np.array([2.0, 0.5], np.float32),))
    assert doubled.metres[0] == pytest.approx((0.5, 2.0), rel=1e-2)


def test_picking_finds_the_analytic_point_and_normal() -> None:
    """A ball of radius 0.7 moved, turned and scaled: ray–sphere intersection in closed form."""
    mesh = shapes.ball(0.7, 256)
    matrix = np.eye(4)
    matrix[:3, :3] *= 1.5
    matrix[:3, 3] = (2, 1, -3)
    rng = np.random.default_rng(0)
    for _ in range(20):
        origin = np.array([2, 1, 5.0]) + rng.normal(size=3) * 0.2
        direction = np.array([0, 0, -1.0]) + rng.normal(size=3) * 0.03
        direction /= np.linalg.norm(direction)
        hit = hit_in_world(target(mesh), matrix, origin, direction)
        centre, radius = matrix[:3, 3], 1.05
        b = (origin - centre) @ direction
        distance = -b - np.sqrt(b * b - (origin - centre) @ (origin - centre) + radius**2)
        point = origin + distance * direction
        assert hit is not None
        np.testing.assert_allclose(hit.point, point, atol=1e-3)
        assert hit.normal @ ((point - centre) / radius) > 0.999
    assert hit_in_world(target(mesh), matrix, np.array([9.0, 9, 9]), np.array([0, 1.0, 0])) is None


# Files


def same_mesh(a: MeshData, b: MeshData) -> None:
    for name in ("positions", "normals", "tangents", "triangles"):
        np.testing.assert_array_equal(getattr(a, name), getattr(b, name), name)
    assert a.slots == b.slots
    for x, y in zip((*a.uvs, *a.colors), (*b.uvs, *b.colors), strict=True):
        np.testing.assert_array_equal(x, y)


@pytest.mark.parametrize("name", SHAPES)
def test_a_mesh_written_and_read_back_is_the_same(name: str) -> None:
    mesh = SHAPES[name]
    rng = np.random.default_rng(2)
    colors = tuple(rng.integers(0, FULL + 1, (mesh.vertex_count, 4), dtype=np.uint16) for _ in range(2))
    mesh = mesh.with_(colors=colors, uvs=(mesh.uvs[0], mesh.uvs[0] * np.float32(0.5)))
    same_mesh(read_gltf(mesh_glb(mesh, name), name), mesh)


def test_real_models_from_elsewhere_are_read() -> None:
    """Open GLB models of the npm package @webxr-input-profiles/assets, which this project did not write."""
    paths = sorted((NODE / "node_modules/@webxr-input-profiles/assets/dist/profiles").glob("generic-*/*.glb"))
    if not paths:
        pytest.skip("tests/node/node_modules is missing: run ./run test, which installs it")
    for path in paths[:6]:
        mesh = read_mesh(path)
        reference = trimesh.load(path, force="mesh", process=False)
        assert len(mesh.triangles) >= 0.9 * len(reference.faces)
        np.testing.assert_allclose(mesh.bounds, reference.bounds, atol=1e-4)
        assert np.isfinite(mesh.tangents).all()


def test_an_independent_writers_file_is_read_with_all_attributes(tmp_path: Path) -> None:
    """Written by npm @gltf-transform/core: two UV sets, vertex colours as bytes, two materials, a moved parent node."""
    path = tmp_path / "theirs.glb"
    node_script(
        """
        const {Document, NodeIO} = require('@gltf-transform/core'); const d = new Document(); const b = d.createBuffer();
        const acc = (t, a) => d.createAccessor().setType(t).setArray(a).setBuffer(b);
        const prim = (z, name) => d.createPrimitive().setMaterial(d.createMaterial(name))
          .setAttribute('POSITION', acc('VEC3', new Float32Array([0,0,z, 1,0,z, 0,1,z])))
          .setAttribute('NORMAL', acc('VEC3', new Float32Array([0,0,1, 0,0,1, 0,0,1])))
          .setAttribute('TEXCOORD_0', acc('VEC2', new Float32Array([0,1, 1,1, 0,0])))
          .setAttribute('TEXCOORD_1', acc('VEC2', new Float32Array([.2,.3, .4,.5, .6,.7])))
          .setAttribute('COLOR_0', acc('VEC4', new Uint8Array([255,0,0,255, 0,128,0,255, 0,0,51,255])).setNormalized(true))
          .setIndices(acc('SCALAR', new Uint16Array([0,1,2])));
        const mesh = d.createMesh('m').addPrimitive(prim(0, 'Body')).addPrimitive(prim(1, 'Lid'));
        const child = d.createNode('c').setMesh(mesh);
        d.createScene().addChild(d.createNode('p').setTranslation([5,0,0]).setScale([2,2,2]).addChild(child));
        new NodeIO().write(process.argv[1], d).then(() => console.log('1'));
        """,
        str(path),
    )
    mesh = read_mesh(path)
    assert [s.name for s in mesh.slots] == ["Body", "Lid"]
    assert mesh.vertex_count == 6
    np.testing.assert_allclose(mesh.bounds, [(5, 0, 0), (7, 2, 2)])
    np.testing.assert_allclose(mesh.uvs[1][:3], [(0.2, 0.3), (0.4, 0.5), (0.6, 0.7)], atol=1e-6)
    np.testing.assert_allclose(
        mesh.colors[0][:3] / FULL, [(1, 0, 0, 1), (0, 128 / 255, 0, 1), (0, 0, 0.2, 1)], atol=1e-4
    )
    np.testing.assert_allclose(mesh.tangents[0], (1, 0, 0, 1), atol=1e-6)


OBJ = """
v 0 0 0
v 1 0 0
v 1 1 0
v 0 1 0
vt 0 0
vt 1 0
vt 1 1
vt 0 1
usemtl stone
f 1/1 2/2 3/3
usemtl moss
f 1/1 3/3 4/4
"""


def test_obj_and_ply_are_read(tmp_path: Path) -> None:
    (tmp_path / "a.obj").write_text(OBJ)
    mesh = read_mesh(tmp_path / "a.obj")
    assert len(mesh.triangles) == 2
    assert len(mesh.slots) == 2
    corner = mesh.uvs[0][np.argmin(np.abs(mesh.positions - [0, 1, 0]).sum(axis=1))]
    np.testing.assert_allclose(corner, (0, 0), atol=1e-6)  # v counts downward here
    source = trimesh.creation.icosphere(2)
    source.visual.vertex_colors = np.tile([[10, 200, 30, 255]], (len(source.vertices), 1)).astype(np.uint8)
    source.export(tmp_path / "b.ply")
    ball = read_mesh(tmp_path / "b.ply")
    assert len(ball.triangles) == len(source.faces)
    np.testing.assert_allclose(ball.colors[0][0] / FULL, np.array([10, 200, 30, 255]) / 255, atol=1e-4)


def damaged_files() -> dict[str, tuple[str, bytes, str]]:
    good = mesh_glb(SHAPES["box"], "box")
    gltf = pygltflib.GLTF2.load_from_bytes(good)
    wild = gltf.binary_blob()
    view = gltf.bufferViews[gltf.accessors[gltf.meshes[0].primitives[0].indices].bufferView]
    out_of_range = bytearray(wild)
    out_of_range[view.byteOffset : view.byteOffset + 4] = (999_999).to_bytes(4, "little")
    position = gltf.bufferViews[gltf.accessors[gltf.meshes[0].primitives[0].attributes.POSITION].bufferView]
    not_numbers = bytearray(wild)
    not_numbers[position.byteOffset : position.byteOffset + 4] = np.float32(np.nan).tobytes()

    def with_blob(blob: bytes) -> bytes:
        gltf.set_binary_blob(bytes(blob))
        return b"".join(gltf.save_to_bytes())

    return {
        "cut in half": ("a.glb", good[: len(good) // 2], "ends after"),
        "indices out of range": ("a.glb", with_blob(bytes(out_of_range)), "999999"),
        "NaN": ("a.glb", with_blob(bytes(not_numbers)), "not numbers"),
        "text": ("a.glb", b"hello there, I am no mesh", "damaged|not glTF"),
        "empty": ("a.gltf", b"", "damaged|not glTF"),
        "neighbour outside": ("a.gltf", b'{"asset":{"version":"2.0"},"buffers":[{"uri":"../../etc/passwd","byteLength":4}],'
                              b'"bufferViews":[{"buffer":0,"byteLength":4}],"accessors":[{"bufferView":0,"componentType":5126,'
                              b'"count":1,"type":"VEC3"}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],'
                              b'"nodes":[{"mesh":0}],"scenes":[{"nodes":[0]}],"scene":0}', "not beside it"),
        "bad obj": ("a.obj", b"v 0 0 0\nf 1 2 99\n", "damaged|no triangles|vertex"),
        "no triangles": ("a.ply", b"ply\nformat ascii 1.0\nelement vertex 0\nend_header\n", "no triangles|damaged"),
        "unknown kind": ("a.xyz", b"0 0 0", "GLB"),
    }  # fmt: skip


@pytest.mark.parametrize("what", damaged_files())
def test_bad_meshes_are_refused_with_the_files_name_and_a_remedy(tmp_path: Path, what: str) -> None:
    name, data, says = damaged_files()[what]
    (tmp_path / name).write_bytes(data)
    with pytest.raises(BadMesh, match=says) as caught:
        read_mesh(tmp_path / name)
    assert name in str(caught.value)
    assert any(w in str(caught.value) for w in ("Export", "Copy", "Use", "export"))


@settings(max_examples=60, deadline=None)
@given(st.integers(12, 1500), st.integers(0, 255))
def test_one_wrong_byte_never_does_more_than_raise_bad_mesh(at: int, byte: int) -> None:
    good = bytearray(mesh_glb(SHAPES["box"], "box"))
    good[min(at, len(good) - 1)] = byte
    try:
        read_gltf(bytes(good), "a.glb")
    except BadMesh as error:
        assert "a.glb" in str(error)


def test_flat_triangles_are_dropped_and_slots_follow() -> None:
    positions = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [2, 0, 0]], float)
    slots = (Slot("flat", 0, 1), Slot("good", 1, 1))
    mesh = build_mesh(positions, np.array([[0, 1, 3], [0, 1, 2]]), slots=slots)
    assert mesh.slots == (Slot("good", 0, 1),)
    with pytest.raises(BadMesh, match="flat to a line"):
        build_mesh(positions, np.array([[0, 1, 3]]))
