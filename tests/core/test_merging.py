"""Two people on one project: what only one of them changed is never lost, and what both changed is told.

`JADE_COAT_PAIRS` sets how many pairs of edit lists the property test tries; 60 in every run, 20,000 by hand.
"""

from __future__ import annotations

import json
import os
import random
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from jade_coat.files.kept_beside import keep_beside
from jade_coat.files.project_folder import open_project, save_project
from jade_coat.ground.pages import Pages
from jade_coat.material.material import Coat
from jade_coat.mesh.painting import Paint, PaintMap
from jade_coat.stage import edits
from jade_coat.stage.document import Document
from jade_coat.stage.edits import EDITS
from jade_coat.stage.loose_ends import loose_ends
from jade_coat.stage.merging import BOTH, MINE, THEIRS, merged
from jade_coat.stage.merging.words import title, told
from jade_coat.stage.project import Project
from tests.core.edit_cases import Cases
from tests.core.edit_places import START
from tests.support import every_kind_of_project

PAIRS = int(os.environ.get("JADE_COAT_PAIRS", "60"))
GROUND = START.grounds.first
Place = tuple[str, ...]


def after(project: Project, *steps: Any) -> Project:
    document = Document(project)
    for step in steps:
        document.do(step)
    assert document.project is not project
    return document.project


def by_chance(project: Project, rng: random.Random, count: int) -> tuple[Project, list[str]]:
    """A project after some edits by chance, and their names; those that cannot be are left out."""
    document, done = Document(project), []
    for name in rng.choices(sorted(EDITS), k=count):
        try:
            arguments, _ = getattr(Cases(document.project, rng), name)()
            document.do(EDITS[name](**arguments))
            done.append(name)
        except (KeyError, ValueError):
            continue
    return document.project, done


def leaves(value: Any, place: Place = ()) -> Iterator[tuple[Place, str]]:
    """All that a project's JSON says, by places of its own: lists of things with ids by id, else whole."""
    if isinstance(value, dict):
        for key, inner in value.items():
            yield from leaves(inner, (*place, key))
    elif isinstance(value, list) and value and all(isinstance(i, dict) and "id" in i for i in value):
        for inner in value:
            name = f"{inner['kind']} {inner['id']}" if "theirs" in inner else inner["id"]
            yield from leaves(inner, (*place, name))
    elif isinstance(value, list) and value and all(isinstance(i, dict) and {"path", "low"} <= i.keys() for i in value):
        for inner in value:
            yield from leaves(inner, (*place, inner["path"]))
    elif value != []:
        yield place, json.dumps(value)


def said(project: Project) -> dict[Place, str]:
    return dict(leaves(project.model_dump(mode="json")))


def lost(base: Project, mine: Project, theirs: Project, made: Any) -> list[tuple[Place, str, str]]:
    """Where the merged project says what neither of the sides that changed something wants, untold."""
    before, own, other, now = (said(p) for p in (base, mine, theirs, made.project))
    hit = {c.place for c in made.collisions}
    hit |= {(c.place[0], c.place[1], "weights", c.place[3]) for c in made.collisions if c.place[2:3] == ("layers",)}
    hit |= {(*c.place[:-1], name) for c in made.collisions if isinstance(c.mine, dict) for name in c.mine}
    back = {(kind, i.id) for kind in ("materials", "finishes", "map_sets", "recipes", "shared", "meshes", "props",
                                      "groups", "categories") for i in getattr(made.project, kind)
            if any(f"{i.name} was removed, and stays" in n for n in made.notes)}  # fmt: skip
    back |= {("grounds", g.id, part, layer.id) for g in made.project.grounds for layer in g.layers
             for part in ("layers", "weights") if any(f"{layer.name} was removed, and stays" in n for n in made.notes)}  # fmt: skip
    wrong = []
    for place in before.keys() | own.keys() | other.keys():
        b, m, t = (side.get(place, "nothing") for side in (before, own, other))
        excused = (
            any(place[: len(h)] == h or h[: len(place)] == place for h in hit) or place[:2] in back or place[:4] in back
        )
        wanted = m if t in (b, m) else t if m == b else None
        if wanted is None and is_row_of_both(b, m, t, now.get(place, "")):
            continue
        if not excused and (wanted is None or now.get(place, "nothing") != wanted):
            wrong.append((place, now.get(place, "nothing"), str(wanted)))
    return wrong


