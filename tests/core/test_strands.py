"""Strands against the published formulas, their energy, and what they are worked out from."""

from __future__ import annotations

import numpy as np
import pytest

from jade_coat.looking.flow import flow_of
from jade_coat.maps.images import png_bytes
from jade_coat.maps.mapset import MapSet
from jade_coat.maps.packing import PackedLookup
from jade_coat.maps.sampling import reading
from jade_coat.material.compile import compile_material
from jade_coat.material.material import Coat, Material
from jade_coat.material.rows import field_values
from jade_coat.material.shading import KIND_PARTS
from jade_coat.material.strands import Strands
from jade_coat.material.surface import NoMaps, Surface
from jade_coat.mesh import shapes
from jade_coat.program import lib
from jade_coat.program.numpy_backend import Environment, evaluate
from jade_coat.stage.alone import single
from jade_coat.stage.making import mote_map
from jade_coat.stage.project import Prop
from jade_coat.stage.scene import build_scene
from jade_coat.view.context import HEADER, light_source, shader
from tests.core.test_light import ball_scene, put_mesh, radiance
from tests.core.test_material import run
from tests.core.test_parity import assert_parity
from tests.support import Demo, stage_renderer

N = np.array([0.0, 0.0, 1.0])
T = np.array([0.0, 1.0, 0.0])


def sent(gl, eye: np.ndarray, light: np.ndarray, given: str, base: str = "vec3(1.0)") -> np.ndarray:
    """What the shader says that strands send `(n, 3)` towards `eye` `(n, 3)` of light along `light` `(n, 3)`."""
    count = len(eye)
    source = (HEADER + light_source("strands") + "uniform sampler2D a; uniform sampler2D b; out vec4 o; void main() {"
              f"Surface s = Surface({base}, vec3(0, 0, 1), 0.5, 0.0, 1.0, 1.0, 0.0); strand_way = vec3(0, 1, 0); {given}"
              "ivec2 at = ivec2(gl_FragCoord.xy); vec3 v = texelFetch(a, at, 0).rgb, l = texelFetch(b, at, 0).rgb;"
              "o = vec4(light_sent(s, v, l), 1.0); }")  # fmt: skip
    program = gl.program(vertex_shader=HEADER + shader("screen.vert"), fragment_shader=source)
    target = gl.texture((count, 1), 4, dtype="f4")
    gl.framebuffer([target]).use()
    gl.enable_only(gl.NOTHING)
    for i, (name, values) in enumerate((("a", eye), ("b", light))):
        gl.texture((count, 1), 3, np.ascontiguousarray(values, np.float32).tobytes(), dtype="f4").use(i)
        if name in program:  # soft light does not ask where it is seen from
            program[name].value = i
    gl.vertex_array(program, []).render(vertices=3)
    return np.frombuffer(target.read(), np.float32).reshape(-1, 4)[:, :3].astype(float)


def unit(v: np.ndarray) -> np.ndarray:
    return v / np.linalg.norm(v, axis=-1, keepdims=True)


def published(v: np.ndarray, ray: np.ndarray, skin, core, shape, base: np.ndarray) -> np.ndarray:
    """Kajiya & Kay 1989: soft light by the sine to the strand. Scheuermann 2004: the strand's direction shifted along
    the normal, `smoothstep(-1, 0, T·H) · sin(T, H)^n`, soft light wrapped round."""
    nl, h = ray @ N, unit(v + ray)
    wrapped = np.clip(shape[2] + (1 - shape[2]) * nl, 0, 1)[:, None]
    left = 1 - np.max(skin[:3] + core[:3]) - shape[3]
    soft = base * wrapped * np.linalg.norm(np.cross(T, ray), axis=1, keepdims=True) * (1 - shape[2]) / np.pi * left

    def lobe(shift: float, sharp: float) -> np.ndarray:
        moved = unit(T + np.tan(shift) * N)
        fade = np.clip(h @ moved + 1, 0, 1)
        ring = np.linalg.norm(np.cross(moved, h), axis=1) ** sharp
        return (fade**2 * (3 - 2 * fade) * ring * np.sqrt(sharp) / (4 * np.pi * np.sqrt(2 * np.pi)))[:, None]

    side = np.clip((nl + 0.1) / 0.4, 0, 1)
    sharp = skin[:3] * lobe(shape[0], skin[3]) + core[:3] * base * lobe(shape[1], core[3])
    behind = base * shape[3] * 7 / (2 * np.pi) * np.clip(-(v * ray).sum(axis=1), 0, 1)[:, None] ** 6
    return soft + sharp * (side**2 * (3 - 2 * side))[:, None] + behind


