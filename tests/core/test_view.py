"""The renderer: parity with NumPy, light against references, rows and faults."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from jade_coat.looking.attributes import instance_values
from jade_coat.maps.packing import PackedLookup
from jade_coat.maps.sampling import reading
from jade_coat.material.compile import compile_material, live_fields
from jade_coat.material.material import Coat, Material, field_values, layout
from jade_coat.material.seam import Rim, Seam
from jade_coat.material.surface import Detail, NoMaps, Surface
from jade_coat.material.where import CavityTerm, DistanceTerm, FacingTerm, MapTerm, NoiseTerm, PaintTerm
from jade_coat.mesh import shapes
from jade_coat.program.fused import Plan
from jade_coat.program.glsl_backend import FetchMode, output_name
from jade_coat.program.numpy_backend import Environment
from jade_coat.stage.desk import Camera
from jade_coat.stage.draws import Draw, Scene
from jade_coat.stage.scene import build_scene, single
from jade_coat.view.camera import eye_of, project, ray
from jade_coat.view.environment import (
    directions,
    evaluate_irradiance,
    hazy_morning,
    irradiance,
    solid_angles,
    split_sum_table,
    synthesised,
)  # fmt: skip
from jade_coat.view.looks import look_index
from jade_coat.view.programs import Targets
from tests.support import eye_for, put_mesh, row_patch

WIDTH, HEIGHT = 480, 300
RESULTS = ("vec4(out_base_color, out_roughness)", "vec4(out_normal, out_height)")


def float_pass(renderer, draw_index: int, targets: Targets, count: int, eye) -> np.ndarray:
    """Draw one draw of the stage into float attachments, `(count, HEIGHT, WIDTH, 4)`; alpha of the last is coverage."""
    gl, found = renderer.context, renderer.scenes.by_name["stage"]
    draw = found.scene.draws[draw_index]
    material, lookup = renderer.assets.materials[draw.material]
    compiled = renderer.shop.measured(material, lookup, targets, FetchMode.MANUAL)
    textures = [gl.texture((WIDTH, HEIGHT), 4, dtype="f4") for _ in range(count)]
    buffer = gl.framebuffer(textures, gl.depth_renderbuffer((WIDTH, HEIGHT)))
    buffer.use()
    buffer.clear(-9, -9, -9, -9, depth=1.0)
    gl.enable_only(gl.DEPTH_TEST)
    mesh = renderer.assets.meshes[draw.mesh]
    renderer.drawer.bind(compiled, found, draw, mesh, eye.position)
    renderer.drawer.run(compiled.program, draw, found.instances[draw_index], eye.projection @ eye.view)
    return np.stack([np.frombuffer(t.read(), np.float32).reshape(HEIGHT, WIDTH, 4) for t in textures])


DAMP_AUTUMN = {"own_damp": 0.35, "own_season": 0.6}
KINDS = {
    "position": "vec3", "world_position": "vec3", "normal": "vec3", "tangent": "vec4", "uv0": "vec2", "color0": "vec4",
    "object_normal": "vec3", "object_tangent": "vec4", "curvature": "float", "uv1": "vec2",
}  # fmt: skip
SEEN = (
    "vec4(seen_position, 1.0)", "vec4(seen_world_position, seen_curvature)", "vec4(seen_normal, 1.0)", "seen_tangent",
    "vec4(seen_uv0, seen_uv1)", "seen_color0", "vec4(seen_object_normal, 1.0)", "seen_object_tangent",
)  # fmt: skip


def assert_parity(renderer, demo, material: Material, names: tuple[str, ...] = ()) -> None:
    """The interpolated attributes are read back and evaluated with NumPy: 99.9 % of pixels within 1/255.

    `names` are further outputs, one float each, up to four.
    """
    for texture in demo.textures().values():
        renderer.assets.put_texture(texture.name, False, texture.levels)  # exact reads decode by themselves
        known, mean = renderer.assets.textures, tuple(float(v) for v in texture.mean)
        known[texture.name] = replace(known[texture.name], mean=mean)
    eye = eye_for(demo.camera, WIDTH, HEIGHT)
    found = renderer.scenes.by_name["stage"]
    index = next(i for i, d in enumerate(found.scene.draws) if d.material == material.id)
    draw = found.scene.draws[index]
    renderer.set_shared(DAMP_AUTUMN)
    extra = [*(output_name(n) for n in names), "0.0", "0.0", "0.0", "0.0"][:4]
    written = (*RESULTS, f"vec4({', '.join(extra)})", "vec4(out_emissive, out_opacity)")
    quantities = ("base_color", "roughness", "normal", "height", "emissive", "opacity")
    targets = Targets(written, (*quantities, *names))
    results = float_pass(renderer, index, targets, 4, eye)
    attributes = _attributes(renderer, index, eye)
    seen = (results[0][..., 3] >= 0) & (attributes["mask"] > 0)
    assert seen.sum() > 1000
    # One look after another: each pixel belongs to some instance; the first instance's look is drawn.
    dials = layout(material).columns(found.scene.rows[material.id][draw.rows[0]][None])
    outputs = compile_material(
        material, PackedLookup(demo.project.map_sets, demo.project.recipes), live_fields(material)
    )
    wanted = {n: outputs[n] for n in targets.outputs}
    numbers = Plan(wanted).run(Environment(
        attributes={n: np.ascontiguousarray(attributes[n][seen].T) for n in KINDS}, dials=dials,
        instance=instance_values(demo.mesh(draw.mesh), float(draw.seeds[0])),
        shared={"camera_position": np.array(eye.position, np.float32)[:, None]}
        | {n: np.full((1, 1), v, np.float32) for n, v in DAMP_AUTUMN.items()},
        **reading(demo.textures()),
    ))  # fmt: skip
    pairs = {
        "base_color": results[0][seen][:, :3], "roughness": results[0][seen][:, 3:],
        "normal": results[1][seen][:, :3], "height": results[1][seen][:, 3:],
        "emissive": results[3][seen][:, :3], "opacity": results[3][seen][:, 3:],
        **{n: results[2][seen][:, i : i + 1] for i, n in enumerate(names)},
    }  # fmt: skip
    for name, drawn in pairs.items():
        computed = np.broadcast_to(numbers[name], drawn.T.shape).T
        close = (np.abs(drawn - computed) <= 1 / 255).all(axis=1)
        assert close.mean() >= 0.999, (name, close.mean())
        assert np.median(np.abs(drawn - computed)) < 4e-5, name


@pytest.mark.parametrize("material_id", ["kiln_wall", "jar_glaze", "terrace_floor"])
def test_whole_demo_materials_agree_between_glsl_and_numpy(renderer, demo, material_id: str) -> None:
    renderer.scenes.set("stage", build_scene(demo.project, demo.mesh))
    assert_parity(renderer, demo, demo.project.material(material_id))


TILE = {"map_set": "glazed_tile", "tile_size": 0.8}
GOLD = ((0.0, (0.02, 0.01, 0.0)), (0.4, (0.5, 0.2, 0.05)), (1.0, (1.0, 0.9, 0.6)))
SURFACES = {
    "three sides": Surface(placement="triplanar", top_set="cushion_moss", turn=0.4, **TILE),
    "three sides of the world": Surface(placement="triplanar", space="world", tile_break="offset", **TILE),
    "from above": Surface(placement="planar", space="world", flip_down=1.0, tile_break="mirror", **TILE),
    "hexagons, detail": Surface(tile_break="hex", detail=Detail(map_set="cushion_moss", tile_size=0.15), **TILE),
    "mirrored, colour": Surface(tile_break="mirror", hue=0.5, saturation=0.6, value=1.2, gradient=GOLD, **TILE),
    "picked by tile": Surface(more_sets=("terrace_clay", "cushion_moss"), pick="tile", **TILE),
    "picked by prop": Surface(more_sets=("terrace_clay", "cushion_moss"), tile_break="offset", **TILE),
}
TERMS = (
    MapTerm(id="map", map_set="glazed_tile", read="luminance", once=False), NoiseTerm(id="cells", pattern="cells", size=0.3),
    NoiseTerm(id="cracks", pattern="cracks", size=0.3), NoiseTerm(id="ridges", pattern="ridges", space="world"),
    FacingTerm(id="facing", toward="viewer"), FacingTerm(id="east", azimuth=0.7, elevation=0.2),
    CavityTerm(id="cavity", side="edges", size=2.0), DistanceTerm(id="distance", range=(1.0, 6.0)),
)  # fmt: skip


def dressed(renderer, demo, *coats: Coat) -> Material:
    """The stage with the demo's wall in a material of these coats."""
    material = Material(id="other", name="Other", coats=coats)
    props = tuple(
        p.with_(finishes=dict.fromkeys(p.finishes, "other")) if p.id == "kiln_wall_prop" else p
        for p in demo.project.props
    )
    project = demo.project.with_(materials=(*demo.project.materials, material), props=props)
    renderer.assets.set_material(material, PackedLookup(project.map_sets, project.recipes))
    renderer.scenes.set("stage", build_scene(project, demo.mesh))
    return material