def is_row_of_both(*sides: str) -> bool:
    """Whether a row of items without ids has all that either side added to it, and nothing that one took out."""
    try:
        base, mine, theirs, made = (
            Counter(json.dumps(i) for i in json.loads(side if side[:1] == "[" else "[]")) for side in sides
        )
    except (TypeError, ValueError):
        return False
    added, gone = (mine - base) | (theirs - base), (base - mine) | (base - theirs)
    return not (mine - base) - made and not (theirs - base) - made and not made - (base - gone) - added


@given(seed=st.integers(0, 2**32))
@settings(max_examples=PAIRS, deadline=None, suppress_health_check=list(HealthCheck))
def test_whatever_two_people_do_nothing_that_only_one_changed_is_lost(seed: int) -> None:
    rng = random.Random(seed)
    base, _ = by_chance(START, rng, 2)
    mine, my_names = by_chance(base, rng, rng.randint(1, 5))
    theirs, their_names = by_chance(base, rng, rng.randint(1, 5))
    if any(
        set(mine.__dict__[k].ids()) & set(theirs.__dict__[k].ids()) - set(base.__dict__[k].ids())
        for k in ("props", "groups", "decals", "lamps", "grounds")
    ):
        return  # what both add under one id has tests of its own: one of the two moves
    made = merged(base, mine, theirs)
    names = f"{my_names} | {their_names}"
    Project.model_validate(made.project.model_dump())
    assert set(loose_ends(made.project)) <= {*loose_ends(mine), *loose_ends(theirs)}, names
    if not any("Both added" in n for n in made.notes):
        assert lost(base, mine, theirs, made) == [], names
    again = merged(theirs, made.project, theirs)
    assert (again.project, again.collisions) == (made.project, ()), names
    turned = merged(base, theirs, mine)
    if not made.collisions and not made.notes:
        assert said(turned.project) == said(made.project), names
    assert len(turned.collisions) == len(made.collisions), names


# What once went over something else


def land(project: Project, rows: slice, value: float) -> Project:
    """The project with part of its ground raised."""
    ground = project.grounds.first
    part = np.full((rows.stop - rows.start, 6), value, np.float32)
    pages = ground.heights.pages.with_values(rows.start, 0, part)
    return project.with_things("grounds", ground.with_(heights=ground.heights.with_pages(pages)))


def laid(project: Project, rows: slice, layer: str, value: int) -> Project:
    """The project with a layer's weights painted in some rows, and taken from the first one."""
    ground = project.grounds.first
    first = ground.layers[0].id
    weights = dict(ground.weights)
    cells = weights[layer].columns
    weights[layer] = weights[layer].with_values(
        rows.start, 0, np.full((rows.stop - rows.start, cells), value, np.uint8)
    )
    weights[first] = weights[first].with_values(
        rows.start, 0, np.full((rows.stop - rows.start, cells), 255 - value, np.uint8)
    )
    return project.with_things("grounds", ground.with_(weights=weights))


def test_one_shapes_and_the_other_paints_the_same_ground() -> None:
    layer = GROUND.layers[1].id
    mine, theirs = land(START, slice(0, 4), 7.5), laid(START, slice(8, 12), layer, 200)
    made = merged(START, mine, theirs)
    assert made.collisions == ()
    ground = made.project.grounds.first
    assert (ground.heights.pages.whole()[:4, :6] == 7.5).all()
    assert (ground.weights[layer].whole()[8:12] == 200).all()
    assert ground.weights == theirs.grounds.first.weights


