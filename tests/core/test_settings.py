"""Dials that shape the program, dials with limits of their own, and fields that follow a recipe."""

from __future__ import annotations

import numpy as np
import pytest
from pydantic import ValidationError

from jade_coat.bake.scene_bake import SceneBaker
from jade_coat.files.project_folder import open_project, save_project
from jade_coat.jobs.job import Job
from jade_coat.maps.packing import PackedLookup
from jade_coat.material.compile import compile_material, live_fields
from jade_coat.material.material import Coat, Dial, Link, Material, options_of
from jade_coat.material.recipes import LIBRARY
from jade_coat.material.rows import dial_spec
from jade_coat.material.specials import specialised
from jade_coat.stage import edits
from jade_coat.stage.document import Document
from jade_coat.stage.looks import as_worn, dial_values, field_row, reach_of_map_set, worn, worn_materials
from jade_coat.stage.scene import build_scene
from tests.support import Demo, eye_for

PATHS = {"moss.where.noise.octaves": 1, "moss.where.noise.pattern": "cells", "moss.seam.kind": "cut",
         "tile.surface.map_set": "run_glaze", "tile.surface.tile_break": "hex",
         "moss.seam.points": ((0.0, 0.0), (0.5, 0.9), (1.0, 1.0))}  # fmt: skip


@pytest.fixture
def document(demo: Demo) -> Document:
    """The demo's wall with dials of every kind that shapes the program."""
    found = Document(demo.project)
    for path in PATHS:
        found.do(edits.expose(material="kiln_wall", path=path))
    return found


def dial_of(document: Document, path: str) -> str:
    dial = document.project.material("kiln_wall").dial_at(path)
    assert dial is not None
    return dial.id


def test_dials_that_shape_the_program_are_inherited_worn_and_saved(document: Document, demo: Demo, tmp_path) -> None:
    for path, value in PATHS.items():
        document.do(edits.set_dial(finish="celadon_wall", dial=dial_of(document, path), value=value))
    document.do(edits.set_dial(finish="ash_wall", dial=dial_of(document, "moss.seam.kind"), value="soft"))
    project = document.project
    seen = {path: value for path, _, value in options_of(worn(project, "celadon_wall"))}
    assert {path: seen[path] for path in PATHS} == PATHS
    of_child = {path: value for path, _, value in options_of(worn(project, "ash_wall"))}
    assert of_child["moss.seam.kind"] == "soft"
    assert of_child["tile.surface.map_set"] == "run_glaze"  # from its parent
    assert project.material("kiln_wall").coat("moss").seam.kind == "interlock"  # the material keeps its own
    assert as_worn(project, "celadon_wall").coat("moss").where[1].octaves == 1
    assert "run_glaze" in worn(project, "celadon_wall").map_sets
    assert "celadon_wall" in reach_of_map_set(project, "run_glaze").finishes
    save_project(project, demo.library.assets, tmp_path / "p")
    assert open_project(tmp_path / "p").project.finishes == project.finishes
    while document.undo():
        pass
    assert document.project == demo.project


def test_equal_settings_share_one_program_and_others_get_their_own(document: Document, demo: Demo) -> None:
    kind = dial_of(document, "moss.seam.kind")
    document.do(edits.set_dial(finish="celadon_wall", dial=kind, value="cut"))
    assert worn(document.project, "celadon_wall") is worn(document.project, "ash_wall")  # it inherits all of it
    assert worn(document.project, "celadon_wall").id.startswith("kiln_wall~")
    document.do(edits.set_dial(finish="ash_wall", dial=kind, value="interlock"))  # as the material has it
    assert worn(document.project, "ash_wall") is document.project.material("kiln_wall")
    drawn = {d.material for d in build_scene(document.project, demo.mesh).draws}
    assert len([m for m in drawn if m.startswith("kiln_wall")]) == 2
    assert drawn - {"bare"} <= {m.id for m in worn_materials(document.project)}


def test_a_setting_changes_the_picture_of_its_finish_alone(document: Document, demo: Demo, renderer) -> None:
    eye = eye_for(demo.camera, 160, 100)

    def picture() -> np.ndarray:
        for material in worn_materials(document.project):
            renderer.assets.set_material(material, PackedLookup(document.project.map_sets, document.project.recipes))
        renderer.scenes.set("stage", build_scene(document.project, demo.mesh))
        return renderer.picture("stage", eye, 160, 100, ("base_color",)).astype(int)

    before = picture()
    document.do(
        edits.set_dial(finish="celadon_wall", dial=dial_of(document, "tile.surface.map_set"), value="run_glaze")
    )
    changed = (np.abs(picture() - before) > 8).any(axis=2)
    assert 0.15 < changed.mean() < 0.8
    baker = SceneBaker(document.project, demo.library, 32, Job())
    prop = document.project.prop("kiln_wall_prop")
    baked = baker.maps(prop, "surface").values["base_color"]
    plain = SceneBaker(demo.project, demo.library, 32, Job()).maps(demo.project.prop(prop.id), "surface").values
    assert np.abs(baked - plain["base_color"]).mean() > 0.02  # the bake wears it too


