"""Ten thousand props against a hundred: edits, the camera, picking, moving, drawing and saving."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import numpy as np

from jade_coat.files.library import Library
from jade_coat.files.project_folder import open_project, save_project
from jade_coat.mesh import shapes
from jade_coat.mesh.painting import Paint
from jade_coat.mesh.picking import hit_in_world, target
from jade_coat.stage import edits
from jade_coat.stage.boxes import PropBoxes
from jade_coat.stage.desk import Camera
from jade_coat.stage.document import Document
from jade_coat.stage.draws import DrawPatch, ScenePatch
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.scene import build_scene
from jade_coat.view.context import create_context
from jade_coat.view.frame import Frame
from jade_coat.view.given import Given
from jade_coat.view.link import StageLink
from tests.bench.common import alternate, entry
from tests.support import Demo, eye_for, stage_renderer

MANY, FEW, PAINTED = 10_000, 100, 1000


class Silent(Given):
    """A client whose messages go nowhere."""

    def send(self, message) -> None:
        """Nobody reads it."""

    def send_arrays(self, arrays, message) -> None:
        """Nobody reads them."""

    def forget_stream(self, name: str) -> None:
        """There are none."""


def strewn(project: Project, library: Library, count: int) -> Project:
    """So many crates of twelve triangles, in a look of the demo's, over a hundred metres."""
    mesh = library.add_mesh(shapes.box(0.6, 0.6, 0.6), "Crate", {m.id for m in project.meshes})
    jar = next(p for p in project.props if p.mesh == "storage_jar")
    crate = Prop(id="crate", name="Crate", mesh=mesh.id, finishes={mesh.slots[0]: next(iter(jar.finishes.values()))})
    rng = np.random.default_rng(0)
    props = tuple(
        crate.with_(
            id=f"j{i}", name=f"Crate {i}", position=tuple(float(v) for v in rng.uniform(-50, 50, 3) * (1, 0, 1))
        )
        for i in range(count)
    )
    return project.with_(props=props, meshes=(*project.meshes, mesh))


def bench_many_props(folder: Path) -> list[dict]:
    opened = open_project(folder)
    library = Library(opened.assets)
    documents, links, boxes = {}, {}, {}
    for count in (MANY, FEW):
        documents[count] = Document(strewn(opened.project, library, count))
        links[count] = StageLink(Silent(), library)
        links[count].sync(documents[count].project)
        boxes[count] = PropBoxes()
    step, eyes = [0], [None]

    def edit(count: int) -> None:
        step[0] += 1
        documents[count].do(edits.set_prop(prop=f"j{step[0] * 37 % count}", position=(step[0] * 0.01, 0.0, 1.0)))
        links[count].sync(documents[count].project)

    def turn(count: int) -> None:
        step[0] += 1
        eyes[0] = eye_for(Camera(yaw=step[0] * 0.01), 500, 300)
        links[count].sync(documents[count].project)

    def pick(count: int) -> None:
        project = documents[count].project
        boxes[count].update(project, lambda m: library.mesh_by_id(project, m).bounds)
        best = None
        origin, direction = np.array([0.0, 0.5, -60.0]), np.array([0.0, -0.002, 1.0])
        for away, prop_id in boxes[count].along(origin, direction):
            if best is not None and away > best.distance:
                break
            prop = project.prop(prop_id)
            best = (
                hit_in_world(target(library.mesh_by_id(project, prop.mesh)), prop.matrix(), origin, direction) or best
            )

    found = []
    for name, task, aim in (
        ("one edit, from do to sent", edit, 2.0),
        ("a camera move", turn, 1.2),
        ("a pick", pick, 3.0),
    ):
        many, few = alternate(lambda task=task: task(MANY), lambda task=task: task(FEW), rounds=40)
        found.append(entry(f"{MANY} props: {name}", many, "ms", few, aim, f"floor: the same with {FEW} props"))
    project = documents[MANY].project
    return [*found, *_drawn(project, library, folder), *_painted(opened.project, library, folder),
            _saved(project, library, folder)]  # fmt: skip


