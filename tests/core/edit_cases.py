"""For each edit, arguments by chance and the places of a project that it may change."""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator
from typing import Any

import numpy as np

from jade_coat.maps.mapset import MapSet
from jade_coat.material.material import Coat, Material, fields_of, options_of, owner_of
from jade_coat.material.placing import MOVE_KINDS, PREFIX
from jade_coat.material.recipes import RecipeInput
from jade_coat.material.shading import PREFIX as LIGHT
from jade_coat.material.shading import SHADINGS
from jade_coat.material.where import TERM_KINDS
from jade_coat.mesh.painting import Paint, PaintMap
from jade_coat.stage.looks import dial_values, finishes_on
from jade_coat.stage.mesh_assets import DEFAULT, MeshAsset, Variant
from jade_coat.stage.paint_rules import PaintRule
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.references import references
from jade_coat.stage.taking import coat_apart
from tests.core.stage_cases import StageCases, loose_dresses, of, stage_places
from tests.support import every_kind_of_project

Place = tuple[str, ...]
Change = tuple[dict[str, Any], Callable[[Place], bool]]
BARE = (Variant(id=DEFAULT, name=""),)
START, _ = every_kind_of_project()


def places(project: Project) -> dict[Place, Any]:
    """Everything a project says, each under a place of its own."""
    found: dict[Place, Any] = {("order", k): tuple(i.id for i in getattr(project, k))
                               for k in ("map_sets", "materials", "finishes", "meshes", "props", "shared", "recipes", "groups")}  # fmt: skip
    for m in project.materials:
        found |= {("material", m.id, n): getattr(m, n)
                  for n in type(m).model_fields if n not in ("id", "coats", "moves", "dials", "links")}  # fmt: skip
        found["material", m.id, "coats"] = tuple(c.id for c in m.coats)
        found["material", m.id, "moves"] = tuple(v.id for v in m.moves)
        found |= {("move", m.id, v.id): v for v in m.moves}
        found["material", m.id, "dial order"] = tuple(d.id for d in m.dials)
        found |= {("dial", m.id, d.id): d for d in m.dials} | {("link", m.id, k.path): k for k in m.links}
        for c in m.coats:
            found["coat", m.id, c.id] = c.with_(where=())
            found["terms", m.id, c.id] = tuple(t.id for t in c.where)
            found |= {("term", m.id, c.id, t.id): t for t in c.where}
    for f in project.finishes:
        found |= {("finish", f.id, n): getattr(f, n) for n in ("name", "parent")}
        found |= {("value", f.id, d): v for d, v in f.values.items()}
        if any(x.id == f.id for x in project.finishes):
            found |= {("resolved", f.id, d): v for d, v in dial_values(project, f.id).items()}
    for p in project.props:
        found["prop", p.id] = p.with_(values={}, rules=(), finishes={}, paint=None, paint_map=None)
        found |= {("wears", p.id, s): f for s, f in p.finishes.items()}
        found |= {("own", p.id, s, d): v for s, own in p.values.items() for d, v in own.items()}
        found |= {("rule", p.id, str(i)): r for i, r in enumerate(p.rules)}
        found["paint", p.id] = (p.paint, p.paint_map)
    for kind in ("map_sets", "shared", "recipes", "groups"):
        found |= {(kind, i.id): i for i in getattr(project, kind)}
    found |= {("meshes", m.id): m.with_(variants=BARE, categories={}) for m in project.meshes}
    found |= stage_places(project)
    found["light",], found["wind",], found["name",] = project.light, project.wind, project.name
    return found


def dangling(project: Project) -> set[tuple[str, str]]:
    """References that lead nowhere."""
    there = {k: {i.id for i in getattr(project, k)} for k in ("shared", "map_sets", "recipes", "meshes", "props")}
    owners = (*project.materials, *project.recipes, *project.props)
    loose = {(k, i) for thing in owners for k, i in references(thing) if i not in there[k]}
    return loose | loose_dresses(project)


def family(project: Project, root: str) -> set[str]:
    found = {root}
    for _ in project.finishes:
        found |= {f.id for f in project.finishes if f.parent in found}
    return found


def values_of(project: Project, root: str, dials: set[str]) -> Callable[[Place], bool]:
    """What the values of some dials in a finish and its children may move."""
    kin = family(project, root)
    return lambda place: place[0] == "resolved" and place[1] in kin and place[2] in dials


