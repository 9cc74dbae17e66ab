"""Files made to do harm, or damaged by chance: each ends in an error that names the file, never in more."""

from __future__ import annotations

import json
import struct
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
import trimesh

from jade_coat.files.gltf_reader import read_gltf
from jade_coat.files.gltf_writer import mesh_glb
from jade_coat.files.mesh_files import MESHES, read_mesh
from jade_coat.files.obj_reader import read_obj
from jade_coat.files.project_folder import FILE, MOST_THINGS, BadProject, open_project, save_project
from jade_coat.maps.images import PICTURES, SKY_PICTURES
from jade_coat.maps.picture import BadImage
from jade_coat.mesh import shapes
from jade_coat.mesh.data import BadMesh
from tests.core.edit_places import START
from tests.core.fuzzing import FORMATS
from tests.support import every_kind_of_project

MUTATIONS = 300


@pytest.mark.parametrize("kind", FORMATS)
def test_mutated_files_end_in_errors_of_ours(kind: str) -> None:
    """A few hundred mutations of every format, in a process with limits on memory; no crash, no other error."""
    done = subprocess.run(
        [sys.executable, "-m", "tests.core.fuzzing", kind, "7", str(MUTATIONS)],
        capture_output=True, text=True, timeout=600, check=False,
    )  # fmt: skip
    assert done.returncode == 0, f"{done.stdout}\n{done.stderr[-1500:]}"
    assert "read" in done.stdout


def changed(change) -> bytes:
    """A sound GLB with its JSON changed."""
    data = mesh_glb(shapes.box(1, 1, 1), "box")
    size = struct.unpack_from("<I", data, 12)[0]
    content = json.loads(data[20 : 20 + size])
    change(content)
    text = json.dumps(content).encode()
    text += b" " * (-len(text) % 4)
    rest = data[20 + size :]
    return data[:8] + struct.pack("<II", 20 + len(text) + len(rest), len(text)) + b"JSON" + text + rest


def instances(count: int):
    def change(c: dict) -> None:
        c["nodes"] = [{"mesh": 0, "translation": [i, 0, 0]} for i in range(count)]
        c["scenes"] = [{"nodes": list(range(count))}]

    return change


def nested(count: int):
    def change(c: dict) -> None:
        c["nodes"] = [{"children": [i + 1]} for i in range(count - 1)] + [{"mesh": 0}]

    return change


HARM = {
    "negative stride": lambda c: c["bufferViews"][0].update(byteStride=-12),
    "stride 0": lambda c: c["bufferViews"][0].update(byteStride=0),
    "offset beyond": lambda c: c["accessors"][0].update(byteOffset=10**9),
    "huge count": lambda c: c["accessors"][0].update(count=2**31 - 1),
    "huge count without bytes": lambda c: (c["accessors"][0].update(count=2**30), c["accessors"][0].pop("bufferView")),
    "infinite place": lambda c: c["nodes"][0].update(translation=[1e308, 1e308, 1e308], scale=[1e308] * 3),
    "words for numbers": lambda c: c["nodes"][0].update(translation="here"),
    "200,000 instances": instances(200_000),
    "a circle": lambda c: c["nodes"].append({"children": [0, 1]}) or c["nodes"][0].update(children=[1]),
    "required": lambda c: c.update(extensionsRequired=["EXT_made_up_geometry"]),
    "lists for objects": lambda c: c.update(accessors=[[]] * 9),
}


@pytest.mark.parametrize("what", HARM)
def test_harm_in_a_glb_is_refused_in_seconds(what: str) -> None:
    data = changed(HARM[what])
    start = time.process_time()
    with pytest.raises(BadMesh, match="wall") as caught:
        read_gltf(data, "wall.glb")
    assert "\n" not in str(caught.value)
    if what == "required":
        assert "EXT_made_up_geometry" in str(caught.value)
    assert time.process_time() - start < 30


