"""Edits of grounds: their heights, their layers, and what is painted of these."""

from __future__ import annotations

from typing import Any

import numpy as np

from jade_coat.ground.heights import Heights
from jade_coat.ground.pages import Pages
from jade_coat.ground.paths import GroundPath
from jade_coat.ground.rules import LayerRule
from jade_coat.ground.scatter import Scatter
from jade_coat.ground.synthesis import Land
from jade_coat.material.stacking import GroundLayer
from jade_coat.stage.edits.registry import added, edit, swap
from jade_coat.stage.grounds import FULL, Ground
from jade_coat.stage.looks import material_of
from jade_coat.stage.project import Project, Prop


def _ground(project: Project, wanted: str) -> Ground:
    if wanted not in project.grounds:
        raise KeyError(f"there is no ground {wanted!r}")
    return project.grounds[wanted]


def _check_finish(project: Project, layer: GroundLayer) -> GroundLayer:
    if layer.finish:
        material_of(project, layer.finish)
    for dial in filter(None, (layer.follows, layer.rain_follows)):
        project.shared_dial(dial)
    return layer


@edit
def add_ground(project: Project, /, ground: Ground) -> Project:
    """Add a ground."""
    for layer in ground.layers:
        _check_finish(project, layer)
    return added(project, "grounds", ground)


@edit
def set_ground(project: Project, /, ground: str, **changes: Any) -> Project:
    """Change where a ground lies."""
    return swap(project, "grounds", _ground(project, ground).with_(**changes))


@edit
def set_heights(project: Project, /, ground: str, heights: Heights, land: Land | None = None) -> Project:
    """Give a ground other heights; `land` is what they were made from, if from numbers."""
    return swap(project, "grounds", _ground(project, ground).with_(heights=heights, land=land))


@edit
def sculpt(project: Project, /, ground: str, pages: Pages) -> Project:
    """Change the heights of a ground by hand."""
    old = _ground(project, ground)
    return swap(project, "grounds", old.with_(heights=old.heights.with_pages(pages), land=None))


@edit
def add_layer(project: Project, /, ground: str, layer: GroundLayer, weights: Pages | None = None) -> Project:
    """Lay a layer on top of the others, painted nowhere yet, or as it is given."""
    old, layer = _ground(project, ground), _check_finish(project, layer)
    columns, rows = old.weight_cells
    painted = weights if weights is not None else Pages.flat(rows, columns, "uint8", 0)
    return swap(project, "grounds", old.with_(layers=(*old.layers, layer), weights={**old.weights, layer.id: painted}))


@edit
def set_layer(project: Project, /, ground: str, layer: str, **changes: Any) -> Project:
    """Change a layer; what is painted of it stays."""
    old = _ground(project, ground)
    return swap(project, "grounds", old.with_layer(_check_finish(project, old.layer(layer).with_(**changes))))


@edit
def move_layer(project: Project, /, ground: str, layer: str, to: int) -> Project:
    """Move a layer among the others; the lowest stays where it is."""
    old = _ground(project, ground)
    moved = old.layer(layer)
    if moved is old.layers[0] or to < 1:
        raise ValueError(f"{old.layers[0].name} is what is there where nothing is painted: it stays the lowest")
    rest = [s for s in old.layers if s is not moved]
    rest.insert(to, moved)
    return swap(project, "grounds", old.with_(layers=tuple(rest)))


@edit
def remove_layer(project: Project, /, ground: str, layer: str) -> Project:
    """Take a layer away; where it shared, those that are left share alone, and where none is the lowest fills in."""
    old = _ground(project, ground)
    gone = old.layer(layer)
    if gone is old.layers[0]:
        raise ValueError(f"{gone.name} is what is there where nothing is painted. Give it another finish instead")
    weights = {k: v for k, v in old.weights.items() if k != layer}
    kept = tuple(s for s in old.layers if s is not gone)
    rules = tuple(r.with_(other="") if r.other == layer else r for r in old.rules if r.layer != layer)
    grows = tuple(
        s.with_(cut_out="") if s.cut_out == layer else s for s in old.scatter if s.layer != layer
    )  # fmt: skip
    return swap(project, "grounds", old.with_(layers=kept, weights=weights, rules=rules, scatter=grows))


def _scatter(project: Project, ground: Ground, scatter: Scatter) -> Scatter:
    """Raises KeyError where it names what is not there."""
    mesh = project.mesh(scatter.mesh)
    if scatter.variant and all(v.id != scatter.variant for v in mesh.variants):
        raise KeyError(f"{mesh.name} has no variant {scatter.variant!r}")
    for layer in filter(None, (scatter.layer, scatter.cut_out)):
        ground.layer(layer)
    return scatter


@edit
def add_scatter(project: Project, /, ground: str, scatter: Scatter) -> Project:
    """Let something grow or lie on a layer, behind what does already."""
    old = _ground(project, ground)
    return swap(project, "grounds", old.with_(scatter=(*old.scatter, _scatter(project, old, scatter))))


