"""Commands without a window that change a project and save it."""

from __future__ import annotations

import argparse
import sys
from functools import partial
from typing import Any

from jade_coat.cli_words import UsageError, find, opened_to_change, opened_to_read, progress
from jade_coat.stage import edits


def take_over(options: argparse.Namespace) -> None:
    """Take something over from another project, with all it needs, and save."""
    from jade_coat.files.project_folder import save_project
    from jade_coat.stage.document import Document
    from jade_coat.stage.loose_ends import loose_ends
    from jade_coat.stage.taking import assets_of, needed, take

    kinds = {"finish": "finishes", "material": "materials", "map-set": "map_sets", "recipe": "recipes",
             "shared-dial": "shared"}  # fmt: skip
    mine, other = opened_to_change(options), opened_to_read(options.source)
    kind: Any = kinds[options.kind]
    wanted = find(getattr(other.project, kind), options.name, options.kind).id
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
    known = set(loose_ends(mine.project))
    for end in loose_ends(document.project):
        if end not in known:
            print(f"jade-coat: {end.told}", file=sys.stderr)


def fill_paint(options: argparse.Namespace) -> None:
    """Fill a prop's paint by rule: by the rules it keeps, or by one given as JSON.

    The rule's fields are those of PaintRule in docs/project.schema.json.
    """
    from jade_coat.files.library import Library
    from jade_coat.files.project_folder import save_project
    from jade_coat.looking.surroundings import surroundings
    from jade_coat.mesh.filling import map_filled, run_rules
    from jade_coat.mesh.painting import PaintMap, shown_paint
    from jade_coat.stage.document import Document
    from jade_coat.stage.paint_rules import PaintRule
    from jade_coat.stage.project import StoredMap

    opened = opened_to_change(options)
    library = Library(opened.assets)
    prop = find(opened.project.props, options.prop, "prop")
    rules = (PaintRule.model_validate_json(options.rule),) if options.rule else prop.rules
    if not rules:
        raise UsageError(f"{prop.name} keeps no rules; give one with --rule")
    mesh = library.mesh_by_id(opened.project, prop.mesh)
    around = surroundings(opened.project, library, prop)
    if isinstance(prop.paint, str) or isinstance(prop.paint_map, StoredMap):
        raise UsageError(f"the paint of {prop.name} is away; put its file back first, or reset it in the window")
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


# Long: a few lines for each kind of file.
def import_files(options: argparse.Namespace) -> None:
    """Bring meshes and folders of maps into a project, which is made if there is none."""
    from jade_coat.files.assets import Assets
    from jade_coat.files.file_looks import look_of, notes_of
    from jade_coat.files.gltf_lights import lamps_of, read_lights
    from jade_coat.files.gltf_materials import read_materials, read_variants
    from jade_coat.files.library import Library
    from jade_coat.files.mesh_files import read_mesh
    from jade_coat.files.project_folder import Home, save_project
    from jade_coat.maps.mapset import MapSet, set_name
    from jade_coat.mesh.units import UNITS, is_odd, scaled
    from jade_coat.stage.document import Document
    from jade_coat.stage.making import beside, file_looks, placed_mesh
    from jade_coat.stage.naming import free_id, free_name
    from jade_coat.stage.project import Project

    there = (options.project / "project.json").is_file()
    if not there and options.project.exists() and any(options.project.iterdir()):
        raise UsageError(f"{options.project} holds other files. Choose an empty folder.")
    opened = opened_to_change(options) if there else None
    assets = opened.assets if opened is not None else Assets()
    library = Library(assets)
    document = Document(opened.project if opened is not None else Project(name=options.project.name))
    told: list[str] = []
    for path in options.files:
        if not path.exists():
            raise UsageError(f"{path} is not there")
        project = document.project
        if path.is_dir():
            found = library.read_map_folder(path)
            for entries in found.sets:
                name = free_name(set_name(entries, path), {s.name for s in project.map_sets})
                made = MapSet(id=free_id(name, {s.id for s in project.map_sets}), name=name, maps=tuple(entries))
                document.do(edits.add_map_set(map_set=made))
                project = document.project
                told.append(f"{made.id} (map set): {', '.join(m.role.label.lower() for m in made.maps)}")
            told += [f"left out: {entry.file}" for entry in found.left_out]
            told += [f"note: {note}" for note in found.notes]
            continue
        mesh = scaled(read_mesh(path), UNITS[options.unit][1] if options.unit else 1.0)
        at = beside(project, partial(library.mesh_by_id, project), mesh)
        placed = placed_mesh(project, library.add_mesh, mesh, path.stem, (at, 0.0, 0.0))
        document.do_all("Import a mesh", placed.steps)
        size = " × ".join(f"{v:.3g}" for v in mesh.bounds[1] - mesh.bounds[0])
        told.append(f"{placed.prop.id} (prop): {mesh.vertex_count} vertices, {size} m")
        if options.materials and path.suffix.lower() in (".glb", ".gltf"):
            data = path.read_bytes()
            found_looks = read_materials(
                data, path.name, path.parent, lambda file, content: assets.put("maps", file, content)
            )
            variants = [(v.name, v.worn) for v in read_variants(data, path.name, path.parent)]
            looks = [look_of(one) for one in found_looks]
            document.do_all("Take materials", file_looks(document.project, placed.prop.id, looks, variants))
            told += [f"{name} (variant)" for name, _ in variants]
            told += [f"{one.name} (material): worn by {one.slot}" for one in found_looks]
            told += [f"note: {line}" for one in found_looks for line in notes_of(one)]
            lamps = lamps_of(read_lights(data, path.name, path.parent), document.project, placed.prop.position)
            if lamps:
                document.do(edits.add_things(things=lamps))
                told += [f"{lamp.id} (lamp)" for lamp in lamps]
        if is_odd(mesh) and not options.unit:
            told.append(f"note: {path.name} is an unlikely {size} m; say what it was made in with --unit")
    save_project(
        document.project, assets, options.project, opened.home if opened is not None else Home(options.project, "")
    )
    print("\n".join(told))


