"""The placing stage: what the vertex stage works out, against its NumPy meaning and against closed forms."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jade_coat.bake.exporting import export_glb
from jade_coat.files.assets import Assets
from jade_coat.files.library import Library
from jade_coat.files.mesh_files import read_mesh
from jade_coat.jobs.job import Job
from jade_coat.looking.attributes import instance_values
from jade_coat.looking.look_at import look_at
from jade_coat.looking.placed import placed_mesh
from jade_coat.looking.vertex_error import vertex_error
from jade_coat.maps.packing import PackedLookup, Texture
from jade_coat.maps.sampling import reading
from jade_coat.material.compile import compile_material, seen_by, with_shared
from jade_coat.material.material import Coat, Material
from jade_coat.material.placing import HeightMove, RecipeMove, SwayMove
from jade_coat.material.reach import reach_of_moves
from jade_coat.material.recipes import Recipe, Step
from jade_coat.material.rows import field_values
from jade_coat.material.shared import EVERYWHERE
from jade_coat.mesh import shapes
from jade_coat.mesh.attributes import (
    ATTRIBUTES,
    STREAMS,
    held_stream,
    mesh_number_type,
    mesh_numbers,
    mesh_streams,
    vertex_attributes,
)
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.outward import outward
from jade_coat.program import VEC2, VEC3, TextureRef, lib
from jade_coat.program.glsl_backend import FetchMode, emit, shared_uniform, vertex_name
from jade_coat.program.layout import DialLayout
from jade_coat.program.numpy_backend import Environment, evaluate
from jade_coat.program.passes import rates
from jade_coat.program.types import Rate
from jade_coat.stage.alone import single
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.turns import turn_of
from jade_coat.view.camera import eye_of
from jade_coat.view.drawing import bind_corners
from jade_coat.view.gpu_mesh import GpuMesh
from jade_coat.view.requests import Marks
from jade_coat.view.vertex import attribute_name, program_vertex_source
from tests.support import assert_valid_glb, put_mesh


def prop_of(mesh: str = "m", **changes) -> Prop:
    own = {"position": (0.3, -1.2, 0.7), "turn": turn_of(0.4, 1.1, -2.0), "size": (1.5, 0.6, 2.2), **changes}
    return Prop(id="p", name="P", mesh=mesh, **own)


def in_vertex_stage(gl, mesh: MeshData, matrix: np.ndarray, roots: dict, shared: dict | None = None) -> dict:
    """What OpenGL works out at every vertex, read back by transform feedback, `(n, k)` by name."""
    glsl = emit({}, DialLayout(()), FetchMode.MANUAL, vertex=roots)
    names = {f"back_{i}": name for i, name in enumerate(roots)}
    source = program_vertex_source(glsl)
    outs = [f"out {roots[name].type.name} {back};" for back, name in names.items()]
    writes = [f"{back} = {vertex_name(name)};" for back, name in names.items()]
    head, tail = source.rsplit("}", 1)
    start = head.index("void main")
    text = "\n".join([head[:start], *outs, head[start:], *writes, "}", tail])
    program = gl.program(vertex_shader=text, varyings=list(names))
    for name in glsl.instance:
        value = mesh_numbers(mesh).get(name, (1.0,) * mesh_number_type(name).size)
        if f"instance_{name}" in program:
            program[f"instance_{name}"].value = value if len(value) > 1 else value[0]
    for name, value in {**EVERYWHERE, **(shared or {})}.items():
        if shared_uniform(name) in program:
            program[shared_uniform(name)].value = value
    if "view_projection" in program:
        program["view_projection"].write(np.eye(4, dtype=np.float32).tobytes())
    streams = mesh_streams(mesh, ("curvature", "outward"))
    content = []
    for name in STREAMS:
        if attribute_name(name) in program:
            held = held_stream(name, streams)
            data = np.ascontiguousarray(streams[held]).tobytes() if held is not None else bytes(16)
            content.append(
                (gl.buffer(data), STREAMS[name].format + ("/r" if held is None else ""), attribute_name(name))
            )
    one = np.tile(matrix[:3].astype(np.float32).reshape(1, 12), (mesh.vertex_count, 1))
    if "in_entry" in program:  # the first row, and the mesh's paint
        content.append((gl.buffer(bytes(16 * mesh.vertex_count)), "4i4", "in_entry"))
    if "in_rows" in program:
        content.append((gl.buffer(one.tobytes()), "12f4", "in_rows"))
    held = {name: gl.buffer(np.ascontiguousarray(a).tobytes()) for name, a in streams.items()}
    indices = gl.buffer(np.ascontiguousarray(mesh.triangles, np.uint32).tobytes())
    bind_corners(gl, program, GpuMesh(held, indices, {}, mesh.bounds))
    total = sum(v.type.size for v in roots.values())
    out = gl.buffer(reserve=mesh.vertex_count * total * 4)
    array = gl.vertex_array(program, content, skip_errors=True)
    gl.simple_framebuffer((4, 4)).use()
    array.transform(out, mode=gl.POINTS, vertices=mesh.vertex_count)
    found = np.frombuffer(out.read(), np.float32).reshape(mesh.vertex_count, total)
    at, parts = 0, {}
    for name, value in roots.items():
        parts[name] = found[:, at : at + value.type.size]
        at += value.type.size
    return parts


def numpy_of(mesh: MeshData, matrix: np.ndarray, roots: dict, shared: dict | None = None) -> dict:
    fixed = with_shared(roots, shared or {})
    if "camera_position" in (shared or {}):
        fixed = seen_by(fixed, shared["camera_position"])
    wanted = {n.static[0] for v in fixed.values() for n in _nodes(v) if n.op == "attribute"} | {"position"}
    attributes = vertex_attributes(mesh, matrix, None, wanted)
    environment = Environment({n: np.ascontiguousarray(a.T, np.float32) for n, a in attributes.items()},
                              instance=instance_values(mesh))  # fmt: skip
    found = evaluate(fixed, environment)
    return {n: np.broadcast_to(v, (v.shape[0], mesh.vertex_count)).T for n, v in found.items()}


def _nodes(value):
    from jade_coat.program.value import walk

    return walk([value])


@pytest.mark.parametrize("name", sorted(ATTRIBUTES))
def test_every_attribute_means_the_same_on_both_sides(gl, name: str) -> None:
    """Of a prop that is turned, and stretched otherwise along each axis."""
    mesh, matrix = shapes.ball(0.5, 24), prop_of().matrix()
    roots = {"a": lib.per_vertex(lib.attribute(name, ATTRIBUTES[name].type))}
    drawn, computed = (f(*a)["a"] for f, a in ((in_vertex_stage, (gl, mesh, matrix, roots)),
                                               (numpy_of, (mesh, matrix, roots))))  # fmt: skip
    np.testing.assert_allclose(drawn, computed, atol=3e-5)


def test_normals_of_a_stretched_ball_are_those_of_an_ellipsoid() -> None:
    """The gradient of (x/a)² + (y/b)² + (z/c)²."""
    rough, prop = shapes.ball(0.5, 32), prop_of()
    sphere = (rough.positions - np.mean(rough.bounds, axis=0)).astype(np.float32)
    sphere /= np.linalg.norm(sphere, axis=1, keepdims=True)
    mesh = rough.with_(positions=sphere, normals=sphere)
    found = vertex_attributes(mesh, prop.matrix(), None, {"normal"})["normal"]
    turn = prop.matrix()[:3, :3] / np.array(prop.size)
    gradient = (sphere / np.array(prop.size)) @ turn.T
    np.testing.assert_allclose(found, gradient / np.linalg.norm(gradient, axis=1, keepdims=True), atol=1e-5)


WAVES = Recipe(id="waves", name="Waves", steps=(
    Step(id="place", kind="position"), Step(id="x", kind="multiply", args=("place.x", "0.5")),
    Step(id="when", kind="time"), Step(id="there", kind="add", args=("x", "when")),
    Step(id="wave", kind="wave", args=("there",)), Step(id="out", kind="subtract", args=("wave", "0.5")),
))  # fmt: skip
GUST = Recipe(id="gust", name="Gust", steps=(
    Step(id="wind", kind="wind"), Step(id="noise", kind="clouds", args=("position", "0.8")),
    Step(id="out", kind="multiply", args=("wind", "noise")),
))  # fmt: skip


def moving(*moves, coats: tuple[Coat, ...] = (Coat(id="c", name="C"),)) -> Material:
    return Material(id="m", name="M", coats=coats, moves=moves)


def compiled(material: Material) -> dict:
    lookup = PackedLookup((), (WAVES, GUST))
    return compile_material(
        material, lookup, lambda _, value: lib.const(*(value if isinstance(value, tuple) else (value,)))
    )


ALL_MOVES = (
    RecipeMove(id="a", recipe="waves", along="y", amount=0.2), RecipeMove(id="b", recipe="gust", along="wind", amount=0.3),
    RecipeMove(id="c", recipe="gust", along="own x", amount=-0.1), RecipeMove(id="d", recipe="waves", amount=0.05),
    SwayMove(id="e", amount=0.2, foot=-0.5, tip=0.5), SwayMove(id="f", along="normal", amount=0.03, weight="G", phase="B"),
)  # fmt: skip


def test_where_vertices_are_placed_agrees_between_glsl_and_numpy(gl) -> None:
    """Positions, normals and tangents of all kinds of moves at once, by transform feedback."""
    mesh, matrix = shapes.ball(0.5, 48), prop_of().matrix()
    outputs = compiled(moving(*ALL_MOVES))
    roots = {n: outputs[n] for n in ("placed_position", "placed_normal", "placed_tangent")}
    shared = {"time": 1.37, "wind_direction": (0.6, 0.0, 0.8), "wind_strength": 0.7}
    drawn, computed = in_vertex_stage(gl, mesh, matrix, roots, shared), numpy_of(mesh, matrix, roots, shared)
    np.testing.assert_allclose(drawn["placed_position"], computed["placed_position"], atol=1e-5)
    for name in ("placed_normal", "placed_tangent"):
        assert np.median(np.abs(drawn[name] - computed[name])) < 1e-4
        np.testing.assert_allclose(drawn[name], computed[name], atol=5e-3)
    assert (
        np.abs(
            drawn["placed_position"] - vertex_attributes(mesh, matrix, None, {"world_position"})["world_position"]
        ).max()
        > 0.1
    )


def test_maps_are_read_at_vertices_from_the_level_that_was_asked_for(gl) -> None:
    """In arrays and by themselves, exactly and by the hardware; a level beyond the last is the last."""
    rng = np.random.default_rng(1)
    levels = [rng.integers(0, 255, (max(16 >> i, 1), max(32 >> i, 1), 4), np.uint8) for i in range(6)]
    texture = Texture("t", False, tuple(levels))
    mesh, reference = shapes.plane(1.0, 1.0, 0.1), TextureRef("t", False)
    gpu = gl.texture((32, 16), 4, levels[0].tobytes())
    gpu.build_mipmaps()
    for level, pixels in enumerate(levels[1:], 1):
        gpu.write(pixels.tobytes(), level=level)
    gpu.use(0)
    roots = {f"l{n}": lib.per_vertex(lib.texture(reference, lib.attribute("uv0", VEC2) * 1.7), n) for n in (0, 2, 30)}
    attributes = {"uv0": np.ascontiguousarray(mesh.uvs[0].T)}
    numbers = evaluate(roots, Environment(attributes, **reading({"t": texture})))
    drawn = in_vertex_stage(gl, mesh, np.eye(4), roots)
    for name, values in drawn.items():
        np.testing.assert_allclose(values, numbers[name].T, atol=1e-5)
    assert np.ptp(numbers["l30"], axis=1).max() < 1e-6


@settings(max_examples=25, deadline=None)
@given(st.floats(-1, 1), st.floats(-1, 1), st.floats(0.05, 0.3))
def test_the_normal_follows_the_moved_surface(x: float, z: float, height: float) -> None:
    """A plane lifted by a sine: against its derivative."""
    mesh, prop = shapes.plane(2.0, 2.0, 0.05), prop_of(position=(0, 0, 0), turn=(0, 0, 0, 1), size=(1, 1, 1))
    outputs = compiled(moving(RecipeMove(id="a", recipe="waves", amount=height)))
    found = numpy_of(mesh, prop.matrix(), {n: outputs[n] for n in ("placed_position", "placed_normal")}, {"time": 0.2})
    near = np.argmin(((mesh.positions - (x, 0, z)) ** 2).sum(axis=1))
    at = float(mesh.positions[near, 0])
    lift, slope = (height * f(2 * np.pi * (0.5 * at + 0.2)) * k for f, k in ((np.sin, 0.5), (np.cos, 0.5 * np.pi)))
    np.testing.assert_allclose(found["placed_position"][near], (at, lift, mesh.positions[near, 2]), atol=1e-5)
    wanted = np.array([-slope, 1.0, 0.0]) / np.hypot(slope, 1.0)
    np.testing.assert_allclose(found["placed_normal"][near], wanted, atol=2e-3)


def test_a_lifted_mesh_has_the_normals_that_its_own_shape_gives_it() -> None:
    """Against normals worked out anew from the moved triangles: angle-weighted means of their facings."""
    project, library, prop = world(
        moving(RecipeMove(id="a", recipe="gust", amount=0.15)), shapes.ball(0.5, 160), wind=1.0
    )
    placed = placed_mesh(project, library, prop, library.mesh_by_id(project, "m")).mesh
    corners = placed.positions[placed.triangles].astype(np.float64)
    facing = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    total = np.zeros((placed.vertex_count, 3))
    for i in range(3):
        np.add.at(total, placed.triangles[:, i].astype(int), facing)
    total /= np.maximum(np.linalg.norm(total, axis=1, keepdims=True), 1e-20)
    angle = np.degrees(np.arccos(np.clip((total * placed.normals).sum(axis=1), -1, 1)))
    assert np.median(angle) < 2.0
    assert np.quantile(angle, 0.97) < 8.0


def test_what_moves_away_from_the_surface_opens_no_gap_at_hard_edges() -> None:
    """A box has three normals at each corner: lifted, all of its vertices there go along the diagonal, by hand."""
    material = moving(HeightMove(id="up", middle=0.0, amount=0.2))
    mesh = shapes.box(1.0, 1.0, 1.0)
    project, library, prop = world(material, mesh, turn=(0.0, 0.0, 0.0, 1.0), size=(1.0, 1.0, 1.0))
    placed = placed_mesh(project, library, prop, mesh)
    still, moved = mesh.positions[placed.source], placed.mesh.positions
    _, place = np.unique(np.round(still, 5), axis=0, return_inverse=True)
    for k in range(place.max() + 1):
        there = moved[place.ravel() == k]
        assert np.allclose(there, there[0], atol=1e-6)
    away = still - (mesh.positions.min(axis=0) + mesh.positions.max(axis=0)) / 2
    corners = np.abs(away).min(axis=1) > 0.499
    assert corners.sum() >= 24
    assert np.allclose((moved - still)[corners], 0.1 * np.sign(away[corners]) / np.sqrt(3.0), atol=1e-5)
    # Front and back of a sheet lie at one place too, and move apart.
    flat = shapes.plane(1.0, 1.0, 0.5)
    both = shapes.joined([(flat, "A"), (flat.with_(normals=-flat.normals, triangles=flat.triangles[:, ::-1]), "B")])
    assert outward(both) is None or np.allclose(outward(both), both.normals)


def world(material: Material, mesh: MeshData, wind: float = 0.5, **changes) -> tuple[Project, Library, Prop]:
    library = Library(Assets())
    asset = library.add_mesh(mesh, "m", set()).with_(id="m")
    prop = prop_of(finishes=dict.fromkeys(asset.slots, "m"), **changes)
    project = Project(meshes=(asset,), materials=(material,), props=[prop], recipes=(WAVES, GUST))
    return project.with_(wind=project.wind.with_(strength=wind)), library, prop


def test_no_wind_is_exactly_still_and_nothing_leaves_the_declared_reach() -> None:
    material, mesh = moving(*ALL_MOVES), shapes.ball(0.5, 48)
    gusts = material.with_(moves=tuple(m for m in material.moves if getattr(m, "recipe", "") == "gust"))
    project, library, prop = world(gusts, mesh, wind=0.0)
    still = placed_mesh(project, library, prop, mesh, time=3.0)
    np.testing.assert_allclose(still.mesh.positions, mesh.positions[still.source], atol=1e-6)
    project, library, prop = world(material, mesh, wind=1.0)
    for time in (0.0, 0.3, 0.9):
        placed = placed_mesh(project, library, prop, mesh, time)
        matrix = prop.matrix()
        away = (placed.mesh.positions - mesh.positions[placed.source]) @ matrix[:3, :3].T
        reach = reach_of_moves(material)
        assert 0.02 < np.linalg.norm(away, axis=1).max() <= reach + 1e-5


def test_a_point_of_the_moved_surface_is_found_at_rest() -> None:
    project, library, prop = world(moving(*ALL_MOVES), shapes.ball(0.5, 32), wind=1.0)
    mesh = library.mesh_by_id(project, "m")
    placed = placed_mesh(project, library, prop, mesh, 0.4)
    rng = np.random.default_rng(0)
    for triangle in rng.integers(0, len(mesh.triangles), 40):
        shares = rng.dirichlet((1, 1, 1))
        moved = shares @ placed.mesh.positions[placed.mesh.triangles[triangle]].astype(np.float64)
        rest = shares @ mesh.positions[mesh.triangles[triangle]].astype(np.float64)
        np.testing.assert_allclose(placed.at_rest(int(triangle), moved), rest, atol=1e-6)


def test_a_step_asked_for_at_the_vertices_is_interpolated_between_them(gl) -> None:
    """Its rate is the vertices', it costs no pixel anything, and the pixel stage reads it as a varying."""
    noise = lib.fbm(lib.attribute("position", VEC3) * 3.0, 4, 1)
    asked = lib.per_vertex(noise)
    assert rates({"a": asked})[asked] is Rate.VERTEX
    assert rates({"a": noise})[noise] is Rate.PIXEL
    glsl = emit({"a": asked * 2.0}, DialLayout(()))
    assert "gradient_noise" in glsl.vertex_body
    assert "gradient_noise" not in glsl.pixel_body


