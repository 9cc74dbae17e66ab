"""Recipes: what steps mean, faults on their rows, nesting, and edits that lose nothing."""

from __future__ import annotations

import colorsys

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError
from scipy.ndimage import map_coordinates

from jade_coat.files.assets import Assets
from jade_coat.maps.images import png_bytes
from jade_coat.maps.mapset import MapFile, MapSet
from jade_coat.maps.packing import PackedLookup, Texture, pack_set
from jade_coat.maps.sampling import reading
from jade_coat.material.around import Around
from jade_coat.material.compile import compile_material, fixed_fields, live_fields
from jade_coat.material.material import Coat, Link, Material
from jade_coat.material.recipes import LIBRARY, Recipe, RecipeFault, RecipeInput, Step, recipe_value, step_values
from jade_coat.material.rows import field_values
from jade_coat.material.step_kinds import STEP_KINDS
from jade_coat.material.surface import Role, Surface
from jade_coat.material.where import PaintTerm, RecipeTerm
from jade_coat.program.numpy_backend import Environment, evaluate
from jade_coat.stage import edits
from jade_coat.stage.document import Document
from jade_coat.stage.looks import readers_of
from jade_coat.stage.project import Project
from jade_coat.stage.references import references, released, rewritten


def book(*recipes: Recipe) -> PackedLookup:
    return PackedLookup((), recipes)


def around(*recipes: Recipe) -> Around:
    return Around(book(*recipes))


def numbers(count: int = 400) -> Environment:
    rng = np.random.default_rng(4)
    normal = rng.normal(size=(3, count))
    return Environment(
        attributes={
            "position": rng.uniform(-2, 2, (3, count)).astype(np.float32),
            "world_position": rng.uniform(-2, 3, (3, count)).astype(np.float32),
            "normal": (normal / np.linalg.norm(normal, axis=0)).astype(np.float32),
            "color0": rng.random((4, count)).astype(np.float32),
            "curvature": rng.normal(scale=20, size=(1, count)).astype(np.float32),
        },
        instance={"seed": np.full((1, 1), 0.3, np.float32)},
    )


@pytest.mark.parametrize("recipe", LIBRARY, ids=lambda r: r.id)
def test_every_recipe_of_the_library_has_a_meaning_between_0_and_1(recipe: Recipe) -> None:
    found = evaluate({"v": recipe_value(recipe, around())}, numbers())["v"]
    assert found.min() >= -1e-5
    assert found.max() <= 1 + 1e-5
    if recipe.id != "some_props":
        assert np.ptp(found) > 0.05
    assert recipe.hint


def simple(*steps: Step, **inputs: float) -> Recipe:
    return Recipe(id="r", name="R", inputs=tuple(RecipeInput(name=n, value=v) for n, v in inputs.items()), steps=steps)


def test_steps_are_worked_out_from_numbers_inputs_and_earlier_steps() -> None:
    recipe = simple(
        Step(id="sum", kind="add", args=("a", "0.25")), Step(id="point", kind="join", args=("sum", "2", "−3")),
        Step(id="out", kind="multiply", args=("point.z", "sum")), a=0.5,
    )  # fmt: skip
    assert recipe_value(recipe, around()).static == (-2.25,)
    assert recipe_value(recipe, around(), {"a": 0.75}).static == (-3.0,)
    outer = simple(
        Step(id="inner", kind="recipe", args=("0.75",), pick="r"), Step(id="half", kind="divide", args=("inner", "2"))
    )
    assert recipe_value(outer.with_(id="o"), around(recipe)).static == (-1.5,)
    assert all(k.hint and k.label for k in STEP_KINDS.values())


@pytest.mark.parametrize(
    ("steps", "row", "reason"),
    [
        ((Step(id="ok", kind="add", args=("1", "2")), Step(id="bad", kind="divide", args=("ok", "0"))), "bad", "zero"),
        ((Step(id="bad", kind="add", args=("later", "1")), Step(id="later", kind="luck")), "bad", "no 'later' above"),
        ((Step(id="bad", kind="add", args=("", "1")),), "bad", "missing"),
        ((Step(id="p", kind="position"), Step(id="bad", kind="join", args=("p", "1", "1"))), "bad", "expected"),
        ((Step(id="bad", kind="fly"),), "bad", "nobody knows"),
        ((Step(id="bad", kind="recipe", pick="none"),), "bad", "no recipe 'none'"),
        ((Step(id="bad", kind="shared"),), "bad", "no shared dial"),
        ((Step(id="bad", kind="position"),), "bad", "pick one part"),
        ((Step(id="bad", kind="add", args=("1",)),), "bad", "needs a, b"),
        ((Step(id="p", kind="luck"), Step(id="bad", kind="size", args=("p.y",))), "bad", "no component"),
    ],
)
def test_a_step_without_meaning_is_named_with_the_reason(steps, row, reason) -> None:
    with pytest.raises(RecipeFault, match=reason) as caught:
        recipe_value(simple(*steps), around())
    assert caught.value.step == row