@edit
def set_scatter(project: Project, /, ground: str, scatter: str, **changes: Any) -> Project:
    """Change how something grows on a layer."""
    old = _ground(project, ground)
    new = _scatter(project, old, old.scattered(scatter).with_(**changes))
    return swap(project, "grounds", old.with_(scatter=tuple(new if s.id == scatter else s for s in old.scatter)))


@edit
def remove_scatter(project: Project, /, ground: str, scatter: str) -> Project:
    """Let something grow on a ground no more."""
    old = _ground(project, ground)
    old.scattered(scatter)
    return swap(project, "grounds", old.with_(scatter=tuple(s for s in old.scatter if s.id != scatter)))


@edit
def take_pieces(
    project: Project, /, ground: str, scatter: str, places: tuple[tuple[float, float], ...],
    props: tuple[Prop, ...] = (),
) -> Project:  # fmt: skip
    """Take pieces out of a scatter by their places, metres from the ground's corner; `props` stand there instead."""
    old = _ground(project, ground)
    found = old.scattered(scatter)
    new = found.with_(gone=(*found.gone, *places))
    made = swap(project, "grounds", old.with_(scatter=tuple(new if s.id == scatter else s for s in old.scatter)))
    for prop in props:
        made = added(made, "props", prop)
    return made


@edit
def paint_layers(project: Project, /, ground: str, weights: dict[str, Pages], by_hand: Pages | None = None) -> Project:
    """Change what is painted of some layers of a ground; `by_hand` is how far all is painted by hand from then on."""
    old = _ground(project, ground)
    for layer in weights:
        old.layer(layer)
    changes: dict[str, Any] = {"by_hand": by_hand} if by_hand is not None else {}
    size = old.weight_cells
    for pages in (*weights.values(), *changes.values()):
        if (pages.columns, pages.rows, pages.dtype) != (*size, "uint8"):
            raise ValueError(f"{old.name}: what is painted must be {size[0]} × {size[1]} numbers from 0 to 255")
    # Nothing else is another, so nothing else is checked: a stroke is many of these.
    return swap(project, "grounds", old.with_known(weights={**old.weights, **weights}, **changes))


@edit
def set_rules(
    project: Project, /, ground: str, rules: tuple[LayerRule, ...], weights: dict[str, Pages] | None = None
) -> Project:
    """Choose the rules that lay layers; `weights` are what they lay, as `ground.rules.run` gives it."""
    old = _ground(project, ground)
    for rule in rules:
        if rule.map_set:
            project.map_set(rule.map_set)
    return swap(project, "grounds", old.with_(rules=rules, weights={**old.weights, **(weights or {})}))


@edit
def add_path(project: Project, /, ground: str, path: GroundPath) -> Project:
    """Lay a path over a ground."""
    old = _ground(project, ground)
    return swap(project, "grounds", old.with_(paths=(*old.paths, path)))


@edit
def set_path(project: Project, /, ground: str, path: str, **changes: Any) -> Project:
    """Change how a path runs."""
    old = _ground(project, ground)
    new = old.path(path).with_(**changes)
    return swap(project, "grounds", old.with_(paths=tuple(new if p.id == path else p for p in old.paths)))


@edit
def remove_path(project: Project, /, ground: str, path: str) -> Project:
    """Take a path away; a rule that went by it lays nothing until it goes by another."""
    old = _ground(project, ground)
    old.path(path)
    rules = tuple(r.with_(path="") if r.path == path else r for r in old.rules)
    return swap(project, "grounds", old.with_(paths=tuple(p for p in old.paths if p.id != path), rules=rules))


def fills_in(ground: Ground, layer: str) -> str:
    """What shows where a layer is taken away, in words."""
    gone = ground.layer(layer)
    if gone.way == "absolute":
        return "What it was painted on stays as it is."
    if gone.way == "over":
        return "What lies below it shows."
    shared = [s for s in ground.layers if s.way == "shared" and s.id != layer]
    weights = {s.id: ground.weights[s.id].whole().astype(np.int32) for s in (gone, *shared)}
    there = weights[layer] > 0
    if not there.any():
        return "It shows nowhere."
    rest = np.stack([weights[s.id][there] for s in shared])
    alone = float((rest.sum(axis=0) == 0).mean())
    best = shared[int(np.where(rest.sum(axis=0) > 0, rest, 0).sum(axis=1).argmax())].name
    if alone > 0.99 or len(shared) == 1:
        return f"{ground.layers[0].name} fills in."
    if alone < 0.01:
        return f"The layers that share with it fill in, {best} most."
    return f"{best} and others fill in; {ground.layers[0].name} on {alone:.0%} of it, where nothing else is painted."


def flooded(ground: Ground, layer: str) -> dict[str, Pages]:
    """The weights that change where a layer is everywhere; the others that share with it are then nowhere."""
    columns, rows = ground.weight_cells
    if ground.layer(layer).way != "shared":
        return {layer: Pages.flat(rows, columns, "uint8", FULL)}
    return {
        s.id: Pages.flat(rows, columns, "uint8", FULL if s.id == layer else 0)
        for s in ground.layers if s.way == "shared"
    }  # fmt: skip
