"""What layered materials cost: six coats with broken tiling, structural edits, the section, and many map sets."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import cv2
import numpy as np

from jade_coat.files.assets import Assets
from jade_coat.files.project_folder import save_project
from jade_coat.looking.section import cut, trace
from jade_coat.maps.mapset import MapFile, MapSet
from jade_coat.maps.packing import PackedLookup
from jade_coat.material.material import Coat, Finish, Material
from jade_coat.material.surface import Role, Surface
from jade_coat.material.where import NoiseTerm, PaintTerm, SlopeTerm
from jade_coat.mesh.brush import Brush
from jade_coat.mesh.canvas import VertexCanvas
from jade_coat.mesh.stroke import Stroke
from jade_coat.stage.desk import Camera
from jade_coat.stage.mesh_assets import MeshAsset
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.scene import build_scene
from jade_coat.view.camera import ray
from jade_coat.view.client import RenderClient
from tests.bench.common import HEIGHT, WIDTH, WallPass, alternate, entry
from tests.bench.starting import START
from tests.support import Demo, eye_for, load_client


def six_coats() -> Material:
    """Six coats: hexagons, shifted pictures, three sides, a mirror; by paint, noise and slope."""
    ways = (
        ("tile", Surface(map_set="glazed_tile", tile_size=1.2)),
        ("lime", Surface(map_set="lime_plaster", tile_size=1.1, tile_break="hex")),
        ("clay", Surface(map_set="terrace_clay", tile_size=1.4, tile_break="offset")),
        ("moss", Surface(map_set="cushion_moss", tile_size=0.6, placement="triplanar")),
        ("run", Surface(map_set="run_glaze", tile_size=0.7, tile_break="mirror")),
        ("top", Surface(map_set="cushion_moss", tile_size=0.9)),
    )
    terms = ((), (NoiseTerm(id="n", size=0.9, octaves=2),), (PaintTerm(id="p", channel="G"),),
             (PaintTerm(id="p", channel="R"),), (SlopeTerm(id="s"),), (PaintTerm(id="p", channel="B"),))  # fmt: skip
    coats = tuple(Coat(id=n, name=n, surface=s, where=w) for (n, s), w in zip(ways, terms, strict=True))
    return Material(id="six", name="Six coats", coats=coats)


def bench_six_coats(renderer, demo: Demo) -> list[dict]:
    material = six_coats()
    project = demo.project.with_(materials=(*demo.project.materials, material))
    project = project.with_(
        finishes=(*project.finishes, Finish(id="six_look", name="Six", parent="six")),
        props=tuple(
            p.with_(finishes={"surface": "six_look"}) if p.id == "kiln_wall_prop" else p for p in project.props
        ),
    )
    renderer.assets.set_material(material, PackedLookup(project.map_sets, project.recipes))
    renderer.scenes.set("stage", build_scene(project, demo.mesh))
    wall = WallPass(renderer, demo, material)
    own, bare = wall.program(bare=False), wall.program(bare=True)
    full, floor = alternate(lambda: wall.fill(own), lambda: wall.fill(bare))
    renderer.scenes.set("stage", build_scene(demo.project, demo.mesh))
    return [
        entry("six coats, broken tiling, three sides: material pass", full, "ms", floor, 1.6,
              f"{WIDTH}x{HEIGHT}; floor: a shader that does only the same fetches, where they are"),
    ]  # fmt: skip


def bench_structure(demo: Demo) -> list[dict]:
    """From adding a coat to its picture, against the same picture of a program that is there already."""
    client = RenderClient()
    pictures = load_client(client, demo)
    eye = eye_for(demo.camera, WIDTH // 2, HEIGHT // 2)
    lookup = PackedLookup(demo.project.map_sets, demo.project.recipes)
    wall, count = demo.project.material("kiln_wall"), [0]

    def picture(material: Material) -> None:
        client.set_material(material, lookup, demo.textures())
        client.set_scene("stage", build_scene(
            demo.project.with_(materials=(material, *demo.project.materials[1:])), demo.mesh
        ))  # fmt: skip
        seen = len(pictures)
        client.request("main", scene="stage", eye=eye, width=WIDTH // 2, height=HEIGHT // 2)
        client.wait(lambda: len(pictures) > seen)

    def added() -> None:
        count[0] += 1  # another seed is another program
        term = NoiseTerm(id="n", size=0.3, octaves=2, seed=count[0])
        picture(wall.with_(coats=(*wall.coats, Coat(id="new", name="New", where=(term,)))))

    known = wall.with_(coats=(*wall.coats, Coat(id="new", name="New", where=(NoiseTerm(id="n", size=0.3, octaves=2),))))
    picture(wall)
    edit, floor = alternate(added, lambda: picture(known))
    client.close()
    note = f"{WIDTH // 2}x{HEIGHT // 2}; floor: the same change to a program compiled before; the old picture stays meanwhile"
    return [entry("added coat to picture", edit, "ms", floor, 6.0, note)]


def bench_section(renderer, demo: Demo) -> list[dict]:
    """The section anew after a dab, against the frame beside which it is drawn."""
    project = demo.project
    prop = project.prop("kiln_wall_prop")
    mesh = demo.mesh(prop.mesh)
    eye = eye_for(Camera(), WIDTH, HEIGHT)
    directions = np.stack([ray(eye, x, 0.58)[1] for x in np.linspace(0.2, 0.6, 400)])
    line = trace(mesh, prop.matrix(), "surface", eye.position, directions)
    stroke, step = Stroke(VertexCanvas(mesh, prop.paint)), [0]
    assert line is not None

    def section() -> None:
        step[0] += 1
        centre = mesh.positions[(step[0] * 7919) % mesh.vertex_count].astype(float)
        stroke.dab(centre, np.array([0.0, 0.0, 1.0]), Brush(0.15, 0.5, channels=(1,)))
        cut(project, demo.library, prop, "surface", "celadon_wall", line, stroke.values)

    def frame() -> None:
        renderer.picture("stage", eye, WIDTH // 2, HEIGHT // 2, stream="beside")

    update, floor = alternate(section, frame)
    return [
        entry("section update after a dab", update, "ms", floor, 1.0,
              f"400 points, three coats; floor: one frame of the view at {WIDTH // 2}x{HEIGHT // 2}"),
    ]  # fmt: skip


MEMORY = """
import resource, threading
def _rss():
    with open("/proc/self/status") as status:
        return next(int(l.split()[1]) for l in status if l.startswith("VmRSS")) * 1024
