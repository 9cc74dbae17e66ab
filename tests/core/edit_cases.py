"""For each edit, arguments by chance and the places of a project that it may change."""

from __future__ import annotations

import numpy as np

from jade_coat.maps.mapset import MapSet
from jade_coat.material.material import numbers_of
from jade_coat.material.placing import PREFIX
from jade_coat.material.recipes import RecipeInput
from jade_coat.mesh.painting import Paint, PaintMap
from jade_coat.stage.looks import dial_values, finishes_on
from jade_coat.stage.mesh_assets import FarLevel, MeshAsset
from jade_coat.stage.paint_rules import PaintRule
from jade_coat.stage.project import Project
from jade_coat.stage.references import references
from jade_coat.stage.taking import coat_apart
from tests.core.edit_places import Change, Place, either, family, values_of
from tests.core.ground_cases import GroundCases
from tests.core.material_cases import MaterialCases
from tests.core.stage_cases import of


class Cases(GroundCases, MaterialCases):
    """For each edit, arguments by chance, and the places that it may change."""

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
            at[0] in ("variant", "categories", "decals", "stamps", "layer")) or (at[0] in ("finish", "value") and at[1] in children) or (at[0] == "wears" and at[1] in worn)  # fmt: skip

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

    def set_levels(self) -> Change:
        return {"mesh": "box", "levels": tuple(FarLevel(mesh=m.id, away=4.0) for m in self.p.meshes[1:2])}, of(
            ("meshes", "box")
        )

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
        path = self.rng.choice(numbers_of(self.m)).path
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
            at[0] in ("variant", "categories", "decals", "stamps", "layer")) or (
            at[0] in ("wears", "own") and at[1:3] in worn) or (at[0] in ("finish", "value", "resolved") and at[1] in kin) or (
            at[0] in ("material", "move", "dial", "link", "coat", "terms", "term") and at[1] == gone)  # fmt: skip

    def remove_map_set(self) -> Change:
        if len(self.p.map_sets) < 2:
            return {"map_set": "none"}, of()
        gone = self.rng.choice(self.p.map_sets).id
        heir = self.rng.choice(["", *(s.id for s in self.p.map_sets if s.id != gone)])
        kept = (("recipes", t) for t in self.p.recipes), (("meshes", t) for t in self.p.meshes)
        reading = {(what, t.id) for of_kind in kept for what, t in of_kind if ("map_sets", gone) in set(references(t))}
        own = {("order", "map_sets"), ("map_sets", gone), *reading}
        return {"map_set": gone, "heir": heir}, lambda at: at in own or (
            at[0] in ("coat", "term", "rule", "value", "resolved"))  # fmt: skip

    def remove_mesh(self) -> Change:
        gone = self.rng.choice(self.p.meshes).id
        over = [("meshes", m.id) for m in self.p.meshes if any(level.mesh == gone for level in m.levels)]
        return {"mesh": gone}, of(("order", "meshes"), ("meshes", gone), *over, ("order", "variants", gone), ("variant", gone),
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
