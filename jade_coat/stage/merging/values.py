"""Merges values of any kind: what only one side changed is taken, inside models, mappings and lists by id."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from difflib import SequenceMatcher
from typing import Any

from jade_coat.ground.heights import Heights
from jade_coat.ground.pages import Pages
from jade_coat.ground.scatter import Scatter
from jade_coat.maps.mapset import MapFile
from jade_coat.material.fields import Frozen
from jade_coat.material.material import Link
from jade_coat.material.recipes import Recipe, Step
from jade_coat.mesh.painting import Paint, PaintMap
from jade_coat.stage.decals import Decal
from jade_coat.stage.grounds import Ground
from jade_coat.stage.merging.arrays import alike, merged_heights, merged_map, merged_paint
from jade_coat.stage.merging.collisions import ABSENT, Choices, Place
from jade_coat.stage.merging.grounds import merged_ground
from jade_coat.stage.mesh_assets import MeshAsset
from jade_coat.stage.origins import Origin
from jade_coat.stage.project import Light, Prop
from jade_coat.stage.shared_dials import SharedDial

TOGETHER: dict[type[Frozen], tuple[tuple[str, ...], ...]] = {
    MeshAsset: (("asset", "slots", "clips", "clip", "made", "made_of"),), Light: (("sky", "sky_name"),),
    Step: (("kind", "args", "pick"),), SharedDial: (("keys", "length"),),
}  # fmt: skip
"""Fields that mean something only together: where both sides change some of them, one side's count."""
SETS: dict[type[Frozen], tuple[str, ...]] = {Scatter: ("gone",), Decal: ("only",)}
"""Fields whose order means nothing: what either side adds or takes out is added or taken out."""
BaseColors = Callable[[str, int], Paint | None]
"""The colours of a mesh, by its id, as paint that covers so many colour sets; None where they are not known."""


def no_base_colors(mesh: str, sets: int) -> Paint | None:
    """Where no mesh is at hand."""
    return None