@pytest.mark.parametrize("name", SURFACES)
def test_every_way_of_placing_maps_agrees_between_glsl_and_numpy(renderer, demo, name: str) -> None:
    assert_parity(renderer, demo, dressed(renderer, demo, Coat(id="c", name="C", surface=SURFACES[name])))


@pytest.mark.parametrize("first", [0, 4])
def test_every_kind_of_term_and_the_rim_agree_between_glsl_and_numpy(renderer, demo, first: int) -> None:
    top = Coat(
        id="top", name="Top", surface=Surface(map_set="cushion_moss"), where=tuple(t.with_(combine="max") for t in TERMS[first : first + 4]),
        seam=Seam(kind="interlock", softness=0.2, wobble=0.3), rim=Rim(on=True, roughness=0.2, lift=0.1, width=0.4),
    )  # fmt: skip
    material = dressed(renderer, demo, Coat(id="c", name="C", surface=Surface(**TILE)), top)
    assert_parity(renderer, demo, material, tuple(f"term:top:{t.id}" for t in TERMS[first : first + 4]))


def _attributes(renderer, index: int, eye) -> dict[str, np.ndarray]:
    """The attributes at every pixel of a draw, interpolated by the GPU in the same geometry."""
    from jade_coat.view.context import HEADER
    from jade_coat.view.vertex import VertexPart, vertex_source

    gl, found = renderer.context, renderer.scenes.by_name["stage"]
    draw = found.scene.draws[index]
    outs = "\n".join(f"out {k} seen_{n};" for n, k in KINDS.items())
    ins = "\n".join(f"in {k} seen_{n};" for n, k in KINDS.items())
    vertex = vertex_source(VertexPart(tuple(KINDS)), outs, "\n".join(f"seen_{n} = attribute_{n};" for n in KINDS))
    writes = [f"t{i} = {e};" for i, e in enumerate(SEEN)]
    targets = "\n".join(f"layout(location = {i}) out vec4 t{i};" for i in range(len(SEEN)))
    fragment = "\n".join([HEADER, ins, targets, "void main() {", *writes, "}"])
    program = gl.program(vertex_shader=vertex, fragment_shader=fragment)
    textures = [gl.texture((WIDTH, HEIGHT), 4, dtype="f4") for _ in SEEN]
    buffer = gl.framebuffer(textures, gl.depth_renderbuffer((WIDTH, HEIGHT)))
    buffer.use()
    buffer.clear(0, 0, 0, 0, depth=1.0)
    gl.enable_only(gl.DEPTH_TEST)
    renderer.drawer.run(program, draw, found.instances[index], eye.projection @ eye.view)
    planes = [np.frombuffer(t.read(), np.float32).reshape(HEIGHT, WIDTH, 4) for t in textures]
    data = {n: planes[i][..., : int(k[-1])] for i, (n, k) in enumerate(KINDS.items()) if i < len(SEEN)}
    data["curvature"], data["uv1"] = planes[1][..., 3:], planes[4][..., 2:]
    data["mask"] = np.frombuffer(textures[0].read(), np.float32).reshape(HEIGHT, WIDTH, 4)[..., 3]
    return data


