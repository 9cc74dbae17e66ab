"""Arguments by chance for the edits of grounds, and what a project says of them."""

from __future__ import annotations

import random
from collections.abc import Callable
from typing import Any

import numpy as np

from jade_coat.ground.heights import Heights
from jade_coat.ground.pages import Pages
from jade_coat.ground.paths import GroundPath
from jade_coat.ground.rules import LayerRule
from jade_coat.ground.scatter import Scatter
from jade_coat.material.stacking import GroundLayer
from jade_coat.stage.grounds import Ground
from jade_coat.stage.project import Project, Prop
from tests.support import some_ground

Where = tuple[str, ...]
Change = tuple[dict[str, Any], Callable[[Where], bool]]


class GroundCases:
    """For each edit of grounds, arguments by chance, and the places that it may change."""

    p: Project
    rng: random.Random

    def _ground(self) -> Ground | None:
        return self.p.grounds.first

    def _layer(self) -> str:
        ground = self._ground()
        return self.rng.choice([s.id for s in ground.layers]) if ground is not None else "none"

    def _name(self) -> str:
        ground = self._ground()
        return ground.id if ground is not None else "none"

    def add_ground(self) -> Change:
        made = some_ground("new")
        return {"ground": made}, lambda at: at == ("order", "grounds") or "new" in at[1:]

    def set_ground(self) -> Change:
        return {"ground": self._name(), "middle": (1.0, 2.0), "foot": 3.0}, lambda at: at == ("ground", self._name())

    def set_heights(self) -> Change:
        made = Heights.of(np.ones((20, 30), np.float32), (4.0, 5.0))
        name = self._name()
        return {"ground": name, "heights": made}, lambda at: at in (("heights", name), ("ground", name))

    def sculpt(self) -> Change:
        ground = self._ground()
        pages = Pages.flat(65, 65, "float32", 2) if ground is None else ground.heights.pages.with_values(
            3, 4, np.full((5, 6), 9, np.float32))  # fmt: skip
        name = self._name()
        return {"ground": name, "pages": pages}, lambda at: at in (("heights", name), ("ground", name))

    def add_layer(self) -> Change:
        name = self._name()
        return {
            "ground": name,
            "layer": GroundLayer(id="new", name="New", finish="f2"),
        }, lambda at: at == ("order", "layers", name) or at[1:] == (name, "new")

    def set_layer(self) -> Change:
        name, layer = self._name(), self._layer()
        return {"ground": name, "layer": layer, "finish": "g0", "lift": 0.2}, lambda at: at == ("layer", name, layer)

    def move_layer(self) -> Change:
        name = self._name()
        return {
            "ground": name,
            "layer": self._layer(),
            "to": self.rng.randint(0, 4),
        }, lambda at: at == ("order", "layers", name)

    def remove_layer(self) -> Change:
        name, layer = self._name(), self._layer()
        gone = (("order", "layers", name), ("order", "scatter", name), ("rules", name))
        return {"ground": name, "layer": layer}, lambda at: (
            at in gone or at[1:] == (name, layer) or at[:2] == ("scatter", name))  # fmt: skip

    def _scatter(self) -> str:
        ground = self._ground()
        return self.rng.choice([s.id for s in ground.scatter] or ["none"]) if ground is not None else "none"

    def add_scatter(self) -> Change:
        name = self._name()
        made = Scatter(id="new", name="New", layer=self._layer(), mesh=self.rng.choice(["box", "far", "gone"]))
        return {"ground": name, "scatter": made}, lambda at: at in (
            ("order", "scatter", name), ("scatter", name, "new"))  # fmt: skip

    def set_scatter(self) -> Change:
        name, scatter = self._name(), self._scatter()
        return {"ground": name, "scatter": scatter, "density": 4.0, "cut_out": "d"}, (
            lambda at: at == ("scatter", name, scatter))  # fmt: skip

    def remove_scatter(self) -> Change:
        name, scatter = self._name(), self._scatter()
        return {"ground": name, "scatter": scatter}, lambda at: at in (
            ("order", "scatter", name), ("scatter", name, scatter))  # fmt: skip

    def take_pieces(self) -> Change:
        name, scatter = self._name(), self._scatter()
        prop = Prop(id="plucked", name="Plucked", mesh="box")
        return {"ground": name, "scatter": scatter, "places": ((1.0, 1.0),), "props": (prop,)}, lambda at: (
            at == ("scatter", name, scatter) or "plucked" in at or at == ("order", "props"))  # fmt: skip

    def _path(self) -> str:
        ground = self._ground()
        return self.rng.choice([p.id for p in ground.paths] or ["none"]) if ground is not None else "none"

    def add_path(self) -> Change:
        name = self._name()
        made = GroundPath(id="new", name="New", points=((1.0, 1.0), (4.0, 2.0)))
        return {"ground": name, "path": made}, lambda at: at in (("order", "paths", name), ("path", name, "new"))

    def set_path(self) -> Change:
        name, path = self._name(), self._path()
        points = ((self.rng.uniform(0, 9), 1.0), (3.0, 3.0))
        return {"ground": name, "path": path, "points": points}, lambda at: at == ("path", name, path)

    def remove_path(self) -> Change:
        name, path = self._name(), self._path()
        return {"ground": name, "path": path}, lambda at: at in (
            ("order", "paths", name), ("path", name, path), ("rules", name))  # fmt: skip

    def set_rules(self) -> Change:
        name, layer = self._name(), self._layer()
        return {
            "ground": name,
            "rules": (LayerRule(layer=layer),),
            "weights": {layer: Pages.flat(33, 33, "uint8", 9)},
        }, (lambda at: at in (("rules", name), ("weights", name, layer)))

    def paint_layers(self) -> Change:
        name, layer = self._name(), self._layer()
        return {
            "ground": name,
            "weights": {layer: Pages.flat(33, 33, "uint8", 7)},
        }, lambda at: at == ("weights", name, layer)


def ground_places(project: Project) -> dict[Where, Any]:
    """What a project says of grounds, each under a place of its own."""
    found: dict[Where, Any] = {("order", "grounds"): tuple(project.grounds.ids())}
    for ground in project.grounds:
        found["ground", ground.id] = (
            ground.name,
            ground.parent,
            ground.middle,
            ground.foot,
            ground.land,
            ground.baking,
        )
        found["heights", ground.id] = ground.heights
        found["rules", ground.id] = ground.rules
        found["by hand", ground.id] = ground.by_hand
        found["order", "layers", ground.id] = tuple(s.id for s in ground.layers)
        found["order", "scatter", ground.id] = tuple(s.id for s in ground.scatter)
        found |= {("scatter", ground.id, s.id): s for s in ground.scatter}
        found["order", "paths", ground.id] = tuple(p.id for p in ground.paths)
        found |= {("path", ground.id, p.id): p for p in ground.paths}
        found |= {("layer", ground.id, s.id): s for s in ground.layers}
        found |= {("weights", ground.id, k): v for k, v in ground.weights.items()}
    return found