class Merger:
    """Merges values at places; what collides goes to its choices."""

    def __init__(self, choices: Choices, base_colors: BaseColors = no_base_colors) -> None:
        self.choices = choices
        self._base_colors = base_colors

    def value(self, place: Place, base: Any, mine: Any, theirs: Any) -> Any:
        """What becomes of a value; ABSENT where it goes."""
        if same(mine, theirs) or same(theirs, base):
            return mine
        if same(mine, base):
            return theirs
        inside = self._inside(place, base, mine, theirs)
        return self.choices.collide(place, base, mine, theirs) if inside is None else inside

    def _inside(self, place: Place, base: Any, mine: Any, theirs: Any) -> Any:
        """A value with what either side changed within it; None where it cannot be taken apart."""
        if mine is ABSENT or theirs is ABSENT or type(mine) is not type(theirs):
            return None
        known: Any = base if type(base) is type(mine) else ABSENT
        if isinstance(mine, Frozen):
            return self.model(place, known, mine, theirs)
        if isinstance(mine, dict):
            return self._mapping(place, {} if known is ABSENT else known, mine, theirs)
        if isinstance(mine, tuple):
            return self._tuple(place, () if known is ABSENT else known, mine, theirs)
        if known is ABSENT:
            return None
        if isinstance(mine, Paint):
            return merged_paint(self.choices, place, known, mine, theirs) if alike(known, mine, theirs) else None
        if isinstance(mine, PaintMap):
            return merged_map(self.choices, place, known, mine, theirs)
        if isinstance(mine, Heights):
            return merged_heights(self.choices, place, known, mine, theirs)
        return None

    def model(self, place: Place, base: Any, mine: Any, theirs: Any) -> Any:
        """A model with what either side changed; one side's where the two do not go together."""
        try:
            return self._model(place, base, mine, theirs)
        except ValueError:
            self.choices.forget(place)
            return self.choices.collide(place, base, mine, theirs)

    def _model(self, place: Place, base: Any, mine: Any, theirs: Any) -> Any:
        if isinstance(mine, Ground):
            return merged_ground(self, place, base, mine, theirs)
        kind = type(mine)
        changes: dict[str, Any] = {}
        if isinstance(mine, Prop):
            changes |= self._paint(place, base, mine, theirs)
        for block in TOGETHER.get(kind, ()):
            sides = [
                ABSENT if side is ABSENT else {n: getattr(side, n) for n in block} for side in (base, mine, theirs)
            ]
            if not _settled(*sides):
                changes |= self.choices.collide((*place, block[0]), sides[0], sides[1], sides[2])
        for name in kind.model_fields:
            if name in changes or name == "id":
                continue
            held = [ABSENT if side is ABSENT else getattr(side, name) for side in (base, mine, theirs)]
            if name in SETS.get(kind, ()) and base is not ABSENT:
                made: Any = _union(*held)
            else:
                made = self.value((*place, name), *held)
            if made is not held[1]:
                changes[name] = made
        made = mine.with_(**changes) if changes else mine
        if kind is Recipe and not _sound(made, mine, theirs):
            raise ValueError("a step would read what is not there any more")
        return made

    def _paint(self, place: Place, base: Any, mine: Prop, theirs: Prop) -> dict[str, Any]:
        """What of a prop's paint must be decided together: a map stands in for the paint on the vertices."""
        sides = [
            ABSENT if side is ABSENT else {"paint": side.paint, "paint_map": side.paint_map}
            for side in (base, mine, theirs)
        ]
        if base is ABSENT or _settled(sides[0], sides[1], sides[2]):
            return {}
        before, own, other = sides
        touched = [{n for n in own if not same(side[n], before[n])} for side in (own, other)]
        if any("paint_map" in t for t in touched) and touched[0] != touched[1]:
            made: dict[str, Any] = self.choices.collide((*place, "paint"), before, own, other)
            return made
        painted = isinstance(own["paint"], Paint) and isinstance(other["paint"], Paint)
        if touched[0] == {"paint"} and before["paint"] is None and painted:
            shown = self._base_colors(mine.mesh, own["paint"].channels // 4)
            if shown is not None and alike(shown, own["paint"], other["paint"]):
                both = merged_paint(self.choices, (*place, "paint"), shown, own["paint"], other["paint"])
                return {"paint": both}
        return {}

    def _mapping(self, place: Place, base: dict[str, Any], mine: dict[str, Any], theirs: dict[str, Any]) -> Any:
        made = {}
        for key in dict.fromkeys([*theirs, *mine]):
            picked = self.value((*place, key), *(side.get(key, ABSENT) for side in (base, mine, theirs)))
            if picked is not ABSENT:
                made[key] = picked
        return mine if same(made, mine) else made

    def _tuple(self, place: Place, base: Any, mine: Any, theirs: Any) -> Any:
        items = (*base, *mine, *theirs)
        keys = [[key_of(i) for i in side] for side in (base, mine, theirs)]
        if all(all(side) and len(set(side)) == len(side) for side in keys):
            return self.listed(place, base, mine, theirs)
        if all(isinstance(i, (Frozen, str)) for i in items):
            return _run(base, mine, theirs)
        return None

    def listed(self, place: Place, base: Iterable[Any], mine: Iterable[Any], theirs: Iterable[Any]) -> Any:
        """A list of items with ids: what either side adds, removes, changes and moves."""
        mine = tuple(mine)
        sides = [{key_of(i): i for i in side} for side in (base, mine, theirs)]
        made: dict[str, Any] = {}
        for key in dict.fromkeys([*sides[2], *sides[1]]):
            picked = self.value((*place, key), *(side.get(key, ABSENT) for side in sides))
            if picked is not ABSENT:
                made[key] = picked
        order = self.order(place, *([k for k in side if k in made] for side in sides))
        found = tuple(made[k] for k in order)
        return mine if len(found) == len(mine) and all(a is b for a, b in zip(found, mine, strict=True)) else found

    def order(self, place: Place, base: list[str], mine: list[str], theirs: list[str]) -> list[str]:
        """The order of what is left: that of the side which changed it, with what each added behind its neighbour."""
        shared = set(mine) & set(theirs)
        own, other, before = ([k for k in side if k in shared] for side in (mine, theirs, base))
        spine = own
        if own != other:
            known = [k for k in before if k in shared]
            if [k for k in own if k in known] == known and len(known) == len(own):
                spine = other
            elif [k for k in other if k in known] != known or len(known) != len(other):
                spine = list(self.choices.collide((*place, "order"), tuple(known), tuple(own), tuple(other)))
        blocks: dict[str, list[list[str]]] = {}
        for side in (mine, theirs):
            at, block = "", list[str]()
            for key in [*side, ""]:
                if key in shared or not key:
                    if block:
                        blocks.setdefault(at, []).append(block)
                    at, block = key, []
                else:
                    block.append(key)
        made = []
        for at in ["", *spine]:
            made += [at] if at else []
            made += [key for block in sorted(blocks.get(at, [])) for key in block]
        return made


def key_of(item: Any) -> str:
    """What an item of a list is known by; empty where it has nothing of the kind."""
    if isinstance(item, Origin):
        return f"{item.kind} {item.id}"
    if isinstance(item, MapFile):
        return item.role.value
    if isinstance(item, Link):
        return item.path
    return str(getattr(item, "id", "")) if isinstance(item, Frozen) else ""


def same(a: Any, b: Any) -> bool:
    """Whether two values are equal; nothing equals only nothing, and what is away only what is away too."""
    if a is b:
        return True
    if a is ABSENT or b is ABSENT or (isinstance(a, Pages) != isinstance(b, Pages)):
        return False
    if isinstance(a, Heights) and isinstance(b, Heights):
        return a.size == b.size and a.pages == b.pages
    return bool(a == b)


def _settled(base: Any, mine: Any, theirs: Any) -> bool:
    """Whether at most one side changed a value."""
    return same(mine, theirs) or same(mine, base) or same(theirs, base)


def _union(base: tuple[Any, ...], mine: tuple[Any, ...], theirs: tuple[Any, ...]) -> tuple[Any, ...]:
    gone = (set(base) - set(mine)) | (set(base) - set(theirs))
    made = tuple(dict.fromkeys(i for i in (*base, *sorted({*mine, *theirs} - set(base))) if i not in gone))
    return mine if set(made) == set(mine) and len(made) == len(mine) else made


def _run(base: tuple[Any, ...], mine: tuple[Any, ...], theirs: tuple[Any, ...]) -> tuple[Any, ...] | None:
    """A row of items without ids with the changes of both sides; None where they touch each other."""
    words = [[i if isinstance(i, str) else i.model_dump_json() for i in side] for side in (base, mine, theirs)]
    edits = []
    for side, items in ((1, mine), (2, theirs)):
        codes = SequenceMatcher(None, words[0], words[side], autojunk=False).get_opcodes()
        edits += [(a, b, side, items[c:d], words[side][c:d]) for tag, a, b, c, d in codes if tag != "equal"]
    edits.sort(key=lambda e: (e[0], e[1], e[4]))
    made: list[Any] = []
    at = 0
    for n, (start, end, side, items, text) in enumerate(edits):
        before = edits[n - 1] if n else None
        if before is not None and before[:2] == (start, end) and before[4] == text and before[2] != side:
            continue  # both did the same
        if start < at or (before is not None and start == at == before[1] and before[0] != before[1] and start != end):
            return None
        made += [*base[at:start], *items]
        at = end
    return (*made, *base[at:])


def _sound(made: Recipe, mine: Recipe, theirs: Recipe) -> bool:
    """Whether the steps of a merged recipe read nothing that either side had and the merged one has no more."""
    names = {i.name for i in made.inputs} | {s.id for s in made.steps}
    had = {i.name for r in (mine, theirs) for i in r.inputs} | {s.id for r in (mine, theirs) for s in r.steps}
    read = {a for s in made.steps for a in s.args} | {made.output}
    seen: set[str] = {i.name for i in made.inputs}
    for step in made.steps:
        if any(a in had and a not in seen for a in step.args):
            return False
        seen.add(step.id)
    return not (read & (had - names))