def make_material(options: argparse.Namespace) -> None:
    """Make a material of one or two coats out of map sets, with a finish of its own."""
    from jade_coat.files.project_folder import save_project
    from jade_coat.stage.document import Document
    from jade_coat.stage.making import new_material

    opened = opened_to_change(options)
    project = opened.project
    base = find(project.map_sets, options.base, "map set")
    top = find(project.map_sets, options.top, "map set") if options.top else None
    made = new_material(
        project, options.name or base.name, base.id, top.id if top else None, options.channel, options.seam
    )
    steps = list(made.steps)
    if options.prop:
        prop = find(project.props, options.prop, "prop")
        steps += [edits.put_finish(prop=prop.id, slot=s, finish=made.finish) for s in project.mesh(prop.mesh).slots]
    document = Document(project)
    document.do_all("New material", steps)
    save_project(document.project, opened.assets, options.project, opened.home)
    print(f"{made.material.id} (material)\n{made.finish} (finish)")


def exchange_mesh(options: argparse.Namespace) -> None:
    """Read a mesh file in place of a project's mesh; the paint of its props is carried over."""
    from jade_coat.files.library import Library
    from jade_coat.files.mesh_files import read_mesh
    from jade_coat.files.project_folder import save_project
    from jade_coat.stage.document import Document
    from jade_coat.stage.remesh import imported_anew, matched_slots, with_slots_named

    opened = opened_to_change(options)
    library = Library(opened.assets)
    asset = find(opened.project.meshes, options.mesh, "mesh")
    read = read_mesh(options.file)
    match = matched_slots(asset.slots, tuple(s.name for s in read.slots))
    for pair in options.slot:
        new, _, old = pair.partition("=")
        if new not in match or old not in asset.slots:
            raise UsageError(f"--slot {pair}: the file has {', '.join(match)}; the mesh has {', '.join(asset.slots)}")
        match[new] = old
    made = imported_anew(opened.project, asset.id, library.mesh(asset), with_slots_named(read, match), progress)
    document = Document(opened.project)
    document.do(edits.exchange_mesh(mesh=library.exchanged(asset, made.mesh), paint=made.paint, maps=made.maps))
    save_project(document.project, opened.assets, options.project, opened.home)
    print("\n".join([*made.report, *(f"{new} goes on as {old}." for new, old in match.items() if new != old)]))


def fire_words(options: argparse.Namespace) -> None:
    """Fire words in the simulated kiln: maps into a folder, or a map set into a project."""
    from jade_coat.files.atomic import write_all
    from jade_coat.files.library import Library
    from jade_coat.files.project_folder import save_project
    from jade_coat.jobs.job import Job
    from jade_coat.kiln.brief import DIRECTIONS
    from jade_coat.kiln.keeping import keeping, map_set_of
    from jade_coat.kiln.provider import Ask, SimulatedKiln
    from jade_coat.stage.document import Document

    strange = [way for way in options.walk if way not in DIRECTIONS]
    if strange:
        raise UsageError(f"there is no way {strange[0]!r}; there are {', '.join(DIRECTIONS)}")
    if not options.out and not options.project:
        raise UsageError("say where the maps go: --out DIR, --project P or both")
    kiln, ask = SimulatedKiln(), Ask(options.words, options.seed, tuple(options.walk))
    read = kiln.understood(ask)
    made = kiln.full(ask, options.size, Job())
    told = [f"{made.name}: {made.category}, {made.size:g} m, seed {ask.seed}"]
    told += [f"note: not understood: {', '.join(read.unknown)}"] if read.unknown else []
    if options.out:
        stem = made.name.lower().replace(" ", "_")
        told += [str(p) for p in write_all(options.out, {f"{stem}_{r}.png": d for r, d in made.files.items()})]
    if options.project:
        opened = opened_to_change(options)
        document = Document(opened.project)
        map_set = map_set_of(made, document.project, Library(opened.assets).assets.put)
        document.do_all("Keep", keeping(map_set))
        save_project(document.project, opened.assets, options.project, opened.home)
        told.append(f"{map_set.id} (map set)")
    print("\n".join(told))