def test_cells_that_both_painted_are_taken_whole_from_one_side_and_told() -> None:
    layer, third = GROUND.layers[1].id, GROUND.layers[2].id
    start = START.with_things("grounds", GROUND.with_layer(GROUND.layer(third).with_(way="shared")))
    base = laid(laid(start, slice(0, 20), layer, 0), slice(0, 20), third, 0)
    mine, theirs = laid(base, slice(4, 10), layer, 100), laid(base, slice(8, 14), third, 50)
    for side, wanted in ((MINE, mine), (THEIRS, theirs)):
        made = merged(base, mine, theirs, {f"grounds/{GROUND.id}/weights": side})
        (hit,) = made.collisions
        assert hit.count == 2 * GROUND.weight_cells[0]
        for name, pages in [(n, made.project.grounds.first.weights[n]) for n in (GROUND.layers[0].id, layer, third)]:
            whole = pages.whole()
            assert (whole[8:10] == wanted.grounds.first.weights[name].whole()[8:10]).all()
            assert (whole[4:8] == mine.grounds.first.weights[name].whole()[4:8]).all()
            assert (whole[10:14] == theirs.grounds.first.weights[name].whole()[10:14]).all()
    assert f"{2 * GROUND.weight_cells[0]} cells" in told(hit, hit.mine)
    assert title(hit, mine, theirs).startswith(GROUND.name)


def test_heights_are_merged_by_tile_and_then_by_sample() -> None:
    """A grid of several tiles: one of them changed on one side, one on both in different places."""
    rng = np.random.default_rng(2)
    base = Pages.of(rng.random((300, 300)).astype(np.float32))
    sides = [base.with_values(0, 0, np.full((9, 9), 5, np.float32)).with_values(200, 200, np.ones((5, 5), np.float32)),
             base.with_values(50, 50, np.full((9, 9), 6, np.float32))]  # fmt: skip
    grounds = [GROUND.with_(heights=GROUND.heights.__class__(p, (30.0, 30.0))) for p in (base, *sides)]
    before, mine, theirs = (START.with_things("grounds", g) for g in grounds)
    for a, b in ((mine, theirs), (theirs, mine)):
        made = merged(before, a, b)
        assert made.collisions == ()
        whole = made.project.grounds.first.heights.pages.whole()
        expected = sides[0].whole().copy()
        expected[50:59, 50:59] = 6
        assert (whole == expected).all()


def test_fields_of_one_thing_come_from_both() -> None:
    prop = START.props.first
    mine = after(START, edits.set_prop(prop=prop.id, position=(3.0, 0.0, 1.0)), edits.set_light(strength=9.0))
    theirs = after(START, edits.put_finish(prop=prop.id, slot="surface", finish="g0"), edits.set_light(azimuth=1.5))
    mine = after(mine, edits.set_field(material="m", path="base.surface.tile_size", value=0.7))
    theirs = after(theirs, edits.set_coat(material="m", coat="top", name="Upper"))
    scatter = GROUND.scatter[0].with_(density=7.0)
    mine = mine.with_things("grounds", GROUND.with_(scatter=(scatter, *GROUND.scatter[1:])))
    theirs = theirs.with_things("grounds", GROUND.with_layer(GROUND.layers[0].with_(name="Loam")))
    made = merged(START, mine, theirs)
    assert made.collisions == ()
    now = made.project
    assert (now.light.strength, now.light.azimuth) == (9.0, 1.5)
    assert now.prop(prop.id).position == (3.0, 0.0, 1.0)
    assert now.prop(prop.id).finishes["surface"] == "g0"
    assert now.material("m").coat("base").surface.tile_size == 0.7
    assert now.material("m").coat("top").name == "Upper"
    assert now.grounds.first.scatter[0].density == 7.0
    assert now.grounds.first.layers[0].name == "Loam"


def painted(count: int, *changes: tuple[int, int, int]) -> Paint:
    values = np.zeros((count, 4), np.uint16)
    for vertex, channel, value in changes:
        values[vertex, channel] = value
    return Paint.of(values)