# Light


def ball_scene(renderer, color=(1.0, 1.0, 1.0), roughness: float = 0.5, metallic: float = 0.0):
    mesh = shapes.ball(1.0, 96)
    put_mesh(renderer, "ball", mesh)
    surface = Surface(color=color, roughness=roughness, metallic=metallic)
    material = Material(id="test_ball", name="Ball", coats=(Coat(id="c", name="C", surface=surface),))
    renderer.assets.set_material(material, NoMaps())
    renderer.scenes.set("ball", single("ball", mesh, material, field_values(material)))
    return eye_of(np.array([0.0, 0.0, 3.2]), np.zeros(3), 0.6, 1.0)


def test_looks_drawn_together_are_those_drawn_alone(renderer, demo) -> None:
    """Programs with other outputs spill other values to the row table; neither may read the other's."""
    renderer.scenes.set("stage", build_scene(demo.project, demo.mesh))
    renderer.set_shared({"own_damp": 0.3, "own_season": 0.6})
    eye = eye_for(demo.camera, 120, 72)
    looks = ("coverage", "where:moss", "term:lime:map", "term:moss:noise", "height:lime", "paint:G")
    together = renderer.picture("stage", eye, 120, 72, looks=looks, stream="together")
    for i, look in enumerate(looks):
        alone = renderer.picture("stage", eye, 120, 72, looks=(look,), stream=f"alone {i}")
        assert np.abs(alone.astype(int) - together[:, i * 120 : (i + 1) * 120]).max() <= 1, look
        assert len(np.unique(alone[..., 0])) > 4, look
    renderer.set_shared({})