def test_a_moved_mesh_is_drawn_casts_its_shadow_and_is_left_alone_where_nothing_moves_it(gl) -> None:
    """A plate lifted by one metre, against a plate that stands one metre higher."""
    from jade_coat.view.renderer import Renderer

    always = Recipe(id="one", name="One", steps=(Step(id="x", kind="add", args=("1", "0")),))
    renderer = Renderer(gl)
    plate = shapes.plane(0.8, 0.8, 0.2)
    ground = shapes.plane(6.0, 6.0, 1.0)
    flat = moving()
    lifted = moving(RecipeMove(id="a", recipe="one", along="y", amount=1.0)).with_(id="lifted")
    lookup = PackedLookup((), (always,))
    for material in (flat, lifted):
        renderer.assets.set_material(material, lookup)
    put_mesh(renderer, "plate", plate)
    put_mesh(renderer, "ground", ground)
    eye = eye_of(np.array([0.0, 3.0, 5.0]), np.zeros(3), 0.9, 1.6)
    pictures = []
    for material, height in ((lifted, 0.0), (flat, 1.0)):
        scene = single("ground", ground, flat, field_values(flat))
        other = single("plate", plate, material, field_values(material))
        other.draws[0].matrices[:, 1, 3] = height
        scene.draws.append(other.draws[0])
        scene.rows.update(other.rows)
        renderer.scenes.set("s", scene)
        pictures.append(renderer.picture("s", eye, 320, 200).astype(int))
    assert not renderer.faults
    assert (np.abs(pictures[0] - pictures[1]).max(axis=2) > 3).mean() < 0.004
    assert (np.abs(pictures[0] - pictures[0][::-1]).max(axis=2) > 3).mean() > 0.05


