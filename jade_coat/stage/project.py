"""The project tree: frozen models, shared between the states of the undo history."""

from __future__ import annotations

import hashlib
import math
from itertools import compress
from operator import is_not
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import BeforeValidator, ConfigDict, Field, PlainSerializer, model_validator

from jade_coat.maps.mapset import MapSet
from jade_coat.material.fields import Frozen, Number
from jade_coat.material.material import Finish, Material, by_id
from jade_coat.material.recipes import Recipe
from jade_coat.mesh.filling import PaintRule
from jade_coat.mesh.painting import Paint, PaintMap
from jade_coat.program.types import Array
from jade_coat.stage.origins import Origin
from jade_coat.stage.shared_dials import SharedDial

SCHEMA_VERSION = 2
Vec3 = tuple[float, float, float]


def _paint(value: Any) -> Any:
    if value is None or isinstance(value, (Paint, str)):
        return value
    raise ValueError("expected paint or the key of a paint file")


PaintField = Annotated[
    Any,
    BeforeValidator(_paint),
    PlainSerializer(lambda p: p.key if isinstance(p, Paint) else p, return_type=str | None),
]


class StoredMap(Frozen):
    """A paint map as project.json names it: its file under paint/, and how it lies on the mesh."""

    file: str = Field(pattern="^[0-9a-f]{24}$")
    uv_set: int = Field(0, ge=0, le=7)
    color_set: int = Field(0, ge=0, le=3)
    repeats: bool = False


def _paint_map(value: Any) -> Any:
    if value is None or isinstance(value, (PaintMap, StoredMap)):
        return value
    return StoredMap.model_validate(value)


def _stored(value: Any) -> Any:
    if isinstance(value, PaintMap):
        value = StoredMap(file=value.paint.key, uv_set=value.uv_set, color_set=value.color_set, repeats=value.repeats)
    return value.model_dump() if isinstance(value, StoredMap) else None


PaintMapField = Annotated[
    Any, BeforeValidator(_paint_map), PlainSerializer(_stored, return_type=dict[str, Any] | None),
]  # fmt: skip


class MeshAsset(Frozen):
    """A mesh of the project: the asset that holds it, and the names of its slots."""

    id: str
    name: str
    asset: str
    slots: tuple[str, ...]


class Prop(Frozen):
    """A placed mesh: where it stands, the finish in each slot, its own dial values by slot, and its own paint.

    `turn` holds angles in radians about x, then y, then z. A slot without a finish shows plain grey.
    """

    model_config = ConfigDict(
        frozen=True, extra="forbid", allow_inf_nan=False, arbitrary_types_allowed=True, defer_build=True
    )

    id: str
    name: str
    mesh: str
    position: Vec3 = (0.0, 0.0, 0.0)
    turn: Vec3 = (0.0, 0.0, 0.0)
    size: float = Field(1.0, gt=0, le=10000)
    finishes: dict[str, str] = Field(default_factory=dict)
    values: dict[str, dict[str, Number]] = Field(default_factory=dict)
    paint: PaintField = None
    """Its own paint on the mesh's vertices; without any it shows the mesh's."""
    paint_map: PaintMapField = None
    """Its own paint on a map, which stands in for the paint on the vertices."""
    rules: tuple[PaintRule, ...] = ()
    """Rules that its paint was filled by, to run again."""

    @property
    def seed(self) -> float:
        """The prop's random number, 0 to 1, from its id."""
        return int.from_bytes(hashlib.sha256(self.id.encode()).digest()[:3], "big") / 2.0**24

    def matrix(self) -> Array:
        """The 4×4 matrix from the mesh's space to the world's, float64."""
        rows = turn_rows(*self.turn)
        size = self.size
        placed = [(a * size, b * size, c * size, at) for (a, b, c), at in zip(rows, self.position, strict=True)]
        return np.array([*placed, (0.0, 0.0, 0.0, 1.0)])


def turn_matrix(x: float, y: float, z: float) -> Array:
    """The 3×3 turn about the fixed x axis, then y, then z, by angles in radians."""
    return np.array(turn_rows(x, y, z))


def turn_rows(x: float, y: float, z: float) -> tuple[Vec3, Vec3, Vec3]:
    """The rows of `turn_matrix`, as plain numbers: thousands of props are placed by them."""
    cx, cy, cz = math.cos(x), math.cos(y), math.cos(z)
    sx, sy, sz = math.sin(x), math.sin(y), math.sin(z)
    return (
        (cz * cy, cz * sy * sx - sz * cx, cz * sy * cx + sz * sx),
        (sz * cy, sz * sy * sx + cz * cx, sz * sy * cx - cz * sx),
        (-sy, cy * sx, cy * cx),
    )


def changed_items(before: tuple[Any, ...], after: tuple[Any, ...]) -> list[int]:
    """The places where two tuples of one length hold different objects; quick for ten thousand."""
    return list(compress(range(len(after)), map(is_not, before, after)))


