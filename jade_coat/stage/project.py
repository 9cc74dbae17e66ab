"""The project tree: frozen models, shared between the states of the undo history."""

from __future__ import annotations

import hashlib
import math
from collections.abc import Iterable
from typing import Annotated, Any, Literal, get_args, get_origin

import numpy as np
from pydantic import (
    BeforeValidator,
    ConfigDict,
    Field,
    PlainSerializer,
    ValidationInfo,
    model_validator,
)

from jade_coat.maps.mapset import MapSet
from jade_coat.material.fields import Frozen, Number
from jade_coat.material.material import Finish, Material, by_id
from jade_coat.material.recipes import Recipe
from jade_coat.material.shared import SUN_HEIGHT, SUN_TURN, SharedValue
from jade_coat.mesh.painting import Paint, PaintMap
from jade_coat.stage.decals import Decal, Stamp
from jade_coat.stage.grounds import Ground
from jade_coat.stage.lamps import Lamp, Mist
from jade_coat.stage.mesh_assets import Category, MeshAsset
from jade_coat.stage.origins import Origin
from jade_coat.stage.paint_rules import PaintRule
from jade_coat.stage.placed import Placed, Vec3
from jade_coat.stage.shared_dials import SharedDial, Wind, shared_values
from jade_coat.stage.things import Thing, Things

SCHEMA_VERSION = 11


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


class Group(Thing):
    """Things that are chosen, shown and locked together; it may be part of another group. It stands nowhere itself."""


class Prop(Placed):
    """A placed mesh: the variant it wears, finishes of its own by slot, its own dial values by slot, its own paint.

    `variant` is the id of one of the mesh's; empty for the default. A slot that nothing dresses shows plain grey.
    """

    model_config = ConfigDict(
        frozen=True, extra="forbid", allow_inf_nan=False, arbitrary_types_allowed=True, defer_build=True
    )

    mesh: str
    variant: str = ""
    finishes: dict[str, str] = Field(default_factory=dict)
    """Finishes chosen for slots of this prop alone, on top of its variant."""
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

    @property
    def scale(self) -> float:
        """How much larger it is than its mesh, by volume: the mean of its sizes."""
        return math.cbrt(self.size[0] * self.size[1] * self.size[2])


class Light(Frozen):
    """What lights the stage: a sun and a sky.

    Angles in radians: azimuth about +y from +z towards +x, elevation above the horizon. `sky` is one of the synthesised
    skies, or the asset name of a lat-long picture, which `sky_turn` turns about +y. `exposure` is in stops: each more
    shows the stage twice as bright.
    """

    azimuth: float = 0.66
    elevation: float = Field(0.665, ge=-0.2, le=1.5707964)
    strength: float = Field(2.6, ge=0, le=50)
    sky: str = "morning"
    sky_name: str = ""
    sky_turn: float = 0.0
    exposure: float = Field(0.0, ge=-12, le=12)

    def direction(self) -> Vec3:
        """The unit vector towards the sun."""
        flat = float(np.cos(self.elevation))
        return (
            float(np.sin(self.azimuth)) * flat, float(np.sin(self.elevation)), float(np.cos(self.azimuth)) * flat,
        )  # fmt: skip


CHANGES = object()
"""The context in which some fields of a project are validated by themselves."""


