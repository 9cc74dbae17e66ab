"""Materials: a stack of coats and the dials it exposes; finishes: named sets of dial values."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import Field, field_validator, model_validator

from jade_coat.material.dither import Dither
from jade_coat.material.far import Far
from jade_coat.material.fields import Frozen, Number, Setting, Spec, Vec2, field, options, remembered, specs
from jade_coat.material.fill import Fill
from jade_coat.material.glow import Glow
from jade_coat.material.kind_part import PREFIX as LIGHT
from jade_coat.material.kind_part import KindPart
from jade_coat.material.kinds import kind_of
from jade_coat.material.placing import PREFIX, AnyMove, Move
from jade_coat.material.recipe_reads import painted_in, recipes_run
from jade_coat.material.seam import Rim, Seam
from jade_coat.material.settle import Settle
from jade_coat.material.shading import KIND_PARTS
from jade_coat.material.strands import Strands
from jade_coat.material.surface import MapLookup, Surface
from jade_coat.material.tones import Tones
from jade_coat.material.where import AnyTerm, Term

LAYER = "layer:"
"""What the paths of the fields of a ground's layers begin with."""


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
    limits: Vec2 | None = None
    """Hard limits narrower than the field's own."""
    soft: Vec2 | None = None
    """Where the slider ends; beyond it a value can still be typed."""
    logarithmic: bool | None = None
    """Whether the slider runs by powers; None leaves it to the range."""


class Link(Frozen):
    """A field that follows a shared dial or a recipe: `low` where that is 0, `high` where it is 1."""

    path: str
    shared: str = ""
    recipe: str = ""
    inputs: dict[str, float] = Field(default_factory=dict)
    """What the recipe's inputs are set to, where not its own numbers."""
    low: Number
    high: Number
    beyond: bool = False
    """Whether a recipe may lead it beyond those two, as far as the field goes."""

    @model_validator(mode="after")
    def _one_source(self) -> Link:
        if bool(self.shared) == bool(self.recipe):
            raise ValueError(f"{self.path} follows either a shared dial or a recipe")
        return self


