"""Whole materials mean the same to NumPy and to OpenGL."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from jade_coat.looking.attributes import instance_values
from jade_coat.maps.packing import PackedLookup
from jade_coat.maps.sampling import reading
from jade_coat.material.compile import compile_material, live_fields
from jade_coat.material.kinds import kind_of
from jade_coat.material.material import Coat, Link, Material
from jade_coat.material.recipes import Recipe, Step
from jade_coat.material.rows import layout
from jade_coat.material.seam import Rim, Seam
from jade_coat.material.shading import KIND_PARTS
from jade_coat.material.shared import EVERYWHERE
from jade_coat.material.surface import Detail, Surface
from jade_coat.material.where import CavityTerm, DistanceTerm, FacingTerm, MapTerm, NoiseTerm, RecipeTerm
from jade_coat.program.fused import Plan
from jade_coat.program.glsl_backend import FetchMode, output_name
from jade_coat.program.numpy_backend import Environment
from jade_coat.stage.scene import build_scene
from jade_coat.view.targets import Targets
from tests.support import eye_for

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


SHARED = {**EVERYWHERE, "own_damp": 0.35, "own_season": 0.6, "time": 1.7, "sun_height": 0.12}
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

    `names` are further outputs, one float each, up to four. What a kind's own light is worked out from is compared too.
    """
    kept = renderer.assets.materials[material.id]
    renderer.assets.set_material(material, kept[1])
    try:
        _compare(renderer, demo, material, names)
    finally:
        renderer.assets.set_material(*kept)


def _compare(renderer, demo, material: Material, names: tuple[str, ...]) -> None:
    for texture in demo.textures().values():
        renderer.assets.put_texture(texture.name, False, texture.levels)  # exact reads decode by themselves
        known, mean = renderer.assets.textures, tuple(float(v) for v in texture.mean)
        known[texture.name] = replace(known[texture.name], mean=mean)
    eye = eye_for(demo.camera, WIDTH, HEIGHT)
    found = renderer.scenes.by_name["stage"]
    index = next(i for i, d in enumerate(found.scene.draws) if d.material == material.id)
    draw = found.scene.draws[index]
    renderer.set_shared(SHARED)
    extra = [*(output_name(n) for n in names), "0.0", "0.0", "0.0", "0.0"][:4]
    part = kind_of(material.kind).part
    light = KIND_PARTS[part].outputs if part else ()
    written = (*RESULTS, f"vec4({', '.join(extra)})", "vec4(out_emissive, out_opacity)")  # fmt: skip
    quantities = ("base_color", "roughness", "normal", "height", "emissive", "opacity")
    targets = Targets(written, (*quantities, *names))
    results = float_pass(renderer, index, targets, 4, eye)
    lit = tuple(f"vec4({output_name(n)}{', 0.0' * (4 - size)})" for n, size in light)
    sent = float_pass(renderer, index, Targets(lit, tuple(n for n, _ in light)), len(lit), eye) if light else ()
    attributes = _attributes(renderer, index, eye)
    seen = (results[0][..., 3] >= 0) & (attributes["mask"] > 0)
    assert seen.sum() > 1000
    # One look after another: each pixel belongs to some instance; the first instance's look is drawn.
    dials = layout(material).columns(found.scene.rows[material.id][draw.rows[0]][None])
    outputs = compile_material(
        material, PackedLookup(demo.project.map_sets, demo.project.recipes), live_fields(material)
    )
    wanted = {n: outputs[n] for n in (*targets.outputs, *(n for n, _ in light))}
    numbers = Plan(wanted).run(Environment(
        attributes={n: np.ascontiguousarray(attributes[n][seen].T) for n in KINDS}, dials=dials,
        instance=instance_values(demo.mesh(draw.mesh), float(draw.seeds[0])),
        shared={"camera_position": np.array(eye.position, np.float32)[:, None]}
        | {n: np.atleast_1d(np.asarray(v, np.float32))[:, None] for n, v in SHARED.items()},
        **reading(demo.textures()),
    ))  # fmt: skip
    pairs = {
        "base_color": results[0][seen][:, :3], "roughness": results[0][seen][:, 3:],
        "normal": results[1][seen][:, :3], "height": results[1][seen][:, 3:],
        "emissive": results[3][seen][:, :3], "opacity": results[3][seen][:, 3:],
        **{n: results[2][seen][:, i : i + 1] for i, n in enumerate(names)},
        **{n: sent[i][seen][:, :size] for i, (n, size) in enumerate(light)},
    }  # fmt: skip
    for name, drawn in pairs.items():
        computed = np.broadcast_to(numbers[name], drawn.T.shape).T
        span = max(1.0, float(np.abs(computed).max()))  # a sharpness goes up to some hundred thousand
        close = (np.abs(drawn - computed) <= span / 255).all(axis=1)
        assert close.mean() >= 0.999, (name, close.mean())
        assert np.median(np.abs(drawn - computed)) < 4e-5 * span, name


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