def either(*some: Callable[[Place], bool]) -> Callable[[Place], bool]:
    return lambda place: any(one(place) for one in some)


class Cases(StageCases):
    """For each edit, arguments by chance, and the places that it may change."""

    def __init__(self, project: Project, rng: random.Random) -> None:
        self.p, self.rng = project, rng
        self.m: Material = rng.choice(project.materials)
        self.c: Coat = rng.choice(self.m.coats)

    def all_dials(self) -> set[str]:
        return {d.id for d in self.m.dials}

    def released_by(self, gone: Callable[[str], bool]) -> Callable[[Place], bool]:
        """Dials and links at some paths, and what was set by those dials."""
        m = self.m
        lost = {d.id for d in m.dials if gone(d.path)}
        return either(
            of(("material", m.id, "dial order")), lambda at: at[:2] == ("dial", m.id) and at[2] in lost,
            lambda at: at[:2] == ("link", m.id) and gone(at[2]),
            lambda at: at[0] in ("value", "resolved") and at[1] in family(self.p, m.id) and at[2] in lost,
            lambda at: at[0] == "own" and at[3] in lost,
        )  # fmt: skip

    def any_field(self) -> tuple[str, Any, Any]:
        return self.rng.choice([*fields_of(self.m), *options_of(self.m)])

    def touched_by_field(self, path: str) -> Callable[[Place], bool]:
        dials = {d.id for d in self.m.dials if d.path == path}
        coat, *inner = path.split(".")
        if coat.startswith(LIGHT):
            return either(of(("material", self.m.id, coat.removeprefix(LIGHT))), values_of(self.p, self.m.id, dials))
        if coat.startswith(PREFIX):
            return either(of(("move", self.m.id, coat.removeprefix(PREFIX))), values_of(self.p, self.m.id, dials))
        where = of(("term", self.m.id, coat, inner[1])) if inner[:1] == ["where"] else of(("coat", self.m.id, coat))
        return either(where, values_of(self.p, self.m.id, dials))

    def finish(self) -> Any:
        return self.rng.choice(self.p.finishes)

    def prop(self) -> Prop:
        return self.rng.choice(list(self.p.props))

    def dial_of(self, finish: Any) -> tuple[Any, Any]:
        kin = next(m for m in self.p.materials if finish.id in family(self.p, m.id))
        return kin, (self.rng.choice(kin.dials) if kin.dials else None)

    # One method an edit

    def add_map_set(self) -> Change:
        return {"map_set": MapSet(id="new", name="New")}, of(("order", "map_sets"), ("map_sets", "new"))

    def set_map_set(self) -> Change:
        return {"map_set": "s1", "tile_size": 3.0}, of(("map_sets", "s1"))

    def add_material(self) -> Change:
        made = Material(id="new", name="New", coats=(Coat(id="a", name="A"),))
        return {"material": made}, lambda at: at == ("order", "materials") or "new" in at

    def set_material(self) -> Change:
        return {"material": self.m.id, "depth": 0.5}, of(("material", self.m.id, "depth"))

    def add_coat(self) -> Change:
        return {"material": self.m.id, "coat": self.c}, self._more_coats(self.m.id)

    def copy_coat(self) -> Change:
        to = self.rng.choice(["", *(m.id for m in self.p.materials)])
        return {"material": self.m.id, "coat": self.c.id, "to": to}, self._more_coats(to or self.m.id)

    def _more_coats(self, material: str) -> Callable[[Place], bool]:
        known = {c.id for m in self.p.materials if m.id == material for c in m.coats}
        return lambda at: at == ("material", material, "coats") or (
            at[0] in ("coat", "terms", "term") and at[1] == material and at[2] not in known) or (
            at[:2] == ("link", material) and at[2].split(".")[0] not in known)  # fmt: skip

    def remove_coat(self) -> Change:
        gone = self.c.id
        return {"material": self.m.id, "coat": gone}, either(
            of(("material", self.m.id, "coats"), ("coat", self.m.id, gone), ("terms", self.m.id, gone), ("term", self.m.id, gone)),
            self.released_by(lambda path: path.split(".")[0] == gone),
        )  # fmt: skip

    def move_coat(self) -> Change:
        return {"material": self.m.id, "coat": self.c.id, "to": self.rng.randrange(-1, 4)}, of(
            ("material", self.m.id, "coats")
        )

    def set_coat(self) -> Change:
        return {"material": self.m.id, "coat": self.c.id, "shown": False}, of(("coat", self.m.id, self.c.id))

    def set_surface(self) -> Change:
        return {"material": self.m.id, "coat": self.c.id, "uv_set": 3}, of(("coat", self.m.id, self.c.id))

    def set_seam(self) -> Change:
        dials = {d.id for d in self.m.dials if d.path.startswith(f"{self.c.id}.seam.")}
        return {"material": self.m.id, "coat": self.c.id, "kind": "cut"}, either(
            of(("coat", self.m.id, self.c.id)), values_of(self.p, self.m.id, dials))  # fmt: skip

    def set_detail(self) -> Change:
        some = self.rng.choice([s.id for s in self.p.map_sets] or [""])
        return {"material": self.m.id, "coat": self.c.id, "map_set": some}, of(("coat", self.m.id, self.c.id))

    def set_rim(self) -> Change:
        return {"material": self.m.id, "coat": self.c.id, "on": False}, of(("coat", self.m.id, self.c.id))

    def add_term(self) -> Change:
        kind = self.rng.choice(list(TERM_KINDS))
        known = {t.id for t in self.c.where}
        return {"material": self.m.id, "coat": self.c.id, "kind": kind}, lambda at: at == ("terms", self.m.id, self.c.id) or (
            at[:3] == ("term", self.m.id, self.c.id) and at[3] not in known)  # fmt: skip

    def _term(self) -> str:
        return self.rng.choice([t.id for t in self.c.where] or ["none"])

    def set_term(self) -> Change:
        term = self._term()
        return {"material": self.m.id, "coat": self.c.id, "term": term, "invert": True}, of(
            ("term", self.m.id, self.c.id, term)
        )

    def move_term(self) -> Change:
        return {"material": self.m.id, "coat": self.c.id, "term": self._term(), "to": 1}, of(
            ("terms", self.m.id, self.c.id)
        )

    def remove_term(self) -> Change:
        term, prefix = self._term(), f"{self.c.id}.where."
        return {"material": self.m.id, "coat": self.c.id, "term": term}, either(
            of(("terms", self.m.id, self.c.id), ("term", self.m.id, self.c.id, term)),
            self.released_by(lambda path: path.startswith(f"{prefix}{term}.")),
        )  # fmt: skip

    def add_move(self) -> Change:
        known = {m.id for m in self.m.moves}
        return {"material": self.m.id, "kind": self.rng.choice(list(MOVE_KINDS))}, lambda at: (
            at == ("material", self.m.id, "moves") or (at[:2] == ("move", self.m.id) and at[2] not in known))  # fmt: skip

    def _move(self) -> str:
        return self.rng.choice([m.id for m in self.m.moves] or ["none"])

    def set_move(self) -> Change:
        move = self._move()
        dials = {d.id for d in self.m.dials if owner_of(d.path) == f"{PREFIX}{move}"}
        return {"material": self.m.id, "move": move, "along": "z"}, either(
            of(("move", self.m.id, move)), values_of(self.p, self.m.id, dials))  # fmt: skip

    def set_shading(self) -> Change:
        light = self.rng.choice(list(SHADINGS))
        dials = {d.id for d in self.m.dials if owner_of(d.path) == f"{LIGHT}{light}"}
        return {"material": self.m.id, "light": light, "count": 9.0}, either(
            of(("material", self.m.id, light)), values_of(self.p, self.m.id, dials))  # fmt: skip

    def remove_move(self) -> Change:
        gone = self._move()
        return {"material": self.m.id, "move": gone}, either(
            of(("material", self.m.id, "moves"), ("move", self.m.id, gone)),
            self.released_by(lambda path: owner_of(path) == f"{PREFIX}{gone}"),
        )  # fmt: skip

    def set_field(self) -> Change:
        path, spec, value = self.any_field()
        new = tuple(v * 0.5 for v in value) if isinstance(value, tuple) and spec.kind != "curve" else value
        new = value * 0.5 if isinstance(value, float) else new
        return {"material": self.m.id, "path": path, "value": new}, self.touched_by_field(path)

    def expose(self) -> Change:
        path = self.any_field()[0]
        known = self.all_dials()
        return {"material": self.m.id, "path": path}, lambda at: at == ("material", self.m.id, "dial order") or (
            at[:2] == ("dial", self.m.id) and at[2] not in known) or (
            at[0] == "resolved" and at[1] in family(self.p, self.m.id) and at[2] not in known)  # fmt: skip

    def hide(self) -> Change:
        path = self.rng.choice([d.path for d in self.m.dials] or ["none"])
        gone = self.released_by(lambda at: at == path)
        return {"material": self.m.id, "path": path}, lambda at: gone(at) and at[0] != "link"

    def _dial(self) -> str:
        return self.rng.choice([d.id for d in self.m.dials] or ["none"])

    def rename_dial(self) -> Change:
        dial = self._dial()
        return {"material": self.m.id, "dial": dial, "name": "Another"}, of(("dial", self.m.id, dial))

    def move_dial(self) -> Change:
        return {"material": self.m.id, "dial": self._dial(), "to": 0}, of(("material", self.m.id, "dial order"))

    def set_dial_words(self) -> Change:
        dial = self._dial()
        return {"material": self.m.id, "dial": dial, "group": "Other"}, of(("dial", self.m.id, dial))

    def add_finish(self) -> Change:
        known = {f.id for f in self.p.finishes}
        return {"parent": self.finish().id, "name": "F0"}, lambda at: at == ("order", "finishes") or (
            at[0] in ("finish", "value", "resolved") and at[1] not in known)  # fmt: skip

    def rename_finish(self) -> Change:
        finish = self.finish()
        return {"finish": finish.id, "name": "Another"}, of(("finish", finish.id, "name"))

    def remove_finish(self) -> Change:
        finish = self.finish()
        children = {f.id for f in self.p.finishes if f.parent == finish.id}
        worn = {p.id for p in self.p.props if finish.id in p.finishes.values()}
        return {"finish": finish.id}, lambda at: at == ("order", "finishes") or at[1] == finish.id or (
            at[0] in ("variant", "categories", "decals", "stamps")) or (at[0] in ("finish", "value") and at[1] in children) or (at[0] == "wears" and at[1] in worn)  # fmt: skip

    def set_parent(self) -> Change:
        finish = self.finish()
        kin = next(m.id for m in self.p.materials if finish.id in family(self.p, m.id))
        moved = family(self.p, finish.id)
        return {"finish": finish.id, "parent": kin}, lambda at: at == ("finish", finish.id, "parent") or (
            at[0] == "resolved" and at[1] in moved)  # fmt: skip

    def set_dial(self) -> Change:
        finish = self.finish()
        material, dial = self.dial_of(finish)
        if dial is None:
            return {"finish": finish.id, "dial": "none", "value": 0.0}, of()
        value = dial_values(self.p, material.id)[dial.id]
        return {"finish": finish.id, "dial": dial.id, "value": value}, either(
            of(("value", finish.id, dial.id)), values_of(self.p, finish.id, {dial.id}))  # fmt: skip

    def reset_dial(self) -> Change:
        arguments, allowed = self.set_dial()
        del arguments["value"]
        return arguments, allowed

    def promote_dial(self) -> Change:
        set_somewhere = [f for f in self.p.finishes if f.values]
        if not set_somewhere:
            return {"finish": "none", "dial": "none"}, of()
        finish = self.rng.choice(set_somewhere)
        dial = self.rng.choice(list(finish.values))
        material, _ = self.dial_of(finish)
        self.m = material
        path = next(d.path for d in material.dials if d.id == dial)
        up = self.touched_by_field(path) if finish.parent == material.id else of(("value", finish.parent, dial))
        return {"finish": finish.id, "dial": dial}, either(
            of(("value", finish.id, dial)), up, values_of(self.p, finish.parent, {dial}))  # fmt: skip

    def set_dial_of_many(self) -> Change:
        arguments, allowed = self.set_dial()
        arguments["finishes"] = (arguments.pop("finish"),)
        return arguments, allowed

    def reset_dials(self) -> Change:
        finish = self.finish()
        return {"finish": finish.id}, either(
            of(("value", finish.id)), lambda at: at[0] == "resolved" and at[1] in family(self.p, finish.id))  # fmt: skip

    def add_mesh(self) -> Change:
        return {"mesh": MeshAsset(id="new", name="N", asset="meshes/x", slots=("a",))}, of(
            ("order", "meshes"), ("meshes", "new"), ("order", "variants", "new"), ("variant", "new")
        )

    def exchange_mesh(self) -> Change:
        return {"mesh": self.p.meshes[0].with_(asset="meshes/other")}, of(("meshes", "box"))

    def set_clip(self) -> Change:
        return {"mesh": "box", "clip": "sway"}, of(("meshes", "box"))

    def add_prop(self) -> Change:
        return {"prop": self.p.props.first.with_(id="new")}, lambda at: at == ("order", "props") or at[1] == "new"

    def remove_prop(self) -> Change:
        gone = self.prop().id
        return {"prop": gone}, lambda at: at == ("order", "props") or at[1] == gone or (
            at[0] == "rule" and any(r.other == gone for p in self.p.props if p.id == at[1] for r in p.rules))  # fmt: skip

    def set_prop(self) -> Change:
        prop = self.prop()
        return {"prop": prop.id, "size": (2.0, 1.0, 0.5)}, of(("prop", prop.id))

    def put_finish(self) -> Change:
        prop = self.prop()
        return {"prop": prop.id, "slot": "surface", "finish": self.finish().id}, of(("wears", prop.id, "surface"))

    def set_prop_dial(self) -> Change:
        prop = self.prop()
        return {"prop": prop.id, "slot": "surface", "dial": "d0", "value": 0.5}, of(("own", prop.id, "surface", "d0"))

    def paint_prop(self) -> Change:
        prop = self.prop()
        return {"prop": prop.id, "paint": Paint.of(np.zeros((24, 4), np.uint16))}, of(("paint", prop.id))

    def paint_map(self) -> Change:
        prop = self.prop()
        return {"prop": prop.id, "paint_map": PaintMap.even(16, 8, 0)}, of(("paint", prop.id))

    def reset_paint(self) -> Change:
        prop = self.prop()
        return {"prop": prop.id}, of(("paint", prop.id))

    def keep_rule(self) -> Change:
        prop = self.prop()
        return {"prop": prop.id, "rule": PaintRule()}, of(("rule", prop.id, str(len(prop.rules))))

    def copy_rules(self) -> Change:
        prop = self.prop()
        count = len(prop.rules)
        return {
            "prop": prop.id,
            "source": self.prop().id,
        }, lambda at: at[:2] == ("rule", prop.id) and int(at[2]) >= count

    def drop_rule(self) -> Change:
        prop = self.prop()
        at = self.rng.randrange(max(len(prop.rules), 1))
        return {"prop": prop.id, "index": at}, lambda place: place[:2] == ("rule", prop.id) and int(place[2]) >= at

    def set_light(self) -> Change:
        return {"strength": 1.5}, of(("light",))

    def set_wind(self) -> Change:
        return {"strength": 0.7}, of(("wind",))

    def add_recipe(self) -> Change:
        known = {r.id for r in self.p.recipes}
        return {
            "recipe": self.p.recipes[0]
        }, lambda at: at == ("order", "recipes") or (at[0] == "recipes" and at[1] not in known)

    def set_recipe(self) -> Change:
        recipe = self.rng.choice(self.p.recipes)
        inputs = [i for i in recipe.inputs if self.rng.random() < 0.7]
        inputs.append(RecipeInput(name="extra", value=0.4))
        self.rng.shuffle(inputs)
        users = {r.id for r in self.p.recipes if recipe.id in r.uses}
        names = {i.name for i in inputs}

        def allowed(at: Place) -> bool:
            if at[0] == "recipes":
                return at[1] == recipe.id or at[1] in users
            return (
                at[0] in ("term", "link", "move") and recipe.id == "outer" and "k" not in names
            )  # they gave an input that went

        return {"recipe": recipe.id, "inputs": tuple(inputs)}, allowed

    def remove_recipe(self) -> Change:
        recipe = self.rng.choice(self.p.recipes).id
        return {"recipe": recipe}, of(("order", "recipes"), ("recipes", recipe))

    def rename_step(self) -> Change:
        return {"recipe": "inner", "step": "sum", "name": "total"}, of(("recipes", "inner"))

    def add_shared(self) -> Change:
        known = {d.id for d in self.p.shared}
        return {"name": "Season"}, lambda at: at == ("order", "shared") or (at[0] == "shared" and at[1] not in known)

    def set_shared(self) -> Change:
        return {"shared": "damp", "value": 0.8}, of(("shared", "damp"))

    def remove_shared(self) -> Change:
        if len(self.p.shared) < 2:
            return {"shared": "none"}, of()
        gone = self.rng.choice(self.p.shared).id
        paths = {(m.id, k.path) for m in self.p.materials for k in m.links if k.shared == gone}
        coats = {(m, path.split(".")[0]) for m, path in paths}
        dials = {d.id for m in self.p.materials for d in m.dials if (m.id, d.path) in paths}

        def allowed(at: Place) -> bool:
            return (
                at in (("order", "shared"), ("shared", gone)) or (at[0] == "link" and (at[1], at[2]) in paths)
                or (at[0] == "coat" and (at[1], at[2]) in coats)
                or (at[0] == "move" and (at[1], f"{PREFIX}{at[2]}") in coats) or (at[0] == "term" and (at[1], at[2]) in coats)
                or (at[0] == "term" and at[3] == "shared" and gone == "season")
                or (at[0] == "recipes" and at[1].startswith("outer") and gone == "damp") or (at[0] == "resolved" and at[2] in dials)
            )  # fmt: skip

        return {"shared": gone}, allowed

    def link_field(self) -> Change:
        path = self.rng.choice(fields_of(self.m))[0]
        return {"material": self.m.id, "path": path, "shared": "damp"}, of(("link", self.m.id, path))

    def unlink_field(self) -> Change:
        path = self.rng.choice([k.path for k in self.m.links] or ["none"])
        return {"material": self.m.id, "path": path}, of(("link", self.m.id, path))

    def rename_kept(self) -> Change:
        return {"kind": "materials", "id": self.m.id, "name": "Another"}, of(("material", self.m.id, "name"))

    def copy_kept(self) -> Change:
        kind = self.rng.choice(["materials", "finishes", "map_sets", "recipes"])
        known = {i.id for k in ("materials", "finishes", "map_sets", "recipes") for i in getattr(self.p, k)}
        new = lambda at: (at[0] == "order" and at[1] in (kind, "finishes")) or (len(at) > 1 and at[1] not in known)
        return {"kind": kind, "id": self.rng.choice(getattr(self.p, kind)).id}, new

    def remove_material(self) -> Change:
        others = [m.id for m in self.p.materials if m.id != self.m.id and len(family(self.p, m.id)) > 1]
        if not others:
            return {"material": "none"}, of()  # the last one stays, for the edits that come after
        gone, heir = self.m.id, self.rng.choice(["", *others])
        kin = family(self.p, gone)
        worn = {(p.id, s) for p in self.p.props for s, f in finishes_on(self.p, p).items() if f in kin}
        return {"material": gone, "heir": heir}, lambda at: at in (("order", "materials"), ("order", "finishes")) or (
            at[0] in ("variant", "categories", "decals", "stamps")) or (
            at[0] in ("wears", "own") and at[1:3] in worn) or (at[0] in ("finish", "value", "resolved") and at[1] in kin) or (
            at[0] in ("material", "move", "dial", "link", "coat", "terms", "term") and at[1] == gone)  # fmt: skip

    def remove_map_set(self) -> Change:
        if len(self.p.map_sets) < 2:
            return {"map_set": "none"}, of()
        gone = self.rng.choice(self.p.map_sets).id
        heir = self.rng.choice(["", *(s.id for s in self.p.map_sets if s.id != gone)])
        reading = {("recipes", r.id) for r in self.p.recipes if ("map_sets", gone) in set(references(r))}
        own = {("order", "map_sets"), ("map_sets", gone), *reading}
        return {"map_set": gone, "heir": heir}, lambda at: at in own or (
            at[0] in ("coat", "term", "rule", "value", "resolved"))  # fmt: skip

    def remove_mesh(self) -> Change:
        gone = self.rng.choice(self.p.meshes).id
        return {"mesh": gone}, of(("order", "meshes"), ("meshes", gone), ("order", "variants", gone), ("variant", gone),
                                  ("category of", gone))  # fmt: skip

    def take_over(self) -> Change:
        other = Project(map_sets=(MapSet(id="far", name="Far", tile_size=7.0),))
        return {"other": other, "kind": "map_sets", "id": "far", "folder": "/far"}, of(
            ("order", "map_sets"), ("map_sets", "far")
        )

    def paste_coat(self) -> Change:
        source, target = self.rng.choice(self.p.materials), self.rng.choice(self.p.materials)
        other = coat_apart(self.p, source.id, self.rng.choice(source.coats).id)
        return {"other": other, "material": target.id, "folder": "/far"}, self._more_coats(target.id)

    def update_taken(self) -> Change:
        return {"other": self.p, "folder": "/nowhere", "places": frozenset()}, of()


def differences(before: dict[Place, Any], after: dict[Place, Any]) -> Iterator[Place]:
    missing = object()
    for place in before.keys() | after.keys():
        if before.get(place, missing) != after.get(place, missing):
            yield place