class Material(Frozen):
    """Coats from the bottom up. The lowest covers everything; its where and seam are not used."""

    id: str
    name: str
    depth: float = Field(0.03, gt=0, le=100)
    """Metres between height 0 and height 1."""
    kind: str = "opaque"
    """How it meets what is behind it: the name of a surface kind (`material.kinds`)."""
    cut: float = Field(0.5, ge=0, le=1)
    """Below this opacity a surface of the kind that is cut out is not there."""
    two_sided: bool = False
    """Whether its normal turns towards the viewer where it is seen from behind."""
    coats: tuple[Coat, ...] = Field(min_length=1)
    strands: Strands = Strands()
    tones: Tones = Tones()
    glow: Glow = Glow()
    far: Far = Far()
    dither: Dither = Dither()
    fill: Fill = Fill()
    settle: Settle = Settle()
    moves: tuple[AnyMove, ...] = ()
    """How it moves the vertices of what wears it."""
    vertex_level: int = Field(2, ge=0, le=12)
    """The level of its textures that is read at vertices: how far they are blurred there."""
    dials: tuple[Dial, ...] = ()
    links: tuple[Link, ...] = ()

    @field_validator("kind")
    @classmethod
    def _known_kind(cls, name: str) -> str:
        return kind_of(name).name

    @model_validator(mode="after")
    def _consistent(self) -> Material:
        for what, names in (
            ("coat ids", [c.id for c in self.coats]),
            ("moves", [m.id for m in self.moves]),
            ("dial ids", [d.id for d in self.dials]),
            ("dial names", [d.name for d in self.dials]),
            ("linked fields", [k.path for k in self.links]),
        ):
            if len(set(names)) != len(names):
                raise ValueError(f"{what} must be unique, got {names}")
        for dial in self.dials:
            for what, span in (("limits", dial.limits), ("slider", dial.soft)):
                if span is not None and not span[0] < span[1]:
                    raise ValueError(f"the {what} of {dial.name} must run from less to more, got {span}")
        known = {found.path for found in numbers_of(self)}
        settable = known | {path for path, _, _ in options_of(self)}
        lost = [d.path for d in self.dials if d.path not in settable]
        lost += [k.path for k in self.links if k.path not in known]
        if lost:
            raise ValueError(f"these dials or links point at no field: {lost}")
        return self

    def holders(self) -> list[tuple[str, Any]]:
        """Parts with fields that only some materials have, and the paths to them."""
        return []

    @property
    def terms(self) -> tuple[Term, ...]:
        """The where-terms of all coats."""
        return tuple(t for c in self.coats for t in c.where)

    def coat(self, coat_id: str) -> Coat:
        """The coat with this id. Raises KeyError."""
        return by_id(self.coats, coat_id, "coat")

    def link_at(self, path: str) -> Link | None:
        """The link that makes the field at this path follow a shared dial, if any."""
        return next((k for k in self.links if k.path == path), None)

    @property
    def shared(self) -> frozenset[str]:
        """The ids of the shared dials this material follows."""
        terms = {dial for t in self.terms for dial in t.shared_dials}
        return frozenset(terms | {k.shared for k in self.links if k.shared})

    @property
    def recipes(self) -> frozenset[str]:
        """The ids of the recipes that where-terms and fields of this material follow."""
        terms = {recipe for part in (*self.terms, *self.moves) for recipe in part.recipes}
        return frozenset(terms | {k.recipe for k in self.links if k.recipe})

    def reads_bend(self, lookup: MapLookup) -> bool:
        """Whether a where-term or a recipe asks how the mesh bends."""
        run = any(s.kind == "bend" for r in recipes_run(self.recipes, lookup) for s in r.steps)
        return run or any(t.reads_bend for t in self.terms)

    def measured(self, lookup: MapLookup) -> tuple[str, ...]:
        """The names of the measured streams of meshes that its programs read (`mesh.attributes`)."""
        pushed = any(getattr(m, "along", "") == "normal" for m in self.moves)
        outlined = isinstance(self.kind_part, Tones)
        return (*(("curvature",) if self.reads_bend(lookup) else ()), *(("outward",) if pushed or outlined else ()))

    def sets_read(self, lookup: MapLookup) -> frozenset[str]:
        """The ids of every map set that a coat, a where-term or a recipe reads."""
        return self.map_sets.union(*(r.map_sets for r in recipes_run(self.recipes, lookup)))

    def paint_uses(self, lookup: MapLookup, color_set: int = 0) -> dict[str, tuple[str, ...]]:
        """What each painted channel of a colour set does here, in words, by its letter.

        Read from where-terms, recipes and links; recipes read the first set.
        """
        found: dict[str, dict[str, None]] = {}
        for coat in self.coats[1:]:
            for term in coat.where:
                if term.painted is not None and term.painted.color_set == color_set:
                    found.setdefault(term.painted.channel, {})[f"{coat.name} shows"] = None
                for used in term.recipes if color_set == 0 else ():
                    for channel, recipe in painted_in(used, lookup):
                        found.setdefault(channel, {})[f"{coat.name} shows, by {recipe}"] = None
        for link in self.links if color_set == 0 else ():
            for channel, recipe in painted_in(link.recipe, lookup) if link.recipe else ():
                words = f"{spec_at(self, link.path).label.lower()} of {owner_name(self, link.path)}, by {recipe}"
                found.setdefault(channel, {})[words] = None
        return {channel: tuple(uses) for channel, uses in found.items()}

    @property
    def free_channel(self) -> str:
        """The first painted channel that none of its coats is shown by; R where all are."""
        taken = {t.painted.channel for t in self.terms if t.painted is not None and t.painted.color_set == 0}
        return next((c for c in "RGBA" if c not in taken), "R")

    @property
    def map_sets(self) -> frozenset[str]:
        """The ids of every map set that a coat or a where-term reads itself."""
        of_terms = {s for t in self.terms for s in t.map_sets}
        own = self.kind_part
        return frozenset(of_terms.union(*(c.surface.sets for c in self.coats), own.map_sets if own is not None else ()))

    @property
    def kind_part(self) -> KindPart | None:
        """What its surface kind adds to it, if anything."""
        found: KindPart | None = getattr(self, kind_of(self.kind).part) if kind_of(self.kind).part else None
        return found

    @property
    def by_clock(self) -> bool:
        """Whether its surface changes over time by itself: by the wind, or by a flicker."""
        own, flickers = self.kind_part, self.dial_at(f"{LIGHT}glow.flicker")
        lit = own is not None and (own.by_clock or (flickers is not None and kind_of(self.kind).part == "glow"))
        return lit or any(m.kind in ("sway", "round") for m in self.moves)

    def dial_at(self, path: str) -> Dial | None:
        """The dial that exposes the field at this path, if any."""
        return next((d for d in self.dials if d.path == path), None)


class Finish(Frozen):
    """A named look: a parent (a material or another finish) and the dials it changes, by dial id."""

    id: str
    name: str
    parent: str
    values: dict[str, Setting] = Field(default_factory=dict)


def by_id(items: tuple[Any, ...], wanted: str, what: str) -> Any:
    """The item with this id. Raises KeyError naming what was looked for."""
    for item in items:
        if item.id == wanted:
            return item
    raise KeyError(f"there is no {what} {wanted!r}")


@dataclass(frozen=True)
class NumberField:
    """A numeric field of a material: its path, what it is, its value, and whether that is not its default."""

    path: str
    spec: Spec
    value: Number
    changed: bool


