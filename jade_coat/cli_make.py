"""The command that makes meshes and maps from numbers."""

from __future__ import annotations

import argparse
import json
from typing import TYPE_CHECKING, Any

from jade_coat.cli_words import UsageError, find, opened_to_change, progress
from jade_coat.material.fields import declared
from jade_coat.stage import edits

if TYPE_CHECKING:
    from jade_coat.files.library import Library
    from jade_coat.maps.mapset import MapSet
    from jade_coat.maps.motes import Motes
    from jade_coat.mesh.makers import Made
    from jade_coat.stage.document import Document
    from jade_coat.stage.mesh_assets import MeshAsset


MOTES = "motes"
"""What is made into a map set rather than a mesh."""


def make(options: argparse.Namespace) -> None:
    """Make something from numbers in a project: a bush, a card, a card field, motes; or what it has anew."""
    from jade_coat.files.library import Library
    from jade_coat.files.project_folder import save_project
    from jade_coat.stage.document import Document

    opened = opened_to_change(options)
    library, document, project = Library(opened.assets), Document(opened.project), opened.project
    things: tuple[MeshAsset | MapSet, ...] = (*project.meshes, *project.map_sets)
    if options.made:
        thing: Any = find(things, options.made, "mesh or map set")
        if thing.made is None:
            known = ", ".join(t.id for t in things if t.made is not None) or "none"
            raise UsageError(f"{thing.name} is not made from numbers; those that are: {known}")
        anew = _motes_anew if thing in project.map_sets else _mesh_anew
        told = anew(document, library, thing, _numbers(thing.made, options.set))
    elif options.kind == MOTES:
        told = _new_motes(document, library, options)
    else:
        told = _new_mesh(document, library, options)
    save_project(document.project, opened.assets, options.project, opened.home)
    print("\n".join(told))


def _mesh_anew(document: Document, library: Library, asset: MeshAsset, numbers: Made) -> list[str]:
    from jade_coat.stage.remesh import imported_anew

    mesh, mark = library.make(document.project, numbers)
    found = imported_anew(document.project, asset.id, library.mesh(asset), mesh, progress)
    exchanged = library.exchanged(asset, found.mesh, numbers, mark)
    document.do(edits.exchange_mesh(mesh=exchanged, paint=found.paint, maps=found.maps))
    return list(found.report)


def _new_mesh(document: Document, library: Library, options: argparse.Namespace) -> list[str]:
    from jade_coat.mesh.makers import MAKERS
    from jade_coat.stage.making import beside, placed_mesh

    project, numbers = document.project, _numbers(MAKERS[options.kind](), options.set)
    mesh, mark = library.make(project, numbers)
    at = beside(project, lambda m: library.mesh_by_id(project, m), mesh)
    placed = placed_mesh(
        project, lambda *kept: library.add_mesh(*kept).with_(made=numbers, made_of=mark), mesh,
        options.name or numbers.noun.capitalize(), (at, 0.0, 0.0),
    )  # fmt: skip
    steps = list(placed.steps)
    if options.finish:
        worn = find((*project.finishes, *project.materials), options.finish, "finish")
        steps.append(edits.put_finish(prop=placed.prop.id, slot=placed.asset.slots[0], finish=worn.id))
    document.do_all(f"Make a {numbers.noun}", steps)
    return [f"{placed.prop.id} (prop): {numbers.words(mesh)}"]


def _new_motes(document: Document, library: Library, options: argparse.Namespace) -> list[str]:
    from jade_coat.maps.motes import Motes
    from jade_coat.stage.making import glowing, mote_set

    numbers = _numbers(Motes(), options.set)
    made = mote_set(document.project, options.name or "Motes", numbers, numbers.file(), library.assets.put)
    glow, finish = glowing(document.project, made.name, made.id, (1.0, 1.0, 1.0), 1.0)
    document.do_all("Make a map of motes", [edits.add_map_set(map_set=made), *glow])
    return [f"{made.id} (map set): {numbers.regions} regions, {numbers.side} texels a side", f"{finish} (finish)"]


def _motes_anew(document: Document, library: Library, map_set: MapSet, numbers: Motes) -> list[str]:
    from jade_coat.stage.making import mote_file

    maps = mote_file(map_set.id, numbers.file(), library.assets.put)
    document.do(edits.set_map_set(map_set=map_set.id, maps=maps, made=numbers))
    return [f"{map_set.id} (map set): {numbers.regions} regions, {numbers.side} texels a side"]


def _numbers(old: Any, pairs: list[str]) -> Any:
    """Numbers with some replaced, each told as NAME=VALUE. Raises UsageError."""
    changes: dict[str, Any] = {}
    known = declared(type(old))
    for pair in pairs:
        name, is_pair, text = pair.partition("=")
        if not is_pair or name not in known:
            raise UsageError(f"--set {pair}: there are {', '.join(known)}, each as NAME=VALUE")
        if known[name].kind in ("map", "choice"):
            changes[name] = text
            continue
        try:
            changes[name] = json.loads(f"[{text}]" if "," in text else text)
        except json.JSONDecodeError:
            raise UsageError(f"--set {pair}: {text!r} is no number, and no numbers with commas between them") from None
    return old.with_(**changes)
