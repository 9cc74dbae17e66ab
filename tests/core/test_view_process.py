"""The process around the renderer: the same pictures, the newest wish first, rows, faults, being killed."""

from __future__ import annotations

import gc
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest

from jade_coat.files.assets import Assets
from jade_coat.files.library import Library
from jade_coat.maps.mapset import MapFile, MapSet
from jade_coat.maps.packing import PackedLookup, Texture
from jade_coat.material.material import Coat, Material
from jade_coat.material.rows import field_values, layout
from jade_coat.material.surface import Role, Surface
from jade_coat.mesh import shapes
from jade_coat.stage.desk import Camera
from jade_coat.stage.draws import Scene
from jade_coat.stage.looks import field_row, material_of
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.scene import build_scene
from jade_coat.view.client import RenderClient
from jade_coat.view.link import StageLink
from jade_coat.view.messages import Drop
from tests.support import eye_for, load_client, row_patch


@pytest.fixture
def client():
    made = RenderClient()
    yield made
    made.close()


def test_the_process_draws_what_the_renderer_draws_and_survives_being_killed(client, renderer, demo) -> None:
    pictures, states = load_client(client, demo), []
    client.on_state = states.append
    eye = eye_for(demo.camera, 240, 150)
    wish = {"scene": "stage", "eye": eye, "width": 240, "height": 150}
    client.request("main", **wish)
    assert client.wait(lambda: client.idle and bool(pictures))
    expected = renderer.picture("stage", eye, 240, 150)
    assert np.abs(pictures[-1].pixels.astype(int) - expected.astype(int)).max() <= 1
    wall = demo.project.prop("kiln_wall_prop")
    full = np.full((2048, 4), 65535, np.uint16)
    client.patch_paint(wall.id, 0, full)
    client.request("main", **wish)
    assert client.wait(lambda: client.idle)
    painted = pictures[-1].pixels
    assert not np.array_equal(painted, expected)
    os.kill(client.process_id, signal.SIGKILL)
    count = len(pictures)
    client.request("main", **wish)
    assert client.wait(lambda: client.idle and len(pictures) > count)
    assert any("started again" in s for s in states)
    assert states[-1] == ""
    assert np.array_equal(pictures[-1].pixels, painted)  # the patched paint came back too


def test_the_newest_request_wins(client, demo) -> None:
    pictures = load_client(client, demo)
    for i in range(30):
        eye = eye_for(demo.camera.with_(yaw=i * 0.05), 160, 100)
        client.request("main", i, scene="stage", eye=eye, width=160, height=100)
    assert client.wait(lambda: client.idle)
    tags = [p.tag for p in pictures]
    assert tags[-1] == 29
    assert len(tags) <= 3


def test_turning_a_dial_uploads_a_row_and_compiles_nothing(client, demo) -> None:
    pictures = load_client(client, demo)
    eye = eye_for(demo.camera, 160, 100)
    wish = {"scene": "stage", "eye": eye, "width": 160, "height": 100}
    client.request("main", **wish)
    assert client.wait(lambda: client.idle and bool(pictures))
    material = material_of(demo.project, "celadon_wall")
    values = {**field_row(demo.project, "celadon_wall"), "tile.surface.tint": (1.0, 0.2, 0.2)}
    scene = build_scene(demo.project, demo.mesh)
    row = next(int(d.rows[0]) for d in scene.draws if d.material == material.id)
    client.patch_scene("stage", row_patch(material.id, row, layout(material).pack(values)))
    client.request("main", **wish)
    assert client.wait(lambda: client.idle)
    assert pictures[-1].compiles == pictures[0].compiles
    assert not np.array_equal(pictures[-1].pixels, pictures[0].pixels)


def test_bad_messages_are_told_and_the_process_goes_on(client, demo) -> None:
    pictures, troubles = load_client(client, demo), []
    client.on_trouble = troubles.append
    eye = eye_for(demo.camera, 64, 40)
    client.request("main", scene="stage", eye=eye, width=64, height=40, looks=("smell",))
    assert client.wait(lambda: bool(troubles))
    assert "no look 'smell'" in troubles[0]
    client.request("main", scene="stage", eye=eye, width=64, height=40)
    assert client.wait(lambda: bool(pictures))


def resident(process: int) -> int:
    """Bytes of memory a process holds, from the kernel."""
    with open(f"/proc/{process}/status") as status:
        return next(int(line.split()[1]) for line in status if line.startswith("VmRSS")) * 1024


