"""Every op means the same to NumPy and to GLSL; the registry is walked, so a new op is tested the day it is added."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import stats
from scipy.interpolate import PchipInterpolator

from jade_coat.program import lib
from jade_coat.program.fused import Plan
from jade_coat.program.glsl_backend import helper_sources, render
from jade_coat.program.numpy_backend import Environment, evaluate
from jade_coat.program.ops import OPS
from jade_coat.program.ops.curves import Curve
from jade_coat.program.ops.hashing import cell, pcg3d, pcg_mix, unit
from jade_coat.program.ops.noise import AXES
from jade_coat.program.tracing import traceable
from jade_coat.program.types import BOOL, FLOAT, UVEC3, VEC2, VEC3, VEC4, Type
from jade_coat.program.value import TypeMismatch, Value, make

N = 4096
CASES = [
    pytest.param(op.name, types, static, id=f"{op.name}-{'-'.join(t.name for t in types)}-{i}")
    for op in OPS.values()
    if not op.reads_outside
    for types in (op.samples.types or ([()] if op.name == "const" else [(t,) * 3 for t in (FLOAT, VEC2, VEC3, VEC4)]))
    for i, static in enumerate(op.samples.statics)
]


def arity(name: str, types: tuple[Type, ...], static: object) -> tuple[Type, ...]:
    """The longest prefix of the types that the op accepts: ops over one float type take one to three of them."""
    for count in range(len(types), -1, -1):
        try:
            OPS[name].result(types[:count], static)
        except TypeMismatch:
            continue
        return types[:count]
    raise AssertionError(f"{name} takes none of {types}")


def arguments(name: str, types: tuple[Type, ...]) -> list[np.ndarray]:
    rng = np.random.default_rng(7)
    ranges = OPS[name].samples.ranges
    made = []
    for i, kind in enumerate(types):
        low, high = ranges[min(i, len(ranges) - 1)]
        if kind == BOOL:
            made.append(rng.random((1, N)) < 0.5)
        elif kind == UVEC3:
            made.append(rng.integers(0, 2**32, (3, N), dtype=np.uint32))
        else:
            made.append(rng.uniform(low, high, (kind.size, N)).astype(np.float32))
    return made


def node_for(name: str, types: tuple[Type, ...], static: object) -> Value:
    return make(name, [make("attribute", (), (f"a{i}", t)) for i, t in enumerate(types)], static)


def run_on_gpu(gl, node: Value, inputs: list[np.ndarray]) -> np.ndarray:
    """Run one op in a fragment shader, one pixel a sample."""
    helpers: dict[str, None] = {}
    names, lines, textures = [], [], []
    for i, (argument, data) in enumerate(zip(node.args, inputs, strict=True)):
        words = argument.type == UVEC3
        padded = np.zeros((N, 4), np.uint32 if words else np.float32)
        padded[:, : len(data)] = data.T
        texture = gl.texture((N, 1), 4, padded.tobytes(), dtype="u4" if words else "f4")
        texture.filter = (gl.NEAREST, gl.NEAREST)
        textures.append(texture)
        letters = "xyzw"[: argument.type.size]
        read = f"texelFetch(in{i}, ivec2(gl_FragCoord.xy), 0).{letters}"
        lines.append(
            f"{argument.type.name} a{i} = {read} > 0.5;"
            if argument.type == BOOL
            else f"{argument.type.name} a{i} = {read};"
        )
        names.append(f"a{i}")
    expression = render(node, names, helpers)
    sources = helper_sources()
    code = "\n".join(sources[h] for h in sources if h in helpers)
    words_out = node.type == UVEC3
    result = f"{node.type.name} r = {expression};"
    out = {1: "vec4(float(r))", 2: "vec4(r, 0.0, 0.0)", 3: "vec4(r, 0.0)", 4: "r"}[node.type.size]
    out = "uvec4(r, 0u)" if words_out else out
    samplers = "\n".join(f"uniform {'u' if a.type == UVEC3 else ''}sampler2D in{i};" for i, a in enumerate(node.args))
    fragment = (
        f"#version 330\n{samplers}\n{code}\nout {'uvec4' if words_out else 'vec4'} o;\n"
        f"void main() {{ {' '.join(lines)} {result} o = {out}; }}"
    )
    vertex = "#version 330\nvoid main() { gl_Position = vec4(vec2((gl_VertexID << 1) & 2, gl_VertexID & 2) * 2.0 - 1.0, 0.0, 1.0); }"
    program = gl.program(vertex_shader=vertex, fragment_shader=fragment)
    target = gl.texture((N, 1), 4, dtype="u4" if words_out else "f4")
    buffer = gl.framebuffer([target])
    buffer.use()
    gl.enable_only(gl.NOTHING)
    for i, texture in enumerate(textures):
        texture.use(i)
        if f"in{i}" in program:
            program[f"in{i}"].value = i
    gl.vertex_array(program, []).render(vertices=3)
    data = np.frombuffer(target.read(), np.uint32 if words_out else np.float32).reshape(N, 4)
    return data[:, : node.type.size].T.copy()


@pytest.mark.parametrize(("name", "types", "static"), CASES)
def test_numpy_and_glsl_agree_on_every_op(gl, name, types, static) -> None:
    types = arity(name, types, static)
    node, inputs = node_for(name, types, static), arguments(name, types)
    expected = evaluate({"r": node}, Environment(attributes={f"a{i}": a for i, a in enumerate(inputs)}))["r"]
    expected = np.broadcast_to(expected, (node.type.size, N))
    # Compiled to a loop, the NumPy meaning gives the very same bits, at the uneven end of the points too.
    short = Environment(attributes={f"a{i}": a[:, : N - 3] for i, a in enumerate(inputs)})
    np.testing.assert_array_equal(
        np.broadcast_to(Plan({"r": node}).run(short)["r"], (node.type.size, N - 3)), expected[:, : N - 3]
    )
    got = run_on_gpu(gl, node, inputs)
    if node.type == UVEC3:
        assert np.array_equal(got, expected)
        return
    tolerance = OPS[name].samples.tolerance
    np.testing.assert_allclose(got, expected.astype(np.float32), rtol=tolerance, atol=tolerance)


def test_every_op_is_complete() -> None:
    for op in OPS.values():
        assert op.doc.endswith("."), op.name
        assert op.source, op.name
        assert op.cost >= 0, op.name
        assert op.reads_outside == (op.glsl is None), op.name
        assert all(h in helper_sources() for h in op.helpers), op.name


def test_all_but_the_functions_of_libm_run_in_compiled_loops() -> None:
    calls = set()
    for case in CASES:
        name, types, static = case.values
        if name != "const" and not traceable(node_for(name, arity(name, types, static), static)):
            calls.add(name)
    assert calls == {"pow", "exp", "log", "sin", "cos", "acos"}


def test_a_type_error_names_the_op_and_the_types() -> None:
    with pytest.raises(TypeMismatch, match=r"dot\(vec2, vec3\)"):
        make("dot", (make("attribute", (), ("a", VEC2)), make("attribute", (), ("b", VEC3))))
    with pytest.raises(TypeMismatch, match="no component z"):
        _ = make("attribute", (), ("a", VEC2)).z


def test_pcg3d_gives_the_published_words() -> None:
    """The listing of Jarzynski & Olano 2020, worked in Python's unbounded integers."""

    def reference(x: int, y: int, z: int) -> tuple[int, int, int]:
        m = 0xFFFFFFFF
        x, y, z = ((v * 1664525 + 1013904223) & m for v in (x, y, z))
        x = (x + y * z) & m
        y = (y + z * x) & m
        z = (z + x * y) & m
        x, y, z = x ^ x >> 16, y ^ y >> 16, z ^ z >> 16
        x = (x + y * z) & m
        y = (y + z * x) & m
        z = (z + x * y) & m
        return x, y, z

    points = np.random.default_rng(1).integers(0, 2**32, (3, 200), dtype=np.uint32)
    hashed = pcg3d(points)
    for i in range(200):
        assert tuple(int(v) for v in hashed[:, i]) == reference(*(int(v) for v in points[:, i]))


