"""Helpers that several test files use."""

from __future__ import annotations

import json
import shutil
import subprocess
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from jade_coat.files.library import Library
from jade_coat.maps.packing import PackedLookup
from jade_coat.mesh.data import MeshData
from jade_coat.stage.project import Camera, Project
from jade_coat.stage.scene import BARE, build_scene
from jade_coat.view.camera import eye_of
from jade_coat.view.messages import Eye

NODE = Path(__file__).parent / "node"


@dataclass(frozen=True)
class Demo:
    project: Project
    library: Library
    folder: Path

    def mesh(self, mesh_id: str) -> MeshData:
        return self.library.mesh_by_id(self.project, mesh_id)

    def textures(self) -> dict[str, Any]:
        return {t.name: t for s in self.project.map_sets for t in self.library.textures(s)}


def put_mesh(renderer: Any, key: str, mesh: MeshData) -> None:
    streams = {"position": mesh.positions, "normal": mesh.normals, "tangent": mesh.tangents}
    streams["curvature"] = mesh.curvature
    streams |= {f"uv{i}": uv for i, uv in enumerate(mesh.uvs)}
    streams |= {f"color{i}": c for i, c in enumerate(mesh.colors)}
    renderer.put_mesh(key, streams, mesh.triangles, mesh.metres)


def stage_renderer(gl: Any, demo: Demo) -> Any:
    """A renderer in this process that holds the demo."""
    from jade_coat.view.renderer import Renderer

    renderer = Renderer(gl)
    for asset in demo.project.meshes:
        put_mesh(renderer, asset.id, demo.mesh(asset.id))
    for texture in demo.textures().values():
        renderer.put_texture(texture.name, texture.is_color, texture.levels)
    lookup = PackedLookup(demo.project.map_sets, demo.project.recipes)
    for material in (BARE, *demo.project.materials):
        renderer.set_material(material, lookup)
    for prop in demo.project.props:
        if prop.paint is not None:
            renderer.put_paint(prop.id, prop.paint.whole())
    renderer.set_scene("stage", build_scene(demo.project, demo.mesh))
    return renderer


def eye_for(camera: Camera, width: int, height: int) -> Eye:
    return eye_of(camera.position(), np.array(camera.target), camera.field_of_view, width / height)


def node_script(script: str, *arguments: str) -> Any:
    """Run a script with Node.js against the pinned test packages; its last line is JSON."""
    if shutil.which("node") is None or not (NODE / "node_modules").is_dir():
        pytest.skip("Node.js or tests/node/node_modules is missing: run ./run test, which installs them")
    result = subprocess.run(
        ["node", "-e", script, *arguments], cwd=NODE, capture_output=True, text=True, timeout=120, check=False
    )
    assert result.returncode == 0, result.stderr
    return json.loads(result.stdout.strip().splitlines()[-1])


def gltf_issues(path: Path) -> dict[str, Any]:
    """What the Khronos glTF validator finds in a file."""
    return node_script(
        "const v=require('gltf-validator'),fs=require('fs');"
        "v.validateBytes(new Uint8Array(fs.readFileSync(process.argv[1])))"
        ".then(r=>console.log(JSON.stringify(r.issues)))",
        str(path),
    )


def assert_valid_glb(path: Path) -> None:
    issues = gltf_issues(path)
    bad = [m for m in issues["messages"] if m["severity"] < 2]
    assert issues["numErrors"] == 0, bad
    assert issues["numWarnings"] == 0, bad


def load_client(client: Any, demo: Demo) -> list[Any]:
    """Give a render client the demo; returns the list its pictures will come into."""
    pictures: list[Any] = []
    client.on_picture = pictures.append
    for asset in demo.project.meshes:
        client.put_mesh(asset.id, demo.mesh(asset.id))
    for texture in demo.textures().values():
        client.put_texture(texture)
    lookup = PackedLookup(demo.project.map_sets, demo.project.recipes)
    for material in demo.project.materials:
        client.set_material(material, lookup)
    for prop in demo.project.props:
        if prop.paint is not None:
            client.put_paint(prop.id, prop.paint.whole())
    client.set_scene("stage", build_scene(demo.project, demo.mesh))
    return pictures