def test_thirty_projects_in_a_row_leave_memory_where_it_was(client, request) -> None:
    """Each brings 11 MB of texture under the same names; nothing but the last one's is kept in either process.

    Ours is free as soon as nobody uses it, with the collector of circles off.
    """
    gc.collect()
    gc.disable()
    request.addfinalizer(gc.enable)
    rng, held = np.random.default_rng(1), []
    pictures: list = []
    client.on_picture = pictures.append
    eye = eye_for(Camera(), 64, 40)
    for i in range(30):
        library = Library(Assets())
        mesh = library.add_mesh(shapes.box(1.0 + i / 100, 1, 1), "Box", set())
        map_set = MapSet(id="s", name="S", maps=(MapFile(role=Role.ROUGHNESS, asset=f"maps/{i}", file=f"{i}.png"),))
        material = Material(id="m", name="M", coats=(Coat(id="c", name="C", surface=Surface(map_set="s")),))
        prop = Prop(id="p", name="P", mesh=mesh.id, finishes={mesh.slots[0]: "m"})
        link = StageLink(client, library)
        link.sync(Project(meshes=(mesh,), map_sets=(map_set,), materials=(material,), props=(prop,)))
        values = rng.integers(0, 65535, (1024, 1024, 4), dtype=np.uint16)
        levels = tuple(values[:: 2**n, :: 2**n].copy() for n in range(11))
        link.textures_loaded(map_set, [Texture("s/b", False, levels)])
        link.show_look("finish:m", material, field_values(material))
        for scene in ("stage", "finish:m"):
            client.request(scene, scene=scene, eye=eye, width=64, height=40)
        assert client.wait(lambda: client.idle)
        held.append((resident(client.process_id), resident(os.getpid())))
    seen = [p.pixels for p in pictures if p.stream == "stage"]
    assert not np.array_equal(seen[-1], seen[-2])  # each was drawn with its own maps, though names are the same
    theirs, ours = (after - before for before, after in zip(held[9], held[-1], strict=True))
    assert theirs < 110 << 20  # half of what twenty projects bring; a heap that others used before grows a little
    assert ours < 30 << 20


def test_what_no_scene_uses_is_dropped_and_comes_back_when_it_is_used_again(client, demo) -> None:
    pictures, sent = load_client(client, demo), []
    real, client.send = client.send, lambda message: (sent.append(message), real(message))
    whole = build_scene(demo.project, demo.mesh)
    wall = next(d for d in whole.draws if d.material == "kiln_wall")
    eye = eye_for(demo.camera, 160, 100)

    def picture(scene: Scene) -> np.ndarray:
        client.set_scene("stage", scene)
        client.sweep()
        for material in demo.project.materials:
            if material.id in scene.rows:
                client.set_material(material, lookup, demo.textures())
        for mesh in {d.mesh for d in scene.draws}:
            client.put_mesh(mesh, demo.mesh(mesh))
        for prop in demo.project.props:
            if any(prop.id in d.paints.values() for d in scene.draws) and client.paint_of(prop.id) is None:
                client.put_paint(prop.id, prop.paint.whole())
        client.request("main", scene="stage", eye=eye, width=160, height=100)
        assert client.wait(lambda: client.idle)
        return pictures[-1].pixels

    lookup = PackedLookup(demo.project.map_sets, demo.project.recipes)
    first = picture(whole)
    sent.clear()
    alone = picture(Scene((wall,), {"kiln_wall": whole.rows["kiln_wall"]}))
    gone = next(m for m in sent if isinstance(m, Drop))
    assert wall.mesh not in gone.meshes
    assert set(gone.meshes) == {d.mesh for d in whole.draws} - {wall.mesh}
    assert "kiln_wall" not in gone.materials
    assert len(gone.materials) > 1
    assert not np.array_equal(first, alone)
    assert np.array_equal(picture(whole), first)
    client.drop_all()
    assert client.paint_of("kiln_wall_prop") is None


EARLY = """
import os, sys
from jade_coat.view.early import start_early
started = start_early()
assert type(started.process).__module__ == "multiprocessing.context" and "Fork" in type(started.process).__name__
assert "OPENBLAS_NUM_THREADS" not in os.environ
import numpy as np
from jade_coat.view.client import RenderClient
from tests.support import eye_for
from jade_coat.stage.desk import Camera
client = RenderClient(started)
pictures = []
client.on_picture = pictures.append
client.request("main", scene="stage", eye=eye_for(Camera(), 32, 20), width=32, height=20)
assert client.wait(lambda: bool(pictures))
first, second = started.process.pid, None
os.kill(first, 9)
client.request("main", scene="stage", eye=eye_for(Camera(), 32, 20), width=32, height=20)
assert client.wait(lambda: len(pictures) > 1)
print(client.process_id, flush=True)
if sys.argv[1] == "close":
    client.close()
else:
    os._exit(0)
"""


@pytest.mark.parametrize("end", ["close", "vanish"])
def test_a_process_that_was_started_early_shares_what_is_imported_and_ends_with_the_application(end: str) -> None:
    """Forked before Qt; the one after a crash is started anew. No shared memory is left to the resource tracker."""
    clean = {k: v for k, v in os.environ.items() if k != "OPENBLAS_NUM_THREADS"}
    done = subprocess.run(
        [sys.executable, "-c", EARLY, end], env=clean, capture_output=True, text=True, timeout=240, check=False
    )
    assert done.returncode == 0, done.stderr
    renderer = int(done.stdout.split()[-1])
    for _ in range(600):
        if not Path(f"/proc/{renderer}").exists():
            break
        time.sleep(0.1)
    assert not Path(f"/proc/{renderer}").exists()
    if end == "close":
        assert "leaked" not in done.stderr