def test_marks_lie_where_a_material_moves_the_vertices(renderer) -> None:
    """Edges, vertices and the brush's colours over a plate lifted by one metre, against one that stands there."""
    always = Recipe(id="one", name="One", steps=(Step(id="x", kind="add", args=("1", "0")),))
    plate = shapes.plane(0.8, 0.8, 0.2)
    flat, lifted = moving(), moving(RecipeMove(id="a", recipe="one", along="y", amount=1.0)).with_(id="lifted")
    for material in (flat, lifted):
        renderer.assets.set_material(material, PackedLookup((), (always,)))
    put_mesh(renderer, "plate", plate, ("edge",))
    eye = eye_of(np.array([0.0, 3.0, 5.0]), np.array([0.0, 0.6, 0.0]), 0.5, 1.6)
    pictures = {}
    for material, height in ((lifted, 0.0), (flat, 1.0)):
        scene = single("plate", plate, material, field_values(material))
        scene.draws[0].matrices[:, 1, 3] = height
        renderer.scenes.set("marked", scene)
        marks = Marks("plate", scene.draws[0].matrices[0].astype(float), edges=True, vertices=True, spacing=0.2)
        for name, wanted in (("bare", None), ("lines", marks), ("held", replace(marks, edges=False, radius=0.3))):
            pictures[material.id, name] = renderer.picture("marked", eye, 320, 200, marks=wanted).astype(int)
    assert not renderer.faults
    for name in ("lines", "held"):
        off = np.abs(pictures["lifted", name] - pictures["m", name]).max(axis=2)
        assert (off > 6).mean() < 0.004
        assert (np.abs(pictures["lifted", name] - pictures["lifted", "bare"]).max(axis=2) > 20).mean() > 0.004