class Camera(Frozen):
    """An orbiting camera: the point it looks at, angles in radians, distance in metres, vertical field of view."""

    target: Vec3 = (0.0, 1.0, 0.0)
    yaw: float = 0.0
    pitch: float = Field(0.12, ge=-1.55, le=1.55)
    distance: float = Field(4.0, gt=0.001, le=100000)
    field_of_view: float = Field(0.7, gt=0.05, lt=2.5)

    def position(self) -> Array:
        """Where the eye is, `(3,)`."""
        away = np.array(
            [np.sin(self.yaw) * np.cos(self.pitch), np.sin(self.pitch), np.cos(self.yaw) * np.cos(self.pitch)]
        )
        return np.array(self.target) + self.distance * away


class Light(Frozen):
    """What lights the stage: a sun and a sky.

    Angles in radians: azimuth about +y from +z towards +x, elevation above the horizon. `sky` is one of the synthesised
    skies, or the asset name of a lat-long picture, which `sky_turn` turns about +y.
    """

    azimuth: float = 0.66
    elevation: float = Field(0.665, ge=-0.2, le=1.5707964)
    strength: float = Field(2.6, ge=0, le=50)
    sky: str = "morning"
    sky_name: str = ""
    sky_turn: float = 0.0

    def direction(self) -> Vec3:
        """The unit vector towards the sun."""
        flat = float(np.cos(self.elevation))
        return (
            float(np.sin(self.azimuth)) * flat, float(np.sin(self.elevation)), float(np.cos(self.azimuth)) * flat,
        )  # fmt: skip


class Project(Frozen):
    """Everything a project is, but for the large arrays its assets refer to."""

    schema_version: Literal[2] = 2
    name: str = "Untitled"
    map_sets: tuple[MapSet, ...] = ()
    materials: tuple[Material, ...] = ()
    finishes: tuple[Finish, ...] = ()
    meshes: tuple[MeshAsset, ...] = ()
    props: tuple[Prop, ...] = ()
    camera: Camera = Camera()
    light: Light = Light()
    shared: tuple[SharedDial, ...] = ()
    recipes: tuple[Recipe, ...] = ()
    origins: tuple[Origin, ...] = ()
    """What was taken over from other projects, and where it is there."""

    @model_validator(mode="after")
    def _consistent(self) -> Project:
        for what in ("map_sets", "materials", "finishes", "meshes", "props", "shared", "recipes"):
            ids = [item.id for item in getattr(self, what)]
            if len(set(ids)) != len(ids):
                raise ValueError(f"the ids of {what} must be unique, got {ids}")
        parents = {f.id: f.parent for f in self.finishes}
        roots = {m.id for m in self.materials}
        if roots & set(parents):
            raise ValueError(f"materials and finishes share ids: {sorted(roots & set(parents))}")
        for finish in parents:
            seen, at = set(), finish
            while at in parents:
                if at in seen:
                    raise ValueError(f"finish {finish!r} is among its own parents")
                seen.add(at)
                at = parents[at]
            if at not in roots:
                raise ValueError(f"finish {finish!r} leads to {at!r}, which is no material")
        return self

    def differs_from(self, other: Project) -> bool:
        """Whether anything but the camera is another; what both share is not looked at."""
        names = (n for n in type(self).model_fields if n != "camera")
        return any(getattr(self, n) is not getattr(other, n) and getattr(self, n) != getattr(other, n) for n in names)

    def seen_from(self, camera: Camera) -> Project:
        """The project with another camera; nothing else is looked at again."""
        made: Project = self.model_copy(update={"camera": camera})
        return made

    def with_item(self, what: str, at: int, new: Any) -> Project:
        """The project with another item in one place of a kind; `new` must be valid, and have the old one's id.

        Nothing else is looked at again, so that it costs the same however many there are. Not for finishes, whose
        parents must lead somewhere.
        """
        items = getattr(self, what)
        made: Project = self.model_copy(update={what: (*items[:at], new, *items[at + 1 :])})
        return made

    def recipe(self, wanted: str) -> Recipe:
        """The recipe with this id. Raises KeyError."""
        found: Recipe = by_id(self.recipes, wanted, "recipe")
        return found

    def recipe_users(self, wanted: str) -> tuple[str, ...]:
        """The names of the materials and recipes that use a recipe."""
        materials = [m.name for m in self.materials if wanted in m.recipes]
        return (*materials, *(r.name for r in self.recipes if wanted in r.uses))

    def shared_dial(self, wanted: str) -> SharedDial:
        """The shared dial with this id. Raises KeyError."""
        found: SharedDial = by_id(self.shared, wanted, "shared dial")
        return found

    def map_set(self, wanted: str) -> MapSet:
        """The map set with this id. Raises KeyError."""
        found: MapSet = by_id(self.map_sets, wanted, "map set")
        return found

    def material(self, wanted: str) -> Material:
        """The material with this id. Raises KeyError."""
        found: Material = by_id(self.materials, wanted, "material")
        return found

    def finish(self, wanted: str) -> Finish:
        """The finish with this id. Raises KeyError."""
        found: Finish = by_id(self.finishes, wanted, "finish")
        return found

    def mesh(self, wanted: str) -> MeshAsset:
        """The mesh asset with this id. Raises KeyError."""
        found: MeshAsset = by_id(self.meshes, wanted, "mesh")
        return found

    def prop(self, wanted: str) -> Prop:
        """The prop with this id. Raises KeyError."""
        found: Prop = by_id(self.props, wanted, "prop")
        return found
