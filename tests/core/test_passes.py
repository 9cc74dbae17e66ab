"""Passes change nothing but the cost: folding, rates, hoisting, spilling."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jade_coat.program import FLOAT, VEC2, VEC3, Rate, TextureRef, combine, const, lib, passes
from jade_coat.program.glsl_backend import emit
from jade_coat.program.layout import DialLayout, layout_of
from jade_coat.program.numpy_backend import Environment, evaluate
from jade_coat.program.stages import Stages
from jade_coat.program.value import Value, make, walk

A, B = lib.attribute("a", VEC3), lib.attribute("b", VEC3)
AWKWARD = np.array([0.0, -0.0, 1.0, -1.0, 3e38, -3e38, 1e-38, np.nan, np.inf, -np.inf, 0.5, 7.25], np.float32)


def awkward_points() -> dict[str, np.ndarray]:
    rng = np.random.default_rng(0)
    return {name: rng.choice(AWKWARD, (3, 400)) for name in "ab"}


REWRITES = {
    "x + 0": A + 0.0, "0 + x": 0.0 + A, "x * 1": A * 1.0, "x - 0": A - 0.0, "x / 1": A / 1.0, "-(-x)": -(-A),
    "min(x, x)": lib.minimum(A, A), "max(x, x)": lib.maximum(A, A),
    "join and pick": combine(A.x, B.y).y, "pick of picks": A.zyx.yx, "whole swizzle": A.xyz,
    "vec of swizzles": combine(A.x, A.z), "splat picked": (A.x + combine(1.0, 2.0, 3.0)).x,
    "clamped twice": lib.clamp(lib.clamp(A)), "mix from 0 to 1": lib.lerp(0.0, 1.0, A),
    "same choice": lib.select(lib.less(A.x, B.x), A, A), "decided": lib.select(lib.less(0.0, 0.5), A, B),
    "decided the other way": lib.select(lib.less(0.5, 0.0), A, B), "constant": const(2.0) * 3.0 + A.x,
    "nested": ((A + 0.0) * 1.0 - 0.0).zyx.zyx,
}  # fmt: skip


@pytest.mark.parametrize("name", REWRITES)
def test_folding_changes_no_value_whatever_comes_in(name: str) -> None:
    value = REWRITES[name]
    folded = passes.fold({"v": value})["v"]
    points = awkward_points()
    before = evaluate({"v": value}, Environment(attributes=points))["v"]
    after = evaluate({"v": folded}, Environment(attributes=points))["v"]
    assert np.array_equal(
        np.broadcast_to(before, (before.shape[0], 400)), np.broadcast_to(after, (after.shape[0], 400)), equal_nan=True
    )
    assert len(list(walk([folded]))) <= len(list(walk([value])))


def test_every_rule_fires_on_some_example() -> None:
    for rule in passes.RULES:
        nodes = [n for value in REWRITES.values() for n in walk([value])]
        assert any(n.op in rule.ops and rule.apply(n) is not None for n in nodes), rule.text


@settings(max_examples=60, deadline=None)
@given(st.integers(1, 12), st.integers(0, 14))
def test_what_is_asked_for_at_vertices_is_never_worked_out_between_them(budget: int, more: int) -> None:
    """However few values may cross: a place that vertices are put to would be another one in the pixel stage."""
    local = lib.attribute("position", VEC3)
    place = lib.per_vertex(local - lib.unary("floor", local))
    uses = {f"u{i}": place * (1.5 + i) + 0.25 * i for i in range(more)}
    outputs = passes.fold({"place": place * 2.0, **uses, "free": A.x * 3.0, "other": lib.dial("d") * lib.dial("e")})
    try:
        stages = Stages(outputs, budget)
    except ValueError:
        return  # told, where even that does not fit
    assert all(n.op != "per_vertex" for n in stages.repeated)
    assert place in stages.crossing or all(n in stages.crossing for n in outputs.values() if n.type == VEC3)


@st.composite
def programs(draw: st.DrawFn) -> Value:
    """Random arithmetic over attributes, dials and constants."""
    leaves = [A.x, A.y, B.z, lib.dial("d"), lib.dial("e"), lib.instance("i"), const(0.0), const(1.0), const(-2.5)]
    pool = list(leaves)
    for _ in range(draw(st.integers(1, 14))):
        op = draw(st.sampled_from(["add", "sub", "mul", "div", "min", "max", "mix", "neg", "abs", "step"]))
        count = {"mix": 3, "neg": 1, "abs": 1}.get(op, 2)
        pool.append(make(op, [draw(st.sampled_from(pool)) for _ in range(count)]))
    return pool[-1]


@settings(max_examples=150, deadline=None)
@given(programs())
def test_folding_random_programs_keeps_their_values(value: Value) -> None:
    rng = np.random.default_rng(11)
    environment = Environment(
        attributes={k: rng.normal(size=(3, 64)).astype(np.float32) for k in "ab"},
        dials={k: rng.normal(size=(1, 1)).astype(np.float32) for k in "de"},
        instance={"i": np.array([[1.5]], np.float32)},
    )
    before = evaluate({"v": value}, environment)["v"]
    after = evaluate(passes.fold({"v": value}), environment)["v"]
    assert np.array_equal(np.broadcast_to(before, (1, 64)), np.broadcast_to(after, (1, 64)), equal_nan=True)


@settings(max_examples=100, deadline=None)
@given(programs())
def test_vertex_rate_means_exactly_interpolable(value: Value) -> None:
    """At the middle of two points a vertex-rate value is the mean of its values at both."""
    if passes.rates({"v": value})[value] > Rate.VERTEX:
        return
    rng = np.random.default_rng(3)
    a, b = (rng.normal(size=(3, 2)) for _ in "ab")
    middle = {"a": a.mean(axis=1, keepdims=True), "b": b.mean(axis=1, keepdims=True)}
    fixed = {"d": np.array([[0.7]], np.float32), "e": np.array([[-1.3]], np.float32)}
    instance = {"i": np.array([[1.5]], np.float32)}

    def run(points: dict[str, np.ndarray]) -> np.ndarray:
        found = evaluate({"v": value}, Environment(attributes=points, dials=fixed, instance=instance))["v"]
        return np.broadcast_to(found, (1, points["a"].shape[1]))

    ends = run({"a": a.astype(np.float32), "b": b.astype(np.float32)})
    scale = max(1.0, float(np.abs(ends).max()))
    assert abs(float(run(middle)[0, 0]) - float(ends.mean())) < 1e-4 * scale


def test_equal_expressions_are_one_object() -> None:
    assert (A + B) is (A + B)
    assert (A + B) is not (B + A)
    assert const(-0.0) is const(0.0)
    with pytest.raises(AttributeError):
        A.op = "other"
    with pytest.raises(ValueError, match="finite"):
        const(float("inf"))


def test_rates_follow_what_a_value_depends_on() -> None:
    tile = lib.attribute("uv0", VEC2) * lib.instance("metres0", VEC2) / lib.dial("size")
    read = lib.texture(TextureRef("t"), tile)
    rate = passes.rates({"v": read, "s": lib.shared("season") * 2.0, "d": lib.dial("size") + 1.0, "n": A * A})
    assert rate[tile] is Rate.VERTEX
    assert rate[read] is Rate.PIXEL
    assert rate[lib.shared("season") * 2.0] is Rate.SHARED
    assert rate[lib.dial("size") + 1.0] is Rate.ROW
    assert rate[lib.instance("metres0", VEC2)] is Rate.FLAT
    assert rate[A * A] is Rate.PIXEL


def test_hoisted_work_leaves_the_pixel_stage() -> None:
    tile = lib.turn(lib.attribute("uv0", VEC2) / lib.dial("size"), lib.dial("turn"))
    program = emit(passes.fold({"v": lib.texture(TextureRef("t"), tile).r}), layout_of({"size": 1.0, "turn": 0.0}))
    assert "cos" in program.vertex_body
    assert "cos" not in program.pixel_body
    assert program.varyings == 1


def test_outputs_nobody_reads_cost_nothing() -> None:
    heavy = lib.fbm(A, 8, 0)
    light = A.x + 1.0
    assert passes.cost({"light": light}).arithmetic < passes.cost({"light": light, "heavy": heavy}).arithmetic
    assert "fbm" not in emit({"light": light}, DialLayout(())).pixel_body


def test_values_that_find_no_varying_are_spilled_to_the_row_table() -> None:
    dials = {f"d{i}": float(i) for i in range(90)}
    total: Value = A.x * B.x
    for name in dials:
        total = total * (lib.dial(name) * 2.0 + 1.0)
    program = emit({"v": total}, layout_of(dials), budget=4)
    assert program.varyings <= 4
    assert len(program.spilled) > 60
    assert "texelFetch(row_table" in program.pixel_body
    with pytest.raises(ValueError, match="varyings"):
        emit({"v": A.x * B.x * A.y * B.y}, DialLayout(()), budget=0)


@given(st.integers(4, 16), st.randoms(use_true_random=False))
@settings(max_examples=60, deadline=None)
def test_just_what_the_pixel_stage_reads_from_below_crosses_to_it(budget: int, random) -> None:
    """Against the definition: what is reached from the outputs through nodes of the pixel stage, and is none of them."""
    leaves = [A, B, *(lib.attribute(f"c{i}", VEC2) for i in range(4)), lib.texture(TextureRef("t"), A.xy).xyz]
    leaves += [lib.dial(f"d{i}", VEC3) for i in range(9)] + [lib.shared("s", FLOAT)]
    made = list(leaves)
    for _ in range(60):
        left, right = random.choice(made), random.choice(made)
        made.append(random.choice([
            lambda a, b: a.x * b.y, lambda a, b: combine(a.y, b.x, a.x - b.y), lambda a, b: combine(a.x + b.x, b.y),
            lambda a, b: lib.unary("abs", a.x) + combine(b.x, a.y),
        ])(*(n if n.type.size > 1 else combine(n, n) for n in (left, right))))  # fmt: skip
    outputs = {f"o{i}": n for i, n in enumerate(made[-12:])}
    try:
        stages = Stages(outputs, budget)
    except ValueError:
        return
    crossing, reached, stack = set(), set(), list(outputs.values())
    while stack:
        node = stack.pop()
        if node in reached or node in stages.spilled or stages.rate[node] is Rate.CONSTANT or node.op == "shared":
            continue
        reached.add(node)
        if stages.in_pixel_stage(node):
            stack += node.args
        else:
            crossing.add(node)
    assert set(stages.crossing) == crossing
    assert len({(v.flat, v.index) for v in stages.crossing.values()}) <= budget


def test_time_and_camera_make_outputs_live() -> None:
    outputs = {"still": A.x, "ripple": A.x + lib.shared("time"), "rim": lib.dot(A, lib.shared("camera_position", VEC3))}
    assert passes.live(outputs) == {"ripple", "rim"}


def test_rows_pack_and_unpack() -> None:
    values = {"a": 1.0, "b": (2.0, 3.0, 4.0), "c": (5.0, 6.0), "d": 7.0, "e": (8.0, 9.0, 10.0)}
    layout = layout_of(values)
    rows = np.stack([layout.pack(values)])
    assert layout.texels == 3
    for name, expected in values.items():
        assert tuple(layout.columns(rows)[name][:, 0]) == (expected if isinstance(expected, tuple) else (expected,))
    assert layout.types["b"] == VEC3
    assert layout.types["a"] == FLOAT