def test_a_file_holds_the_moved_mesh_and_what_blows_at_rest(tmp_path) -> None:
    """Read back: positions are those that NumPy places, in metres of the world."""
    still = Recipe(id="still", name="Still", steps=(
        Step(id="noise", kind="clouds", args=("position", "0.6")), Step(id="out", kind="subtract", args=("noise", "0.5")),
    ))  # fmt: skip
    for recipe, moved in ((still, True), (WAVES, False)):
        material = moving(RecipeMove(id="a", recipe=recipe.id, amount=0.2))
        project, library, prop = world(material, shapes.ball(0.5, 24))
        project = project.with_(recipes=(recipe, GUST))
        written = export_glb(project, library, tmp_path / "a.glb", 16, Job())
        assert_valid_glb(tmp_path / "a.glb")
        back = read_mesh(tmp_path / "a.glb")
        mesh = library.mesh_by_id(project, "m")
        wanted = placed_mesh(project, library, prop, mesh).mesh if moved else mesh
        matrix = prop.matrix()
        points = wanted.positions @ matrix[:3, :3].T + matrix[:3, 3]
        from scipy.spatial import cKDTree

        away, _ = cKDTree(points).query(back.positions)
        assert away.max() < 1e-4
        assert any("at rest" in line for line in written.told) is not moved