def test_paint_is_merged_by_vertex_and_channel_even_where_nobody_had_painted_before() -> None:
    prop = next(p for p in START.props if p.paint is None and p.paint_map is None)
    before = after(START, edits.paint_prop(prop=prop.id, paint=painted(24, (3, 0, 1))))
    mine = after(before, edits.paint_prop(prop=prop.id, paint=painted(24, (3, 0, 1), (5, 0, 9), (6, 1, 2))))
    theirs = after(before, edits.paint_prop(prop=prop.id, paint=painted(24, (3, 0, 1), (5, 2, 8), (6, 1, 3))))
    made = merged(before, mine, theirs)
    assert [c.count for c in made.collisions] == [1]
    assert made.project.prop(prop.id).paint == painted(24, (3, 0, 1), (5, 0, 9), (5, 2, 8), (6, 1, 2))
    turned = merged(before, mine, theirs, {c.key: THEIRS for c in made.collisions})
    assert turned.project.prop(prop.id).paint == painted(24, (3, 0, 1), (5, 0, 9), (5, 2, 8), (6, 1, 3))
    mine = after(START, edits.paint_prop(prop=prop.id, paint=painted(24, (1, 0, 9))))
    theirs = after(START, edits.paint_prop(prop=prop.id, paint=painted(24, (2, 0, 8))))
    first = merged(START, mine, theirs, base_colors=lambda mesh, sets: painted(24))
    assert first.collisions == ()
    assert first.project.prop(prop.id).paint == painted(24, (1, 0, 9), (2, 0, 8))
    assert len(merged(START, mine, theirs).collisions) == 1  # without the mesh's own colours nobody can tell


def test_a_map_that_would_hide_what_the_other_painted_on_vertices_is_asked_about() -> None:
    prop = next(p for p in START.props if p.paint is None and p.paint_map is None)
    mine = after(START, edits.paint_map(prop=prop.id, paint_map=PaintMap.even(16, 8, 0)))
    theirs = after(START, edits.paint_prop(prop=prop.id, paint=painted(24, (2, 0, 8))))
    made = merged(START, mine, theirs)
    (hit,) = made.collisions
    assert title(hit, mine, theirs) == f"{prop.name} (prop): paint"
    taken = merged(START, mine, theirs, {hit.key: THEIRS}).project.prop(prop.id)
    assert (taken.paint, taken.paint_map) == (painted(24, (2, 0, 8)), None)


def test_what_both_add_under_one_id_is_there_twice_with_all_that_refers_to_it() -> None:
    mine = after(
        START, edits.add_finish(parent="m", name="Wet"), edits.put_finish(prop="p0", slot="surface", finish="wet")
    )
    theirs = after(
        START, edits.add_finish(parent="n", name="Wet"), edits.put_finish(prop="p1", slot="surface", finish="wet")
    )
    made = merged(START, mine, theirs)
    assert made.collisions == ()
    now = made.project
    assert [f.name for f in now.finishes if f.name.startswith("Wet")] == ["Wet", "Wet 2"]
    assert now.finish(now.prop("p1").finishes["surface"]) == theirs.finish("wet")
    own = now.finish(now.prop("p0").finishes["surface"])
    assert (own.parent, own.name) == ("m", "Wet 2")
    assert any("Wet" in n for n in made.notes)
    same = after(START, edits.add_finish(parent="n", name="Wet"))
    assert merged(START, same, theirs).project.finishes == theirs.finishes


def test_coats_and_layers_that_both_add_under_one_id_are_both_there() -> None:
    def with_coat(color: tuple[float, float, float]) -> Project:
        m = START.material("m")
        coat = Coat(id="new", name="New", surface={"color": color})
        return START.with_(materials=(m.with_(coats=(*m.coats, coat)), *START.materials[1:]))

    def with_layer(name: str) -> Project:
        made = GROUND.layers[1].with_(id="new", name=name, way="over")
        weights = {**GROUND.weights, "new": Pages.flat(GROUND.weight_cells[1], GROUND.weight_cells[0], "uint8", 9)}
        scatter = GROUND.scatter[0].with_(id="own", name=f"{name} grass", layer="new")
        ground = GROUND.with_(layers=(*GROUND.layers, made), weights=weights, scatter=(*GROUND.scatter, scatter))
        return START.with_things("grounds", ground)

    made = merged(START, with_coat((1, 0, 0)), with_coat((0, 1, 0)))
    assert made.collisions == ()
    assert {c.surface.color for c in made.project.material("m").coats[-2:]} == {(1, 0, 0), (0, 1, 0)}
    made = merged(START, with_layer("Moss"), with_layer("Sand"))
    assert made.collisions == ()
    ground = made.project.grounds.first
    assert {layer.name for layer in ground.layers[-2:]} == {"Moss", "Sand"}
    for scatter in ground.scatter[-2:]:
        assert scatter.name == f"{ground.layer(scatter.layer).name} grass"