def test_50_000_nested_nodes_are_read() -> None:
    start = time.process_time()
    assert read_gltf(changed(nested(50_000)), "deep.glb").vertex_count == 24
    assert time.process_time() - start < 30


def test_a_neighbour_buffer_is_checked_like_any_other(tmp_path: Path) -> None:
    mesh = changed(lambda c: c["buffers"][0].update(uri="box%20one.bin"))
    size = struct.unpack_from("<I", mesh, 12)[0]
    (tmp_path / "a.gltf").write_bytes(mesh[20 : 20 + size])
    (tmp_path / "box one.bin").write_bytes(mesh[28 + size :])
    assert read_mesh(tmp_path / "a.gltf").vertex_count == 24
    (tmp_path / "box one.bin").write_bytes(mesh[28 + size : 60 + size])
    with pytest.raises(BadMesh, match="beyond the end"):
        read_mesh(tmp_path / "a.gltf")
    for outside in ("%2e%2e/box.bin", "/etc/hostname", "../box.bin", "http://x/y.bin"):
        text = mesh[20 : 20 + size].replace(b"box%20one.bin", outside.encode())
        (tmp_path / "a.gltf").write_bytes(text)
        with pytest.raises(BadMesh, match="not beside it"):
            read_mesh(tmp_path / "a.gltf")


@pytest.mark.parametrize("text", [
    "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 99999999999999999999999999999", "v 0 0 1e400\nf 1 1 1", "v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3",
    "v 0 0 0\nf 1 1", "f 1 2 3", "v 1 2\n", "v 0 0 0\nv 1 0 0\nv 0 1 0\nvt\nf 1/1 2/1 3/1", f"v {'9' * 5000} 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3",
])  # fmt: skip
def test_harm_in_an_obj_is_refused(text: str) -> None:
    with pytest.raises(BadMesh, match="wall"):
        read_obj(text.encode(), "wall.obj")


def test_a_ply_that_promises_what_is_not_there_is_refused(tmp_path: Path) -> None:
    data = trimesh.creation.box().export(file_type="ply").replace(b"element vertex 8", b"element vertex 4000000000")
    (tmp_path / "wall.ply").write_bytes(data)
    with pytest.raises(BadMesh, match="promises"):
        read_mesh(tmp_path / "wall.ply")


# Dialects that are sound


def test_an_obj_of_concave_polygons_keeps_its_area_and_its_materials() -> None:
    """Area by Shapely would need a library more: an L of 3 unit squares, a star against its shoelace formula."""
    angle = np.linspace(0, 2 * np.pi, 10, endpoint=False)
    star = np.stack([np.cos(angle), np.sin(angle)], axis=1) * np.where(np.arange(10) % 2, 0.4, 1.0)[:, None]
    lines = [
        b"\xef\xbb\xbf# caf\xe9",
        b"usemtl stone wall",
        *(b"v %d 0 %d" % p for p in ((0, 0), (2, 0), (2, 1), (1, 1), (1, 2), (0, 2))),
    ]
    lines += [b"f 1 2 3 4 \\", b"5 6", b"usemtl Mo\xf6s", *(b"v %f %f 5" % tuple(p) for p in star), b"f -10 -9 -8 -7 -6 -5 -4 -3 -2 -1",
              b"usemtl stone wall", b"vt 0.5", b"v 0 0 9", b"v 1 0 9", b"v 0 1 9", b"f -3/1 -2/1 -1/1"]  # fmt: skip
    mesh = read_obj(b"\n".join(lines), "a.obj")
    assert [s.name for s in mesh.slots] == ["stone wall", "Moös"]

    def area(start: int, count: int) -> float:
        c = mesh.positions[mesh.triangles[start : start + count]]
        return float(np.linalg.norm(np.cross(c[:, 1] - c[:, 0], c[:, 2] - c[:, 0]), axis=1).sum() / 2)

    x, y = star.T
    shoelace = 0.5 * abs(np.dot(x, np.roll(y, 1)) - np.dot(y, np.roll(x, 1)))
    assert area(mesh.slots[1].start, mesh.slots[1].count) == pytest.approx(shoelace, rel=1e-5)
    assert area(mesh.slots[0].start, mesh.slots[0].count) == pytest.approx(3.5, rel=1e-5)
    faces = mesh.positions[mesh.triangles].astype(float)
    normal = np.cross(faces[:, 1] - faces[:, 0], faces[:, 2] - faces[:, 0])
    assert (normal[: mesh.slots[0].count - 1, 1] < 0).all()  # wound as the polygon is
    assert (normal[mesh.slots[1].start :, 2] > 0).all()