def test_hidden_props_stay_out_of_files_and_it_is_told(tmp_path) -> None:
    project, library, prop = world(moving(), shapes.plane(1, 1, 0.5))
    project = project.with_(props=[prop, prop.with_(id="q", visible=False)])
    written = export_glb(project, library, tmp_path / "a.glb", 16, Job())
    assert "1 hidden prop is left out." in written.told
    project = project.with_(props=[prop.with_(visible=False)])
    with pytest.raises(ValueError, match="hidden"):
        export_glb(project, library, tmp_path / "b.glb", 16, Job())


def test_how_far_a_value_at_the_vertices_is_off_is_measured() -> None:
    """A parabola over cells of a metre: linear interpolation is off by at most h²/8 · f\" (a textbook bound)."""
    project, library, prop = world(
        moving(), shapes.plane(4.0, 4.0, 1.0), position=(0, 0, 0), turn=(0, 0, 0, 1), size=(1, 1, 1)
    )
    look = look_at(project, library, prop, "surface")
    x = lib.attribute("position", VEC3).x
    flat, bent = (vertex_error(look, v, {}) for v in (x * 3.0, lib.per_vertex(x * x)))
    assert flat.most < 1e-5
    edge = float(np.diff(np.unique(np.round(library.mesh_by_id(project, "m").positions[:, 0], 5))).max())
    assert 0.8 * edge**2 / 4 < bent.most <= edge**2 / 4 + 1e-5
    assert 0 < bent.mean < bent.most


