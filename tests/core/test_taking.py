"""Taking things over from another project: nothing twice, where they came from, and bringing them up to date."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jade_coat.files.library import Library
from jade_coat.files.project_folder import open_project, save_project
from jade_coat.material.recipes import LIBRARY
from jade_coat.stage import edits
from jade_coat.stage.document import Document
from jade_coat.stage.looks import field_row
from jade_coat.stage.project import Project
from jade_coat.stage.taking import KINDS, assets_of, changes, needed, take
from tests.support import Demo

FOLDER = "/elsewhere/terrace"


def test_a_finish_comes_with_all_it_needs_and_looks_the_same(demo: Demo) -> None:
    taken = take(Project(), demo.project, ("finishes", "ash_wall"), FOLDER)
    project = taken.project
    assert {f.id for f in project.finishes} == {"ash_wall", "celadon_wall"}
    assert {m.id for m in project.materials} == {"kiln_wall"}
    assert {s.id for s in project.map_sets} == {"glazed_tile", "lime_plaster", "cushion_moss", "wall_repairs"}
    assert {d.id for d in project.shared} == {"season", "damp"}
    assert field_row(project, "ash_wall") == field_row(demo.project, "ash_wall")
    assert not taken.recognised
    assert assets_of(demo.project, needed(demo.project, ("finishes", "ash_wall"))) == {
        m.asset for s in project.map_sets for m in s.maps
    }


def test_the_same_content_is_recognised_and_nothing_comes_twice(demo: Demo) -> None:
    once = take(Project(), demo.project, ("materials", "kiln_wall"), FOLDER).project
    again = take(once, demo.project, ("materials", "kiln_wall"), FOLDER)
    assert again.project == once
    assert not again.added
    other_folder = take(once, demo.project, ("materials", "kiln_wall"), "/a/copy/of/it")
    assert other_folder.project == once  # told by its content, not by where it lies
    assert take(demo.project, demo.project, ("finishes", "iron_jar"), FOLDER).project == demo.project


def test_other_content_under_the_same_name_gets_an_id_of_its_own(demo: Demo) -> None:
    mine = Document(demo.project)
    mine.do(edits.set_field(material="kiln_wall", path="moss.amount", value=0.1))
    mine.do(edits.set_map_set(map_set="cushion_moss", tile_size=5.0))
    taken = take(mine.project, demo.project, ("finishes", "ash_wall"), FOLDER)
    assert dict(taken.added) == {
        ("map_sets", "cushion_moss_2"): "Cushion moss 2", ("materials", "kiln_wall_2"): "Kiln wall 2",
        ("finishes", "celadon_wall_2"): "Celadon wall 2", ("finishes", "ash_wall_2"): "Ash wall 2",
    }  # fmt: skip
    material = taken.project.material("kiln_wall_2")
    assert material.coat("moss").surface.map_set == "cushion_moss_2"
    assert material.coat("tile").surface.map_set == "glazed_tile"  # what is the same is shared
    assert taken.project.finish("ash_wall_2").parent == "celadon_wall_2"
    assert mine.project.materials == taken.project.materials[: len(mine.project.materials)]


def test_an_update_is_shown_first_and_keeps_ids_and_own_changes(demo: Demo, tmp_path) -> None:
    here = Document()
    here.do(edits.take_over(other=demo.project, kind="finishes", id="celadon_wall", folder=FOLDER))
    here.do(edits.add_finish(parent="celadon_wall", name="Mine"))
    here.do(edits.set_dial(finish="mine", dial="moss_amount", value=0.2))
    assert changes(here.project, demo.project, FOLDER) == []
    there = Document(demo.project)
    there.do(edits.set_field(material="kiln_wall", path="moss.seam.bias", value=0.5))
    there.do(edits.add_recipe(recipe=LIBRARY[0]))
    recipe = there.project.recipes[-1].id
    there.do(edits.add_term(material="kiln_wall", coat="moss", kind="recipe"))
    there.do(edits.set_term(material="kiln_wall", coat="moss", term="recipe", recipe=recipe))
    found = changes(here.project, there.project, FOLDER)
    assert [(c.place, c.changed_here) for c in found] == [(("materials", "kiln_wall"), False)]
    assert "coats.moss.seam.bias: 0 → 0.5" in found[0].lines
    assert "coats.moss.where.recipe: new" in found[0].lines
    here.do(edits.set_material(material="kiln_wall", depth=0.05))
    assert changes(here.project, there.project, FOLDER)[0].changed_here
    places = frozenset(c.place for c in found)
    here.do(edits.update_taken(other=there.project, folder=FOLDER, places=places))
    assert changes(here.project, there.project, FOLDER) == []
    assert here.project.material("kiln_wall").coat("moss").seam.bias == 0.5
    taken = here.project.material("kiln_wall").coat("moss").where[-1].recipe
    assert here.project.recipe(taken).steps == there.project.recipe(recipe).steps
    assert here.project.finish("mine").values == {"moss_amount": 0.2}
    library = Library(demo.library.assets)
    save_project(here.project, library.assets, tmp_path / "p")
    assert open_project(tmp_path / "p").project.origins == here.project.origins
    while here.undo():
        pass
    assert here.project == Project()


@settings(max_examples=40, deadline=None)
@given(st.data())
def test_anything_can_be_taken_and_every_reference_leads_somewhere(demo: Demo, data) -> None:
    project = Project()
    for _ in range(data.draw(st.integers(1, 4))):
        kind = data.draw(st.sampled_from(KINDS))
        thing = data.draw(st.sampled_from(getattr(demo.project, kind)))
        project = take(project, demo.project, (kind, thing.id), FOLDER).project
        for at in KINDS:
            for mine in getattr(project, at):
                wanted = needed(project, (at, mine.id))
                assert wanted[-1] == (at, mine.id)
    assert take(project, project, (kind, getattr(project, kind)[0].id), "/itself").project == project


def test_what_is_not_there_is_told() -> None:
    with pytest.raises(KeyError, match="there is no finish 'gone'"):
        take(Project(), Project(), ("finishes", "gone"), FOLDER)
