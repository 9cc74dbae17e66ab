"""Every job without a window: demo, info, import, material, bake, export, glsl, take, fill, reimport, and more."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from jade_coat import __version__
from jade_coat.cli_words import UsageError, find, opened_to_read, progress


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; returns the exit code: 0 only on success, 3 when parts were faulty and are named.

    Errors go to stderr in one line.
    """
    words = sys.argv[1:] if arguments is None else list(arguments)
    # A window should start its render process at once: what the other commands' words need is not imported for it.
    parser = _window_parser() if words[:1] == ["app"] else _parser()
    options = parser.parse_args(words)
    try:
        return int(options.run(options) or 0)
    except KeyboardInterrupt:
        print("jade-coat: stopped", file=sys.stderr)
        return 130
    except (OSError, ValueError, KeyError, RuntimeError) as error:
        print(f"jade-coat: {_words(error)}", file=sys.stderr)
        return 1


def _words(error: Exception) -> str:
    """An error's message in one line."""
    text = str(error.args[0]) if isinstance(error, KeyError) and error.args else str(error)
    return " ".join(text.split())


def _bare_parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="jade-coat", description="Layered, parametric materials for game artists.")
    parser.add_argument("--version", action="version", version=f"Jade Coat {__version__}")
    return parser


def _window_parser() -> argparse.ArgumentParser:
    parser = _bare_parser()
    _add_window(parser.add_subparsers(required=True, metavar="COMMAND"))
    return parser


def _add_window(commands: Any) -> None:
    app = commands.add_parser("app", help="Open the window", description=open_window.__doc__)
    app.set_defaults(run=open_window)
    app.add_argument("project", type=Path, nargs="?")


