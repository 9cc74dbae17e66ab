"""Helpers that several test files use."""

from __future__ import annotations

import json
import shutil
import subprocess
from dataclasses import dataclass
from pathlib import Path
from typing import Any, get_args

import numpy as np
import pytest

from jade_coat.demo.terrace import CAMERA
from jade_coat.files.assets import Assets
from jade_coat.files.gltf_writer import mesh_glb
from jade_coat.files.library import Library
from jade_coat.ground.pages import Pages
from jade_coat.ground.paths import GroundPath
from jade_coat.ground.rules import LayerRule
from jade_coat.ground.scatter import Scatter
from jade_coat.ground.synthesis import Land
from jade_coat.maps.images import png_bytes
from jade_coat.maps.mapset import MapFile, MapSet
from jade_coat.maps.packing import PackedLookup
from jade_coat.material.material import Coat, Dial, Finish, Link, Material, numbers_of, options_of, spec_at
from jade_coat.material.placing import HeightMove, RecipeMove
from jade_coat.material.recipes import Recipe, RecipeInput, Step
from jade_coat.material.rows import field_values
from jade_coat.material.seam import Seam
from jade_coat.material.stacking import GroundLayer
from jade_coat.material.surface import Role, Surface
from jade_coat.material.where import TERM_KINDS
from jade_coat.mesh import shapes
from jade_coat.mesh.attributes import mesh_numbers, mesh_streams
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.makers import Card
from jade_coat.stage.decals import Decal, Stamp
from jade_coat.stage.desk import Camera
from jade_coat.stage.draws import ScenePatch
from jade_coat.stage.grounds import Ground, new_ground
from jade_coat.stage.lamps import Lamp, Mist
from jade_coat.stage.look_tables import BARE
from jade_coat.stage.mesh_assets import Category, FarLevel, MeshAsset, Variant
from jade_coat.stage.paint_rules import Measure, PaintRule
from jade_coat.stage.project import Group, Project, Prop
from jade_coat.stage.scene import build_scene
from jade_coat.stage.shared_dials import SharedDial
from jade_coat.stage.turns import turn_of
from jade_coat.view.camera import eye_of
from jade_coat.view.requests import Eye

NODE = Path(__file__).parent / "node"


@dataclass(frozen=True)
class Demo:
    project: Project
    library: Library
    folder: Path
    camera: Camera = CAMERA

    def mesh(self, mesh_id: str) -> MeshData:
        return self.library.mesh_by_id(self.project, mesh_id)

    def textures(self) -> dict[str, Any]:
        return {t.name: t for s in self.project.map_sets for t in self.library.textures(s)}


def put_mesh(renderer: Any, key: str, mesh: MeshData, measured: tuple[str, ...] = ("curvature", "outward")) -> None:
    renderer.assets.put_mesh(key, mesh_streams(mesh, measured), mesh.triangles, mesh_numbers(mesh))


def stage_renderer(gl: Any, demo: Demo) -> Any:
    """A renderer in this process that holds the demo."""
    from jade_coat.view.renderer import Renderer

    renderer = Renderer(gl)
    for asset in demo.project.meshes:
        put_mesh(renderer, asset.id, demo.mesh(asset.id))
    for texture in demo.textures().values():
        renderer.assets.put_texture(texture.name, texture.is_color, texture.levels)
    lookup = PackedLookup(demo.project.map_sets, demo.project.recipes)
    for material in (BARE, *demo.project.materials):
        renderer.assets.set_material(material, lookup)
    for prop in demo.project.props:
        if prop.paint is not None:
            renderer.assets.put_paint(prop.id, prop.paint.whole())
    renderer.scenes.set("stage", build_scene(demo.project, demo.mesh))
    return renderer


def row_patch(material: str, row: int, values: Any) -> ScenePatch:
    """One row of a material's table replaced."""
    return ScenePatch(rows={material: (np.array([row]), np.asarray(values)[None])})


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
    lookup = PackedLookup(demo.project.map_sets, demo.project.recipes)
    for material in demo.project.materials:
        client.set_material(material, lookup, demo.textures())
    for prop in demo.project.props:
        if prop.paint is not None:
            client.put_paint(prop.id, prop.paint.whole())
    client.set_scene("stage", build_scene(demo.project, demo.mesh))
    return pictures