def test_a_gltf_poses_strips_fans_instances_skins_and_morphs_as_the_specification_says() -> None:
    """glTF 2.0: 3.7.2.1 (strips, fans), 3.7.2.2 (morphs), 3.7.3.2 (a skinned mesh's node does not count);
    EXT_mesh_gpu_instancing. Expected places worked out by hand."""
    base = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [1, 1, 0]], np.float32)
    blob = base.tobytes() + np.full((4, 3), (0, 0, 2), np.float32).tobytes()
    blob += np.array([[5, 0, 0], [0, 7, 0]], np.float32).tobytes()
    blob += np.zeros((4, 4), np.uint8).tobytes() + np.tile([1, 0, 0, 0], (4, 1)).astype(np.float32).tobytes()
    cuts = [(0, 48, 4, "VEC3", 5126), (48, 48, 4, "VEC3", 5126), (96, 24, 2, "VEC3", 5126), (120, 16, 4, "VEC4", 5121),
            (136, 64, 4, "VEC4", 5126)]  # fmt: skip
    document = {
        "asset": {"version": "2.0"}, "scene": 0, "buffers": [{"byteLength": len(blob)}],
        "bufferViews": [{"buffer": 0, "byteOffset": o, "byteLength": n} for o, n, *_ in cuts],
        "accessors": [{"bufferView": i, "count": c, "type": t, "componentType": k} for i, (_, _, c, t, k) in enumerate(cuts)],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "mode": 5}]},
                   {"primitives": [{"attributes": {"POSITION": 0}, "mode": 6, "targets": [{"POSITION": 1}]}], "weights": [0.5]},
                   {"primitives": [{"attributes": {"POSITION": 0, "JOINTS_0": 3, "WEIGHTS_0": 4}, "mode": 5}]}],
        "nodes": [
            {"mesh": 0, "extensions": {"EXT_mesh_gpu_instancing": {"attributes": {"TRANSLATION": 2}}}},
            {"mesh": 1}, {"mesh": 2, "skin": 0, "translation": [100, 100, 100]}, {"translation": [0, 0, 30]},
        ],
        "skins": [{"joints": [3]}], "scenes": [{"nodes": [0, 1, 2, 3]}],
        "extensionsRequired": ["EXT_mesh_gpu_instancing", "KHR_materials_unlit"],
        "materials": [],
    }  # fmt: skip
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    glb = struct.pack("<4sII", b"glTF", 2, 28 + len(text) + len(blob)) + struct.pack("<I4s", len(text), b"JSON") + text
    mesh = read_gltf(glb + struct.pack("<I4s", len(blob), b"BIN\0") + blob, "a.glb")
    found = {tuple(p) for p in mesh.positions.tolist()}
    expected = [base + (5, 0, 0), base + (0, 7, 0), base + (0, 0, 1), base + (0, 0, 30)]
    assert found == {tuple(p) for e in expected for p in e.tolist()}
    assert len(mesh.triangles) == 2 * 2 + 2 + 2
    corners = mesh.positions[mesh.triangles]
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])[:, 2]
    assert (normal[:4] > 0).all()  # every triangle of a strip is wound the same way


def test_two_materials_of_one_name_stay_two_slots() -> None:
    def change(c: dict) -> None:
        c["materials"] = [{"name": "stone"}, {"name": "stone"}]
        c["meshes"][0]["primitives"] = [{**c["meshes"][0]["primitives"][0], "material": i} for i in (0, 1)]

    mesh = read_gltf(changed(change), "a.glb")
    assert [s.name for s in mesh.slots] == ["stone", "stone 2"]