@pytest.mark.parametrize(
    ("roughness", "metallic"), [(0.0, 1.0), (0.3, 1.0), (0.7, 1.0), (1.0, 1.0), (0.0, 0.0), (0.5, 0.0), (1.0, 0.0)]
)
def test_a_white_furnace_returns_no_more_than_it_gets(renderer, roughness: float, metallic: float) -> None:
    """glTF 2.0 Appendix B: reflected light never exceeds what arrives, and a smooth white metal loses under 2 %."""
    renderer.set_light((0.0, 1.0, 0.0), 0.0, synthesised((0.0, 1.0, 0.0), white=True))
    eye = ball_scene(renderer, roughness=roughness, metallic=metallic)
    light = radiance(renderer, "ball", eye)
    middle = light[40:88, 40:88]
    assert middle.max() <= 1.015
    if roughness == 0.0:
        assert abs(middle - 1).max() < 0.02
    renderer.set_light((0.48, 0.62, 0.62), 2.6)


def radiance(renderer, scene: str, eye, size: int = 128) -> np.ndarray:
    """The picture in linear light, by undoing the sRGB curve; valid where the tone map leaves values alone or
    compresses white to a known value."""
    picture = renderer.picture(scene, eye, size, size, stream="radiance")
    from jade_coat.maps.color import to_linear

    encoded = to_linear(picture[..., :3] / np.float32(255))
    return invert_tone_map(encoded)


