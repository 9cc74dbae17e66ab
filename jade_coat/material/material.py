"""Materials: a stack of coats and the dials it exposes; finishes: named sets of dial values."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from pydantic import Field, model_validator

from jade_coat.material.fields import Frozen, Number, Spec, field, remembered, specs
from jade_coat.material.seam import Rim, Seam
from jade_coat.material.surface import MapLookup, Surface
from jade_coat.material.where import AnyTerm, CavityTerm, MapTerm, RecipeTerm, SharedTerm
from jade_coat.program.layout import DialLayout, layout_of


class Coat(Frozen):
    """One layer: what it is made of, where it shows, and how its edge meets what is below."""

    id: str
    name: str
    shown: bool = True
    surface: Surface = Surface()
    amount: float = field(1.0, "Amount", hint="Multiplies where the coat shows")
    where: tuple[AnyTerm, ...] = ()
    seam: Seam = Seam()
    rim: Rim = Rim()


class Dial(Frozen):
    """A field exposed from the material. Finishes refer to the id, so a new name loses nothing."""

    id: str
    path: str
    name: str
    group: str = ""
    hint: str = ""


class Link(Frozen):
    """A field that follows a shared dial: `low` where the dial is 0, `high` where it is 1."""

    path: str
    shared: str
    low: Number
    high: Number


def shared_name(dial: str) -> str:
    """The name programs use for a shared dial."""
    return f"own_{dial}"


class Material(Frozen):
    """Coats from the bottom up. The lowest covers everything; its where and seam are not used."""

    id: str
    name: str
    depth: float = Field(0.03, gt=0, le=100)
    """Metres between height 0 and height 1."""
    coats: tuple[Coat, ...] = Field(min_length=1)
    dials: tuple[Dial, ...] = ()
    links: tuple[Link, ...] = ()

    @model_validator(mode="after")
    def _consistent(self) -> Material:
        for what, names in (
            ("coat ids", [c.id for c in self.coats]),
            ("dial ids", [d.id for d in self.dials]),
            ("dial names", [d.name for d in self.dials]),
            ("linked fields", [k.path for k in self.links]),
        ):
            if len(set(names)) != len(names):
                raise ValueError(f"{what} must be unique, got {names}")
        known = {path for path, _, _ in fields_of(self)}
        lost = [p for p in (*(d.path for d in self.dials), *(k.path for k in self.links)) if p not in known]
        if lost:
            raise ValueError(f"these dials or links point at no field: {lost}")
        return self

    def coat(self, coat_id: str) -> Coat:
        """The coat with this id. Raises KeyError."""
        return by_id(self.coats, coat_id, "coat")

    def link_at(self, path: str) -> Link | None:
        """The link that makes the field at this path follow a shared dial, if any."""
        return next((k for k in self.links if k.path == path), None)

    @property
    def shared(self) -> frozenset[str]:
        """The ids of the shared dials this material follows."""
        terms = {t.shared for c in self.coats for t in c.where if isinstance(t, SharedTerm) and t.shared}
        return frozenset(terms | {k.shared for k in self.links})

    def reads_bend(self, lookup: MapLookup) -> bool:
        """Whether a where-term, or a recipe of one, asks how the mesh bends."""
        terms = [t for c in self.coats for t in c.where]
        recipes = [lookup.recipe(t.recipe) for t in terms if isinstance(t, RecipeTerm)]
        seen: set[str] = set()
        while recipes:
            found = recipes.pop()
            if found is None or found.id in seen:
                continue
            seen.add(found.id)
            if any(s.kind == "bend" for s in found.steps):
                return True
            recipes += [lookup.recipe(r) for r in found.uses]
        return any(isinstance(t, CavityTerm) for t in terms)

    @property
    def map_sets(self) -> frozenset[str]:
        """The ids of every map set that a coat or a where-term reads."""
        of_terms = {t.map_set for c in self.coats for t in c.where if isinstance(t, MapTerm) and t.map_set}
        return frozenset(of_terms.union(*(c.surface.sets for c in self.coats)))

    def dial_at(self, path: str) -> Dial | None:
        """The dial that exposes the field at this path, if any."""
        return next((d for d in self.dials if d.path == path), None)


class Finish(Frozen):
    """A named look: a parent (a material or another finish) and the dials it changes, by dial id."""

    id: str
    name: str
    parent: str
    values: dict[str, Number] = Field(default_factory=dict)


def by_id(items: tuple[Any, ...], wanted: str, what: str) -> Any:
    """The item with this id. Raises KeyError naming what was looked for."""
    for item in items:
        if item.id == wanted:
            return item
    raise KeyError(f"there is no {what} {wanted!r}")


def parts_of(material: Material) -> Iterator[tuple[str, Any, str]]:
    """Every numeric field of a material: its path, the part that holds it, and its name there."""
    for coat in material.coats:
        parts: list[tuple[str, Any]] = [(coat.id, coat), (f"{coat.id}.surface", coat.surface)]
        parts.append((f"{coat.id}.surface.detail", coat.surface.detail))
        if coat is not material.coats[0]:
            parts += [(f"{coat.id}.where.{term.id}", term) for term in coat.where]
            parts += [(f"{coat.id}.seam", coat.seam), (f"{coat.id}.rim", coat.rim)]
        for prefix, part in parts:
            for name in specs(type(part)):
                yield f"{prefix}.{name}", part, name


@remembered
def fields_of(material: Material) -> tuple[tuple[str, Spec, Number], ...]:
    """Every numeric field of a material: its path, what it is, and its value."""
    return tuple((path, specs(type(part))[name], getattr(part, name)) for path, part, name in parts_of(material))


@remembered
def _specs_by_path(material: Material) -> dict[str, Spec]:
    return {path: spec for path, spec, _ in fields_of(material)}


def spec_at(material: Material, path: str) -> Spec:
    """What the field at a path is. Raises KeyError."""
    found = _specs_by_path(material).get(path)
    if found is None:
        raise KeyError(f"{material.name} has no field {path!r}")
    return found


def field_values(material: Material) -> dict[str, Number]:
    """The value of every numeric field by path."""
    return {path: value for path, _, value in fields_of(material)}


@remembered
def layout(material: Material) -> DialLayout:
    """The row layout of a material: all its numeric fields, so that turning any of them never recompiles."""
    return layout_of(field_values(material))


def row_values(material: Material, dial_values: Mapping[str, Number]) -> dict[str, Number]:
    """Field values with those exposed as dials replaced by `dial_values` (by dial id), kept in their limits."""
    values = field_values(material)
    for dial in material.dials:
        if dial.id in dial_values:
            values[dial.path] = spec_at(material, dial.path).clamped(dial_values[dial.id])
    return values
