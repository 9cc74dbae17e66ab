"""Variants, categories and own values: what a prop looks like is always what can be worked out by hand."""

from __future__ import annotations

import json
import random
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from jade_coat.bake.exporting import export_glb
from jade_coat.files.assets import Assets
from jade_coat.files.file_looks import look_of
from jade_coat.files.gltf_materials import read_materials, read_variants
from jade_coat.files.library import Library
from jade_coat.files.mesh_files import read_mesh
from jade_coat.jobs.job import Job
from jade_coat.material.material import Coat, Finish, Material
from jade_coat.material.rows import layout, row_values
from jade_coat.material.surface import Surface
from jade_coat.mesh import shapes
from jade_coat.mesh.data import BadMesh
from jade_coat.stage import edits
from jade_coat.stage.document import Document
from jade_coat.stage.edits import EDITS
from jade_coat.stage.looks import dial_values, finish_on, material_of, reach, worn
from jade_coat.stage.making import file_looks, placed_mesh
from jade_coat.stage.mesh_assets import Variant
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.scene import SceneColumns
from jade_coat.stage.taking_things import things_apart
from tests.core.edit_cases import Cases
from tests.core.edit_places import START
from tests.core.stage_cases import loose_dresses
from tests.support import assert_valid_glb

DRESSING = (
    "dress", "wear_variant", "turn_own_dials", "drop_own_dials", "add_variant", "remove_variant", "move_variant",
    "set_variant_finish", "dress_category", "remove_category", "set_slot_category", "remove_finish", "remove_material",
    "set_dial", "reset_dial", "set_parent", "add_things", "remove_things",
)  # fmt: skip


def by_hand(project: Project, prop: Prop, slot: str) -> str:
    """Own finish, else the variant's, else the default's, else that of the slot's category."""
    mesh = project.mesh(prop.mesh)
    chosen = next((v for v in mesh.variants if v.id == prop.variant), mesh.variants[0])
    category = next((c for c in project.categories if c.id == mesh.categories.get(slot)), None)
    ways = (
        prop.finishes.get(slot, ""), chosen.finishes.get(slot, ""), mesh.variants[0].finishes.get(slot, ""),
        category.finish if category else "",
    )  # fmt: skip
    return next((w for w in ways if w), "")


BOX = shapes.box(1.0, 1.0, 1.0)


@given(seed=st.integers(0, 2**32))
@settings(max_examples=60, deadline=None, suppress_health_check=list(HealthCheck))
def test_a_look_is_variant_slot_finish_and_own_values_flattened(seed: int) -> None:
    rng, project = random.Random(seed), START
    columns = SceneColumns(lambda project, mesh: BOX)
    scene = columns.update(project)
    from jade_coat.stage.draws import Scene

    shown = Scene()
    scene.apply(shown)
    for _ in range(8):
        name = rng.choice(DRESSING)
        try:
            arguments, _ = getattr(Cases(project, rng), name)()
            project = EDITS[name].on(project, **arguments)
        except (KeyError, ValueError, IndexError):  # what it needs is gone by now
            continue
        columns.update(project).apply(shown)
    at = {round(float(s) * 2**24): (d, i) for d in shown.drawn for i, s in enumerate(d.seeds)}
    for prop in project.props:
        finish = by_hand(project, prop, "surface")
        assert finish_on(project, prop, "surface") == finish
        draw, i = at[round(prop.seed * 2**24)]
        if not finish:
            assert draw.material == "bare"
            continue
        material = worn(project, finish)
        assert draw.material == material.id
        own = prop.values.get("surface", {})
        known = {d.id: d for d in material_of(project, finish).dials}
        values = {**dial_values(project, finish), **{k: v for k, v in own.items() if k in known}}
        row = layout(material).pack(row_values(material_of(project, finish), values))
        assert np.allclose(shown.rows[draw.material][draw.rows[i]], row.ravel(), atol=1e-6)


def test_variants_are_addressed_by_index_id_and_name_and_index_0_stays() -> None:
    mesh = START.mesh("box")
    assert [mesh.variant_index(w) for w in ("", "default", "0", "As thrown", "old", "1", "Plain")] == [
        0, 0, 0, 0, 1, 1, 2,
    ]  # fmt: skip
    with pytest.raises(KeyError, match="As thrown, Old, Plain"):
        mesh.variant_index("glazed")
    for wrong in (edits.move_variant("box", "default", 2), edits.move_variant("box", "old", 0)):
        with pytest.raises(ValueError, match="index 0"):
            wrong.apply(START)
    with pytest.raises(ValueError, match="it stays"):
        edits.remove_variant.on(START, "box", "default")
    moved = edits.move_variant.on(START, "box", "plain", 1)
    assert [v.id for v in moved.mesh("box").variants] == ["default", "plain", "old"]
    assert moved.props is START.props  # whoever wears one wears it under its new index
    named = edits.rename_variant.on(START, "box", "default", "Fresh")
    assert named.mesh("box").variants[0].id == "default"


