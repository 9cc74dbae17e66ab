"""Builds the demo project: a courtyard corner of the Saltglaze Terrace, with its materials, finishes and props."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from jade_coat.demo import glows, growth, hillside, leaves, marks, surfaces, whole
from jade_coat.demo.corner import props as corner_props
from jade_coat.files.assets import Assets
from jade_coat.files.desk_file import write_desk
from jade_coat.files.library import Library
from jade_coat.files.project_folder import save_project
from jade_coat.jobs.job import Job
from jade_coat.kiln.firing import fire
from jade_coat.maps.color import hex_to_linear
from jade_coat.maps.images import png_bytes
from jade_coat.maps.mapset import MapFile, MapSet
from jade_coat.maps.synthesis import SurfaceMaps
from jade_coat.material.material import Coat, Dial, Finish, Link, Material
from jade_coat.material.recipes import LIBRARY
from jade_coat.material.seam import Rim, Seam
from jade_coat.material.surface import Role, Surface
from jade_coat.material.where import HeightTerm, MapTerm, NoiseTerm, PaintTerm, RecipeTerm
from jade_coat.mesh import shapes
from jade_coat.mesh.data import MeshData
from jade_coat.stage.desk import Camera, Desk
from jade_coat.stage.making import mote_set
from jade_coat.stage.project import Project
from jade_coat.stage.shared_dials import SharedDial
from jade_coat.stage.things import Things

NAME = "Saltglaze Terrace"
SIDE = 1024
CAMERA = Camera(target=(-0.02, 0.86, -1.3), yaw=0.12, pitch=0.10, distance=3.1, field_of_view=0.62)
"""Where the demo is looked at from."""
SURFACES: tuple[tuple[str, str, float, Callable[[int], SurfaceMaps]], ...] = (
    ("glazed_tile", "Glazed tile", 1.2, surfaces.glazed_tile),
    ("cushion_moss", "Cushion moss", 0.6, surfaces.cushion_moss),
    ("terrace_clay", "Terrace clay", 1.6, surfaces.terrace_clay),
    ("run_glaze", "Run glaze", 0.7, surfaces.run_glaze),
    ("lime_plaster", "Lime plaster", 1.1, surfaces.lime_plaster),
)
RECIPES = ("dust_on_top", "speckle", "weather_side", "some_props", "height_band", "rising_damp")
Progress = Callable[[float, str], None]


def build(
    folder: Path, progress: Progress = lambda share, what: None, side: int = SIDE, grain: float = 1.0,
    corner: bool = False,
) -> Project:  # fmt: skip
    """Make the demo and save it into a folder; the same files every time.

    `side` is that of the maps in texels; a larger `grain` makes coarser meshes; `corner` leaves all but the courtyard's
    corner away.
    """
    assets = Assets()
    library = Library(assets)
    map_sets = tuple(_map_sets(assets, progress, side, () if corner else _atlases(assets, side)))
    progress(0.85, "Shaping meshes")
    shapes_of = _meshes(grain) | ({} if corner else whole.meshes(grain))
    meshes = {name: (library.add_mesh(mesh, name, set()), mesh) for name, mesh in shapes_of.items()}
    project = Project(
        name=NAME,
        map_sets=map_sets,
        materials=_materials(),
        finishes=_finishes(),
        shared=_shared(),
        recipes=tuple(r for r in LIBRARY if r.id in RECIPES),
        meshes=tuple(asset for asset, _ in meshes.values()),
        props=Things(corner_props(meshes)),
    )
    if not corner:
        project = _whole(project, grain)
    progress(0.95, "Saving")
    save_project(project, assets, folder)
    write_desk(folder, Desk(camera=CAMERA))
    return project


def _whole(project: Project, grain: float) -> Project:
    """The corner with the terrace round it, its variants, categories and marks."""
    ids = {m.name: m.id for m in project.meshes}
    made: Project = project.with_(
        materials=(*project.materials, *whole.materials(), hillside.material()),
        finishes=(*project.finishes, *whole.finishes(), *hillside.finishes()),
        meshes=tuple(whole.dressed(m, grain, ids) for m in project.meshes), categories=whole.CATEGORIES,
        stamps=whole.stamps(),
        groups=Things(whole.GROUPS), props=Things([*project.props, *whole.props(ids, project.prop("kiln_wall_prop"))]),
        decals=Things(whole.decals()), lamps=Things(whole.lamps()), mists=Things(whole.mists()),
        grounds=Things([hillside.ground().with_(scatter=growth.scatters(ids))]),
    )  # fmt: skip
    return made


def _atlases(assets: Assets, side: int) -> tuple[MapSet, ...]:
    """The atlases of marks and of leaves."""
    return (
        _atlas(assets, "marks", "Marks", marks.atlas(max(side // 4, 32))),
        _atlas(assets, "leaves", "Leaves", leaves.atlas(max(side // 2, 64))),
        _motes(assets, side // 2),
        *_covers(assets, max(side // 2, 256)),
    )


def _covers(assets: Assets, side: int) -> Iterator[MapSet]:
    """The map sets of what covers the hillside, out of the kiln."""
    for key, cover in hillside.COVERS.items():
        files = fire(cover.brief, cover.seed, side).files()
        yield _atlas(assets, key, cover.name, files, steady=True).with_(tile_size=cover.tile)


def _motes(assets: Assets, side: int) -> MapSet:
    """The map of what glows, made by the maker of motes."""
    numbers = glows.motes(side)
    return mote_set(Project(), "Motes", numbers, numbers.file(), assets.put)


def _atlas(assets: Assets, key: str, name: str, files: dict[str, bytes], steady: bool = False) -> MapSet:
    entries = []
    for role_name, data in files.items():
        role, file = Role(role_name), f"{key}_{role_name}.png"
        entries.append(MapFile(
            role=role, asset=assets.put("maps", file, data), file=file,
            channels="rgb" if role in (Role.BASE_COLOR, Role.NORMAL) else "r",
            color_space="srgb" if role.is_color else "linear", steady=steady and role is Role.ROUGHNESS,
        ))  # fmt: skip
    return MapSet(id=key, name=name, tile_size=1.0, maps=tuple(entries))


def make_for(folder: Path, job: Job) -> None:
    """Make the demo as a job. Raises Cancelled, and what saving raises."""
    build(folder, job.step)


def _map_sets(assets: Assets, progress: Progress, side: int, more: tuple[MapSet, ...]) -> Iterator[MapSet]:
    with ThreadPoolExecutor(2) as pool:
        made = [pool.submit(make, side) for _, _, _, make in SURFACES]
        for i, ((set_id, name, tile_size, _), maps) in enumerate(zip(SURFACES, made, strict=True)):
            progress(0.85 * i / len(SURFACES), f"Making {name.lower()}")
            entries = []
            for role_name, data in maps.result().files().items():
                role = Role(role_name)
                file = f"{set_id}_{role_name}.png"
                entries.append(
                    MapFile(
                        role=role,
                        asset=assets.put("maps", file, data),
                        file=file,
                        channels="rgb" if role in (Role.BASE_COLOR, Role.NORMAL) else "r",
                        color_space="srgb" if role.is_color else "linear",
                    )
                )
            yield MapSet(id=set_id, name=name, tile_size=tile_size, maps=tuple(entries))
    mask = assets.put("maps", "wall_repairs_mask.png", png_bytes(surfaces.wall_repairs()))
    repairs = MapFile(role=Role.MASK, asset=mask, file="wall_repairs_mask.png", channels="r", color_space="linear")
    yield MapSet(id="wall_repairs", name="Wall repairs", tile_size=5.4, maps=(repairs,))
    yield from more


def _meshes(grain: float) -> dict[str, MeshData]:
    profile = [
        (0.0, 0.0), (0.13, 0.0), (0.15, 0.012), (0.20, 0.10), (0.245, 0.22), (0.262, 0.34), (0.25, 0.45),
        (0.20, 0.54), (0.135, 0.59), (0.125, 0.615), (0.14, 0.64), (0.152, 0.655), (0.148, 0.668), (0.125, 0.664),
        (0.115, 0.64), (0.112, 0.55), (0.0, 0.54),
    ]  # fmt: skip
    return {
        "Kiln wall": shapes.bent_wall(5.4, 2.4, 4.2, 0.03 * grain),
        "Gate post": shapes.post(0.46, 1.25, 0.07, 0.03 * grain),
        "Storage jar": shapes.lathe(profile, round(72 / grain), round(60 / grain), [("Body", 0.60), ("Neck", 1.0)]),
        "Terrace floor": shapes.plane(7.0, 5.0, 0.1),
    }


# Long: a table of the demo.
def _materials() -> tuple[Material, ...]:
    wall = Material(
        id="kiln_wall",
        name="Kiln wall",
        depth=0.024,
        coats=(
            Coat(
                id="tile",
                name="Celadon tile",
                surface=Surface(map_set="glazed_tile", tile_size=1.2, height_range=(0.0, 1.0)),
            ),
            Coat(
                id="lime",
                name="Lime plaster",
                surface=Surface(map_set="lime_plaster", tile_size=1.1, height_range=(0.45, 0.95)),
                where=(MapTerm(id="map", map_set="wall_repairs", uv_set=1, range=(0.05, 0.95)),),
                seam=Seam(kind="interlock", softness=0.06, wobble=0.25, wobble_size=0.12),
                rim=Rim(on=True, tint=hex_to_linear("#b3a48c"), width=0.08, roughness=0.1, strength=0.6),
            ),
            Coat(
                id="moss",
                name="Joint moss",
                amount=0.9,
                surface=Surface(map_set="cushion_moss", tile_size=0.6, height_range=(0.1, 0.72)),
                where=(
                    PaintTerm(id="paint", channel="G"),
                    NoiseTerm(id="noise", size=0.35, octaves=3, seed=5, range=(0.2, 0.58)),
                ),
                seam=Seam(kind="interlock", softness=0.09),
            ),
        ),
        dials=(
            Dial(id="tile_size", path="tile.surface.tile_size", name="Tile size", group="Tile"),
            Dial(id="glaze_tint", path="tile.surface.tint", name="Glaze tint", group="Tile"),
            Dial(id="glaze_roughness", path="tile.surface.roughness_range", name="Glaze roughness", group="Tile"),
            Dial(id="tile_relief", path="tile.surface.normal_strength", name="Tile relief", group="Tile"),
            Dial(id="tile_maps", path="tile.surface.map_set", name="Tile maps", group="Tile"),
            Dial(id="repairs", path="lime.amount", name="Repairs", group="Plaster"),
            Dial(
                id="repairs_spread",
                path="lime.where.map.range",
                name="Spread",
                group="Plaster",
                hint="The grey of the mask that counts as bare, and as plastered",
            ),
            Dial(id="moss_amount", path="moss.amount", name="Moss amount", group="Moss"),
            Dial(id="moss_size", path="moss.surface.tile_size", name="Moss size", group="Moss"),
            Dial(id="moss_tint", path="moss.surface.tint", name="Moss tint", group="Moss"),
            Dial(id="moss_softness", path="moss.seam.softness", name="Seam softness", group="Moss"),
            Dial(id="moss_seam", path="moss.seam.kind", name="Seam", group="Moss"),
        ),
    )
    wall = wall.with_(links=(
        *_season("moss"), *_damp("tile"), *_damp("lime"), _shine("lime"),
        Link(path="lime.surface.tint", recipe="weather_side", inputs={"east": 0.6, "north": 0.8}, low=(1.0, 1.0, 1.0),
             high=(0.86, 0.83, 0.77)),
        Link(path="lime.surface.lift", recipe="height_band", inputs={"low": -0.4, "high": 1.1, "soft": 0.4}, low=0.0,
             high=-0.3),
        Link(path="tile.surface.hue", recipe="some_props", inputs={"share": 0.4}, low=0.0, high=0.12),
    ))  # fmt: skip
    lime = wall.coat("lime")
    plain = wall.with_(
        id="plain_mix", name="Kiln wall, plain mix",
        coats=tuple(c.with_(seam=Seam(kind="soft"), rim=Rim()) if c is lime else c for c in wall.coats),
    )  # fmt: skip
    jar = Material(
        id="jar_glaze",
        name="Jar glaze",
        depth=0.004,
        coats=(
            Coat(id="glaze", name="Run glaze", surface=Surface(map_set="run_glaze", tile_size=0.7)),
            Coat(
                id="dust",
                name="Ash dust",
                amount=0.6,
                surface=Surface(color=hex_to_linear("#8d8474"), roughness=0.95, height=0.62),
                where=(RecipeTerm(id="dust", recipe="dust_on_top", inputs={"patch": 0.14}),),
                seam=Seam(kind="soft"),
            ),
        ),
        dials=(
            Dial(id="glaze_tint", path="glaze.surface.tint", name="Glaze tint", group="Glaze"),
            Dial(id="glaze_roughness", path="glaze.surface.roughness_range", name="Glaze roughness", group="Glaze"),
            Dial(id="dust", path="dust.amount", name="Dust", group="Age"),
        ),
        links=(
            Link(path="glaze.surface.value", recipe="speckle", inputs={"metres": 0.035, "radius": 0.22}, low=1.0,
                 high=0.62),
            Link(path="glaze.surface.hue", recipe="some_props", inputs={"share": 0.5}, low=0.0, high=0.06),
        ),
    )  # fmt: skip
    floor = Material(
        id="terrace_floor",
        name="Terrace floor",
        depth=0.03,
        coats=(
            Coat(id="clay", name="Red clay", surface=Surface(map_set="terrace_clay", tile_size=1.6)),
            Coat(
                id="moss",
                name="Floor moss",
                surface=Surface(map_set="cushion_moss", tile_size=0.8, height_range=(0.0, 0.6)),
                where=(
                    PaintTerm(id="paint", channel="G"),
                    HeightTerm(id="height", combine="multiply", range=(0.35, 0.7), invert=True),
                ),
                seam=Seam(kind="interlock", softness=0.14),
            ),
            Coat(
                id="lichen",
                name="Lichen",
                amount=0.7,
                surface=Surface(color=hex_to_linear("#9aa78c"), roughness=0.95, height=0.6),
                where=(
                    RecipeTerm(id="spots", recipe="speckle", inputs={"metres": 0.16, "radius": 0.34}),
                    NoiseTerm(id="noise", size=0.7, octaves=2, seed=11, range=(0.5, 0.68)),
                ),
                seam=Seam(kind="soft"),
            ),
        ),
        dials=(
            Dial(id="clay_tint", path="clay.surface.tint", name="Clay tint", group="Clay"),
            Dial(id="moss_amount", path="moss.amount", name="Moss amount", group="Moss"),
        ),
    )
    floor = floor.with_(links=(
        *_season("moss"), *_damp("clay"), _shine("clay"),
        Link(path="clay.surface.hue", recipe="dust_on_top", inputs={"patch": 0.9}, low=0.0, high=0.1),
    ))  # fmt: skip
    return wall, plain, jar, floor


def _season(coat: str) -> tuple[Link, ...]:
    """A green coat that browns towards winter."""
    return (
        Link(path=f"{coat}.surface.hue", shared="season", low=0.0, high=-0.62),
        Link(path=f"{coat}.surface.saturation", shared="season", low=1.0, high=0.62),
        Link(path=f"{coat}.surface.value", shared="season", low=1.0, high=1.25),
    )


def _damp(coat: str) -> tuple[Link, ...]:
    """A coat that drinks water: darker, less saturated and smoother when wet (Lekner & Dorf 1988)."""
    return (
        Link(path=f"{coat}.surface.value", shared="damp", low=1.0, high=0.52),
        Link(path=f"{coat}.surface.saturation", shared="damp", low=1.0, high=0.86),
    )


def _shine(coat: str) -> Link:
    return Link(path=f"{coat}.surface.roughness_range", shared="damp", low=(0.0, 1.0), high=(0.0, 0.42))


def _shared() -> tuple[SharedDial, ...]:
    return (
        SharedDial(id="season", name="Season", keys=((0.0, 0.0), (3.0, 0.15), (6.0, 1.0), (9.0, 0.8)), length=12.0),
        SharedDial(id="damp", name="Damp", keys=((0.0, 0.0), (2.0, 1.0), (4.0, 0.2), (5.0, 0.0)), length=8.0),
    )


# Long: a table of the demo.
def _finishes() -> tuple[Finish, ...]:
    return (
        Finish(id="celadon_wall", name="Celadon wall", parent="kiln_wall"),
        Finish(
            id="ash_wall", name="Ash wall", parent="celadon_wall",
            values={"glaze_tint": (1.35, 1.05, 0.92), "moss_amount": 0.45},
        ),
        Finish(id="scrubbed_wall", name="Scrubbed", parent="ash_wall", values={"moss_amount": 0.0, "repairs": 0.35}),
        Finish(
            id="overgrown_wall", name="Overgrown", parent="ash_wall",
            values={"moss_amount": 1.0, "moss_size": 0.9, "moss_tint": (0.8, 1.1, 0.7)},
        ),
        Finish(
            id="sooted_wall", name="Sooted wall", parent="celadon_wall",
            values={"glaze_tint": (0.34, 0.33, 0.31), "glaze_roughness": (0.25, 1.0), "moss_amount": 0.2},
        ),
        Finish(
            id="kiln_mouth", name="Kiln mouth", parent="sooted_wall",
            values={"glaze_tint": (0.16, 0.13, 0.12), "repairs": 0.0, "tile_relief": 1.4},
        ),
        Finish(
            id="lime_wall", name="Lime-washed wall", parent="celadon_wall",
            values={"repairs_spread": (0.0, 0.35), "glaze_tint": (1.5, 1.5, 1.45)},
        ),
        Finish(
            id="flaking_wall", name="Flaking", parent="lime_wall",
            values={"repairs_spread": (0.1, 0.55), "tile_relief": 1.3, "moss_seam": "soft"},
        ),
        Finish(id="fresh_wall", name="Fresh wash", parent="lime_wall", values={"moss_amount": 0.0}),
        Finish(
            id="cobalt_wall", name="Cobalt wall", parent="kiln_wall",
            values={"glaze_tint": (0.22, 0.42, 0.9), "repairs": 0.0},
        ),
        Finish(
            id="wet_corner", name="Wet corner", parent="cobalt_wall",
            values={"glaze_roughness": (0.0, 0.35), "moss_amount": 1.0, "moss_softness": 0.2},
        ),
        Finish(
            id="run_glaze_wall", name="Run-glaze wall", parent="cobalt_wall",
            values={"tile_maps": "run_glaze", "tile_size": 0.8, "glaze_tint": (0.5, 0.7, 0.85)},
        ),
        Finish(id="plain_wall", name="Plain mix wall", parent="plain_mix"),
        Finish(id="cream_jar", name="Cream jar", parent="jar_glaze"),
        Finish(
            id="iron_jar", name="Iron jar", parent="cream_jar",
            values={"glaze_tint": (0.30, 0.125, 0.06), "glaze_roughness": (0.0, 0.75), "dust": 0.4},
        ),
        Finish(
            id="cobalt_jar", name="Cobalt jar", parent="cream_jar",
            values={"glaze_tint": (0.075, 0.17, 0.44), "dust": 0.35},
        ),
        Finish(id="trodden_clay", name="Trodden clay", parent="terrace_floor"),
    )  # fmt: skip