def with_recipe(recipe: Recipe) -> Project:
    low = Coat(id="low", name="Low")
    top = Coat(id="top", name="Top", where=(RecipeTerm(id="w", recipe=recipe.id, inputs={"a": 0.75}),))
    return Project(recipes=(recipe,), materials=(Material(id="m", name="M", coats=(low, top)),))


def test_a_recipe_in_a_where_term_gives_its_value_and_its_fault() -> None:
    recipe = simple(Step(id="out", kind="multiply", args=("a", "0.5")), a=0.1)
    project = with_recipe(recipe)
    material = project.material("m")
    found = compile_material(material, book(recipe), fixed_fields(field_values(material)))["where:top"]
    assert found.static[0] == pytest.approx(0.375)
    broken = recipe.with_(steps=(Step(id="out", kind="divide", args=("a", "0")),))
    with pytest.raises(RecipeFault, match="zero"):
        compile_material(material, book(broken), live_fields(material))
    with pytest.raises(ValueError, match="no recipe 'r'"):
        compile_material(material, book(), live_fields(material))
    assert book(recipe).key != book(broken).key


def test_edits_of_recipes_lose_nothing_and_make_no_circle() -> None:
    recipe = simple(Step(id="sum", kind="add", args=("a", "1")), Step(id="out", kind="size", args=("sum",)), a=2.0)
    document = Document(with_recipe(recipe))
    document.do(edits.rename_step(recipe="r", step="sum", name="total"))
    renamed = document.project.recipe("r")
    assert renamed.steps[1].args == ("total",)
    assert recipe_value(renamed, around()).static == recipe_value(recipe, around()).static
    with pytest.raises(ValueError, match="names of their own"):
        document.do(edits.rename_step(recipe="r", step="total", name="out"))
    with pytest.raises(ValueError, match="used by M"):
        document.do(edits.remove_recipe(recipe="r"))
    document.do(
        edits.add_recipe(
            recipe=recipe.with_(id="r", name="R", steps=(Step(id="x", kind="recipe", pick="r", args=("1",)),))
        )
    )
    second = document.project.recipes[1]
    assert (second.id, second.name) == ("r_2", "R 2")
    assert document.project.recipe_users("r") == ("M", "R 2")
    before = document.project
    with pytest.raises(ValueError, match="its own steps"):
        document.do(edits.set_recipe(recipe="r", steps=(Step(id="x", kind="recipe", pick="r_2", args=()),)))
    assert document.project is before
    with pytest.raises(ValidationError):
        Step(id="Not an id", kind="add")
    again = Project.model_validate_json(document.project.model_dump_json())
    assert again == document.project


def test_step_values_give_every_row_its_own_value() -> None:
    values = step_values(LIBRARY[0], around())
    assert list(values) == [s.id for s in LIBRARY[0].steps]


@settings(max_examples=60, deadline=None)
@given(st.lists(st.tuples(st.integers(0, 3), st.lists(st.integers(0, 3), max_size=2)), max_size=12))
def test_no_sequence_of_edits_makes_a_recipe_one_of_its_own_steps(changes) -> None:
    plain = Step(id="one", kind="add", args=("1", "1"))
    document = Document(Project(recipes=tuple(Recipe(id=f"r{i}", name=f"R{i}", steps=(plain,)) for i in range(4))))
    for at, calls in changes:
        steps = [Step(id=f"call{n}", kind="recipe", pick=f"r{other}") for n, other in enumerate(calls)]
        before = document.project
        try:
            document.do(edits.set_recipe(recipe=f"r{at}", steps=(plain, *steps)))
        except ValueError as error:
            assert "its own steps" in str(error)
            assert document.project is before
    uses = {r.id: r.uses for r in document.project.recipes}

    def depth(recipe: str, above: tuple[str, ...] = ()) -> int:
        assert recipe not in above
        return 1 + max((depth(r, (*above, recipe)) for r in uses[recipe]), default=0)

    assert max(depth(r) for r in uses) <= 4


