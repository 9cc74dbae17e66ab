"""References that lead nowhere: found over a whole project, and told with where they are and what to do."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from jade_coat.stage.decals import Decal
from jade_coat.stage.grounds import Ground
from jade_coat.stage.project import KINDS_OF_THINGS, Project, Prop
from jade_coat.stage.references import references
from jade_coat.stage.things import Thing

WORDS = {
    "shared": ("shared dial", "Let it follow another, or none."), "map_sets": ("map set", "Choose another."),
    "recipes": ("recipe", "Choose another."), "meshes": ("mesh", "Bring it in again."),
    "props": ("prop", "Choose another."), "finishes": ("finish", "Choose another; it shows plain grey until then."),
    "groups": ("group", "It stands by itself until it is put into another."),
    "variants": ("variant", "It wears the default; choose another."), "categories": ("category", "Choose another."),
    "receivers": ("receiver", "Choose what receives it anew."),
    "layers": ("layer", "Choose another."), "paths": ("path", "Choose another."),
}  # fmt: skip
"""By kind of what is referred to: its word, and the remedy."""


@dataclass(frozen=True)
class LooseEnd:
    """A reference that leads nowhere: who refers (its field in the project, id and name), and to what."""

    owner_kind: str
    owner: str
    name: str
    kind: str
    id: str

    @property
    def told(self) -> str:
        """What is wrong, where, and the remedy."""
        word, remedy = WORDS[self.kind]
        return f"{self.name} refers to a {word} that is not there ({self.id}). {remedy}"


def loose_ends(project: Project) -> list[LooseEnd]:
    """All references of a project that lead nowhere, each once."""
    there = {kind: {i.id for i in getattr(project, kind)} for kind in _KINDS}
    there["finishes"] |= {m.id for m in project.materials}  # whose own ids are their plain looks
    there["receivers"] = there["props"] | there["categories"]
    meshes = {m.id: {v.id for v in m.variants} for m in project.meshes}
    found: dict[LooseEnd, None] = {}
    for owner_kind in (*_LISTED, *KINDS_OF_THINGS):
        for owner in getattr(project, owner_kind):
            for kind, wanted in (*_named_by(owner), *_dresses(owner)):
                if wanted not in there[kind]:
                    found[LooseEnd(owner_kind, owner.id, owner.name, kind, wanted)] = None
            for kind, wanted in _within(owner, meshes):
                found[LooseEnd(owner_kind, owner.id, owner.name, kind, wanted)] = None
    return list(found)


def _named_by(owner: Any) -> Iterator[tuple[str, str]]:
    """What `references` finds; props are many, and only their mesh and their rules refer to anything."""
    if not isinstance(owner, Prop):
        yield from references(owner)
        return
    yield "meshes", owner.mesh
    for rule in owner.rules:
        yield from references(rule)


_KINDS = ("shared", "map_sets", "recipes", "meshes", "props", "finishes", "groups", "categories")
_LISTED = ("materials", "recipes", "meshes", "categories", "stamps")


def _dresses(owner: Any) -> Iterator[tuple[str, str]]:
    """What a thing refers to beside what `references` follows: finishes, groups, categories, receivers."""
    if isinstance(owner, Thing) and owner.parent:
        yield "groups", owner.parent
    if isinstance(owner, Prop):
        yield from (("finishes", f) for f in owner.finishes.values() if f)
    elif isinstance(owner, Decal):
        if owner.finish:
            yield "finishes", owner.finish
        yield from (("receivers", i) for i in owner.only)
    elif isinstance(owner, Ground):
        yield from (("finishes", layer.finish) for layer in owner.layers if layer.finish)
    elif hasattr(owner, "variants"):
        yield from (("finishes", f) for v in owner.variants for f in v.finishes.values() if f)
        yield from (("categories", c) for c in owner.categories.values() if c)
    elif hasattr(owner, "decal"):
        yield from _dresses(owner.decal)
    elif getattr(owner, "finish", ""):
        yield "finishes", owner.finish


def _within(owner: Any, meshes: dict[str, set[str]]) -> Iterator[tuple[str, str]]:
    """References to parts of other things, or of the thing itself, that are not there."""
    if isinstance(owner, Prop) and owner.variant and owner.variant not in meshes.get(owner.mesh, {owner.variant}):
        yield "variants", owner.variant
    if isinstance(owner, Ground):
        layers, paths = {layer.id for layer in owner.layers}, {p.id for p in owner.paths}
        for scatter in owner.scatter:
            if scatter.variant and scatter.variant not in meshes.get(scatter.mesh, {scatter.variant}):
                yield "variants", scatter.variant
            if scatter.cut_out and scatter.cut_out not in layers:
                yield "layers", scatter.cut_out
        for rule in owner.rules:
            if rule.other and rule.other not in layers:
                yield "layers", rule.other
            if rule.path and rule.path not in paths:
                yield "paths", rule.path