def some_ground(name: str = "land", parent: str = "") -> Ground:
    """A small ground of three layers, one of each way."""
    first = GroundLayer(id="a", name="A", finish="f0")
    made = new_ground(name, "Land", Land(samples=65, across=12.0).heights(), first, 33)
    layers = (
        made.layers[0], GroundLayer(id="b", name="B", finish="g0", lift=0.1),
        GroundLayer(id="c", name="C", finish="f1", way="over"),
        GroundLayer(id="d", name="D", way="absolute", role="damp"),
    )  # fmt: skip
    rng = np.random.default_rng(3)
    painted = {s.id: Pages.of((rng.random((33, 33)) * 255).astype(np.uint8)) for s in layers}
    way = GroundPath(id="way", name="Way", points=((1.0, 2.0), (6.0, 5.0), (11.0, 4.0)), width=0.8)
    rules = (LayerRule(layer="b", measure="path", path="way", on=False),)
    return made.with_(layers=layers, weights=painted, parent=parent, paths=(way,), rules=rules)


def some_scatters() -> tuple[Scatter, ...]:
    """Boxes on two layers of `some_ground`."""
    first = Scatter(id="near", name="Near", layer="b", mesh="box", density=3.0, cut_out="c", dial="d0", high=0.5)
    return first, Scatter(id="old", name="Old", layer="a", mesh="box", variant="old", gone=((1.0, 2.0),))