def test_the_light_of_strands_is_that_of_the_published_formulas(gl) -> None:
    rng = np.random.default_rng(3)
    v, ray = unit(rng.normal(size=(400, 3))), unit(rng.normal(size=(400, 3)))
    skin, core = np.array([0.3, 0.25, 0.2, 80.0]), np.array([0.2, 0.2, 0.3, 20.0])
    shape = np.array([-0.12, 0.2, 0.3, 0.15])
    given = "".join(f"strand_{n} = vec4({', '.join(f'{float(x)!r}' for x in p)});" for n, p in
                    (("skin", skin), ("core", core), ("shape", shape)))  # fmt: skip
    found = sent(gl, v, ray, given, "vec3(0.6, 0.3, 0.1)")
    np.testing.assert_allclose(
        found, published(v, ray, skin, core, shape, np.array([0.6, 0.3, 0.1])), rtol=2e-3, atol=2e-5
    )


def test_the_highlight_lies_where_the_half_vector_is_normal_to_the_strand(gl) -> None:
    """Kajiya & Kay 1989; a shift leans that by its own angle (Marschner et al. 2003)."""
    lean = np.linspace(-1.2, 1.2, 2401)
    ray = np.stack([np.zeros_like(lean), np.sin(lean), np.cos(lean)], axis=1)
    v = np.tile(N, (len(lean), 1))
    for shift in (0.0, -0.15, 0.25):
        given = f"strand_skin = vec4(vec3(1.0), 400.0); strand_core = vec4(0.0); strand_shape = vec4({shift}, 0, 0, 0);"
        bright = sent(gl, v, ray, given)[:, 0]
        half = unit(v + ray)[int(bright.argmax())]
        assert half @ T == pytest.approx(np.sin(-shift), abs=0.004)


@pytest.mark.parametrize("given", [
    "strand_skin = vec4(vec3(1.0), 30.0); strand_core = vec4(0.0); strand_shape = vec4(0.1, 0, 0.25, 0);",
    "strand_skin = vec4(vec3(1.0), 1.0); strand_core = vec4(0.0); strand_shape = vec4(0.0);",
    "strand_skin = vec4(vec3(0.4), 120.0); strand_core = vec4(vec3(0.3), 8.0); strand_shape = vec4(-0.3, 0.5, 0.75, 0.3);",
    "strand_skin = vec4(0.0); strand_core = vec4(0.0); strand_shape = vec4(0, 0, 0.6, 1.0);",
    "strand_skin = vec4(0.0); strand_core = vec4(0.0); strand_shape = vec4(0, 0, 0.5, 0.0);",
])  # fmt: skip
def test_strands_give_no_more_light_than_they_get(gl, given: str) -> None:
    """A plain sum over all directions of light, for white strands seen from several sides."""
    across, up = (np.arange(192) + 0.5) / 192 * 2 * np.pi, -1 + (np.arange(96) + 0.5) / 48
    phi, z = np.meshgrid(across, up)
    ring = np.sqrt(1 - z**2)
    ray = np.stack([ring * np.cos(phi), ring * np.sin(phi), z], axis=-1).reshape(-1, 3)
    weight = 4 * np.pi / len(ray)
    for eye in ((0, 0, 1), (0.6, 0, 0.8), (0, 0.8, 0.6), (0.3, -0.9, 0.3), (0.95, 0.1, 0.1)):
        v = np.tile(unit(np.array(eye, float)), (8192, 1))
        total = sum(sent(gl, v[: len(part)], part, given).sum(axis=0) for part in np.array_split(ray, 3))
        assert 0.03 < (total * weight).max() < 1.01


def thatch(**changes) -> Material:
    surface = Surface(color=(0.8, 0.6, 0.3))
    return Material(
        id="thatch", name="Thatch", kind="strands", coats=(Coat(id="c", name="C", surface=surface),),
        strands=Strands(mottle=0.0, **changes),
    )  # fmt: skip


