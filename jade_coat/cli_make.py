"""The command that makes meshes from numbers."""

from __future__ import annotations

import argparse
import json
from typing import Any

from jade_coat.cli_words import UsageError, find, progress
from jade_coat.material.fields import declared
from jade_coat.stage import edits


def make_mesh(options: argparse.Namespace) -> None:
    """Make a mesh from numbers in a project: a bush of cards, one card; or one of those it has anew."""
    from jade_coat.files.library import Library
    from jade_coat.files.project_folder import open_project, save_project
    from jade_coat.mesh.makers import MAKERS
    from jade_coat.stage.document import Document
    from jade_coat.stage.making import beside, placed_mesh
    from jade_coat.stage.remesh import imported_anew

    opened = open_project(options.project)
    library, document, project = Library(opened.assets), Document(opened.project), opened.project
    if options.mesh:
        asset = find(project.meshes, options.mesh, "mesh")
        if asset.made is None:
            made_ones = ", ".join(m.id for m in project.meshes if m.made is not None) or "none"
            raise UsageError(f"{asset.name} is not made from numbers; those that are: {made_ones}")
        numbers = _numbers(asset.made, options.set)
        mesh, mark = library.make(project, numbers)
        found = imported_anew(project, asset.id, library.mesh(asset), mesh, progress)
        exchanged = library.exchanged(asset, found.mesh, numbers, mark)
        document.do(edits.exchange_mesh(mesh=exchanged, paint=found.paint, maps=found.maps))
        told = list(found.report)
    else:
        numbers = _numbers(MAKERS[options.kind](), options.set)
        mesh, mark = library.make(project, numbers)
        at = beside(project, lambda m: library.mesh_by_id(project, m), mesh)
        placed = placed_mesh(
            project, lambda *kept: library.add_mesh(*kept).with_(made=numbers, made_of=mark), mesh,
            options.name or options.kind.capitalize(), (at, 0.0, 0.0),
        )  # fmt: skip
        steps = list(placed.steps)
        if options.finish:
            worn = find((*project.finishes, *project.materials), options.finish, "finish")
            steps.append(edits.put_finish(prop=placed.prop.id, slot=placed.asset.slots[0], finish=worn.id))
        document.do_all(f"Make a {options.kind}", steps)
        told = [f"{placed.prop.id} (prop): {numbers.words(mesh)}"]
    save_project(document.project, opened.assets, options.project, opened.home)
    print("\n".join(told))


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