def neutral(color: np.ndarray) -> np.ndarray:
    """Khronos PBR Neutral, written from its specification."""
    f90, start, desaturation = 0.04, 0.8 - 0.04, 0.15
    x = color.min(axis=-1, keepdims=True)
    offset = np.where(x <= 2 * f90, x - x * x / (4 * f90), f90)
    c = color - offset
    peak = c.max(axis=-1, keepdims=True)
    compressed = 1 - (1 - start) ** 2 / (peak + 1 - 2 * start)
    scaled = c * compressed / np.maximum(peak, 1e-9)
    g = 1 / (desaturation * (peak - compressed) + 1)
    return np.where(peak < start, c, scaled * g + compressed * (1 - g))


def invert_tone_map(grey: np.ndarray) -> np.ndarray:
    """Grey light from its tone-mapped value: by a table of the specification's curve."""
    values = np.linspace(0, 3, 6001)
    mapped = neutral(np.repeat(values[:, None], 3, axis=1))[:, 0]
    return np.interp(grey[..., 0], mapped, values)


def test_the_tone_map_is_the_published_one(gl) -> None:
    """Khronos PBR Neutral at sample colours, run in our shader."""
    from jade_coat.view.context import HEADER, shader

    rng = np.random.default_rng(0)
    colors = np.concatenate([rng.random((200, 3)) * 0.7, rng.random((200, 3)) * 6]).astype(np.float32)
    source = gl.texture((400, 1), 3, colors.tobytes(), dtype="f4")
    target = gl.texture((400, 1), 4, dtype="f4")
    fragment = (HEADER + shader("light.glsl") + "uniform sampler2D data; out vec4 o;"
                "void main() { o = vec4(tone_map(texelFetch(data, ivec2(gl_FragCoord.xy), 0).rgb), 1.0); }")  # fmt: skip
    program = gl.program(vertex_shader=HEADER + shader("screen.vert"), fragment_shader=fragment)
    gl.framebuffer([target]).use()
    gl.enable_only(gl.NOTHING)
    source.use(0)
    gl.vertex_array(program, []).render(vertices=3)
    got = np.frombuffer(target.read(), np.float32).reshape(-1, 4)[:, :3]
    np.testing.assert_allclose(got, neutral(colors.astype(float)), atol=2e-5)


def test_light_is_reflected_the_same_both_ways(gl) -> None:
    """Helmholtz reciprocity of the surface model, with view and light exchanged, over random directions."""
    from jade_coat.view.context import HEADER, shader

    rng = np.random.default_rng(1)
    pair = rng.normal(size=(2, 500, 3))
    pair[..., 2] = np.abs(pair[..., 2]) + 0.05
    pair = (pair / np.linalg.norm(pair, axis=-1, keepdims=True)).astype(np.float32)
    textures = [gl.texture((500, 1), 3, p.tobytes(), dtype="f4") for p in pair]
    target = gl.texture((500, 1), 4, dtype="f4")
    fragment = (HEADER + shader("light.glsl") + "uniform sampler2D a; uniform sampler2D b; out vec4 o; void main() {"
                "Surface s = Surface(vec3(0.7, 0.4, 0.2), vec3(0, 0, 1), 0.45, 0.35, 1.0);"
                "vec3 v = texelFetch(a, ivec2(gl_FragCoord.xy), 0).rgb, l = texelFetch(b, ivec2(gl_FragCoord.xy), 0).rgb;"
                "o = vec4(reflect_light(s, v, l).r / l.z, reflect_light(s, l, v).r / v.z, 0, 1); }")  # fmt: skip
    program = gl.program(vertex_shader=HEADER + shader("screen.vert"), fragment_shader=fragment)
    gl.framebuffer([target]).use()
    gl.enable_only(gl.NOTHING)
    for i, (name, texture) in enumerate(zip("ab", textures, strict=True)):
        texture.use(i)
        program[name].value = i
    gl.vertex_array(program, []).render(vertices=3)
    got = np.frombuffer(target.read(), np.float32).reshape(-1, 4)
    np.testing.assert_allclose(got[:, 0], got[:, 1], rtol=2e-3)