def test_white_vertex_colours_of_other_programs_are_no_paint(tmp_path: Path) -> None:
    box = shapes.box(1, 1, 1)
    white = np.full((box.vertex_count, 4), 65535, np.uint16)
    (tmp_path / "a.glb").write_bytes(mesh_glb(box.with_(colors=(white,)), "box"))
    assert read_mesh(tmp_path / "a.glb").colors[0].max() == 0
    assert read_gltf((tmp_path / "a.glb").read_bytes(), "a.glb").colors[0].min() == 65535


@pytest.mark.parametrize("known", [*MESHES, *PICTURES, *SKY_PICTURES], ids=lambda f: f.name)
def test_every_format_says_what_it_is_and_reads_what_is_none_of_it_as_damaged(known, tmp_path: Path) -> None:
    """One record a format: its endings, what it holds, how it is read; garbage names the file and never raises else."""
    assert known.holds
    assert all(s.startswith(".") and s == s.lower() for s in known.suffixes)
    rubbish = bytes(range(256)) * 4
    with pytest.raises((BadMesh, BadImage), match="thing"):
        known.read(rubbish, f"thing{known.suffixes[0]}", tmp_path)


# Projects of an unlikely size or shape


def a_project(folder: Path, change) -> Path:
    made, assets = every_kind_of_project()
    save_project(made, assets, folder)
    data = json.loads((folder / FILE).read_text())
    change(data)
    (folder / FILE).write_text(json.dumps(data))
    return folder


def deep(kind: str, root: str):
    def change(data: dict) -> None:
        first = {**data[kind][0], **({"values": {}} if kind == "finishes" else {})}
        data[kind] += [
            {**first, "id": f"n{i}", "name": f"N{i}", "parent": f"n{i - 1}" if i else root} for i in range(5000)
        ]

    return change


def as_levels(data: dict) -> None:
    first, second = data["meshes"][:2]
    first["levels"] = [{"mesh": second["id"], "away": 5.0}]
    second["levels"] = [{"mesh": first["id"], "away": 5.0}]


def long_recipe(data: dict) -> None:
    steps = [{"id": "s0", "kind": "time"}] + [
        {"id": f"s{i}", "kind": "add", "args": [f"s{i - 1}", "1"]} for i in range(1, 1000)
    ]
    data["recipes"].append({"id": "long", "name": "Long", "steps": steps})


@pytest.mark.parametrize("change", [deep("finishes", "m"), deep("groups", ""), as_levels, long_recipe],
                         ids=["5,000 nested finishes", "5,000 nested groups", "levels of each other", "1,000 steps"])  # fmt: skip
def test_projects_of_an_unlikely_shape_open(change, tmp_path: Path) -> None:
    start = time.process_time()
    opened = open_project(a_project(tmp_path / "p", change))
    assert opened.problems == []
    assert len(opened.project.props) == len(START.props)
    assert time.process_time() - start < 60


def test_too_many_things_are_refused_by_number(tmp_path: Path) -> None:
    folder = a_project(tmp_path / "p", lambda data: data.update(lamps=[{}] * (MOST_THINGS + 1)))
    with pytest.raises(BadProject, match="200,001 lamps, more than the 200,000"):
        open_project(folder)


def test_a_circle_of_groups_or_parents_is_named(tmp_path: Path) -> None:
    ring = [{"id": i, "name": i.upper(), "parent": p} for i, p in (("x", "y"), ("y", "z"), ("z", "x"))]
    with pytest.raises(BadProject, match="part of itself"):
        open_project(a_project(tmp_path / "g", lambda data: data["groups"].extend(ring)))
    with pytest.raises(BadProject, match="among its own parents"):
        open_project(a_project(tmp_path / "f", lambda data: data["finishes"].extend(ring)))