def test_hashed_cells_are_uniform() -> None:
    """Chi-square over 64 bins, 99.9 % point, for cells in a row as noise uses them."""
    points = np.stack([np.arange(-20000, 20000), np.zeros(40000), np.full(40000, 3.0)]).astype(np.float32)
    for word in unit(pcg3d(cell(points))):
        counts, _ = np.histogram(word, 64, (0, 1))
        assert stats.chisquare(counts).pvalue > 0.001
        assert word.min() >= 0
        assert word.max() < 1


def test_noise_hashes_cells_to_words_without_a_pattern() -> None:
    """Jarzynski & Olano 2020, pcg: each part of the word uniform (chi-square, 99.9 % point), neighbours unrelated."""
    place = np.stack(np.meshgrid(*[np.arange(-24, 24)] * 3, indexing="ij")).astype(np.int32).view(np.uint32)
    word = pcg_mix(sum(p * a for p, a in zip(place, AXES, strict=True)))
    for part, size in ((word >> 21, 2048), ((word >> 10) & 0x7FF, 2048), (word & 0x3FF, 1024)):
        assert stats.chisquare(np.bincount(part.ravel() * 64 // size, minlength=64)).pvalue > 0.001
        for axis in range(3):
            assert abs(np.corrcoef(part.ravel(), np.roll(part, 1, axis).ravel())[0, 1]) < 4 / np.sqrt(part.size)


def test_no_two_near_cells_of_noise_share_a_state() -> None:
    """Cells up to 200 apart on each axis: no step between them is a multiple of 2³² of the hash's state."""
    steps = np.arange(-200, 201, dtype=np.int64)
    third = np.sort(steps * int(AXES[2]) % 2**32)
    for x in range(201):
        wanted = (-(x * int(AXES[0]) + steps * int(AXES[1]))) % 2**32
        found = third[np.minimum(np.searchsorted(third, wanted), len(third) - 1)] == wanted
        assert found.sum() == (1 if x == 0 else 0)  # only the cell itself


def test_noise_is_continuous_and_centred() -> None:
    line = np.zeros((3, 20001), np.float32)
    line[0] = np.linspace(-8, 8, 20001)
    value = evaluate({"n": lib.fbm(lib.attribute("p", VEC3), 4, 2)}, Environment(attributes={"p": line}))["n"][0]
    assert np.abs(np.diff(value)).max() < 0.02
    rng = np.random.default_rng(3)
    cloud = rng.uniform(-50, 50, (3, 40000)).astype(np.float32)
    many = evaluate({"n": lib.fbm(lib.attribute("p", VEC3), 4, 2)}, Environment(attributes={"p": cloud}))["n"]
    assert abs(many.mean()) < 0.01
    assert 0.1 < many.std() < 0.4
    assert np.abs(many).max() <= 1.3


@pytest.mark.parametrize("seed", range(6))
def test_ramps_equal_scipys_monotone_interpolation(seed: int) -> None:
    """Fritsch & Carlson 1980, by `scipy.interpolate.PchipInterpolator`."""
    rng = np.random.default_rng(seed)
    count = 2 + seed
    xs = np.concatenate([[0], np.sort(rng.uniform(0.05, 0.95, count - 2)), [1]]) if count > 2 else np.array([0.0, 1.0])
    ys = np.sort(rng.random(count))
    x = np.linspace(0, 1, 500, dtype=np.float32)[None]
    curve = lib.ramp(lib.attribute("x", FLOAT), tuple(xs.tolist()), tuple(ys.tolist()))
    got = evaluate({"y": curve}, Environment(attributes={"x": x}))["y"][0]
    np.testing.assert_allclose(got, PchipInterpolator(xs, ys)(x[0]), atol=2e-6)
    assert np.diff(got).min() > -1e-6  # no overshoot
    assert len(Curve(tuple(xs), tuple(ys)).cubics()) == count - 1


def test_reoriented_normals_keep_flat_and_match_a_rotation() -> None:
    """Barré-Brisebois & Hill 2012: blending is the shortest turn that takes +z to the base, applied to the detail."""
    rng = np.random.default_rng(5)

    def unit_normals(n: int) -> np.ndarray:
        v = rng.normal(size=(3, n))
        v[2] = np.abs(v[2]) + 0.3
        return (v / np.linalg.norm(v, axis=0)).astype(np.float32)

    base, detail = unit_normals(300), unit_normals(300)
    blend = lib.blend_normals(lib.attribute("b", VEC3), lib.attribute("d", VEC3))
    got = evaluate({"n": blend}, Environment(attributes={"b": base, "d": detail}))["n"]
    for i in range(300):
        b, d = base[:, i].astype(float), detail[:, i].astype(float)
        axis = np.cross([0, 0, 1], b)
        k = np.array([[0, -axis[2], axis[1]], [axis[2], 0, -axis[0]], [-axis[1], axis[0], 0]])
        turn = np.eye(3) + k + k @ k / (1 + b[2])
        np.testing.assert_allclose(got[:, i], turn @ d, atol=2e-5)
    flat = np.tile(np.array([[0], [0], [1]], np.float32), (1, 300))
    for pair in ({"b": flat, "d": detail}, {"b": detail, "d": flat}):
        np.testing.assert_allclose(evaluate({"n": blend}, Environment(attributes=pair))["n"], detail, atol=1e-5)