def test_irradiance_equals_brute_force_integration() -> None:
    """Ramamoorthi & Hanrahan 2001: nine coefficients reproduce diffuse light to about 1 %; here 4 % with the sun's glow."""
    sun = np.array([0.3, 0.8, 0.5]) / np.linalg.norm([0.3, 0.8, 0.5])
    d, weight = directions(64).reshape(-1, 3), solid_angles(64).ravel()
    assert weight.sum() == pytest.approx(4 * np.pi)
    sky = hazy_morning(d, sun)
    normals = directions(6).reshape(-1, 3)
    exact = ((np.clip(normals @ d.T, 0, None) * weight) @ sky) / np.pi
    got = evaluate_irradiance(irradiance(sky, d, weight), normals)
    np.testing.assert_allclose(got, exact, rtol=0.04, atol=0.01)
    constant = evaluate_irradiance(irradiance(np.ones_like(sky), d, weight), normals)
    np.testing.assert_allclose(constant, 1.0, atol=1e-3)


def test_the_split_sum_equals_brute_force_integration() -> None:
    """Karis 2013, eq. 8: scale and bias of F0, against a plain sum over the hemisphere."""
    table = split_sum_table()
    line = (np.arange(400) + 0.5) / 400
    phi, mu = np.meshgrid((np.arange(256) + 0.5) / 256 * 2 * np.pi, line)
    sine = np.sqrt(1 - mu**2)
    lx, ly, lz = sine * np.cos(phi), sine * np.sin(phi), mu
    for row, column in ((12, 8), (20, 16), (30, 24), (16, 4)):
        rough, nv = (row + 0.5) / 32, (column + 0.5) / 32
        v = np.array([np.sqrt(1 - nv * nv), 0, nv])
        h = np.stack([lx + v[0], ly, lz + v[2]])
        h /= np.linalg.norm(h, axis=0)
        vh = h[0] * v[0] + h[2] * v[2]
        a2 = rough**4
        distribution = a2 / (np.pi * (h[2] ** 2 * (a2 - 1) + 1) ** 2)
        visibility = 0.5 / (lz * np.sqrt(nv**2 * (1 - a2) + a2) + nv * np.sqrt(lz**2 * (1 - a2) + a2))
        fresnel = (1 - vh) ** 5
        area = 2 * np.pi / 256 / 400
        f = distribution * visibility * lz * area
        assert table[row, column, 0] == pytest.approx(float((f * (1 - fresnel)).sum()), abs=0.003)
        assert table[row, column, 1] == pytest.approx(float((f * fresnel).sum()), abs=0.002)


# Cameras, rows, looks and faults


def test_rays_and_projection_are_each_others_inverse() -> None:
    eye = eye_for(Camera(yaw=0.7, pitch=0.3, distance=5), 640, 400)
    for x, y in ((0.5, 0.5), (0.1, 0.8), (0.93, 0.22)):
        origin, direction = ray(eye, x, y)
        np.testing.assert_allclose(project(eye, (origin + 3.7 * direction)[None])[0], (x, y), atol=1e-6)