@settings(max_examples=40, deadline=None)
@given(st.floats(0, 100), st.floats(0, 1), st.floats(0, 1), st.floats(0, 1), st.floats(0.5, 4))
def test_what_sways_is_where_its_closed_form_says(time, strength, gusts, lean, bend) -> None:
    """Written out again in NumPy: two sines, a gust that travels with the wind, a weight by height; no wind, no move."""
    mesh, prop = shapes.plane(2.0, 2.0, 0.4), prop_of(turn=turn_of(1.5, 0.2, 0.0))
    move = SwayMove(id="a", amount=0.3, foot=-0.4, tip=0.7, bend=bend, lean=lean, rate=0.8, gusts=gusts, reach=3.0)
    stood = mesh.with_(positions=np.ascontiguousarray(mesh.positions[:, [0, 2, 1]]))
    blows = np.array([0.6, 0.0, 0.8])
    shared = {"time": time, "wind_direction": tuple(blows), "wind_strength": strength}
    root = {"placed_position": compiled(moving(move))["placed_position"]}
    found = numpy_of(stood, prop.matrix(), root, shared)["placed_position"]
    world = stood.positions @ prop.matrix()[:3, :3].T + prop.matrix()[:3, 3]
    if strength == 0:
        assert np.array_equal(found, np.asarray(world, np.float32)) or np.abs(found - world).max() < 1e-6
    tau, seed = 2 * np.pi, float(np.ravel(instance_values(stood)["seed"])[0])
    along, beat = world @ blows / 3.0, time * 0.8
    wave = 0.7 * np.sin(tau * (beat - along + seed)) + 0.3 * np.sin(tau * (beat * 2.37 - along * 1.61 + seed * 5.3))
    gust = 0.5 + 0.5 * np.sin(tau * (beat * 0.19 - along * 0.43))
    weight = np.clip((stood.positions[:, 1] + 0.4) / 1.1, 0, 1) ** bend
    share = np.clip(strength * weight * (lean + (1 - lean) * wave * (1 - gusts * gust)), -1, 1)
    np.testing.assert_allclose(found, world + blows * (0.3 * share)[:, None], atol=2e-3)


def test_hanging_things_sway_at_their_foot_and_every_material_that_sways_plays() -> None:
    cloth = shapes.plane(1.0, 1.0, 0.25)
    hung = cloth.with_(positions=np.ascontiguousarray(cloth.positions[:, [0, 2, 1]]))
    move = SwayMove(id="a", amount=0.5, foot=0.5, tip=-0.5, lean=1.0)
    root = {"placed_position": compiled(moving(move))["placed_position"]}
    shared = {"time": 0.0, "wind_direction": (1.0, 0.0, 0.0), "wind_strength": 1.0}
    moved = numpy_of(hung, np.eye(4), root, shared)["placed_position"] - hung.positions
    top, foot = hung.positions[:, 1] > 0.49, hung.positions[:, 1] < -0.49
    assert np.abs(moved[top]).max() < 1e-6
    np.testing.assert_allclose(moved[foot][:, 0], 0.5, atol=1e-6)
    assert Project(materials=(moving(move),)).plays
    assert not Project(materials=(moving(),)).plays
