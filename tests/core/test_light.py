"""Light and the tone map against published formulas and brute-force integration."""

from __future__ import annotations

import numpy as np
import pytest

from jade_coat.material.material import Coat, Material
from jade_coat.material.placing import SwayMove
from jade_coat.material.rows import field_values
from jade_coat.material.surface import NoMaps, Surface
from jade_coat.mesh import shapes
from jade_coat.stage.alone import single
from jade_coat.stage.draws import DrawPatch, ScenePatch
from jade_coat.view.camera import eye_of
from jade_coat.view.environment import (
    directions,
    evaluate_irradiance,
    hazy_morning,
    irradiance,
    solid_angles,
    split_sum_table,
    synthesised,
)  # fmt: skip
from tests.support import put_mesh


def ball_scene(renderer, color=(1.0, 1.0, 1.0), roughness: float = 0.5, metallic: float = 0.0):
    mesh = shapes.ball(1.0, 96)
    put_mesh(renderer, "ball", mesh)
    surface = Surface(color=color, roughness=roughness, metallic=metallic)
    material = Material(id="test_ball", name="Ball", coats=(Coat(id="c", name="C", surface=surface),))
    renderer.assets.set_material(material, NoMaps())
    renderer.scenes.set("ball", single("ball", mesh, material, field_values(material)))
    return eye_of(np.array([0.0, 0.0, 3.2]), np.zeros(3), 0.6, 1.0)


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
    from jade_coat.view.context import HEADER, light_source, shader

    rng = np.random.default_rng(0)
    colors = np.concatenate([rng.random((200, 3)) * 0.7, rng.random((200, 3)) * 6]).astype(np.float32)
    source = gl.texture((400, 1), 3, colors.tobytes(), dtype="f4")
    target = gl.texture((400, 1), 4, dtype="f4")
    fragment = (HEADER + light_source() + "uniform sampler2D data; out vec4 o;"
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
    from jade_coat.view.context import HEADER, light_source, shader

    rng = np.random.default_rng(1)
    pair = rng.normal(size=(2, 500, 3))
    pair[..., 2] = np.abs(pair[..., 2]) + 0.05
    pair = (pair / np.linalg.norm(pair, axis=-1, keepdims=True)).astype(np.float32)
    textures = [gl.texture((500, 1), 3, p.tobytes(), dtype="f4") for p in pair]
    target = gl.texture((500, 1), 4, dtype="f4")
    fragment = (HEADER + light_source() + "uniform sampler2D a; uniform sampler2D b; out vec4 o; void main() {"
                "Surface s = Surface(vec3(0.7, 0.4, 0.2), vec3(0, 0, 1), 0.45, 0.35, 1.0, 1.0, 0.0);"
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


@pytest.mark.parametrize("share", [0.0, 0.4, 1.0])
def test_what_lets_light_through_gives_no_more_than_it_gets(renderer, share: float) -> None:
    """A diffuse lobe on the other side (KHR_materials_diffuse_transmission): in a white furnace the two sum to one."""
    renderer.set_light((0.0, 1.0, 0.0), 0.0, synthesised((0.0, 1.0, 0.0), white=True))
    eye = ball_scene(renderer, roughness=1.0)
    material = renderer.assets.material("test_ball")
    (coat,) = material.coats
    leaf = material.with_(coats=(coat.with_(surface=coat.surface.with_(transmission=share)),))
    renderer.assets.set_material(leaf, NoMaps())
    renderer.scenes.set("ball", single("ball", shapes.ball(1.0, 96), leaf, field_values(leaf)))
    middle = radiance(renderer, "ball", eye)[40:88, 40:88]
    renderer.set_light((0.48, 0.62, 0.62), 2.6)
    assert middle.max() <= 1.015
    assert middle.min() > 0.9


def test_light_from_behind_shows_through_by_its_share_and_the_colour(gl) -> None:
    """Lambert's lobe on the far side: base colour / π · cosine · share, but for what is mirrored; nothing for metals."""
    from jade_coat.view.context import HEADER, light_source, shader

    source = (HEADER + light_source() + "out vec4 o; uniform float share, metal; uniform vec3 l; void main() {"
              "Surface s = Surface(vec3(0.6, 0.3, 0.1), vec3(0, 0, 1), 0.8, metal, 1.0, 1.0, share);"
              "o = vec4(let_through(s, vec3(0, 0, 1), l), 1.0); }")  # fmt: skip
    program = gl.program(vertex_shader=HEADER + shader("screen.vert"), fragment_shader=source)
    target = gl.framebuffer([gl.texture((1, 1), 4, dtype="f4")])
    for share, metal, way in (
        (0.5, 0.0, (0.6, 0.0, -0.8)),
        (1.0, 0.0, (0, 0, -1)),
        (0.7, 1.0, (0, 0, -1)),
        (0.5, 0.0, (0, 0, 1)),
    ):
        program["share"].value, program["metal"].value, program["l"].value = share, metal, way
        target.use()
        gl.vertex_array(program, []).render(vertices=3)
        found = np.frombuffer(target.read(components=4, dtype="f4"), np.float32)[:3]
        lobe = np.array([0.6, 0.3, 0.1]) / np.pi * max(-way[2], 0) * share * (1 - metal) * 0.96
        np.testing.assert_allclose(found, lobe, atol=1e-6)


def test_the_skys_depths_wait_for_rest_while_the_clock_alone_moves_things(renderer) -> None:
    """What sways opens and shuts little of the sky; but a thing that is put elsewhere does at once."""
    mesh = shapes.box(0.4, 1.0, 0.4)
    put_mesh(renderer, "reed", mesh)
    reed = Material(id="reed", name="Reed", moves=(SwayMove(id="s", weight="height", amount=0.3),),
                    coats=(Coat(id="c", name="C", surface=Surface()),))  # fmt: skip
    renderer.assets.set_material(reed, NoMaps())
    scene = single("reed", mesh, reed, field_values(reed))
    eye = eye_of(np.array([0.0, 1.0, 4.0]), np.zeros(3), 0.6, 1.0)

    def made(time: float, sample: int = 0) -> tuple[int, object]:
        renderer.set_shared({"time": time, "wind_strength": 1.0, "wind_direction": (1.0, 0.0, 0.0)})
        renderer.picture("reeds", eye, 64, 64, sample=sample)
        found = renderer.scenes.get("reeds")
        return found.sky.made, found.sun.cast_from

    renderer.scenes.set("reeds", scene)
    (first, shadow), (later, other) = made(0.0), made(0.7)
    assert first == later == 1
    assert shadow != other  # but the shadow follows
    assert made(0.7, sample=1)[0] == made(0.7, sample=2)[0] == 2
    one, matrices = np.zeros(1, np.int32), np.eye(4, dtype=np.float32)[None] * 1.2
    renderer.patch_scene("reeds", ScenePatch({0: DrawPatch(None, 1, one, matrices, one, one.astype(np.float32))}))
    assert made(0.7)[0] == 3