def test_a_thousand_rows_in_one_draw_each_show_their_own_colour(renderer) -> None:
    """More rows than one column of the table holds, drawn as one instanced draw."""
    material = Material(id="rows", name="Rows", coats=(Coat(id="c", name="C", surface=Surface(color=(0.5, 0.4, 0.3))),))
    put_mesh(renderer, "tile", shapes.plane(0.9, 0.9, 0.9))
    renderer.assets.set_material(material, NoMaps())
    count = 5000
    rng = np.random.default_rng(0)
    colors = rng.uniform(0.05, 0.95, (count, 3))
    plan = layout(material)
    rows = np.stack([plan.pack({**field_values(material), "c.surface.color": tuple(c)}) for c in colors])
    matrices = np.tile(np.eye(4, dtype=np.float32), (count, 1, 1))
    matrices[:, 0, 3], matrices[:, 2, 3] = np.arange(count) % 100 - 49.5, np.arange(count) // 100 - 24.5
    indices = np.arange(count, dtype=np.int32)
    draw = Draw("tile", "", 0, 2, "rows", matrices, indices, np.zeros(count, np.float32))
    renderer.scenes.set("rows", Scene((draw,), {"rows": rows}))
    eye = eye_of(np.array([0.0, 100.0, 0.001]), np.zeros(3), 2 * np.arctan(0.25), 2.0)
    picture = renderer.picture("rows", eye, 800, 400, looks=("base_color",))
    centres = project(eye, matrices[:, :3, 3].astype(float))
    from jade_coat.maps.color import to_linear

    at = np.floor(centres * (800, 400)).astype(int)
    shown = to_linear(picture[at[:, 1], at[:, 0], :3] / np.float32(255))
    np.testing.assert_allclose(shown, colors, atol=0.012)
    before = renderer.shop.compiles
    rows[4321] = plan.pack({**field_values(material), "c.surface.color": (1.0, 0.0, 0.0)})
    renderer.patch_scene("rows", row_patch("rows", 4321, rows[4321]))
    again = renderer.picture("rows", eye, 800, 400, looks=("base_color",))
    assert tuple(again[at[4321, 1], at[4321, 0], :3]) == (255, 0, 0)
    assert (again != picture).any(axis=2).sum() < 120
    assert renderer.shop.compiles == before


def test_spilled_rows_draw_the_same_picture(renderer, demo, monkeypatch) -> None:
    from jade_coat.view import programs

    eye = eye_for(demo.camera, 320, 200)
    plain = renderer.picture("stage", eye, 320, 200, looks=("base_color",))
    real = programs.emit
    monkeypatch.setattr(programs, "emit", lambda *a, **k: real(*a, **{**k, "budget": 9}))
    renderer.shop._by_structure.clear()
    renderer.scenes.set("stage", build_scene(demo.project, demo.mesh))
    tight = renderer.picture("stage", eye, 320, 200, looks=("base_color",))
    assert any(c.glsl.spilled for c in renderer.shop._by_structure.values())
    assert np.abs(plain.astype(int) - tight.astype(int)).max() <= 2
    renderer.shop._by_structure.clear()


def test_every_look_shows_what_it_names(renderer, demo) -> None:
    eye = eye_for(demo.camera, 160, 100)
    looks = (
        "lit",
        "base_color",
        "roughness",
        "metallic",
        "normal",
        "height",
        "occlusion",
        "coverage",
        "paint:G",
        "where:moss",
    )
    sheet = renderer.picture("stage", eye, 160, 100, looks=looks)
    pictures = dict(zip(looks, np.split(sheet, len(looks), axis=1), strict=True))
    assert len({p.tobytes() for p in pictures.values()}) == len(looks)
    assert pictures["metallic"][60, 80, :3].tolist() == [0, 0, 0]
    painted = pictures["paint:G"][..., 0].astype(int)
    assert painted.max() > 200
    assert (pictures["where:moss"][..., 0] <= painted + 1).all()  # the wall's where is paint times noise
    with pytest.raises(ValueError, match="no look"):
        look_index("smell", ())


def test_a_program_that_fails_shows_the_fault_finish_and_nothing_else_breaks(renderer, demo, monkeypatch) -> None:
    eye = eye_for(demo.camera, 200, 125)
    good = renderer.picture("stage", eye, 200, 125)
    real = renderer.shop.view

    def broken(material, lookup, **more):
        if material.id == "jar_glaze":
            raise ValueError("division of a vec3 by a uvec3")
        return real(material, lookup, **more)

    monkeypatch.setattr(renderer.shop, "view", broken)
    bad = renderer.picture("stage", eye, 200, 125)
    assert renderer.faults == {"jar_glaze": "division of a vec3 by a uvec3"}
    jars = np.abs(bad.astype(int) - good.astype(int)).max(axis=2) > 24
    assert 0.02 < jars.mean() < 0.35
    renderer.assets.set_material(
        demo.project.material("jar_glaze"), PackedLookup(demo.project.map_sets, demo.project.recipes)
    )
    monkeypatch.undo()
    assert np.abs(renderer.picture("stage", eye, 200, 125).astype(int) - good.astype(int)).max() <= 1
    assert renderer.faults == {}