def test_use_wins_over_removal_and_is_told() -> None:
    gone = after(START, edits.remove_finish(finish="f2"))
    used = after(START, edits.put_finish(prop="p1", slot="surface", finish="f2"))
    for mine, theirs in ((gone, used), (used, gone)):
        made = merged(START, mine, theirs)
        assert made.project.finish("f2") == START.finish("f2")
        assert made.project.prop("p1").finishes["surface"] == "f2"
        assert loose_ends(made.project) == []
        assert any("F2 was removed, and stays" in n for n in made.notes)
    whole = after(START, edits.remove_material(material="m"))
    child = after(START, edits.add_finish(parent="f2", name="Grandchild"))
    made = merged(START, whole, child)
    assert {"f0", "f1", "f2"} <= {f.id for f in made.project.finishes}
    assert made.project.material("m") == START.material("m")


def test_a_circle_of_parents_that_neither_side_made_is_undone_and_told() -> None:
    two = after(START, edits.add_finish(parent="m", name="A"), edits.add_finish(parent="m", name="B"))
    mine = after(two, edits.set_parent(finish="a", parent="b"))
    theirs = after(two, edits.set_parent(finish="b", parent="a"))
    made = merged(two, mine, theirs)
    assert made.project.finish("a").parent == "b"
    assert made.project.finish("b").parent == "m"
    assert [c.key for c in made.collisions] == ["finishes/b/parent"]


def test_what_collides_is_chosen_by_itself_or_kept_twice() -> None:
    mine = after(START, edits.rename_finish(finish="g0", name="Mine"), edits.set_wind(strength=0.9))
    theirs = after(START, edits.rename_finish(finish="g0", name="Theirs"), edits.set_wind(strength=0.1))
    made = merged(START, mine, theirs)
    assert {title(c, mine, theirs): (told(c, c.mine), told(c, c.theirs)) for c in made.collisions} == {
        "Mine (finish): name": ("Mine", "Theirs"), "The wind: strength": ("0.9", "0.1")}  # fmt: skip
    other = merged(START, mine, theirs, {"finishes/g0/name": BOTH, "wind/strength": THEIRS}).project
    assert other.wind.strength == 0.1
    assert other.finish("g0").name == "Mine"
    assert any(f.name == "Theirs, theirs" and f.parent == "n" for f in other.finishes)


def test_without_knowing_what_both_began_from_nothing_counts_as_removed_or_added_twice() -> None:
    mine = after(START, edits.remove_finish(finish="f2"), edits.set_wind(strength=0.9))
    theirs = after(START, edits.add_finish(parent="m", name="New"))
    made = merged(None, mine, theirs)
    assert {f.id for f in made.project.finishes} == {f.id for f in theirs.finishes}
    assert "wind/strength" in {c.key for c in made.collisions}
    assert len(made.project.props) == len(START.props)


def test_what_was_not_chosen_is_kept_beside_and_opens_again(tmp_path: Path) -> None:
    project, assets = every_kind_of_project()
    project = project.with_things("props", project.props.first.with_(paint=painted(24, (1, 1, 1))))
    save_project(project, assets, tmp_path / "p")
    place = keep_beside(tmp_path / "p", project.with_(name="Theirs"), assets, "theirs")
    assert place.parent == tmp_path / "p kept"
    opened = open_project(place)
    assert opened.problems == []
    assert opened.project == project.with_(name="Theirs")


@pytest.mark.parametrize("order", [("a", "b"), ("b", "a")])
def test_order_that_one_side_changed_stays_and_additions_keep_their_neighbours(order: tuple[str, str]) -> None:
    def coats(*names: str) -> Project:
        made = tuple(Coat(id=n, name=n.title()) for n in names)
        return START.with_(materials=(START.material("n").with_(coats=made, dials=(), links=()), START.material("m")))

    base = coats("one", "two", "three")
    sides = {"a": coats("one", "three", "two"), "b": coats("one", "moss", "two", "soot", "three")}
    made = merged(base, sides[order[0]], sides[order[1]])
    assert made.collisions == ()
    assert [c.id for c in made.project.materials[0].coats] == ["one", "moss", "three", "two", "soot"]
