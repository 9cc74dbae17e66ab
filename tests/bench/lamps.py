"""Pictures by lamps and through mist, and of one, a hundred and ten thousand props, each against a floor of its run."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np

from jade_coat.demo.terrace import CAMERA
from jade_coat.files.library import Library
from jade_coat.files.project_folder import open_project
from jade_coat.kiln.firing import fire
from jade_coat.kiln.provider import Ask, brief_of
from jade_coat.kiln.stuffs import nested_noise
from jade_coat.stage.desk import Camera
from jade_coat.stage.lamps import BARE, Lamp, Mist, Surroundings, lamp_draw, mist_draw
from jade_coat.stage.scene import build_scene
from jade_coat.view.context import create_context
from jade_coat.view.frame import Frame
from tests.bench.common import alternate, entry
from tests.bench.many import MANY, strewn
from tests.support import Demo, eye_for, stage_renderer

SIZE = (748, 420)


def lanterns(count: int) -> Surroundings:
    """So many lamps strewn over the courtyard, each reaching two metres."""
    rng = np.random.default_rng(3)
    lamps = []
    for i in range(count):
        x, z = rng.uniform(-2.5, 2.5), rng.uniform(-2.2, 1.5)
        lamps.append((f"l{i}", lamp_draw(Lamp(id=f"l{i}", name="L", position=(x, 0.8, z), strength=1.0, reach=2.0))))
    return Surroundings(tuple(lamps))


def bench_lamps(folder: Path) -> list[dict]:
    """Against the same picture by sun and sky alone; all depth maps are there already."""
    opened = open_project(folder)
    demo = Demo(opened.project, Library(opened.assets), folder)
    renderer = stage_renderer(create_context(), demo)
    eye = eye_for(CAMERA, *SIZE)
    scene = build_scene(demo.project, demo.mesh)
    veil = (mist_draw(Mist(id="m", name="M", everywhere=True, density=0.1)),)
    states = {"bare": BARE, "eight": lanterns(8), "many": lanterns(64), "mist": replace(lanterns(8), mists=veil)}
    for name, around in states.items():
        renderer.scenes.set(name, replace(scene, surroundings=around))
        for sample in (0, 1):
            renderer.picture(name, eye, *SIZE, sample=sample)

    def draw(name: str) -> None:
        renderer.drawer.changes += 1
        renderer.picture(name, eye, *SIZE)

    bare, eight, many, mist = alternate(*(lambda n=n: draw(n) for n in states), rounds=7)
    ball = brief_of(Ask("mossy brick, fine cracks"))
    fired, noise = alternate(lambda: fire(ball, 1, 256), lambda: nested_noise(256, 1, 12.0), rounds=5)
    return [
        entry("eight lamps", eight, "ms", bare, 2.0, "a picture by eight lamps with shadows, against none"),
        entry("sixty-four lamps", many, "ms", bare, 8.0, "the same by 64 that overlap"),
        entry("mist", mist, "ms", eight, 2.0, "through mist with eight lamps in it, against the same without"),
        entry("a candidate of the kiln", fired, "ms", noise, 120.0, "256 texels a side, against one of its noises"),
    ]


def bench_counts(folder: Path) -> list[dict]:
    """Frames of one, a hundred and ten thousand props against one flat colour on the same triangles."""
    opened = open_project(folder)
    library = Library(opened.assets)
    found = []
    for count in (1, 100, MANY):
        project = strewn(opened.project, library, count)
        demo = Demo(project, library, folder)
        renderer = stage_renderer(create_context(), demo)
        renderer.scenes.set("stage", build_scene(project, demo.mesh))
        eye = eye_for(Camera(target=(0, 0, 0), pitch=0.6, distance=40.0), 500, 300)
        renderer.picture("stage", eye, 500, 300)
        scene, buffers = renderer.scenes.get("stage"), renderer.buffers("main", 500, 300)

        def frame(renderer=renderer, eye=eye) -> None:
            renderer.drawer.changes += 1
            renderer.picture("stage", eye, 500, 300)

        def flat(renderer=renderer, eye=eye, scene=scene, buffers=buffers) -> None:
            buffers.gbuffer.use()
            buffers.gbuffer.clear(0, 0, 0, 0, depth=1.0)
            shot = Frame(scene, buffers, eye, eye.projection)
            for draw, instances in zip(scene.scene.draws, scene.instances, strict=True):
                renderer.drawer.run(renderer.surfaces._fault, draw, instances, shot.view_projection)
            buffers.output.read(components=4)

        drawn, plain = alternate(frame, flat, rounds=9)
        draws = len(scene.scene.drawn)
        found.append(entry(
            f"{count:,} props", drawn, "ms", plain, 1.6 if count == MANY else 6.0,
            f"a frame of {draws} draw{'s' if draws > 1 else ''}; floor: one flat colour on the same triangles",
        ))  # fmt: skip
    return found
