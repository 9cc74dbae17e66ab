"""Arguments by chance for the edits of the stage: many things at once, variants and categories."""

from __future__ import annotations

import random
from collections.abc import Callable
from typing import Any

from jade_coat.stage.arranging import Place
from jade_coat.stage.decals import Decal
from jade_coat.stage.edits.arranging import within_groups
from jade_coat.stage.mesh_assets import DEFAULT
from jade_coat.stage.project import Group, Project, Prop
from jade_coat.stage.taking_things import things_apart

Where = tuple[str, ...]
Change = tuple[dict[str, Any], Callable[[Where], bool]]
TURNED = (0.0, 0.6, 0.0, 0.8)


def of(*allowed: Where) -> Callable[[Where], bool]:
    """Whether a place begins with one of some places."""
    return lambda place: any(place[: len(a)] == a for a in allowed)


class StageCases:
    """For each edit of the stage, arguments by chance, and the places that it may change."""

    p: Project
    rng: random.Random

    def _thing(self) -> tuple[str, Callable[[Where], bool]]:
        kind = self.rng.choice(["props", "groups"])
        wanted: str = self.rng.choice([t.id for t in getattr(self.p, kind)] or ["none"])
        return wanted, of(("prop", wanted) if kind == "props" else ("groups", wanted))

    def add_group(self) -> Change:
        prop = self.rng.choice([*self.p.props.ids()] or ["none"])
        return {"group": Group(id="new", name="New"), "things": (prop,)}, of(
            ("order", "groups"), ("groups", "new"), ("prop", prop)
        )

    def remove_group(self) -> Change:
        gone: str = self.rng.choice([*self.p.groups.ids()] or ["none"])
        held = [("prop", t.id) for t in self.p.props if t.parent == gone]
        held += [
            (k if k != "grounds" else "ground", t.id)
            for k in ("groups", "decals", "lamps", "mists", "grounds")
            for t in getattr(self.p, k)
            if t.parent == gone
        ]
        return {"group": gone}, of(("order", "groups"), ("groups", gone), *held)

    def put_in_group(self) -> Change:
        wanted, allowed = self._thing()
        return {"things": (wanted,), "group": self.rng.choice(["", *self.p.groups.ids()])}, allowed

    def show_things(self) -> Change:
        wanted, allowed = self._thing()
        return {"things": (wanted,), "on": False}, allowed

    def lock_things(self) -> Change:
        wanted, allowed = self._thing()
        return {"things": (wanted,), "on": True}, allowed

    def rename_thing(self) -> Change:
        wanted, allowed = self._thing()
        return {"thing": wanted, "name": "Another"}, allowed

    def set_decals(self) -> Change:
        ids = tuple(self.p.decals.ids())
        return {"decals": ids or ("none",), "opacity": 0.25, "finish": "g0"}, of(*(("decals", i) for i in ids))

    def set_things(self) -> Change:
        kind, changes = self.rng.choice([("lamps", {"strength": 9.0, "spot": True}), ("mists", {"density": 0.5})])
        ids = tuple(getattr(self.p, kind).ids())
        return {"things": ids or ("none",), **changes}, of(*((kind, i) for i in ids))

    def aim_lamps(self) -> Change:
        ids = tuple(self.p.lamps.ids())
        return {"turns": dict.fromkeys(ids or ("none",), TURNED)}, of(*(("lamps", i) for i in ids))

    def keep_stamp(self) -> Change:
        decal = self.p.decals.first or Decal(id="x", name="X")
        return {
            "decal": decal,
            "name": "Kept",
        }, lambda at: at == ("order", "stamps") or (at[0] == "stamps" and at[1].startswith("kept"))

    def stamp(self) -> str:
        return self.rng.choice([s.id for s in self.p.stamps] or ["none"])

    def remove_stamp(self) -> Change:
        gone = self.stamp()
        return {"stamp": gone}, of(("order", "stamps"), ("stamps", gone))

    def rename_stamp(self) -> Change:
        wanted = self.stamp()
        return {"stamp": wanted, "name": "Soot"}, of(("stamps", wanted))

    def some_props(self) -> tuple[str, ...]:
        ids = list(self.p.props.ids())
        return tuple(self.rng.sample(ids, self.rng.randint(1, len(ids)))) if ids else ("none",)

    def place_things(self) -> Change:
        things = (*self.some_props(), *self.p.decals.ids(), *self.p.lamps.ids())
        place = Place((self.rng.random(), 1.0, -2.0), TURNED, (1.0, 2.0, 0.5))
        return {"places": dict.fromkeys(things, place)}, of(
            *((k, i) for i in things for k in ("prop", "decals", "lamps"))
        )

    def add_things(self) -> Change:
        things = (Group(id="new group", name="New"), Prop(id="new", name="New", mesh="box", parent="new group"))
        return {"things": things}, of(
            ("order", "groups"), ("order", "props"), ("groups", "new group"), ("prop", "new"), ("paint", "new")
        )

    def paste_things(self) -> Change:
        """Into the same project: what it needs is there already, so that things alone are added."""
        chosen = [self.p.props[i] for i in self.some_props() if i in self.p.props]
        other = things_apart(self.p, [*chosen, *self.p.decals, *self.p.lamps, *self.p.mists])
        before = {t.id for k in ("props", "decals", "lamps", "mists") for t in getattr(self.p, k)}
        return {
            "other": other,
            "folder": "/here",
            "by": (1.0, 0.0, 0.0),
        }, lambda at: at[0] == "order" or at[1] not in before

    def remove_things(self) -> Change:
        kinds = ("props", "groups", "decals", "lamps", "mists", "grounds")
        things = [t.id for k in kinds for t in getattr(self.p, k)] or ["none"]
        wanted = tuple(self.rng.sample(things, self.rng.randint(1, len(things))))
        held = {*wanted, *within_groups(self.p, {i for i in wanted if i in self.p.groups})}
        reading = {p.id for p in self.p.props if any(r.other in held for r in p.rules)}
        return (
            {"things": wanted},
            lambda at: (
                at in [("order", k) for k in kinds]
                or at[1] in held
                or (at[0] == "order" and at[2:] and at[2] in held)
                or (at[0] == "rule" and at[1] in reading)
            ),
        )

    def dress(self) -> Change:
        props, finish = self.some_props(), self.rng.choice(["", *(f.id for f in self.p.finishes)])
        return {"props": props, "slot": "surface", "finish": finish}, of(*(("wears", i, "surface") for i in props))

    def wear_variant(self) -> Change:
        props, variant = self.some_props(), self.variant()
        return {"props": props, "variant": variant}, of(*(("prop", i) for i in props))

    def turn_own_dials(self) -> Change:
        props = self.some_props()
        values = {i: {"surface": {"d0": self.rng.random()}} for i in props}
        return {"values": values}, of(*(("own", i, "surface", "d0") for i in props))

    def drop_own_dials(self) -> Change:
        props, dials = self.some_props(), self.rng.choice([(), ("d0",)])
        return {"props": props, "slot": "surface", "dials": dials}, of(*(("own", i, "surface", *dials) for i in props))

    def lift_own_dials(self) -> Change:
        props = self.some_props()
        return {
            "props": props,
            "slot": "surface",
            "name": "Lifted",
            "id": "lifted",
        }, lambda at: at == ("order", "finishes") or at[1] == "lifted" or (at[0] in ("wears", "own") and at[1] in props)

    def variant(self) -> str:
        return self.rng.choice([v.id for v in self.p.mesh("box").variants]) if self.p.meshes else "none"

    def add_variant(self) -> Change:
        return (
            {"mesh": "box", "source": self.rng.choice(["", self.variant()])},
            lambda at: (
                at[:2] in (("variant", "box"), ("order", "variants"))
                and at[2:3] not in [(v,) for v in self._variants()]
            ),
        )

    def _variants(self) -> list[str]:
        return [v.id for v in self.p.mesh("box").variants] if self.p.meshes else []

    def remove_variant(self) -> Change:
        gone = self.variant()
        wearing = [("prop", p.id) for p in self.p.props if p.variant == gone]
        wearing += [("scatter", g.id, s.id) for g in self.p.grounds for s in g.scatter if s.variant == gone]
        return {"mesh": "box", "variant": gone}, of(("order", "variants"), ("variant", "box", gone), *wearing)

    def move_variant(self) -> Change:
        return {"mesh": "box", "variant": self.variant(), "to": self.rng.randint(0, 3)}, of(("order", "variants"))

    def rename_variant(self) -> Change:
        variant = self.variant()
        return {"mesh": "box", "variant": variant, "name": "Other"}, of(("variant", "box", variant))

    def set_variant_finish(self) -> Change:
        variant, finish = self.variant(), self.rng.choice(["", *(f.id for f in self.p.finishes)])
        return {"mesh": "box", "variant": variant, "slot": "surface", "finish": finish}, of(("variant", "box", variant))

    def category(self) -> str:
        return self.rng.choice([c.id for c in self.p.categories] or ["none"])

    def add_category(self) -> Change:
        return {"name": "Cloth", "finish": "g0"}, of(("order", "categories"), ("categories", "cloth"))

    def dress_category(self) -> Change:
        wanted = self.category()
        return {"category": wanted, "finish": self.rng.choice(["", "g0"])}, of(("categories", wanted))

    def rename_category(self) -> Change:
        wanted = self.category()
        return {"category": wanted, "name": "Stone"}, of(("categories", wanted))

    def remove_category(self) -> Change:
        wanted = self.category()
        return {
            "category": wanted
        }, lambda at: at in (("order", "categories"), ("categories", wanted)) or at[0] == "category of"

    def set_slot_category(self) -> Change:
        return {"mesh": "box", "slot": "surface", "category": self.rng.choice(["", self.category()])}, of(
            ("category of", "box", "surface")
        )