def test_what_a_painted_channel_does_is_read_off_the_material() -> None:
    patches = next(r for r in LIBRARY if r.id == "painted_patches")
    outer = Recipe(id="outer", name="Outer", steps=(Step(id="x", kind="recipe", pick=patches.id),))
    material = Material(
        id="m", name="M",
        coats=(
            Coat(id="a", name="Clay"),
            Coat(id="b", name="Moss", where=(PaintTerm(id="p", channel="G"), RecipeTerm(id="r", recipe="outer"))),
        ),
        links=(Link(path="a.surface.tint", recipe=patches.id, low=(1.0, 1.0, 1.0), high=(0.5, 0.5, 0.5)),),
    )  # fmt: skip
    assert material.paint_uses(book(patches, outer)) == {
        "G": ("Moss shows",), "R": ("Moss shows, by Outer", "tint of Clay, by Painted patches"),
    }  # fmt: skip


def tiled(size: int = 32) -> tuple[MapSet, list[Texture]]:
    """A map set of noise: colour and height."""
    rng = np.random.default_rng(8)
    assets = Assets()
    files = [
        MapFile(role=role, asset=assets.put("maps", f"{role}.png", png_bytes(picture)), file=f"{role}.png", channels=c)
        for role, c, picture in (
            (Role.BASE_COLOR, "rgb", rng.integers(0, 256, (size, size, 3)).astype(np.uint8)),
            (Role.HEIGHT, "r", rng.integers(0, 65536, (size, size, 1)).astype(np.uint16)),
        )
    ]
    made = MapSet(id="s", name="S", maps=tuple(files))
    return made, pack_set(made, assets.read)


def test_a_step_reads_a_map_where_it_is_asked_to() -> None:
    """Against SciPy's own look-up of the file's texels, wrapped."""
    map_set, textures = tiled()
    recipe = simple(
        Step(id="place", kind="uv", pick="0"), Step(id="at", kind="multiply", args=("place", "2")),
        Step(id="read", kind="map", args=("at",), pick="s/height"),
    )  # fmt: skip
    value = recipe_value(recipe, Around(PackedLookup([map_set])))
    uv = np.random.default_rng(1).random((2, 500)).astype(np.float32)
    environment = Environment(attributes={"uv0": uv}, **reading({t.name: t for t in textures}))
    got = evaluate({"v": value}, environment)["v"][0]
    height = next(t for t in textures if not t.is_color and t.levels[0].dtype == np.uint16).levels[0][..., 3] / 65535
    at = [uv[1] * 2 * 32 - 0.5, uv[0] * 2 * 32 - 0.5]
    np.testing.assert_allclose(got, map_coordinates(height, at, order=1, mode="grid-wrap"), atol=2e-4)
    with pytest.raises(RecipeFault, match="a place on it"):
        recipe_value(simple(Step(id="x", kind="map", args=("3",), pick="s/height")), Around(PackedLookup([map_set])))
    for pick in ("", "gone/height", "s/roughness", "s/nonsense"):  # nothing stands in, and the material stays whole
        lost = simple(Step(id="x", kind="map", args=("uv",), pick=pick))
        assert recipe_value(lost, Around(PackedLookup([map_set]))).op == (
            "const" if pick != "s/nonsense" else "swizzle"
        )


def test_recipes_see_the_height_the_colour_and_the_coats_below() -> None:
    bottom = Coat(id="a", name="Clay", surface=Surface(color=(0.4, 0.2, 0.1), height=0.3))
    moss = Coat(id="b", name="Moss", surface=Surface(color=(0.1, 0.3, 0.1), height=0.5),
                where=(PaintTerm(id="p", channel="R"),))  # fmt: skip
    dust = Coat(id="c", name="Dust", where=(RecipeTerm(id="t", recipe="r"),))
    tint = Link(path="c.surface.color", recipe="tone", low=(0.0, 0.0, 0.0), high=(1.0, 1.0, 1.0))
    material = Material(id="m", name="M", coats=(bottom, moss, dust), links=(tint,))
    over_moss = simple(Step(id="on", kind="coat", pick="Moss"), Step(id="high", kind="height below"),
                       Step(id="out", kind="multiply", args=("on", "high")))  # fmt: skip
    tone = Recipe(id="tone", name="T", steps=(Step(id="under", kind="colour below"),
                                              Step(id="out", kind="multiply", args=("under", "0.5"))))  # fmt: skip
    made = compile_material(material, book(over_moss, tone), fixed_fields(field_values(material)))
    found = evaluate(
        {n: made[n] for n in ("where:c", "coverage:b", "weight:b", "level:b", "color:c", "weight:c")}, numbers()
    )
    np.testing.assert_allclose(found["where:c"], found["weight:b"] * found["level:b"], atol=1e-6)
    below = (
        np.array([0.4, 0.2, 0.1])[:, None] * (1 - found["weight:b"])
        + np.array([0.1, 0.3, 0.1])[:, None] * found["weight:b"]
    )
    np.testing.assert_allclose(found["color:c"], below * 0.5, atol=1e-5)
    np.testing.assert_allclose(found["coverage:b"], found["weight:b"] * (1 - found["weight:c"]), atol=1e-5)
    lowest = Link(path="a.surface.lift", recipe="r", low=0.0, high=1.0)
    with pytest.raises(RecipeFault, match="nothing lies below"):
        compile_material(material.with_(links=(lowest,)), book(over_moss, tone), live_fields(material))
    for hidden in ((True, False, True), (False, False, True)):  # what is hidden is not there, and breaks nothing
        coats = tuple(c.with_(shown=on) for c, on in zip(material.coats, hidden, strict=True))
        made = compile_material(
            material.with_(coats=coats), book(over_moss, tone), fixed_fields(field_values(material))
        )
        if hidden[0]:
            assert made["where:c"].static == (0.0,)
    wrong = simple(Step(id="on", kind="coat", pick="Soot"))
    with pytest.raises(RecipeFault, match="no coat 'Soot' lies below; below lie Clay, Moss"):
        compile_material(material, book(wrong, tone), live_fields(material))


