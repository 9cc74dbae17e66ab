"""Of the edits of a material: arguments by chance, and the places of a project that each may change."""

from __future__ import annotations

import random
from collections.abc import Callable
from typing import Any

from hypothesis import assume

from jade_coat.maps.mapset import MapSet
from jade_coat.material.kind_part import PREFIX as LIGHT
from jade_coat.material.material import Coat, Material, numbers_of, options_of, owner_of
from jade_coat.material.placing import MOVE_KINDS, PREFIX
from jade_coat.material.shading import KIND_PARTS
from jade_coat.material.where import TERM_KINDS
from jade_coat.stage.project import Project, Prop
from tests.core.edit_places import Change, Place, either, family, values_of
from tests.core.stage_cases import StageCases, of


class MaterialCases(StageCases):
    """The edits of coats, terms, moves, fields and dials."""

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
        numbers = [(found.path, found.spec, found.value) for found in numbers_of(self.m)]
        return self.rng.choice([*numbers, *options_of(self.m)])

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
        assume(self.p.finishes)  # the edits before may have left none
        return self.rng.choice(self.p.finishes)

    def prop(self) -> Prop:
        assume(len(self.p.props))
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
        light = self.rng.choice(list(KIND_PARTS))
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