def _drawn(project: Project, library: Library, folder: Path) -> list[dict]:
    demo = Demo(project, library, folder)
    renderer = stage_renderer(create_context(), demo)
    for name in ("stage", "aside"):
        renderer.scenes.set(name, build_scene(project, demo.mesh))
    eye = eye_for(Camera(target=(0, 0, 0), pitch=0.6, distance=40.0), 500, 300)
    renderer.picture("stage", eye, 500, 300)
    scene, buffers = renderer.scenes.get("stage"), renderer.buffers("main", 500, 300)
    surfaces = renderer.surfaces

    def frame() -> None:
        renderer.picture("stage", eye, 500, 300)

    def flat() -> None:
        buffers.gbuffer.use()
        buffers.gbuffer.clear(0, 0, 0, 0, depth=1.0)
        shot = Frame(scene, buffers, eye, eye.projection)
        for draw, instances in zip(scene.scene.draws, scene.instances, strict=True):
            renderer.drawer.run(surfaces._fault, draw, instances, shot.view_projection)
        buffers.output.read(components=4)

    def moved() -> None:
        place[0] += 0.01
        matrix = np.eye(4, dtype=np.float32)[None].copy()
        matrix[0, 0, 3] = place[0]
        count = len(scene.scene.draws[0].rows)
        patch = DrawPatch(None, count, np.array([5]), matrix, np.zeros(1, np.int32), np.zeros(1, np.float32))
        renderer.patch_scene("stage", ScenePatch({0: patch}))
        frame()

    def turned() -> None:
        place[0] += 0.001
        aside = eye_for(Camera(target=(0, 0, 0), yaw=place[0], pitch=0.6, distance=40.0), 500, 300)
        renderer.picture("aside", aside, 500, 300)

    place = [0.0]
    drawn, plain, after, aside = alternate(frame, flat, moved, turned, rounds=9)
    return [
        entry(f"{MANY} props: frame", drawn, "ms", plain, 1.6, "500x300; floor: one flat colour on the same triangles"),
        entry(f"{MANY} props: moving one to its picture", after, "ms", drawn, 2.0,
              "with the sun's depth map drawn anew; floor: the same picture again"),
        entry(f"{MANY} props: frame from another place", aside, "ms", drawn, 1.15,
              "with finding anew what is seen; floor: the same picture again"),
    ]  # fmt: skip


def _painted(bare: Project, library: Library, folder: Path) -> list[dict]:
    """Props with paint of their own against the same props with the mesh's, in a look that reads it."""
    project = strewn(bare, library, PAINTED)
    vertices = library.mesh_by_id(project, project.meshes[-1].id).vertex_count
    rng = np.random.default_rng(1)
    slot = project.meshes[-1].slots[0]
    dressed = [p.with_(finishes={slot: "celadon_wall"}) for p in project.props]
    own = [p.with_(paint=Paint.of(rng.integers(0, 65536, (vertices, 4)).astype(np.uint16))) for p in dressed]
    eye, tasks, counts = eye_for(Camera(target=(0, 0, 0), pitch=0.6, distance=40.0), 500, 300), [], []
    for props in (own, dressed):
        demo = Demo(project.with_(props=props), library, folder)
        renderer = stage_renderer(create_context(), demo)
        tasks.append(lambda renderer=renderer: renderer.picture("stage", eye, 500, 300))
        counts.append(len(renderer.scenes.get("stage").scene.draws))
    painted, floor = alternate(*tasks)
    return [
        entry(f"{PAINTED} props with paint of their own: frame", painted, "ms", floor, 1.3,
              f"in {counts[0]} draw(s); floor: the same props with the mesh's paint, in {counts[1]}"),
    ]  # fmt: skip


def _saved(project: Project, library: Library, folder: Path) -> dict:
    place = folder.parent / "many"
    shutil.copytree(folder, place, dirs_exist_ok=True)
    home = open_project(place)
    numbers = [p.model_dump(exclude={"paint", "paint_map"}) for p in project.props]

    def save() -> None:
        home.home = save_project(project, home.assets, place, home.home, library.mesh_bytes).home

    took, floor = alternate(save, lambda: json.dumps(numbers, indent=1), rounds=5)
    return entry(f"{MANY} props: saving", took, "ms", floor, 3.0, "floor: json.dumps of the props' numbers")