@settings(max_examples=60, deadline=None)
@given(st.floats(0, 1), st.floats(0, 1), st.floats(0, 1))
def test_a_colour_of_hue_strength_and_brightness_is_that_of_the_standard_library(hue, strength, bright) -> None:
    step = Step(id="c", kind="colour", args=(repr(hue), repr(strength), repr(bright)))
    found = step_values(simple(step), around())["c"]
    np.testing.assert_allclose(found.static, colorsys.hsv_to_rgb(hue, strength, bright), atol=2e-6)


def test_a_field_follows_a_recipe_beyond_its_two_values_but_not_beyond_its_own_limits() -> None:
    coat = Coat(id="a", name="A")
    far = simple(Step(id="x", kind="add", args=("k", "0")), k=1.5)

    def lift(k: float, beyond: bool) -> float:
        link = Link(path="a.surface.height", recipe="r", inputs={"k": k}, low=0.2, high=0.4, beyond=beyond)
        material = Material(id="m", name="M", coats=(coat,), links=(link,))
        made = compile_material(material, book(far), fixed_fields(field_values(material)))
        return float(made["height:a"].static[0])

    assert lift(1.5, beyond=False) == pytest.approx(0.4)
    assert lift(1.5, beyond=True) == pytest.approx(0.5)
    assert lift(-0.5, beyond=True) == pytest.approx(0.1)
    assert lift(9.0, beyond=True) == 1.0  # a height ends there


def test_maps_are_placed_by_a_recipe_as_by_the_number_it_comes_to() -> None:
    map_set, _ = tiled()
    surface = Surface(map_set="s", tile_size=0.5)
    half = simple(Step(id="x", kind="add", args=("0.25", "0.25")))
    link = Link(path="a.surface.turn", recipe="r", low=0.0, high=1.2)
    followed = Material(id="m", name="M", coats=(Coat(id="a", name="A", surface=surface),), links=(link,))
    plain = followed.with_(links=(), coats=(Coat(id="a", name="A", surface=surface.with_(turn=0.6)),))
    lookup = PackedLookup([map_set], (half,))
    made = [compile_material(m, lookup, fixed_fields(field_values(m)))["color:a"] for m in (followed, plain)]
    assert made[0] is made[1]


def test_what_a_recipe_reads_counts_as_read_by_the_material() -> None:
    inner = Recipe(id="inner", name="I", steps=(Step(id="x", kind="map", args=("uv",), pick="s/height"),))
    outer = simple(Step(id="y", kind="recipe", pick="inner"))
    material = Material(id="m", name="M", coats=(Coat(id="a", name="A"), Coat(id="b", name="B", where=(
        RecipeTerm(id="t", recipe="r"),))))  # fmt: skip
    assert material.map_sets == frozenset()
    assert material.sets_read(book(inner, outer)) == {"s"}
    map_set, _ = tiled()
    project = Project(materials=(material,), map_sets=(map_set,), recipes=(inner, outer))
    assert [m.id for m in readers_of(project, "s")] == ["m"]
    assert dict(references(inner)) == {"map_sets": "s"}
    after = released(project, "map_sets", "s")
    assert after.recipe("inner").steps[0].pick == ""
    heir = rewritten(inner, lambda kind, old: "t" if kind == "map_sets" else old)
    assert heir.steps[0].pick == "t/height"