def _numbers(holders: Iterable[tuple[str, Any]]) -> tuple[NumberField, ...]:
    """The numeric fields of some parts, by the paths to them."""
    return tuple(
        NumberField(f"{prefix}.{name}", spec, value, value != type(part).model_fields[name].default)
        for prefix, part in holders
        for name, spec in specs(type(part)).items()
        for value in (getattr(part, name),)
    )


@remembered
def numbers_of_coat(coat: Coat) -> tuple[NumberField, ...]:
    """The numeric fields of a coat: most edits change one coat of many."""
    return _numbers(_coat_holders(coat))


@remembered
def numbers_of(material: Material) -> tuple[NumberField, ...]:
    """Every numeric field of a material."""
    of_coats = (found for coat in material.coats for found in numbers_of_coat(coat))
    return (*of_coats, *_numbers(_other_holders(material)))


def _holders(material: Material) -> Iterator[tuple[str, Any]]:
    """Every part of a material that has fields, and the path to it."""
    for coat in material.coats:
        yield from _coat_holders(coat)
    yield from _other_holders(material)


def _coat_holders(coat: Coat) -> Iterator[tuple[str, Any]]:
    """Of the lowest coat its where and seam too, though nothing reads them: it may be moved up again."""
    yield coat.id, coat
    yield f"{coat.id}.surface", coat.surface
    yield f"{coat.id}.surface.detail", coat.surface.detail
    for term in coat.where:
        yield f"{coat.id}.where.{term.id}", term
    yield f"{coat.id}.seam", coat.seam
    yield f"{coat.id}.rim", coat.rim


def _other_holders(material: Material) -> Iterator[tuple[str, Any]]:
    for move in material.moves:
        yield f"{PREFIX}{move.id}", move
    for name in KIND_PARTS:
        yield f"{LIGHT}{name}", getattr(material, name)
    yield from material.holders()


def owner_of(path: str) -> str:
    """What a field belongs to, by its path: a coat's id, or a move's or a light's name with what stands before it."""
    return path.split(".", 1)[0]


def owner_name(material: Material, path: str) -> str:
    """The name, for people, of what a field belongs to. Raises KeyError."""
    owner = owner_of(path)
    if owner.startswith(PREFIX):
        move: Move = by_id(material.moves, owner.removeprefix(PREFIX), "move")
        return f"Moved {move.label.lower()}"
    if owner.startswith(LIGHT):
        return KIND_PARTS[owner.removeprefix(LIGHT)].label
    return material.coat(owner).name


def label_at(material: Material, path: str) -> str:
    """A field's label; where its part has another of that label, with the group it is shown in. Raises KeyError."""
    spec, owner = spec_at(material, path), path.rpartition(".")[0]
    beside = (s for at, s in _specs_by_path(material).items() if at.rpartition(".")[0] == owner)
    return f"{spec.group} {spec.label}" if len({s.group for s in beside if s.label == spec.label}) > 1 else spec.label


@remembered
def options_of(material: Material) -> tuple[tuple[str, Spec, Setting], ...]:
    """Every field that shapes the program and can be a dial: its path, what it is, and its value."""
    return tuple(
        (f"{prefix}.{name}", spec, getattr(part, name))
        for prefix, part in _holders(material)
        for name, spec in options(type(part)).items()
    )


def replaced(part: Any, path: Sequence[str], changes: Mapping[str, Any]) -> Any:
    """A part with changes made to what lies at a path inside it; tuples are entered by id. Raises KeyError."""
    if not path:
        return part.with_(**changes)
    first, *rest = path
    inner = getattr(part, first)
    if isinstance(inner, tuple):
        wanted, *rest = rest
        if not any(i.id == wanted for i in inner):
            raise KeyError(f"there is no {wanted!r} in {first}")
        return part.with_(**{first: tuple(replaced(i, rest, changes) if i.id == wanted else i for i in inner)})
    return part.with_(**{first: replaced(inner, rest, changes)})


def with_field(material: Material, path: str, value: Setting) -> Material:
    """A material with one field set. Raises KeyError or ValueError."""
    value = spec_at(material, path).clamped(value)
    owner, *inner, name = path.split(".")
    changed: Material = replaced(material, [*place_of_part(owner), *inner], {name: value})
    return changed


def place_of_part(owner: str) -> list[str]:
    """Where in a material what a field belongs to is: the name of a part, or that of a tuple and an id in it."""
    prefix, _, name = owner.partition(":")
    return {LIGHT: [name], PREFIX: ["moves", name], LAYER: ["layers", name]}.get(f"{prefix}:", ["coats", owner])


@remembered
def _specs_by_path(material: Material) -> dict[str, Spec]:
    numbers = {found.path: found.spec for found in numbers_of(material)}
    return numbers | {path: spec for path, spec, _ in options_of(material)}


def spec_at(material: Material, path: str) -> Spec:
    """What the field at a path is. Raises KeyError."""
    found = _specs_by_path(material).get(path)
    if found is None:
        raise KeyError(f"{material.name} has no field {path!r}")
    return found