# Long: a few lines a command.
def _parser() -> argparse.ArgumentParser:
    from jade_coat.bake.ground_files import GroundFiles
    from jade_coat.cli_changes import exchange_mesh, fill_paint, fire_words, import_files, make_material, take_over
    from jade_coat.cli_make import MOTES
    from jade_coat.cli_make import make as make_made
    from jade_coat.cli_merge import lift_mark, merge
    from jade_coat.files.mesh_files import MESHES
    from jade_coat.formats import named
    from jade_coat.material.fields import declared
    from jade_coat.material.seam import SEAM_LABELS
    from jade_coat.mesh.units import UNITS

    parser = _bare_parser()
    commands = parser.add_subparsers(required=True, metavar="COMMAND")

    def command(run: Any, name: str, changes: bool = False) -> argparse.ArgumentParser:
        made = commands.add_parser(name, help=run.__doc__.splitlines()[0].rstrip("."), description=run.__doc__)
        made.set_defaults(run=run)
        if changes:
            made.add_argument("--anyway", action="store_true", help="also where parts of the project are missing")
        return made

    demo = command(make_demo, "demo")
    demo.add_argument("dir", type=Path)
    info = command(show_info, "info")
    info.add_argument("project", type=Path)
    info.add_argument("--json", action="store_true", help="print JSON")
    info.add_argument("--scores", action="store_true", help="also how much each prop's look repeats, 0 to 1 (slow)")
    bake = command(bake_maps, "bake")
    bake.add_argument("project", type=Path)
    bake.add_argument("--finish", required=True, metavar="F", help="id or name of a finish")
    bake.add_argument("--prop", metavar="P", help="id or name of a prop (default: the first that wears the finish)")
    bake.add_argument("--size", type=int, default=1024, metavar="N", help="texels a side")
    bake.add_argument("--out", type=Path, required=True, metavar="DIR")
    export = command(export_scene, "export")
    export.add_argument("project", type=Path)
    export.add_argument("--glb", type=Path, required=True, metavar="FILE")
    export.add_argument("--props", nargs="+", default=[], metavar="P", help="ids or names of some props (default: all)")
    export.add_argument("--size", type=int, default=1024, metavar="N", help="texels a side of each baked map")
    export.add_argument("--variants", action="store_true", help="all variants of the models (KHR_materials_variants)")
    ground = command(hand_ground_over, "ground")
    ground.add_argument("project", type=Path)
    ground.add_argument("--out", type=Path, required=True, metavar="DIR")
    ground.add_argument("--ground", default="", metavar="G", help="id or name of a ground (default: the first)")
    for name, spec in declared(GroundFiles).items():
        words = ", ".join(f"{key or 'no'}: {text}" for key, text in spec.choices)
        ground.add_argument(f"--{name}", default=None, choices=[k or "no" for k, _ in spec.choices], help=words)
    glsl = command(write_glsl, "glsl")
    glsl.add_argument("project", type=Path)
    glsl.add_argument("--material", required=True, metavar="M", help="id or name of a material")
    glsl.add_argument("--out", type=Path, required=True, metavar="DIR")
    taking = command(take_over, "take", changes=True)
    taking.add_argument("project", type=Path)
    taking.add_argument("--source", type=Path, required=True, metavar="OTHER", help="the other project's folder")
    kinds = ("finish", "material", "map-set", "recipe", "shared-dial")
    taking.add_argument("--kind", required=True, choices=kinds)
    taking.add_argument("--name", required=True, metavar="N", help="id or name there")
    fill = command(fill_paint, "fill", changes=True)
    fill.add_argument("project", type=Path)
    fill.add_argument("--prop", required=True, metavar="P", help="id or name of a prop")
    fill.add_argument("--rule", default="", metavar="JSON", help="the rule (default: those that the prop keeps)")
    bring = command(import_files, "import", changes=True)
    bring.add_argument("project", type=Path, help="the project's folder; it is made if there is none")
    bring.add_argument("files", type=Path, nargs="+", metavar="FILE", help="meshes and folders of maps")
    bring.add_argument(
        "--unit", choices=tuple(UNITS), help="the unit of the meshes (default: as the file says, or metres)"
    )
    bring.add_argument("--materials", action="store_true", help="take the materials of GLB and glTF files too")
    material = command(make_material, "material", changes=True)
    material.add_argument("project", type=Path)
    material.add_argument("--base", required=True, metavar="SET", help="id or name of the lower coat's map set")
    material.add_argument("--top", metavar="SET", help="id or name of the map set of a coat on top")
    material.add_argument("--name", default="", metavar="N", help="its name (default: that of the base)")
    material.add_argument(
        "--channel", default="R", choices=tuple("RGBA"), help="the painted channel that shows the top"
    )
    material.add_argument("--seam", default="interlock", choices=tuple(SEAM_LABELS), help="how the coats meet")
    material.add_argument("--prop", metavar="P", help="id or name of a prop that is to wear it in every slot")
    make = command(make_made, "make", changes=True)
    make.add_argument("project", type=Path)
    make.add_argument("made", nargs="?", default="", help="id or name of what is to be made anew (default: a new one)")
    make.add_argument("--kind", default="bush", choices=("bush", "card", "cards", MOTES), help="what a new one is")
    make.add_argument("--set", nargs="+", default=[], metavar="NAME=VALUE", help="its numbers, such as count=200")
    make.add_argument("--name", default="", metavar="N", help="the name of a new one (default: its kind)")
    make.add_argument("--finish", default="", metavar="F", help="id or name of what a new one wears")
    kiln = command(fire_words, "kiln", changes=True)
    kiln.add_argument("words", help="what the map set should be like; docs/word-kiln.md lists the words")
    kiln.add_argument("--seed", type=int, default=1, metavar="N", help="another number, another candidate")
    kiln.add_argument("--walk", nargs="+", default=[], metavar="WAY", help="steps from there: grown, older, coarse…")
    kiln.add_argument("--size", type=int, default=1024, metavar="N", help="texels a side")
    kiln.add_argument("--out", type=Path, metavar="DIR", help="write the maps into this folder")
    kiln.add_argument("--project", type=Path, metavar="P", help="keep them as a map set of this project")
    exchange = command(exchange_mesh, "reimport", changes=True)
    exchange.add_argument("project", type=Path)
    exchange.add_argument("--mesh", required=True, metavar="M", help="id or name of a mesh of the project")
    exchange.add_argument("--file", type=Path, required=True, help=f"the mesh file to read: {named(MESHES)}")
    exchange.add_argument("--slot", action="append", default=[], metavar="NEW=OLD",
                          help="a slot of the file goes on as one of the mesh (default: by name)")  # fmt: skip
    merging = command(merge, "merge")
    for side in ("base", "ours", "theirs"):
        merging.add_argument(side, type=Path, metavar=side.upper())
    merging.add_argument("--path", type=Path, metavar="P", help="the project.json that OURS stands for (%%P of git)")
    prefer = ("ours", "theirs", "both")
    merging.add_argument("--prefer", default="ours", choices=prefer, help="which counts where both changed the same")
    merging.add_argument("--json", action="store_true", help="print JSON")
    lifting = command(lift_mark, "lift")
    lifting.add_argument("project", type=Path)
    repeat = command(show_repetition, "repetition")
    repeat.add_argument("project", type=Path)
    repeat.add_argument("--prop", required=True, metavar="P", help="id or name of a prop")
    repeat.add_argument("--json", action="store_true", help="print JSON")
    shot = command(shoot, "shot")
    shot.add_argument("project", type=Path)
    shot.add_argument("--workspace", default="Build", metavar="W")
    shot.add_argument("--size", default="1280x800", metavar="WxH")
    shot.add_argument("--theme", default="", help="Inkstone or Porcelain")
    shot.add_argument("--out", type=Path, required=True, metavar="FILE")
    command(print_schema, "schema")
    _add_window(commands)
    return parser