@pytest.mark.parametrize(("root_at", "root", "tip", "way"), [
    ("top", (0.5, 0.0), (0.5, 0.99999), (0, 0, 1)), ("bottom", (0.5, 0.99999), (0.5, 0.0), (0, 0, -1)),
    ("left", (0.0, 0.5), (0.99999, 0.5), (1, 0, 0)), ("right", (0.99999, 0.5), (0.0, 0.5), (-1, 0, 0)),
])  # fmt: skip
def test_colour_and_direction_run_from_root_to_tip(root_at, root, tip, way) -> None:
    """On a floor whose u runs along x and whose v, which runs down in files, along z; dark hair: root 0.001, tip 0.003."""
    material = thatch(root_at=root_at, root=(0.001,) * 3, tip=(0.003,) * 3)
    found = run(material, uv0=np.array([root, tip], np.float32).T)
    color = np.array(found["base_color"]) / np.array([[0.8], [0.6], [0.3]])
    np.testing.assert_allclose(color[:, 0], 0.001, rtol=0.03)
    np.testing.assert_allclose(color[:, 1], 0.003, rtol=0.03)
    np.testing.assert_allclose(np.broadcast_to(found["strand_way"], (3, 2))[:, 0], way, atol=1e-3)


def test_strands_turn_and_stand_up() -> None:
    found = run(thatch(turn=np.pi / 2), uv0=np.zeros((2, 1), np.float32))
    assert abs(found["strand_way"][0, 0]) > 0.999
    found = run(thatch(rise=1.0), uv0=np.zeros((2, 1), np.float32))
    assert found["strand_way"][1, 0] > 0.99
    found = run(thatch(lie="x"), uv0=np.zeros((2, 1), np.float32), own_x=np.array([[0.6], [0.0], [0.8]], np.float32))
    np.testing.assert_allclose(found["strand_way"][:, 0], [0.6, 0.0, 0.8], atol=1e-3)


def test_what_the_light_of_a_kind_is_worked_out_from_agrees_between_glsl_and_numpy(renderer, demo) -> None:
    project = demo.project
    wall = project.material("kiln_wall").with_(kind="strands", strands=Strands(turn=0.4, rise=0.3, bend=2.0))
    project = project.with_(materials=tuple(wall if m.id == wall.id else m for m in project.materials))
    renderer.scenes.set("stage", build_scene(project, demo.mesh))
    assert_parity(renderer, demo, wall)
    assert [name for name, _ in KIND_PARTS["strands"].outputs] == [
        "strand_way",
        "strand_skin",
        "strand_core",
        "strand_shape",
    ]


def dress(renderer, mesh, **changes):
    """A nearly black mesh of strands, seen level from z."""
    eye = ball_scene(renderer, (0.02, 0.02, 0.02), roughness=0.4)
    plain = renderer.assets.material("test_ball")
    material = plain.with_(kind="strands", strands=Strands(mottle=0.0, stray=0.0, root=(1.0,) * 3, **changes))
    renderer.assets.set_material(material, NoMaps())
    put_mesh(renderer, "strands", mesh)
    renderer.scenes.set("ball", single("strands", mesh, material, field_values(material)))
    return eye


def test_a_ball_of_strands_has_a_band_of_light_across_them_and_light_behind_by_its_dial(renderer) -> None:
    """As on a head of hair: a ring round the strands, where a smooth ball has a spot."""
    renderer.set_light((0.0, 0.3, 1.0), 4.0)
    eye = ball_scene(renderer, (0.02, 0.02, 0.02), roughness=0.4)
    spot = radiance(renderer, "ball", eye)
    dress(renderer, shapes.ball(1.0, 96), skin=0.5, core=0.0, skin_width=0.3, skin_shift=0.0, through=0.0)
    band = radiance(renderer, "ball", eye)
    assert not renderer.faults

    def spread(light: np.ndarray) -> tuple[int, int]:
        bright = light[24:104, 24:104] > 0.6 * light[24:104, 24:104].max()
        return int(bright.any(axis=0).sum()), int(bright.any(axis=1).sum())

    wide, high = spread(band)
    assert wide > 1.8 * high
    assert spread(spot)[0] < 1.5 * spread(spot)[1]
    renderer.set_light((0.0, 0.15, -1.0), 6.0)

    def behind(mesh, through: float) -> float:
        eye = dress(renderer, mesh, skin=0.0, core=0.0, through=through)
        return float(radiance(renderer, "ball", eye)[48:80, 48:80].mean())

    ball, card = shapes.ball(1.0, 96), shapes.wall_piece(2.0, 2.0)
    solid, thin = (behind(mesh, 0.6) / behind(mesh, 0.0) for mesh in (ball, card))
    renderer.set_light((0.48, 0.62, 0.62), 2.6)
    assert solid < 1.2 < 2.0 < thin  # what is solid lets nothing through: its own far side is in the way