def dressed(renderer, demo, *coats: Coat, links: tuple[Link, ...] = ()) -> Material:
    """The stage with the demo's wall in a material of these coats."""
    material = Material(id="other", name="Other", coats=coats, links=links)
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
    renderer.drawer.bind_paint(program)
    renderer.drawer.run(program, draw, found.instances[index], eye.projection @ eye.view)
    planes = [np.frombuffer(t.read(), np.float32).reshape(HEIGHT, WIDTH, 4) for t in textures]
    data = {n: planes[i][..., : int(k[-1])] for i, (n, k) in enumerate(KINDS.items()) if i < len(SEEN)}
    data["curvature"], data["uv1"] = planes[1][..., 3:], planes[4][..., 2:]
    data["mask"] = np.frombuffer(textures[0].read(), np.float32).reshape(HEIGHT, WIDTH, 4)[..., 3]
    return data


def test_recipes_that_read_all_around_them_agree_between_glsl_and_numpy(renderer, demo) -> None:
    """Maps, UVs, what lies below, coats, distance and colours, in a where-term, a colour and a placement."""
    steps = (
        Step(id="place", kind="metres", pick="0"), Step(id="at", kind="divide", args=("place", "0.7")),
        Step(id="worn", kind="map", args=("at",), pick="cushion_moss/height"), Step(id="high", kind="height below"),
        Step(id="on", kind="coat", pick="Clay"), Step(id="far", kind="away"),
        Step(id="near", kind="ease", args=("far", "1", "6")), Step(id="both", kind="mix", args=("worn", "high", "near")),
        Step(id="out", kind="multiply", args=("both", "on")),
    )  # fmt: skip
    shade = (
        Step(id="under", kind="colour below"), Step(id="grey", kind="grey", args=("under",)),
        Step(id="hue", kind="colour", args=("grey", "0.6", "0.5")), Step(id="out", kind="mix", args=("under", "hue", "0.5")),
    )  # fmt: skip
    turned = (Step(id="out", kind="clouds", args=("position", "0.8")),)
    recipes = tuple(Recipe(id=i, name=i, steps=s) for i, s in (("around", steps), ("shade", shade), ("turned", turned)))
    richer = replace(demo, project=demo.project.with_(recipes=(*demo.project.recipes, *recipes)))
    coats = (
        Coat(id="a", name="Tile", surface=Surface(**TILE)),
        Coat(id="b", name="Clay", surface=Surface(map_set="terrace_clay"), where=(NoiseTerm(id="n", size=0.4),)),
        Coat(id="c", name="Dust", where=(RecipeTerm(id="r", recipe="around"),)),
    )
    links = (
        Link(path="c.surface.color", recipe="shade", low=(0.0, 0.0, 0.0), high=(1.0, 1.0, 1.0)),
        Link(path="b.surface.offset", recipe="turned", low=(0.0, 0.0), high=(0.5, 0.25), beyond=True),
    )
    material = dressed(renderer, richer, *coats, links=links)
    assert_parity(renderer, richer, material, ("where:c",))