def make_demo(options: argparse.Namespace) -> None:
    """Make the demo project in a folder."""
    from jade_coat.demo.terrace import build

    folder: Path = options.dir
    if folder.exists() and any(folder.iterdir()) and not (folder / "project.json").is_file():
        raise UsageError(f"{folder} holds other files. Choose an empty folder.")
    build(folder, progress)
    print(folder)


FAULTY = 3
"""The exit code when the work is done, but for parts that are named."""


# Long: one record, and how it is printed.
def _scores(opened: Any) -> dict[str, float]:
    """How much the look of each prop repeats, by its id."""
    from jade_coat.bake.tiling import prop_repetition
    from jade_coat.files.library import Library

    library = Library(opened.assets)
    return {p.id: round(prop_repetition(opened.project, library, p), 4) for p in opened.project.props}


# Long: the lines of one report.
def show_info(options: argparse.Namespace) -> int:
    """Say what a project holds, what its materials cost, and what is missing; 3 where something is."""
    from jade_coat.files.project_folder import open_project
    from jade_coat.maps.packing import PackedLookup
    from jade_coat.material.compile import compile_material, folded_fields
    from jade_coat.program import passes
    from jade_coat.stage.looks import finishes_on, reach
    from jade_coat.stage.mesh_assets import DEFAULT

    opened = open_project(options.project)
    project = opened.project
    lookup = PackedLookup(project.map_sets, project.recipes)
    materials: list[dict[str, Any]] = []
    problems = list(opened.problems)
    for material in project.materials:
        try:
            outputs = compile_material(material, lookup, folded_fields(material))
        except (ValueError, KeyError) as error:
            problems.append(f"{material.name} cannot be compiled: {_words(error)}")
            continue
        used = {n: v for n, v in outputs.items() if ":" not in n and n != "coverage"}
        cost = passes.cost(used)
        materials.append(
            {
                "id": material.id, "name": material.name, "coats": [c.name for c in material.coats],
                "dials": [d.name for d in material.dials], "fetches": cost.fetches,
                "arithmetic": cost.arithmetic, "nodes": cost.nodes, "live": sorted(passes.live(used)),
                "props": len(reach(project, material.id).props),
            }
        )  # fmt: skip
    found: dict[str, Any] = {
        "name": project.name, "folder": str(options.project),
        "materials": materials,
        "finishes": [{"id": f.id, "name": f.name, "parent": f.parent, "changes": sorted(f.values)}
                     for f in project.finishes],
        "map_sets": [{"id": s.id, "name": s.name, "tile_size_m": s.tile_size, "roles": [m.role.value for m in s.maps]}
                     for s in project.map_sets],
        "models": [{"id": m.id, "name": m.name, "slots": m.slots, "categories": m.categories, "variants": [
            {"index": i, "id": v.id, "name": v.name, "finishes": v.finishes} for i, v in enumerate(m.variants)
        ]} for m in project.meshes],
        "props": [{"id": p.id, "name": p.name, "mesh": p.mesh, "variant": p.variant or DEFAULT,
                   "finishes": dict(finishes_on(project, p)), "own_paint": p.paint is not None}
                  for p in project.props],
        "problems": problems,
    }  # fmt: skip
    if options.scores:
        found["repetition"] = _scores(opened)
    code = FAULTY if problems else 0
    if options.json:
        print(json.dumps(found, indent=1, ensure_ascii=False))
        return code
    print(f"{project.name}: {len(project.props)} props, {len(materials)} materials, {len(project.finishes)} finishes")
    for m in materials:
        print(f"  {m['name']}: {', '.join(m['coats'])}; {len(m['dials'])} dials, {m['fetches']} texture reads")
    for mesh in project.meshes:
        if len(mesh.variants) > 1:
            print(f"  {mesh.name}: " + ", ".join(f"{i} {v.name}" for i, v in enumerate(mesh.variants)))
    for prop, score in found.get("repetition", {}).items():
        print(f"  {project.prop(prop).name} repeats {score:.2f}")
    for problem in problems:
        print(f"  ! {problem}")
    return code