def test_a_category_dresses_all_that_relies_on_it_and_nothing_else() -> None:
    """One change of a category's finish reaches the slots that nothing else dresses; `reach` tells how many before."""
    bare = edits.dress.on(START, ("p0",), "surface", "")
    assert finish_on(bare, bare.prop("p0"), "surface") == "f1"
    assert "p0" in reach(bare, "f1").props
    redone = edits.dress_category.on(bare, "clay", "g0")
    assert finish_on(redone, redone.prop("p0"), "surface") == "g0"
    assert finish_on(redone, redone.prop("p1"), "surface") == "f0"
    assert redone.meshes is bare.meshes
    assert redone.props is bare.props


def test_a_finish_that_goes_is_replaced_wherever_it_is_named() -> None:
    after = edits.remove_finish.on(START, "f1")
    assert after.mesh("box").variant("old").finishes == {"surface": "f0"}
    assert after.categories[0].finish == "f0"
    gone = edits.remove_material.on(START, "m")
    assert gone.mesh("box").variant("old").finishes == {}
    assert gone.categories[0].finish == ""


def test_a_glb_carries_the_variants_of_its_models(tmp_path: Path) -> None:
    """KHR_materials_variants: indices into the root's list of names; the Khronos validator finds nothing wrong."""
    library = Library(Assets())
    asset = library.add_mesh(shapes.box(1, 1, 1), "Box", set())
    slot = asset.slots[0]
    coat = {"id": "base", "name": "Base"}
    colors = {"red": (0.8, 0.1, 0.1), "green": (0.1, 0.7, 0.1)}
    materials = tuple(
        Material(id=f"{n}_m", name=n, coats=(Coat(**coat, surface=Surface(color=c)),)) for n, c in colors.items()
    )
    asset = asset.with_(variants=(
        Variant(id="default", name="Fresh", finishes={slot: "red"}), Variant(id="old", name="Old", finishes={slot: "green"}),
        Variant(id="same", name="Same"),
    ))  # fmt: skip
    props = (Prop(id="a", name="A", mesh=asset.id), Prop(id="b", name="B", mesh=asset.id, variant="old"))
    project = Project(
        materials=materials, meshes=(asset,), props=props,
        finishes=tuple(Finish(id=n, name=n.title(), parent=f"{n}_m") for n in colors),
    )  # fmt: skip
    path = tmp_path / "box.glb"
    export_glb(project, library, path, 16, Job(), variants=True)
    assert_valid_glb(path)
    data = path.read_bytes()
    content = json.loads(data[20 : 20 + int.from_bytes(data[12:16], "little")])
    names = [v["name"] for v in content["extensions"]["KHR_materials_variants"]["variants"]]
    assert names == ["Fresh", "Old", "Same"]
    called = [m["name"] for m in content["materials"]]
    stand = [n for n in content["nodes"] if "mesh" in n]
    for node, dressed in zip(stand, ("Red", "Green"), strict=True):
        (primitive,) = content["meshes"][node["mesh"]]["primitives"]
        assert called[primitive["material"]] == dressed
        mappings = primitive["extensions"]["KHR_materials_variants"]["mappings"]
        found = {names[v]: called[m["material"]] for m in mappings for v in m["variants"]}
        assert found == {"Fresh": "Red", "Old": "Green", "Same": "Red"}
    export_glb(project, library, path, 16, Job())
    assert b"KHR_materials_variants" not in path.read_bytes()


def numbers(project: Project, finish: str) -> dict[str, object]:
    """What dials say, but for ids of map sets: two sets of the same content are one in another project."""
    return {k: v for k, v in dial_values(project, finish).items() if not isinstance(v, str)}