def stage_places(project: Project) -> dict[Where, Any]:
    """What a project says of variants and categories, each under a place of its own."""
    found: dict[Where, Any] = {}
    for kind in ("categories", "decals", "stamps", "lamps", "mists"):
        found["order", kind] = tuple(i.id for i in getattr(project, kind))
        found |= {(kind, i.id): i for i in getattr(project, kind)}
    for mesh in project.meshes:
        found["order", "variants", mesh.id] = tuple(v.id for v in mesh.variants)
        found |= {("variant", mesh.id, v.id): v for v in mesh.variants}
        found |= {("category of", mesh.id, s): c for s, c in mesh.categories.items()}
    return found


def loose_dresses(project: Project) -> set[tuple[str, str]]:
    """Finishes, variants and categories that are named and not there."""
    known = {f.id for f in project.finishes} | {m.id for m in project.materials} | {""}
    named = [f for p in project.props for f in p.finishes.values()]
    named += [f for m in project.meshes for v in m.variants for f in v.finishes.values()]
    named += [c.finish for c in project.categories]
    named += [s.finish for g in project.grounds for s in g.layers]
    named += [d.finish for d in (*project.decals, *(s.decal for s in project.stamps))]
    loose = {("finishes", f) for f in named if f not in known}
    variants = {m.id: {v.id for v in m.variants} - {DEFAULT} | {""} for m in project.meshes}
    loose |= {("variants", p.variant) for p in project.props if p.variant not in variants.get(p.mesh, {""})}
    categories = {c.id for c in project.categories}
    return loose | {("categories", c) for m in project.meshes for c in m.categories.values() if c not in categories}