@pytest.mark.parametrize(
    ("path", "bad"),
    [("moss.seam.kind", "welded"), ("moss.where.noise.octaves", "three"), ("tile.surface.map_set", 4.0)],
)
def test_a_setting_of_the_wrong_kind_is_refused(document: Document, path, bad) -> None:
    with pytest.raises(ValueError, match="expected"):
        document.do(edits.set_dial(finish="celadon_wall", dial=dial_of(document, path), value=bad))
    value = dial_values(document.project, "celadon_wall")[dial_of(document, path)]
    assert value == {p: v for p, _, v in options_of(document.project.material("kiln_wall"))}[path]


def test_whole_numbers_stay_whole_and_inside(document: Document) -> None:
    octaves = dial_of(document, "moss.where.noise.octaves")
    document.do(edits.set_dial(finish="celadon_wall", dial=octaves, value=99.6))
    assert dial_values(document.project, "celadon_wall")[octaves] == 8


def test_limits_by_hand_bound_a_dial_and_choose_its_slider(document: Document) -> None:
    document.do(edits.set_dial_words(material="kiln_wall", dial="moss_size", limits=(0.2, 0.5), soft=(0.001, 9.0)))
    material = document.project.material("kiln_wall")
    spec = dial_spec(material, next(d for d in material.dials if d.id == "moss_size"))
    assert (spec.low, spec.high, spec.span) == (0.2, 0.5, (0.2, 0.5))
    document.do(edits.set_dial(finish="celadon_wall", dial="moss_size", value=7.0))
    assert dial_values(document.project, "celadon_wall")["moss_size"] == 0.5
    document.do(edits.set_dial_words(material="kiln_wall", dial="moss_size", limits=(0.3, 0.4)))
    path = next(d.path for d in document.project.material("kiln_wall").dials if d.id == "moss_size")
    assert field_row(document.project, "celadon_wall")[path] == 0.4  # what was set before holds to them as well
    with pytest.raises((ValueError, ValidationError), match="from less to more"):
        document.do(edits.set_dial_words(material="kiln_wall", dial="moss_size", limits=(0.5, 0.5)))


def test_a_hundredfold_range_slides_by_powers() -> None:
    material = Material.model_validate({"id": "m", "name": "M", "coats": [{"id": "c", "name": "C"}]})
    dial = Dial(id="d", path="c.surface.roughness", name="D", soft=(0.001, 1.0))
    assert dial_spec(material, dial).logarithmic
    assert not dial_spec(material, dial.with_(soft=(0.1, 1.0))).logarithmic
    assert not dial_spec(material, dial.with_(logarithmic=False)).logarithmic


def test_a_field_and_the_height_follow_a_recipe(document: Document, demo: Demo) -> None:
    """Where the recipe is 0 the field is at its low end, where it is 1 at its high end."""
    recipe = next(r for r in LIBRARY if r.id == "dust_on_top")
    for field, ends in (("tint", ((1.0, 1.0, 1.0), (0.2, 0.3, 0.4))), ("lift", (0.0, -0.5))):
        path = f"tile.surface.{field}"
        document.do(edits.link_field(material="kiln_wall", path=path, recipe=recipe.id, low=ends[0], high=ends[1]))
    assert "Kiln wall" in document.project.recipe_users(recipe.id)
    with pytest.raises(ValueError, match="used by"):
        document.do(edits.remove_recipe(recipe=recipe.id))
    material = document.project.material("kiln_wall")
    outputs = compile_material(
        material, PackedLookup(document.project.map_sets, document.project.recipes), live_fields(material)
    )
    plain = compile_material(
        material.with_(links=()),
        PackedLookup(document.project.map_sets, document.project.recipes),
        live_fields(material),
    )
    assert outputs["color:tile"] is not plain["color:tile"]
    assert outputs["height:tile"] is not plain["height:tile"]
    with pytest.raises(ValidationError, match="either a shared dial or a recipe"):
        Link(path="tile.surface.tint", low=0.0, high=1.0)


def test_specialised_materials_keep_dials_and_links(document: Document) -> None:
    material = document.project.material("kiln_wall")
    made = specialised(material, {dial_of(document, "moss.seam.kind"): "ramp"})
    assert made.dials == material.dials
    assert made.links == material.links
    assert specialised(material, {}) is material


def test_answers_are_kept_for_any_number_of_materials_and_go_with_them() -> None:
    """More than 64 once cleared them all; and none was ever let go."""
    import gc
    import weakref

    from jade_coat.material.material import numbers_of
    from jade_coat.material.rows import layout

    made = [Material(id=f"m{i}", name=f"M{i}", coats=(Coat(id="c", name="C"),)) for i in range(300)]
    first = [(numbers_of(m), layout(m)) for m in made]
    assert all(numbers_of(m) is f and layout(m) is row for m, (f, row) in zip(made, first, strict=True))
    there = weakref.ref(made[7])
    del made, first
    gc.collect()
    assert there() is None