_peak = [0]
def _watch():
    while True:
        _peak[0] = max(_peak[0], _rss())
        time.sleep(0.005)
"""


def bench_sixty_sets(place: Path) -> list[dict]:
    """Sixty sets of three 512² maps: first picture before all are in, and peak memory against the decoded bytes."""
    folder = place / "sixty"
    decoded = _sixty(folder)
    script = START.replace("def main():", MEMORY + "\ndef main():", 1).replace(
        "    left(window)", "    base = _rss(); threading.Thread(target=_watch, daemon=True).start()\n    left(window)",
    ).replace("        window.close()", '        print("peak", _peak[0] - base, flush=True)\n        window.close()')  # fmt: skip
    firsts, fulls, peaks = [], [], []
    with tempfile.TemporaryDirectory() as home:
        environment = {**os.environ, "XDG_DATA_HOME": home, "XDG_CONFIG_HOME": home}
        path = Path(home) / "start.py"
        path.write_text(script)
        for turn in range(3):  # a cache of its own each time: decoding is what is measured
            start = time.time()
            out = subprocess.run(
                [sys.executable, str(path), str(folder), "0"], env={**environment, "XDG_CACHE_HOME": f"{home}/{turn}"},
                capture_output=True, text=True, check=True,
            )  # fmt: skip
            marks = dict(line.split() for line in out.stdout.splitlines() if line.count(" ") == 1)
            firsts.append((float(marks["picture"]) - start) * 1000)
            fulls.append((float(marks["textured"]) - start) * 1000)
            peaks.append(float(marks["peak"]) / 2**20)
    first, full = statistics.median(firsts), statistics.median(fulls)
    return [
        entry("60 map sets: first picture", first, "ms", full, 0.6, "floor: the picture with all 60 decoded and packed"),
        entry("60 map sets: peak memory of the window", statistics.median(peaks), "MiB", decoded / 2**20, 2.0,
              "above the empty window; floor: the packed textures with their mips"),
    ]  # fmt: skip


def _sixty(folder: Path) -> int:
    """Make the project; returns the bytes of all its packed textures."""
    from jade_coat.files.library import Library
    from jade_coat.mesh import shapes

    assets = Assets()
    library = Library(assets)
    rng = np.random.default_rng(0)
    sets = []
    for i in range(60):
        coarse = rng.random((32, 32, 3)).astype(np.float32)
        picture = (cv2.resize(coarse, (512, 512), interpolation=cv2.INTER_CUBIC).clip(0, 1) * 255).astype(np.uint8)
        maps = []
        for role, image in (
            (Role.BASE_COLOR, picture),
            (Role.ROUGHNESS, picture[..., :1]),
            (Role.HEIGHT, picture[..., 1:2]),
        ):
            data = cv2.imencode(".png", image)[1].tobytes()
            space = "srgb" if role is Role.BASE_COLOR else "linear"
            channels = "rgb" if role is Role.BASE_COLOR else "r"
            asset = assets.put("maps", f"{role.value}.png", data)
            maps.append(MapFile(role=role, asset=asset, file=f"{role.value}.png", color_space=space, channels=channels))
        sets.append(MapSet(id=f"set_{i}", name=f"Set {i}", maps=tuple(maps)))
    mesh = library.add_mesh(shapes.box(0.4, 0.4, 0.4), "Box", set())
    assert isinstance(mesh, MeshAsset)
    materials = tuple(
        Material(id=f"m{i}", name=f"M{i}", coats=(Coat(id="c", name="C", surface=Surface(map_set=f"set_{i}")),))
        for i in range(60)
    )
    finishes = tuple(Finish(id=f"f{i}", name=f"F{i}", parent=f"m{i}") for i in range(60))
    props = tuple(
        Prop(id=f"p{i}", name=f"P{i}", mesh=mesh.id, position=(i % 10 - 5.0, 0.0, i // 10 - 3.0),
             finishes={mesh.slots[0]: f"f{i}"}) for i in range(60)
    )  # fmt: skip
    project = Project(map_sets=tuple(sets), materials=materials, finishes=finishes, props=props, meshes=(mesh,))
    save_project(project, assets, folder)
    return sum(level.nbytes for s in sets for t in library.textures(s) for level in t.levels)