def bake_maps(options: argparse.Namespace) -> None:
    """Bake a finish on a prop into PNG maps."""
    from jade_coat.bake.exporting import bake_to_folder
    from jade_coat.files.library import Library
    from jade_coat.jobs.job import Job
    from jade_coat.stage.looks import wearers

    opened = opened_to_read(options.project)
    project = opened.project
    finish = find(project.finishes, options.finish, "finish").id
    if options.prop:
        prop = find(project.props, options.prop, "prop")
    else:
        wearing = wearers(project, finish)
        if not wearing:
            raise UsageError(f"no prop wears {finish!r}; name one with --prop")
        prop = wearing[0]
    for path in bake_to_folder(project, Library(opened.assets), finish, prop, options.size, options.out, Job(progress)):
        print(path)


def show_repetition(options: argparse.Namespace) -> None:
    """Say how much the look of a prop repeats, 0 to 1."""
    from jade_coat.bake.tiling import prop_repetition
    from jade_coat.files.library import Library

    opened = opened_to_read(options.project)
    prop = find(opened.project.props, options.prop, "prop")
    score = prop_repetition(opened.project, Library(opened.assets), prop)
    print(json.dumps({"prop": prop.id, "repetition": round(score, 4)}) if options.json else f"repetition {score:.2f}")


def export_scene(options: argparse.Namespace) -> int:
    """Bake every prop and write one GLB."""
    from jade_coat.bake.exporting import export_glb
    from jade_coat.files.library import Library
    from jade_coat.jobs.job import Job

    opened = opened_to_read(options.project)
    props = [find(opened.project.props, name, "prop") for name in options.props]
    written = export_glb(
        opened.project, Library(opened.assets), options.glb, options.size, Job(progress), props, options.variants
    )
    print(options.glb)
    for note in (*written.notes, *written.told):
        print(f"jade-coat: {note}", file=sys.stderr)
    return FAULTY if written.notes else 0


def hand_ground_over(options: argparse.Namespace) -> None:
    """Write a ground as open files: heights, weights, baked maps, puddles, a GLB and what is strewn."""
    from jade_coat.bake.ground_files import GroundFiles, hand_over
    from jade_coat.files.library import Library
    from jade_coat.jobs.job import Job

    opened = opened_to_read(options.project)
    grounds = list(opened.project.grounds)
    if not grounds:
        raise UsageError(f"{opened.project.name} has no ground")
    ground = find(grounds, options.ground, "ground") if options.ground else grounds[0]
    asked = {name: getattr(options, name) for name in GroundFiles.model_fields}
    chosen = {name: "" if value == "no" else value for name, value in asked.items() if value is not None}
    written = hand_over(
        opened.project, Library(opened.assets), ground.id, GroundFiles(**chosen), options.out, Job(progress)
    )
    for path in written.paths:
        print(path)
    for line in written.told:
        print(f"jade-coat: {line}", file=sys.stderr)


def write_glsl(options: argparse.Namespace) -> None:
    """Write a material as GLSL with its parameter sheet and textures."""
    from jade_coat.files.glsl_bundle import write_bundle
    from jade_coat.files.library import Library

    opened = opened_to_read(options.project)
    material = find(opened.project.materials, options.material, "material")
    for path in write_bundle(opened.project, Library(opened.assets), material, options.out):
        print(path)


def _size(text: str) -> tuple[int, int]:
    width, _, height = text.lower().partition("x")
    if not (width.isdigit() and height.isdigit() and 200 <= int(width) <= 8192 and 200 <= int(height) <= 8192):
        raise UsageError(f"--size {text}: expected WIDTHxHEIGHT, 200 to 8192 each")
    return int(width), int(height)


def shoot(options: argparse.Namespace) -> None:
    """Draw the real window on a project without a screen into a PNG."""
    from jade_coat.app.shot import take_shot

    width, height = _size(options.size)
    take_shot(options.project, options.workspace, width, height, options.out, options.theme)
    print(options.out)


def print_schema(options: argparse.Namespace) -> None:
    """Print the JSON Schema of project.json."""
    from jade_coat.files.project_folder import schema

    print(json.dumps(schema(), indent=1))


def open_window(options: argparse.Namespace) -> None:
    """Open the window, on a project if one is given."""
    import gc

    from jade_coat.view.early import start_early

    gc.disable()  # what is imported stays; the application's own collector takes over
    started = start_early()
    from jade_coat.app.main import start

    code = start(options.project, started)
    if code:
        raise RuntimeError(f"the window ended with code {code}")


if __name__ == "__main__":
    sys.exit(main())
