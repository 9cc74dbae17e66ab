"""Writes and reads the lights of a glTF file: KHR_lights_punctual.

A light there shines along −z of its node, a lamp here down its own y axis. Its units are candela and lux; both are
written and read as the stage's own unit, since a stage has no absolute brightness.
"""

from __future__ import annotations

import math
import struct
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from jade_coat.files.gltf_data import AGAIN, GltfData
from jade_coat.files.gltf_motion import local_matrix
from jade_coat.mesh.data import BadMesh
from jade_coat.program.types import Array
from jade_coat.stage.arranging import place_of, turn_between
from jade_coat.stage.copying import Copier
from jade_coat.stage.lamps import LEAST_REACH, RIGHT, SUN_COLOR, Lamp
from jade_coat.stage.project import Light, Project
from jade_coat.stage.turns import Turn, turn_of

if TYPE_CHECKING:
    import pygltflib

LIGHTS = "KHR_lights_punctual"
_TO_NODE = turn_of(-RIGHT, 0.0, 0.0)
"""Takes −z to −y: between the way a node's light shines and a lamp's."""
FAR = 30.0
"""The reach of a light that names none, metres: there it shines without end."""


@dataclass(frozen=True)
class FileLight:
    """A light of a file, in the world: `way` `(3,)` is the unit direction it shines in, `angles` those of a spot."""

    name: str
    kind: str
    color: tuple[float, float, float]
    strength: float
    reach: float
    position: tuple[float, float, float]
    way: tuple[float, float, float]
    angles: tuple[float, float] = (0.0, math.pi / 4)


def add_lights(gltf: pygltflib.GLTF2, lamps: Sequence[Lamp], sun: Light | None) -> None:
    """Write lamps, and the sun, as nodes of a file's scene."""
    from pygltflib import Node  # slow to import
    from scipy.spatial.transform import Rotation  # slow to import

    written: list[dict[str, Any]] = []

    def add(light: dict[str, Any], **place: Any) -> None:
        gltf.nodes.append(Node(name=light["name"], extensions={LIGHTS: {"light": len(written)}}, **place))
        gltf.scenes[0].nodes.append(len(gltf.nodes) - 1)
        written.append(light)

    if sun is not None and sun.strength > 0:
        turn = turn_between(np.array([0.0, 0.0, 1.0]), np.array(sun.direction()))
        light = {"name": "Sun", "type": "directional", "color": list(SUN_COLOR), "intensity": sun.strength}
        add(light, rotation=list(turn))
    for lamp in lamps:
        light = {"name": lamp.name, "type": "spot" if lamp.spot else "point", "color": list(lamp.color),
                 "intensity": lamp.strength, "range": lamp.reach}  # fmt: skip
        if lamp.spot:
            inner, outer = lamp.cone
            light["spot"] = {"innerConeAngle": max(inner, 0.0), "outerConeAngle": outer}
        turn = (Rotation.from_quat(lamp.turn) * Rotation.from_quat(_TO_NODE)).as_quat()
        add(light, translation=list(lamp.position), rotation=[float(v) for v in turn])
    if written:
        gltf.extensions = {**(gltf.extensions or {}), LIGHTS: {"lights": written}}
        gltf.extensionsUsed.append(LIGHTS)


def read_lights(data: bytes, name: str, folder: Path | None) -> list[FileLight]:
    """The lights of a file's scene where they stand. Raises BadMesh."""
    try:
        return _lights(GltfData(data, name, folder))
    except BadMesh:
        raise
    except (LookupError, TypeError, ValueError, AttributeError, ArithmeticError, struct.error, RecursionError,
            OSError) as error:  # fmt: skip
        raise BadMesh(f"{name}: its lights are damaged ({error}). {AGAIN}") from None


def _lights(data: GltfData) -> list[FileLight]:
    listed = data.list("lights", (data.json.get("extensions") or {}).get(LIGHTS) or {})
    if not listed:
        return []
    nodes = data.list("nodes", data.json)
    found = []
    for index, world in _world(data, nodes):
        own = (nodes[index].get("extensions") or {}).get(LIGHTS)
        if isinstance(own, dict):
            at = data.whole(own.get("light"), "an index into lights", most=len(listed) - 1)
            found.append(_one(data, listed[at], str(nodes[index].get("name") or ""), world))
    return found


def _world(data: GltfData, nodes: list[Any]) -> Iterable[tuple[int, Array]]:
    """The nodes of the scene with their matrices in the world."""
    scenes = data.list("scenes", data.json)
    children = {c for n in nodes for c in data.list("children", n)}
    roots = data.list("nodes", data.item("scenes", data.json.get("scene", 0))) if scenes else [
        i for i in range(len(nodes)) if i not in children
    ]  # fmt: skip
    stack = [(r, np.eye(4)) for r in reversed(roots)]
    seen: set[int] = set()
    while stack:
        index, above = stack.pop()
        node = data.item("nodes", index)
        if index in seen:
            raise data.bad("its nodes go in circles, or one hangs from two others")
        seen.add(index)
        world = above @ local_matrix(data, node)
        yield index, world
        stack += [(c, world) for c in reversed(data.list("children", node))]


def _one(data: GltfData, light: Any, node: str, world: Array) -> FileLight:
    def number(value: Any, default: float) -> float:
        return default if value is None else float(data.numbers([value], 1, "a number of a light")[0])

    kind = str(light.get("type"))
    if kind not in ("point", "spot", "directional"):
        raise data.bad(f"a light is of the kind {kind[:20]!r}, which there is not")
    red, green, blue = (float(v) for v in data.numbers(light.get("color") or [1, 1, 1], 3, "a colour"))
    spot = light.get("spot") or {}
    inner, outer = number(spot.get("innerConeAngle"), 0.0), number(spot.get("outerConeAngle"), math.pi / 4)
    way = -world[:3, 2]
    length = float(np.linalg.norm(way))
    if not np.isfinite(world).all() or length < 1e-9:
        raise data.bad("a light has no direction")
    x, y, z = (float(v) for v in world[:3, 3])
    dx, dy, dz = (float(v) for v in way / length)
    return FileLight(
        str(light.get("name") or node or kind)[:120], kind, (red, green, blue), number(light.get("intensity"), 1.0),
        number(light.get("range"), FAR), (x, y, z), (dx, dy, dz), (inner, outer),
    )  # fmt: skip


def lamps_of(lights: Sequence[FileLight], project: Project, by: Sequence[float]) -> tuple[Lamp, ...]:
    """The point and spot lights of a file as lamps that a project can take, moved by metres.

    What fields do not take is cut to what they do.
    """
    copier = Copier(project)
    made = [_lamp(light, by) for light in lights if light.kind != "directional"]
    return tuple(copier.copy(lamp, place_of(lamp)) for lamp in made)


def _lamp(found: FileLight, by: Sequence[float]) -> Lamp:
    brightest = max(*found.color, 1.0)
    red, green, blue = (min(max(c / brightest, 0.0), 1.0) for c in found.color)
    x, y, z = (a + b for a, b in zip(found.position, by, strict=True))
    turn: Turn = turn_between(np.array([0.0, -1.0, 0.0]), np.array(found.way))
    inner, outer = found.angles
    outer = min(max(outer, 0.02), RIGHT)
    return Lamp(
        id="", name=found.name, position=(x, y, z), turn=turn, spot=found.kind == "spot", color=(red, green, blue),
        strength=min(max(found.strength * brightest, 0.0), 100000.0),
        reach=min(max(found.reach, LEAST_REACH), 1000.0), inner=min(max(inner, 0.0), outer), outer=outer,
    )  # fmt: skip