def test_the_sun_casts_a_shadow(renderer) -> None:
    plane, ball = shapes.plane(6, 6, 0.5), shapes.ball(0.5, 48)
    for key, mesh in (("ground", plane), ("ball", ball)):
        put_mesh(renderer, key, mesh)
    material = Material(id="grey", name="Grey", coats=(Coat(id="c", name="C", surface=Surface(roughness=1.0)),))
    renderer.assets.set_material(material, NoMaps())
    row = layout(material).pack(field_values(material))[None]
    zero, matrix = np.zeros(1, np.int32), np.eye(4, dtype=np.float32)[None].copy()
    above = matrix.copy()
    above[0, :3, 3] = (0.0, 1.5, 0.0)
    draws = tuple(
        Draw(k, "", 0, len(m.triangles), "grey", x, zero, zero.astype(np.float32))
        for k, m, x in (("ground", plane, matrix), ("ball", ball, above))
    )
    renderer.scenes.set("shade", Scene(draws, {"grey": row}))
    eye = eye_of(np.array([0.0, 9.0, 0.01]), np.zeros(3), 0.6, 1.0)
    sun = np.array([0.48, 0.62, 0.62])
    spot = np.array([[0.0, 1.5, 0.0]]) - sun * (1.5 / sun[1])
    picture = renderer.picture("shade", eye, 256, 256)[..., 0].astype(int)
    x, y = (project(eye, spot)[0] * 256).astype(int)
    shaded, lit = picture[y - 2 : y + 3, x - 2 : x + 3].mean(), np.percentile(picture, 60)
    assert shaded < lit * 0.85


def test_samples_refine_towards_a_smooth_edge(renderer, demo) -> None:
    eye = eye_for(demo.camera, 120, 80)
    first = renderer.picture("stage", eye, 120, 80, sample=0).astype(int)
    for sample in range(1, 8):
        refined = renderer.picture("stage", eye, 120, 80, sample=sample).astype(int)
    steps = [np.abs(np.diff(p[..., 1], axis=1)).mean() for p in (first, refined)]
    assert steps[1] < steps[0] * 0.98
    assert np.abs(refined.mean() - first.mean()) < 3


@pytest.mark.parametrize("channel", "RGBA")
def test_a_colour_set_that_a_mesh_does_not_have_counts_as_unpainted(gl, channel: str) -> None:
    """OpenGL's default for a missing vertex input is (0, 0, 0, 1) in floats: as paint, its alpha was full."""
    from jade_coat.view.renderer import Renderer

    top = Coat(id="top", name="Top", surface=Surface(color=(1.0, 0.0, 0.0)),
               where=(PaintTerm(id="p", channel=channel, color_set=1),))  # fmt: skip
    material = Material(id="m", name="M", coats=(Coat(id="c", name="C", surface=Surface(color=(0, 0, 1.0))), top))
    renderer, plane = Renderer(gl), shapes.plane(2.0, 2.0, 0.5)
    renderer.assets.set_material(material, PackedLookup(()))
    put_mesh(renderer, "plane", plane)
    renderer.scenes.set("s", single("plane", plane, material, field_values(material)))
    eye = eye_of(np.array([0.0, 2.0, 0.5]), np.zeros(3), 0.6, 1.0)
    picture = renderer.picture("s", eye, 40, 40, looks=("base_color",))
    assert tuple(picture[20, 20, :3]) == (0, 0, 255)
