"""Every job without a window: demo, info, bake, export, glsl, take, fill, reimport, repetition, shot."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any

from jade_coat import __version__
from jade_coat.formats import named
from jade_coat.stage import edits


class UsageError(ValueError):
    """The command's words do not fit together."""


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; returns the exit code: 0 only on success, 3 when parts were faulty and are named.

    Errors go to stderr in one line.
    """
    parser = _parser()
    options = parser.parse_args(arguments)
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


# Long: a few lines a command.
def _parser() -> argparse.ArgumentParser:
    from jade_coat.files.mesh_files import MESHES

    parser = argparse.ArgumentParser(prog="jade-coat", description="Layered, parametric materials for game artists.")
    parser.add_argument("--version", action="version", version=f"Jade Coat {__version__}")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")

    def command(run: Any, name: str) -> argparse.ArgumentParser:
        made = commands.add_parser(name, help=run.__doc__.splitlines()[0].rstrip("."), description=run.__doc__)
        made.set_defaults(run=run)
        return made

    demo = command(make_demo, "demo")
    demo.add_argument("dir", type=Path)
    info = command(show_info, "info")
    info.add_argument("project", type=Path)
    info.add_argument("--json", action="store_true", help="print JSON")
    bake = command(bake_maps, "bake")
    bake.add_argument("project", type=Path)
    bake.add_argument("--finish", required=True, metavar="F", help="id or name of a finish")
    bake.add_argument("--prop", metavar="P", help="id or name of a prop (default: the first that wears the finish)")
    bake.add_argument("--size", type=int, default=1024, metavar="N", help="texels a side")
    bake.add_argument("--out", type=Path, required=True, metavar="DIR")
    export = command(export_scene, "export")
    export.add_argument("project", type=Path)
    export.add_argument("--glb", type=Path, required=True, metavar="FILE")
    export.add_argument("--size", type=int, default=1024, metavar="N", help="texels a side of each baked map")
    glsl = command(write_glsl, "glsl")
    glsl.add_argument("project", type=Path)
    glsl.add_argument("--material", required=True, metavar="M", help="id or name of a material")
    glsl.add_argument("--out", type=Path, required=True, metavar="DIR")
    taking = command(take_over, "take")
    taking.add_argument("project", type=Path)
    taking.add_argument("--source", type=Path, required=True, metavar="OTHER", help="the other project's folder")
    kinds = ("finish", "material", "map-set", "recipe", "shared-dial")
    taking.add_argument("--kind", required=True, choices=kinds)
    taking.add_argument("--name", required=True, metavar="N", help="id or name there")
    fill = command(fill_paint, "fill")
    fill.add_argument("project", type=Path)
    fill.add_argument("--prop", required=True, metavar="P", help="id or name of a prop")
    fill.add_argument("--rule", default="", metavar="JSON", help="the rule (default: those that the prop keeps)")
    exchange = command(exchange_mesh, "reimport")
    exchange.add_argument("project", type=Path)
    exchange.add_argument("--mesh", required=True, metavar="M", help="id or name of a mesh of the project")
    exchange.add_argument("--file", type=Path, required=True, help=f"the mesh file to read: {named(MESHES)}")
    exchange.add_argument("--slot", action="append", default=[], metavar="NEW=OLD",
                          help="a slot of the file goes on as one of the mesh (default: by name)")  # fmt: skip
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
    app = command(open_window, "app")
    app.add_argument("project", type=Path, nargs="?")
    return parser


def _progress(share: float, what: str) -> None:
    if sys.stderr.isatty():
        print(f"\r{share * 100:3.0f} %  {what:<50}", end="", file=sys.stderr, flush=True)
        if share >= 1:
            print(file=sys.stderr)


def _find(items: Iterable[Any], wanted: str, what: str) -> Any:
    """The item whose id or name is `wanted`. Raises UsageError listing those there are."""
    for item in items:
        if wanted in (item.id, item.name):
            return item
    there = ", ".join(i.id for i in items) or "none"
    raise UsageError(f"there is no {what} {wanted!r}; there are: {there}")


def make_demo(options: argparse.Namespace) -> None:
    """Make the demo project in a folder."""
    from jade_coat.demo.terrace import build

    folder: Path = options.dir
    if folder.exists() and any(folder.iterdir()) and not (folder / "project.json").is_file():
        raise UsageError(f"{folder} holds other files. Choose an empty folder.")
    build(folder, _progress)
    print(folder)


FAULTY = 3
"""The exit code when the work is done, but for parts that are named."""


# Long: one record, and how it is printed.
def show_info(options: argparse.Namespace) -> int:
    """Say what a project holds, what its materials cost, and what is missing."""
    from jade_coat.files.project_folder import open_project
    from jade_coat.maps.packing import PackedLookup
    from jade_coat.material.compile import compile_material, folded_fields
    from jade_coat.program import passes
    from jade_coat.stage.looks import reach

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
    found = {
        "name": project.name, "folder": str(options.project),
        "materials": materials,
        "finishes": [{"id": f.id, "name": f.name, "parent": f.parent, "changes": sorted(f.values)}
                     for f in project.finishes],
        "map_sets": [{"id": s.id, "name": s.name, "tile_size_m": s.tile_size, "roles": [m.role.value for m in s.maps]}
                     for s in project.map_sets],
        "props": [{"id": p.id, "name": p.name, "mesh": p.mesh, "finishes": p.finishes, "own_paint": p.paint is not None}
                  for p in project.props],
        "problems": problems,
    }  # fmt: skip
    code = FAULTY if len(problems) > len(opened.problems) else 0
    if options.json:
        print(json.dumps(found, indent=1, ensure_ascii=False))
        return code
    print(f"{project.name}: {len(project.props)} props, {len(materials)} materials, {len(project.finishes)} finishes")
    for m in materials:
        print(f"  {m['name']}: {', '.join(m['coats'])}; {len(m['dials'])} dials, {m['fetches']} texture reads")
    for problem in problems:
        print(f"  ! {problem}")
    return code


def bake_maps(options: argparse.Namespace) -> None:
    """Bake a finish on a prop into PNG maps."""
    from jade_coat.bake.scene_bake import bake_to_folder
    from jade_coat.files.library import Library
    from jade_coat.files.project_folder import open_project
    from jade_coat.jobs.job import Job

    opened = open_project(options.project)
    project = opened.project
    finish = _find(project.finishes, options.finish, "finish").id
    if options.prop:
        prop = _find(project.props, options.prop, "prop")
    else:
        wearing = [p for p in project.props if finish in p.finishes.values()]
        if not wearing:
            raise UsageError(f"no prop wears {finish!r}; name one with --prop")
        prop = wearing[0]
    for path in bake_to_folder(
        project, Library(opened.assets), finish, prop, options.size, options.out, Job(_progress)
    ):
        print(path)


def show_repetition(options: argparse.Namespace) -> None:
    """Say how much the look of a prop repeats, 0 to 1."""
    from jade_coat.bake.tiling import prop_repetition
    from jade_coat.files.library import Library
    from jade_coat.files.project_folder import open_project

    opened = open_project(options.project)
    prop = _find(opened.project.props, options.prop, "prop")
    score = prop_repetition(opened.project, Library(opened.assets), prop)
    print(json.dumps({"prop": prop.id, "repetition": round(score, 4)}) if options.json else f"repetition {score:.2f}")


def export_scene(options: argparse.Namespace) -> int:
    """Bake every prop and write one GLB."""
    from jade_coat.bake.scene_bake import export_glb
    from jade_coat.files.library import Library
    from jade_coat.files.project_folder import open_project
    from jade_coat.jobs.job import Job

    opened = open_project(options.project)
    written = export_glb(opened.project, Library(opened.assets), options.glb, options.size, Job(_progress))
    print(options.glb)
    for note in (*written.notes, *written.told):
        print(f"jade-coat: {note}", file=sys.stderr)
    return FAULTY if written.notes else 0


def take_over(options: argparse.Namespace) -> None:
    """Take something over from another project, with all it needs, and save."""
    from jade_coat.files.project_folder import open_project, save_project
    from jade_coat.stage.document import Document
    from jade_coat.stage.taking import assets_of, needed, take

    kinds = {"finish": "finishes", "material": "materials", "map-set": "map_sets", "recipe": "recipes",
             "shared-dial": "shared"}  # fmt: skip
    mine, other = open_project(options.project), open_project(options.source)
    kind: Any = kinds[options.kind]
    wanted = _find(getattr(other.project, kind), options.name, options.kind).id
    folder = str(options.source.resolve())
    for name in assets_of(other.project, needed(other.project, (kind, wanted))):
        if not mine.assets.has(name):
            group, _, file = name.partition("/")
            mine.assets.put(group, file.partition("-")[2], other.assets.read(name))
    done = take(mine.project, other.project, (kind, wanted), folder)
    document = Document(mine.project)
    document.do(edits.take_over(other=other.project, kind=kind, id=wanted, folder=folder))
    save_project(document.project, mine.assets, options.project, mine.home)
    for (_, made), name in done.added:
        print(f"{name} ({made})")


def fill_paint(options: argparse.Namespace) -> None:
    """Fill a prop's paint by rule: by the rules it keeps, or by one given as JSON.

    The rule's fields are those of PaintRule in docs/project.schema.json.
    """
    from jade_coat.files.library import Library
    from jade_coat.files.project_folder import open_project, save_project
    from jade_coat.looking.surroundings import surroundings
    from jade_coat.mesh.filling import map_filled, run_rules
    from jade_coat.mesh.painting import PaintMap, shown_paint
    from jade_coat.stage.document import Document
    from jade_coat.stage.paint_rules import PaintRule

    opened = open_project(options.project)
    library = Library(opened.assets)
    prop = _find(opened.project.props, options.prop, "prop")
    rules = (PaintRule.model_validate_json(options.rule),) if options.rule else prop.rules
    if not rules:
        raise UsageError(f"{prop.name} keeps no rules; give one with --rule")
    mesh = library.mesh_by_id(opened.project, prop.mesh)
    around = surroundings(opened.project, library, prop)
    document = Document(opened.project)
    if isinstance(prop.paint_map, PaintMap):
        made = prop.paint_map
        for rule in rules:
            made = map_filled(rule, mesh, prop.matrix(), made, around)
        document.do(edits.paint_map(prop=prop.id, paint_map=made))
    else:
        base = shown_paint(mesh, prop.paint, max(max(r.channels) for r in rules) // 4 + 1)
        document.do(edits.paint_prop(prop=prop.id, paint=run_rules(rules, mesh, prop.matrix(), base, around)))
    save_project(document.project, opened.assets, options.project, opened.home)
    print(f"{prop.name} filled by {len(rules)} rule{'s' if len(rules) > 1 else ''}")


def exchange_mesh(options: argparse.Namespace) -> None:
    """Read a mesh file in place of a project's mesh; the paint of its props is carried over."""
    from jade_coat.files.library import Library
    from jade_coat.files.mesh_files import read_mesh
    from jade_coat.files.project_folder import open_project, save_project
    from jade_coat.stage.document import Document
    from jade_coat.stage.remesh import imported_anew, matched_slots, with_slots_named

    opened = open_project(options.project)
    library = Library(opened.assets)
    asset = _find(opened.project.meshes, options.mesh, "mesh")
    read = read_mesh(options.file)
    match = matched_slots(asset.slots, tuple(s.name for s in read.slots))
    for pair in options.slot:
        new, _, old = pair.partition("=")
        if new not in match or old not in asset.slots:
            raise UsageError(f"--slot {pair}: the file has {', '.join(match)}; the mesh has {', '.join(asset.slots)}")
        match[new] = old
    made = imported_anew(opened.project, asset.id, library.mesh(asset), with_slots_named(read, match), _progress)
    document = Document(opened.project)
    document.do(edits.exchange_mesh(mesh=library.exchanged(asset, made.mesh), paint=made.paint, maps=made.maps))
    save_project(document.project, opened.assets, options.project, opened.home)
    print("\n".join([*made.report, *(f"{new} goes on as {old}." for new, old in match.items() if new != old)]))


def write_glsl(options: argparse.Namespace) -> None:
    """Write a material as GLSL with its parameter sheet and textures."""
    from jade_coat.files.glsl_bundle import write_bundle
    from jade_coat.files.library import Library
    from jade_coat.files.project_folder import open_project

    opened = open_project(options.project)
    material = _find(opened.project.materials, options.material, "material")
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
    from jade_coat.app.main import start

    code = start(options.project)
    if code:
        raise RuntimeError(f"the window ended with code {code}")


if __name__ == "__main__":
    sys.exit(main())
