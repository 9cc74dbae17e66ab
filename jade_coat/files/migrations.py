"""Brings a project of an older format up to the present one, a step a version."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from jade_coat.stage.turns import turn_of

Migration = Callable[[dict[str, Any]], dict[str, Any]]


def _from_1(data: dict[str, Any]) -> dict[str, Any]:
    """Format 2 has a multiplier of the glow map of its own (`glow`), which was `emissive` where there was such a map.

    It also knows the span of a map's values, and what a shared term is without its dial.
    """
    glowing = {s["id"] for s in data.get("map_sets", ()) if any(m.get("role") == "emissive" for m in s.get("maps", ()))}
    return {**data, "materials": [_with_glow(m, glowing) for m in data.get("materials", ())]}


def _with_glow(material: dict[str, Any], glowing: set[str]) -> dict[str, Any]:
    moved: dict[str, str] = {}
    coats = []
    for coat in material.get("coats", ()):
        surface = coat.get("surface", {})
        if surface.get("map_set") in glowing:
            path = f"{coat['id']}.surface."
            exposed = any(d.get("path") == path + "emissive" for d in material.get("dials", ()))
            if exposed or any(surface.get("emissive", ())):
                moved[path + "emissive"] = path + "glow"
                surface = {**surface, "glow": surface.get("emissive", [0.0, 0.0, 0.0]), "emissive": [0.0, 0.0, 0.0]}
        coats.append({**coat, "surface": surface})
    parts = {
        key: [{**part, "path": moved.get(part.get("path"), part.get("path"))} for part in material.get(key, ())]
        for key in ("dials", "links")
    }
    return {**material, "coats": coats, **parts}


def _from_2(data: dict[str, Any]) -> dict[str, Any]:
    """Format 3 turns props by quaternions and scales them along each axis; the camera is no part of it.

    Angles were about x, then y, then z. What a paint rule goes by is called its measure.
    """
    props = [
        {
            **p, "turn": turn_of(*p.get("turn", (0.0, 0.0, 0.0))), "size": [p.get("size", 1.0)] * 3,
            "rules": [{"measure" if k == "ground" else k: v for k, v in r.items()} for r in p.get("rules", ())],
        }
        for p in data.get("props", ())
    ]  # fmt: skip
    return {**{k: v for k, v in data.items() if k != "camera"}, "props": props}


def _from_3(data: dict[str, Any]) -> dict[str, Any]:
    """In format 4 a rule's A is what it leads to and B what it leaves, as for the brush; they were turned round."""
    turned = [
        {**p, "rules": [{**r, "a": r.get("b", 1.0), "b": r.get("a", 0.0)} for r in p.get("rules", ())]}
        for p in data.get("props", ())
    ]
    return {**data, "props": turned}


def _from_4(data: dict[str, Any]) -> dict[str, Any]:
    """Format 5 knows variants and categories; whoever has none of either is as it was."""
    return data


def _from_5(data: dict[str, Any]) -> dict[str, Any]:
    """Format 6 knows lamps, mist and exposure; who has none of them is as it was."""
    return data


def _from_6(data: dict[str, Any]) -> dict[str, Any]:
    """Format 7 knows several makers of meshes; bushes were the only one."""
    meshes = [
        {
            **{k: v for k, v in m.items() if k != "bush"},
            **({"made": {**m["bush"], "kind": "bush"}} if m.get("bush") else {}),
        }
        for m in data.get("meshes", ())
    ]
    return {**data, "meshes": meshes}


def _from_7(data: dict[str, Any]) -> dict[str, Any]:
    """Format 8 knows grounds, fills and levels; who has none of them is as it was."""
    return data


def _from_8(data: dict[str, Any]) -> dict[str, Any]:
    """Format 9 knows scatters; a ground without any is as it was."""
    return data


def _from_9(data: dict[str, Any]) -> dict[str, Any]:
    """Format 10 knows rules by maps, and layers that are dull where they are dark; who has neither is as it was."""
    return data


def _from_10(data: dict[str, Any]) -> dict[str, Any]:
    """Format 11 knows paths over grounds; who has none is as it was."""
    return data


MIGRATIONS: dict[int, Migration] = {
    1: _from_1, 2: _from_2, 3: _from_3, 4: _from_4, 5: _from_5, 6: _from_6, 7: _from_7, 8: _from_8, 9: _from_9,
    10: _from_10,
}  # fmt: skip
"""By the format they start from."""


def brought_up(data: dict[str, Any], version: int) -> dict[str, Any]:
    """A project's content in the format `version`; the given one is left as it is."""
    made = dict(data)
    for start in range(made.get("schema_version", 1), version):
        made = {**MIGRATIONS[start](made), "schema_version": start + 1}
    return made
