"""Stands in for meshes and parents that a project's file refers to and does not list: what uses them stays."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

LOST = "meshes/0000000000000000-lost.glb"
"""The asset of a mesh that stands in: there is none."""
NAMED = 3
"""So many names are told; of more, how many."""


def with_stand_ins(data: dict[str, Any], problems: list[str]) -> dict[str, Any]:
    """A project's content with a mesh, or a plain material, for each that it refers to and does not list.

    `problems` are told who uses them. Only for content in the present format; what makes no sense is left as it is.
    """
    return _with_parents(_with_meshes(data, problems), problems)


def _items(data: dict[str, Any], name: str) -> list[dict[str, Any]]:
    found = data.get(name)
    return [i for i in found if isinstance(i, dict)] if isinstance(found, list) else []


def _with_meshes(data: dict[str, Any], problems: list[str]) -> dict[str, Any]:
    there = _ids(data, "meshes")
    users: dict[str, list[str]] = {}
    slots: dict[str, dict[str, None]] = {}
    for mesh, user, worn in _users_of_meshes(data):
        if isinstance(mesh, str) and mesh and mesh not in there:
            users.setdefault(mesh, []).append(str(user))
            slots.setdefault(mesh, {}).update(dict.fromkeys(worn))
    if not users:
        return data
    for mesh, names in users.items():
        problems.append(
            f"The mesh {mesh} is not in the file. A plain box stands in for {_listed(names)}: bring the mesh in again "
            "(jade-coat reimport), or undo what was changed in the file by hand."
        )
    made = [{"id": m, "name": f"{m} (lost)", "asset": LOST, "slots": list(slots[m]) or ["surface"]} for m in users]
    return {**data, "meshes": [*_items(data, "meshes"), *made]}


def _users_of_meshes(data: dict[str, Any]) -> Iterator[tuple[Any, Any, list[str]]]:
    for prop in _items(data, "props"):
        parts = [prop.get(part) for part in ("finishes", "values")]
        worn = [slot for part in parts if isinstance(part, dict) for slot in part]
        yield prop.get("mesh"), prop.get("name"), worn
    for ground in _items(data, "grounds"):
        for scatter in _items(ground, "scatter"):
            yield scatter.get("mesh"), f"{scatter.get('name')} on {ground.get('name')}", []


def _with_parents(data: dict[str, Any], problems: list[str]) -> dict[str, Any]:
    there = _ids(data, "materials", "finishes")
    children: dict[str, list[str]] = {}
    for finish in _items(data, "finishes"):
        parent = finish.get("parent")
        if isinstance(parent, str) and parent and parent not in there:
            children.setdefault(parent, []).append(str(finish.get("name")))
    problems += [
        f"The parent of {_listed(names)}, {parent}, is not in the file. A plain material stands in: choose another "
        "parent, or undo what was changed in the file by hand."
        for parent, names in children.items()
    ]
    made = [{"id": p, "name": f"{p} (lost)", "coats": [{"id": "plain", "name": "Plain"}]} for p in children]
    return {**data, "materials": [*_items(data, "materials"), *made]} if made else data


def _ids(data: dict[str, Any], *kinds: str) -> set[str]:
    """The ids that some lists of a project's content have."""
    return {i["id"] for kind in kinds for i in _items(data, kind) if isinstance(i.get("id"), str)}


def _listed(names: list[str]) -> str:
    return ", ".join(names[:NAMED]) + (f" and {len(names) - NAMED} more" if len(names) > NAMED else "")