def test_things_go_to_another_project_with_all_they_need_and_look_the_same_there() -> None:
    things = [START.prop("p0"), START.prop("p3"), START.decals["chip"]]
    apart = things_apart(START, things)
    assert {p.id for p in apart.props} == {"p0", "p3"}
    assert {m.id for m in apart.materials} == {"m"}
    empty = Project()
    pasted = edits.paste_things.on(empty, apart, "/there", (1.0, 0.0, 0.0))
    Project.model_validate(pasted.model_dump())
    assert loose_dresses(pasted) == set()
    for old, new in zip(things[:2], pasted.props, strict=True):
        assert new.position == (old.position[0] + 1.0, *old.position[1:])
        was, now = (finish_on(p, prop, "surface") for p, prop in ((START, old), (pasted, new)))
        assert numbers(pasted, now) == numbers(START, was)
        assert new.values == old.values
    (decal,) = pasted.decals
    assert numbers(pasted, decal.finish) == numbers(START, "f1")
    again = edits.paste_things.on(pasted, apart, "/there", (0.0, 0.0, 0.0))
    assert len(again.props) == 4
    for kind in ("materials", "finishes", "map_sets", "meshes", "categories", "recipes", "shared"):
        assert getattr(again, kind) == getattr(pasted, kind)  # what is there is used


def test_variants_of_a_file_come_back_as_they_were_written(tmp_path: Path) -> None:
    """Ours read back; and a file written by hand after the specification of KHR_materials_variants, by index."""
    library = Library(Assets())
    asset = library.add_mesh(shapes.post(0.5, 1.0, 0.05, 0.2), "Post", set())
    colors = {"red": (0.8, 0.1, 0.1), "green": (0.1, 0.7, 0.1), "blue": (0.1, 0.2, 0.9)}
    materials = tuple(
        Material(id=f"{n}_m", name=n, coats=(Coat(id="base", name="Base", surface=Surface(color=c)),))
        for n, c in colors.items()
    )
    first, second = asset.slots
    asset = asset.with_(variants=(
        Variant(id="default", name="Fresh", finishes={first: "red", second: "green"}),
        Variant(id="old", name="Old", finishes={first: "blue"}),
        Variant(id="twin", name="Twin", finishes={first: "green", second: "green"}),
    ))  # fmt: skip
    project = Project(
        materials=materials, meshes=(asset,), props=(Prop(id="a", name="A", mesh=asset.id),),
        finishes=tuple(Finish(id=n, name=n.title(), parent=f"{n}_m") for n in colors),
    )  # fmt: skip
    path = tmp_path / "post.glb"
    export_glb(project, library, path, 16, Job(), variants=True)
    data = path.read_bytes()
    assert [v.name for v in read_variants(data, path.name, None)] == ["Fresh", "Old", "Twin"]

    there = Library(Assets())
    placed = placed_mesh(Project(), there.add_mesh, read_mesh(path), "Post")
    document = Document()
    document.do_all("Import", placed.steps)
    found = read_materials(data, path.name, None, lambda file, content: there.assets.put("maps", file, content))
    variants = [(v.name, v.worn) for v in read_variants(data, path.name, None)]
    document.do_all("Looks", file_looks(document.project, placed.prop.id, [look_of(f) for f in found], variants))
    mesh = document.project.meshes[0]
    assert [(i, v.name) for i, v in enumerate(mesh.variants)] == [(0, "Fresh"), (1, "Old"), (2, "Twin")]
    worn = {}
    for variant in mesh.variants:
        prop = document.project.props.first.with_(variant=variant.id)
        names = {f.id: f.name for f in document.project.finishes}
        worn[variant.name] = [names[finish_on(document.project, prop, s)].split(" on ")[0] for s in mesh.slots]
    assert worn == {"Fresh": ["Red", "Green"], "Old": ["Blue", "Green"], "Twin": ["Green", "Green"]}
    broken = data.replace(b'"variants":[0]', b'"variants":[9]')
    assert broken != data
    with pytest.raises(BadMesh, match="variants"):
        read_variants(broken, "post.glb", None)


def test_a_mesh_that_is_split_or_imported_anew_keeps_its_variants_and_categories() -> None:
    library = Library(Assets())
    asset = library.add_mesh(shapes.post(0.3, 1.0, 0.05, 0.1), "Post", set())
    dressed = asset.with_(
        variants=(*asset.variants, Variant(id="old", name="Old", finishes={"Shaft": "ash"})),
        categories={"Shaft": "wall", "Cap": "clay"},
    )
    finer = library.exchanged(dressed, shapes.post(0.3, 1.0, 0.05, 0.05))
    other = library.exchanged(dressed, shapes.ball(0.5))  # without those slots: they may return
    assert finer.asset not in (asset.asset, other.asset)
    for now in (finer, other):
        assert (now.id, now.name, now.variants, now.categories) == (
            asset.id, "Post", dressed.variants, dressed.categories,
        )  # fmt: skip
    assert other.slots == ("surface",)