@pytest.mark.parametrize("root", ["top", "bottom", "left", "right"])
def test_flow_lines_run_from_root_to_tip_along_the_surface(demo, root: str) -> None:
    """On a rod whose v runs down it: lines of a root at the top go down and stay on it, those of the left go round."""
    rod = shapes.rod(0.2, 1.0)
    project = demo.project
    material = Material(
        id="fibres", name="F", kind="strands", coats=(Coat(id="c", name="C"),), strands=Strands(root_at=root)
    )
    asset = demo.library.add_mesh(rod, "Rod", set()).with_(id="rod")
    slot = asset.slots[0]
    prop = Prop(id="p", name="P", mesh="rod", finishes={slot: "fibres"}, position=(1.0, 0.5, 0.0))
    made = project.with_(materials=(*project.materials, material), meshes=(*project.meshes, asset))
    flow = flow_of(made.with_(props=(prop,)), demo.library, prop, slot, rod)
    assert 250 < len(flow.lines) <= 320
    way = flow.lines[:, -1] - flow.lines[:, 0]
    side = flow.lines[np.abs(flow.normals[:, 1]) < 0.1]
    along = (side[:, -1] - side[:, 0])[:, 1]
    if root in ("top", "bottom"):
        assert (along * (-1 if root == "top" else 1) > 0).mean() > 0.97
        away = np.hypot(side[..., 0] - 1.0, side[..., 2])
        assert np.ptp(away, axis=1).max() < 0.05  # none leaves the rod
    else:
        assert np.abs(along).max() < 0.35 * np.linalg.norm(way, axis=1).max()
    plain = made.with_(materials=(*project.materials, material.with_(kind="opaque")), props=(prop,))
    assert len(flow_of(plain, demo.library, prop, slot, rod).lines) == 0


def test_a_direction_map_combs_strands_and_means_the_same_to_both_back_ends(gl, demo) -> None:
    """Everywhere a map of one colour: R says across, G up along the UVs."""
    for channels, across, up in (((255, 128), 1.0, 0.0), ((128, 255), 0.0, 1.0), ((218, 218), 0.71, 0.71)):
        pixels = np.zeros((8, 8, 4), np.uint8)
        pixels[..., :2] = channels
        pixels[..., 3] = 255
        name = f"comb_{channels[0]}_{channels[1]}"
        asset = demo.library.assets.put("maps", f"{name}.png", png_bytes(pixels))
        comb = MapSet(id=name, name=name, maps=mote_map(asset, f"{name}.png"))
        more = Demo(demo.project.with_(map_sets=(*demo.project.map_sets, comb)), demo.library, demo.folder)
        wall = more.project.material("kiln_wall").with_(kind="strands", strands=Strands(lie="map", comb=name))
        assert name in wall.map_sets
        assert_parity(stage_renderer(gl, more), more, wall)
        plain = Material(id="m", name="M", kind="strands", coats=(Coat(id="c", name="C"),), strands=wall.strands)
        outputs = compile_material(
            plain, PackedLookup((comb,)), lambda _, v: lib.const(*(v if isinstance(v, tuple) else (v,)))
        )
        textures = {t.name: t for t in demo.library.textures(comb)}
        way = evaluate({"w": outputs["strand_way"]}, Environment(
            {n: np.array(v, np.float32)[:, None] for n, v in
             {"uv0": (0.4, 0.6), "normal": (0, 0, 1), "tangent": (1, 0, 0, 1), "world_position": (0, 0, 0)}.items()},
            **reading(textures),
        ))["w"].ravel()  # fmt: skip
        np.testing.assert_allclose(way, np.array([across, up, 0]) / np.hypot(across, up), atol=0.02)