def every_kind_of_project() -> tuple[Project, Assets]:
    """A small project with every kind of dial, link, where-term, seam, step, finish, prop value and paint rule."""
    assets = Assets()
    picture = assets.put("maps", "a.png", png_bytes(np.full((4, 4, 3), 128, np.uint8)))
    mesh = assets.put("meshes", "box.glb", mesh_glb(shapes.box(1, 1, 1), "box"))
    far = assets.put("meshes", "far.glb", mesh_glb(shapes.box(1.1, 1.1, 1.1), "far"))
    sets = tuple(
        MapSet(id=i, name=i.title(), maps=(MapFile(role=Role.BASE_COLOR, asset=picture, file="a.png"),))
        for i in ("s1", "s2")
    )
    shared = tuple(SharedDial(id=i, name=i.title(), value=0.25) for i in ("season", "damp"))
    recipes = (
        Recipe(id="inner", name="Inner", inputs=(RecipeInput(name="a", value=0.1), RecipeInput(name="b", value=0.2),
               RecipeInput(name="c", value=0.3)), steps=(Step(id="sum", kind="add", args=("a", "b")),
               Step(id="all", kind="add", args=("sum", "c")))),
        Recipe(id="outer", name="Outer", inputs=(RecipeInput(name="k", value=0.5),), steps=(
               Step(id="wet", kind="shared", pick="damp"), Step(id="call", kind="recipe", args=("0.4", "k", "0.6"), pick="inner"),
               Step(id="out", kind="multiply", args=("call", "wet")))),
        Recipe(id="lone", name="Lone", steps=(Step(id="worn", kind="map", args=("uv",), pick="s2/base_color"),
               Step(id="one", kind="paint", pick="G"))),
    )  # fmt: skip
    terms = tuple(
        kind(id=name, **{"map": {"map_set": "s2"}, "recipe": {"recipe": "outer", "inputs": {"k": 0.7}},
                         "shared": {"shared": "season"}}.get(name, {}))
        for name, kind in TERM_KINDS.items()
    )  # fmt: skip
    coats = (
        Coat(id="base", name="Base", surface=Surface(map_set="s1", detail={"map_set": "s2"}), where=terms[:2], rim={"on": True}),
        Coat(id="mid", name="Mid", surface=Surface(map_set="s2", top_set="s1", more_sets=("s1",)), where=terms,
             seam=Seam(kind="ramp"), rim={"on": True}),
        Coat(id="top", name="Top", where=(terms[0], terms[-1])),
    )  # fmt: skip
    moves = (HeightMove(id="lift"), RecipeMove(id="sway", recipe="outer", inputs={"k": 0.7}, along="wind"))
    bare = Material(id="m", name="M", coats=coats, moves=moves)
    numbers = [found.path for found in numbers_of(bare)]
    shapes_program = [path for path, spec, _ in options_of(bare)]
    dials = tuple(
        Dial(id=f"d{i}", name=f"D{i}", path=path, group="G" if i % 3 else "")
        for i, path in enumerate([*numbers[::7], *shapes_program])
    )
    free = [p for p in numbers if p not in {d.path for d in dials}][::9]
    values = field_values(bare)
    links = tuple(
        Link(
            path=p,
            low=values[p],
            high=values[p],
            **(
                {"shared": ("season", "damp")[i % 4 // 2]}
                if i % 2
                else {"recipe": "outer", "inputs": {"k": 0.9}, "beyond": i % 3 == 0}
            ),
        )
        for i, p in enumerate(free)
    )
    material = bare.with_(dials=dials, links=links)
    other = Material(id="n", name="N", coats=(Coat(id="base", name="Base"), Coat(id="mid", name="Mid")))
    specs_of = {d.id: spec_at(material, d.path) for d in dials}
    own = {**values, **{p: v for p, _, v in options_of(material)}}

    def some(of: int) -> dict[str, Any]:
        return {d.id: specs_of[d.id].clamped(own[d.path]) for i, d in enumerate(dials) if i % 4 == of}

    finishes = (
        Finish(id="f0", name="F0", parent="m", values=some(0)), Finish(id="f1", name="F1", parent="f0", values=some(1)),
        Finish(id="f2", name="F2", parent="f1", values=some(2)), Finish(id="g0", name="G0", parent="n"),
    )  # fmt: skip
    rules = tuple(PaintRule(measure=g, other="p1", map_set="s1") for g in get_args(Measure))
    prop = Prop(id="p0", name="P0", mesh="box", finishes={"surface": "f2"}, rules=rules,
                values={"surface": {k: v for k, v in some(0).items() if isinstance(v, (float, tuple)) and not specs_of[k].shapes_program}})  # fmt: skip
    groups = (Group(id="g", name="G"), Group(id="h", name="H", parent="g", locked=True))
    props = (prop, prop.with_(id="p1", parent="h", turn=turn_of(0.3, -1.0, 2.0), size=(1.0, 2.0, 0.5), name="P1", finishes={"surface": "f0"}, rules=rules[:2], values={}),
             prop.with_(id="p2", name="P2", finishes={"surface": "g0"}, rules=(), values={}),
             prop.with_(id="p3", name="P3", variant="old", finishes={}, rules=(), values={}))  # fmt: skip
    variants = (Variant(id="default", name="As thrown"), Variant(id="old", name="Old", finishes={"surface": "f1"}),
                Variant(id="plain", name="Plain"))  # fmt: skip
    decal = Decal(id="chip", name="Chip", finish="f1", size=(1.0, 0.2, 0.5), only=("p0",))
    project = Project(
        name="Everything", map_sets=sets, shared=shared, recipes=recipes, materials=(material, other), finishes=finishes,
        meshes=(MeshAsset(id="box", name="Box", asset=mesh, slots=("surface",), clips=("sway",), variants=variants, categories={"surface": "clay"},
                          made=Card(atlas="s1"), made_of="mark", levels=(FarLevel(mesh="far", away=9.0),)),
                MeshAsset(id="far", name="Far", asset=far, slots=("surface",))),
        grounds=(some_ground(parent="g").with_(scatter=some_scatters()),), props=props, groups=groups, decals=(decal, decal.with_(id="soot", name="Soot", parent="g")), stamps=(Stamp(id="chip", name="Chip", decal=decal),),
        lamps=(Lamp(id="lantern", name="Lantern"), Lamp(id="torch", name="Torch", spot=True, parent="g")), mists=(Mist(id="haze", name="Haze"),),
        categories=(Category(id="clay", name="Clay", finish="f1"), Category(id="wood", name="Wood")),
    )  # fmt: skip
    return project, assets