class Project(Frozen):
    """Everything a project is, but for the large arrays its assets refer to."""

    schema_version: Literal[11] = 11
    name: str = "Untitled"
    map_sets: tuple[MapSet, ...] = ()
    materials: tuple[Material, ...] = ()
    finishes: tuple[Finish, ...] = ()
    meshes: tuple[MeshAsset, ...] = ()
    categories: tuple[Category, ...] = ()
    groups: Things[Group] = Field(default_factory=Things)
    props: Things[Prop] = Field(default_factory=Things)
    decals: Things[Decal] = Field(default_factory=Things)
    lamps: Things[Lamp] = Field(default_factory=Things)
    mists: Things[Mist] = Field(default_factory=Things)
    grounds: Things[Ground] = Field(default_factory=Things)
    light: Light = Light()
    wind: Wind = Wind()
    shared: tuple[SharedDial, ...] = ()
    recipes: tuple[Recipe, ...] = ()
    stamps: tuple[Stamp, ...] = ()
    origins: tuple[Origin, ...] = ()
    """What was taken over from other projects, and where it is there."""

    @model_validator(mode="after")
    def _consistent(self, info: ValidationInfo) -> Project:
        if info.context is not CHANGES:
            self._check(type(self).model_fields)
        return self

    def with_(self, **changes: Any) -> Any:
        """A copy with some fields replaced; these alone are validated, and what follows from them."""
        read = type(self).model_validate(changes, context=CHANGES)
        made: Project = self.model_copy(update={name: getattr(read, name) for name in changes})
        made._check(changes)
        return made

    def _check(self, names: Iterable[str]) -> None:
        """Raise ValueError where the fields of some names are not consistent, with each other or with the rest."""
        for what in (n for n in names if n in LISTED):
            ids = [item.id for item in getattr(self, what)]
            if len(set(ids)) != len(ids):
                raise ValueError(f"the ids of {what} must be unique, got {ids}")
        if "materials" in names or "finishes" in names:
            self._check_parents()
        if "groups" in names:
            self._check_groups()

    def _check_groups(self) -> None:
        sound: set[str] = set()
        for group in self.groups:
            line: dict[str, None] = {}
            at: Group | None = group
            while at is not None and at.id not in sound:
                if at.id in line:
                    raise ValueError(f"the group {at.name!r} is part of itself")
                line[at.id] = None
                at = self.groups.get(at.parent)
            sound.update(line)

    def _check_parents(self) -> None:
        parents = {f.id: f.parent for f in self.finishes}
        roots = {m.id for m in self.materials}
        if roots & set(parents):
            raise ValueError(f"materials and finishes share ids: {sorted(roots & set(parents))}")
        sound: set[str] = set()
        for finish in parents:
            seen, at = set(), finish
            while at in parents and at not in sound:
                if at in seen:
                    raise ValueError(f"finish {finish!r} is among its own parents")
                seen.add(at)
                at = parents[at]
            if at not in roots and at not in sound:
                raise ValueError(f"finish {finish!r} leads to {at!r}, which is no material")
            sound |= seen

    def within(self, thing: Thing) -> list[Group]:
        """The groups that a thing is part of, nearest first. Raises ValueError where a group is part of itself."""
        found: dict[str, Group] = {}
        at = self.groups.get(thing.parent)
        while at is not None:
            if (at.id == thing.id and isinstance(thing, Group)) or at.id in found:
                raise ValueError(f"the group {at.name!r} is part of itself")
            found[at.id] = at
            at = self.groups.get(at.parent)
        return list(found.values())

    def shows(self, thing: Thing) -> bool:
        """Whether a thing is to be seen: neither it nor a group it is part of is hidden."""
        return thing.visible and (not thing.parent or all(g.visible for g in self.within(thing)))

    def locks(self, thing: Thing) -> bool:
        """Whether a thing is locked, or a group it is part of."""
        return thing.locked or (bool(thing.parent) and any(g.locked for g in self.within(thing)))

    def differs_from(self, other: Project) -> bool:
        """Whether anything is another; what both share is not looked at."""
        names = type(self).model_fields
        return any(getattr(self, n) is not getattr(other, n) and getattr(self, n) != getattr(other, n) for n in names)

    def alone(self, prop: Prop, **changes: Any) -> Project:
        """The project with one prop and nothing else on its stage, and some other fields replaced."""
        nothing: dict[str, Any] = {kind: () for kind in KINDS_OF_THINGS if kind != "props"}
        made: Project = self.with_(**nothing, props=(prop,), **changes)
        return made

    def with_item(self, what: str, at: int, new: Any) -> Project:
        """The project with another item in one place of a kind; `new` must be valid, and have the old one's id.

        Nothing else is looked at again, so that it costs the same however many there are. Not for finishes, whose
        parents must lead somewhere.
        """
        items = getattr(self, what)
        made: Project = self.model_copy(update={what: (*items[:at], new, *items[at + 1 :])})
        return made

    def with_things(self, what: str, *things: Thing) -> Project:
        """The project with things of a kind put in the places of those that have their ids, or added.

        They must be valid; nothing else is looked at again.
        """
        made: Project = self.model_copy(update={what: getattr(self, what).with_(*things)})
        if what == "groups":
            made._check(("groups",))
        return made

    def shared_at(self, time: float = 0.0) -> dict[str, SharedValue]:
        """All shared values at a time of their tracks in seconds, by the names that programs use."""
        return {
            **shared_values(self.shared, self.wind, time),
            SUN_HEIGHT: self.light.elevation,
            SUN_TURN: self.light.azimuth,
        }

    @property
    def plays(self) -> bool:
        """Whether anything in it goes by the clock."""
        by_recipe = any(s.kind == "time" for r in self.recipes for s in r.steps)
        moves = any(m.by_clock for m in self.materials)
        rains = any(layer.rain != "none" for g in self.grounds for layer in g.layers)
        return by_recipe or moves or rains or any(d.keys for d in self.shared) or any(m.clip for m in self.meshes)

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

    def spans(self, mesh: str) -> list[tuple[str, float, float]]:
        """The ids of the meshes that are shown of a mesh, each with from and up to which distance, metres, at size 1.

        Levels that are not there any more are passed over. Raises KeyError.
        """
        asset = self.mesh(mesh)
        there = {m.id for m in self.meshes} if asset.levels else set()
        levels = [level for level in asset.levels if level.mesh in there]
        starts = (0.0, *(level.away for level in levels), math.inf)
        return list(zip((asset.id, *(level.mesh for level in levels)), starts[:-1], starts[1:], strict=True))

    def prop(self, wanted: str) -> Prop:
        """The prop with this id. Raises KeyError."""
        if wanted not in self.props:
            raise KeyError(f"there is no prop {wanted!r}")
        return self.props[wanted]

    def group(self, wanted: str) -> Group:
        """The group with this id. Raises KeyError."""
        if wanted not in self.groups:
            raise KeyError(f"there is no group {wanted!r}")
        return self.groups[wanted]


TYPES_OF_THINGS: dict[str, type[Thing]] = {
    n: get_args(f.annotation)[0] for n, f in Project.model_fields.items() if get_origin(f.annotation) is Things
}
"""What stands on the stage, by the fields that hold it."""
KINDS_OF_THINGS = tuple(TYPES_OF_THINGS)
"""The fields that hold what stands on the stage."""
LISTED = tuple(n for n, f in Project.model_fields.items() if get_origin(f.annotation) is tuple and n != "origins")
"""The fields that hold other items with ids."""
