"""An edit to one thing leaves every unrelated thing equal: over all edits, on a project with every kind of everything."""

from __future__ import annotations

import random

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from jade_coat.material.around import Around
from jade_coat.material.recipes import Recipe, Step, recipe_value
from jade_coat.stage import edits
from jade_coat.stage.document import Document
from jade_coat.stage.edits import EDITS
from jade_coat.stage.looks import dial_values
from jade_coat.stage.project import Project
from jade_coat.stage.references import losses, references
from tests.core.edit_cases import Cases
from tests.core.edit_places import START, dangling, differences, family, places


def test_every_edit_has_a_case() -> None:
    assert {n for n in EDITS if not hasattr(Cases, n)} == set()


@pytest.mark.parametrize("name", sorted(EDITS))
@given(seed=st.integers(0, 2**32))
@settings(max_examples=12, deadline=None, suppress_health_check=list(HealthCheck))
def test_an_edit_changes_nothing_but_what_it_is_about(name: str, seed: int) -> None:
    """Two other edits come first, so that the tree is not always the same."""
    rng = random.Random(seed)
    document = Document(START)
    for earlier in rng.sample(sorted(EDITS), 2):
        arguments, _ = getattr(Cases(document.project, rng), earlier)()
        try:
            document.do(EDITS[earlier](**arguments))
        except (KeyError, ValueError):
            continue
    arguments, allowed = getattr(Cases(document.project, rng), name)()
    before = document.project
    seen, loose = places(before), dangling(before)
    try:
        document.do(EDITS[name](**arguments))
    except (KeyError, ValueError):
        assert document.project is before
        return
    after = document.project
    wrong = sorted(p for p in differences(seen, places(after)) if not allowed(p))
    assert wrong == [], f"{name}{ {k: v for k, v in arguments.items() if isinstance(v, (str, int))} }"
    assert dangling(after) <= loose
    if after is not before:
        document.undo()
        assert document.project is before


def test_a_coat_moved_to_the_bottom_and_back_is_what_it_was() -> None:
    document = Document(START)
    document.do(edits.move_coat(material="m", coat="mid", to=0))
    document.do(edits.move_coat(material="m", coat="mid", to=1))
    assert document.project == START


def test_a_copied_coat_keeps_what_its_fields_follow() -> None:
    document = Document(START)
    document.do(edits.copy_coat(material="m", coat="mid"))
    made = document.project.material("m").coats[-1].id
    links = {k.path: k for k in document.project.material("m").links}
    own = [p for p in links if p.split(".")[0] == "mid"]
    assert own
    for path in own:
        twin = links[f"{made}.{path.partition('.')[2]}"]
        assert twin.with_(path=path) == links[path]


def test_what_is_removed_steers_nothing_that_comes_later() -> None:
    document = Document(START)
    document.do(edits.remove_shared(shared="season"))
    document.do(edits.add_shared(name="Season", value=1.0))
    term = next(t for t in document.project.material("m").coat("mid").where if t.kind == "shared")
    assert (term.shared, term.value) == ("", 0.25)
    document.do(edits.hide(material="m", path=START.material("m").dials[0].path))
    document.do(edits.expose(material="m", path=START.material("m").dials[0].path))
    new = document.project.material("m").dials[-1].id
    assert not any(new in f.values for f in document.project.finishes)


def test_a_nested_recipe_that_loses_an_input_leaves_the_others_as_they_were() -> None:
    document = Document(START)
    inner = START.recipe("inner")
    document.do(
        edits.set_recipe(recipe="inner", inputs=inner.inputs[1:], steps=(Step(id="all", kind="add", args=("b", "c")),))
    )
    assert next(s for s in document.project.recipe("outer").steps if s.id == "call").args == ("k", "0.6")
    document.do(edits.remove_shared(shared="damp"))

    class Book:
        def recipe(self, wanted: str) -> Recipe:
            return document.project.recipe(wanted)

    assert recipe_value(document.project.recipe("outer"), Around(Book())).static[0] == pytest.approx((0.5 + 0.6) * 0.25)


def test_what_an_edit_drops_besides_is_said_in_words() -> None:
    set_somewhere = {d for f in START.finishes for d in f.values}
    dial = next(d for d in START.material("m").dials if d.path.startswith("mid.") and d.id in set_somewhere)
    lines = losses(START, EDITS["remove_coat"].on(START, material="m", coat="mid"))
    assert any(dial.name in line for line in lines)
    assert losses(START, EDITS["rename_finish"].on(START, finish="f0", name="x")) == []
    followed = losses(START, EDITS["remove_shared"].on(START, shared="season"))
    assert followed
    assert all("Season" in line for line in followed)


def test_what_wore_a_material_that_goes_wears_its_heir_and_nothing_leads_nowhere() -> None:
    heir = next(f for f in START.finishes if f.parent == "n")
    after = edits.remove_material.on(START, "m", heir.id)
    assert [m.id for m in after.materials] == ["n"]
    assert {f.id for f in after.finishes} == {heir.id}
    kin = family(START, "m")
    for before, now in zip(START.props, after.props, strict=True):
        wanted = {s: heir.id if f in kin else f for s, f in before.finishes.items()}
        assert now.finishes == wanted
    bare = edits.remove_material.on(START, "m")
    assert not any(f in kin for p in bare.props for f in p.finishes.values())
    Project.model_validate(after.model_dump())
    Project.model_validate(bare.model_dump())
    with pytest.raises(ValueError, match="its own finishes"):
        edits.remove_material.on(START, "m", "f0")


@pytest.mark.parametrize("heir", ["", "s2"])
def test_what_read_a_map_set_that_goes_reads_its_heir(heir: str) -> None:
    after = edits.remove_map_set.on(START, "s1", heir)
    assert not any(i == "s1" for thing in (*after.materials, *after.meshes, *after.props) for _, i in references(thing))
    base = after.material("m").coat("base").surface
    assert base.map_set == heir
    assert after.mesh("box").made.atlas == heir
    assert after.material("m").coat("mid").surface.map_set == "s2"  # what read another stays
    for finish in after.finishes:
        assert "s1" not in dial_values(after, finish.id).values()
    Project.model_validate(after.model_dump())


def test_names_are_unique_or_it_is_told() -> None:
    with pytest.raises(ValueError, match="another material is called N"):
        edits.rename_kept.on(START, "materials", "m", "N")
    assert edits.rename_kept.on(START, "map_sets", "s1", " Slate ").map_set("s1").name == "Slate"
    twice = edits.copy_kept.on(edits.copy_kept.on(START, "materials", "m"), "materials", "m")
    assert [m.name for m in twice.materials] == ["M", "N", "M 2", "M 3"]
    assert len({m.id for m in twice.materials} | {f.id for f in twice.finishes}) == 4 + len(START.finishes) + 2
    assert twice.materials[2].with_(id="m", name="M") == START.material("m")
