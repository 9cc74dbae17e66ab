"""Two-tone light: where it ends, what pushes it, how thick its outline is, and the chain by which a look comes about."""

from __future__ import annotations

import numpy as np
import pytest

from jade_coat.check.line_art import aslant, line_note
from jade_coat.maps.color import to_linear, tone_unmapped
from jade_coat.maps.images import png_bytes
from jade_coat.maps.mapset import MapSet
from jade_coat.maps.packing import PackedLookup
from jade_coat.maps.sampling import reading
from jade_coat.material.compile import compile_material
from jade_coat.material.material import Coat, Link, Material
from jade_coat.material.recipes import Recipe, Step
from jade_coat.material.rows import field_values
from jade_coat.material.surface import NoMaps, Surface
from jade_coat.material.tones import LINKS, Tones
from jade_coat.mesh import shapes
from jade_coat.mesh.data import FULL
from jade_coat.program import lib
from jade_coat.program.numpy_backend import Environment, evaluate
from jade_coat.stage.alone import single
from jade_coat.stage.making import mote_map
from jade_coat.view.camera import eye_of
from tests.core.test_parity import assert_parity
from tests.support import Demo, put_mesh, stage_renderer

SIDE = 256
SUN = np.array([0.6, 0.5, 0.62]) / np.linalg.norm([0.6, 0.5, 0.62])


def eye(away: float = 4.0):
    return eye_of(np.array([0.0, 0.0, away]), np.zeros(3), 0.6, 1.0)


def dress(renderer, paint: float | None = None, **changes) -> None:
    """A green ball in the sun; `paint` fills its painted channel R."""
    mesh = shapes.ball(1.0, 192)
    if paint is not None:
        colors = np.zeros((mesh.vertex_count, 4), np.uint16)
        colors[:, 0] = round(paint * FULL)
        mesh = mesh.with_(colors=(colors,))
    surface = Surface(color=(0.2, 0.5, 0.1))
    tones = Tones(**{"deep": (1.0,) * 3, "cast": 0.0, "soft": 0.005, **changes})
    made = Material(id="toned", name="T", kind="toned", coats=(Coat(id="c", name="C", surface=surface),), tones=tones)
    put_mesh(renderer, "toned", mesh)
    renderer.assets.set_material(made, NoMaps())
    renderer.scenes.set("toned", single("toned", mesh, made, field_values(made)))


def seen(renderer, look: str = "lit", away: float = 4.0) -> np.ndarray:
    found = renderer.picture("toned", eye(away), SIDE, SIDE, (look,), stream="toned")
    assert not renderer.faults
    return found.astype(int)


def normals(away: float = 4.0) -> np.ndarray:
    """The normal of the ball at every pixel `(SIDE, SIDE, 3)` by geometry; not a number beside it."""
    at = eye(away)
    x, y = np.meshgrid((np.arange(SIDE) + 0.5) / SIDE * 2 - 1, 1 - (np.arange(SIDE) + 0.5) / SIDE * 2)
    ray = np.stack([x / at.projection[0, 0], y / at.projection[1, 1], -np.ones_like(x)], axis=-1)
    ray /= np.linalg.norm(ray, axis=-1, keepdims=True)
    b = ray[..., 2] * away
    with np.errstate(invalid="ignore"):
        t = -b - np.sqrt(b * b - (away * away - 1))
    return np.array([0.0, 0.0, away]) + ray * t[..., None]


@pytest.fixture(autouse=True)
def _sun(renderer):
    renderer.set_light(tuple(SUN), 3.0)
    yield
    renderer.set_light((0.48, 0.62, 0.62), 2.6)


@pytest.mark.parametrize(("changes", "paint", "ends"), [
    ({}, None, 0.0), ({"edge": 0.4}, None, 0.4), ({"bias": 0.3}, None, -0.3), ({"edge": 0.1, "bias": 0.25}, None, -0.15),
    ({"painted": "R", "push": 0.5}, 0.8, 0.4),
])  # fmt: skip
def test_light_ends_where_edge_bias_and_painted_push_say(renderer, changes, paint, ends) -> None:
    """mix(base · shade, base, T), T by the cosine of the light against edge − bias + push (common practice, no source)."""
    dress(renderer, paint, **changes)
    picture, cosine = seen(renderer), normals() @ SUN
    inside = np.nan_to_num((normals()[..., 2]) > 0.35, nan=False)
    lit = picture[inside & (cosine > ends + 0.05)]
    shade = picture[inside & (cosine < ends - 0.05)]
    assert len(lit) > 200
    assert len(shade) > 200
    assert lit.std(axis=0).max() < 1.5  # one flat colour each
    assert shade.std(axis=0).max() < 1.5
    assert (lit.mean(axis=0) - shade.mean(axis=0))[1] > 25


def test_the_limit_keeps_all_lit_and_the_deeper_shade_darkens_what_is_turned_away(renderer) -> None:
    dress(renderer, limit=0.0)
    cosine, inside = normals() @ SUN, np.nan_to_num(normals()[..., 2] > 0.35, nan=False)
    assert seen(renderer)[inside].std(axis=0).max() < 1.5
    dress(renderer, edge=0.2, deep=(0.5,) * 3, deep_edge=-0.1)
    picture = seen(renderer)
    far, near = (picture[inside & part].mean() for part in (cosine < -0.15, (cosine > -0.05) & (cosine < 0.15)))
    assert far < near - 10


@pytest.mark.parametrize("pixels", [2.0, 4.0])
def test_an_outline_is_as_many_pixels_thick_as_it_says_near_and_far(renderer, pixels: float) -> None:
    for away in (3.6, 9.0):
        dress(renderer, outline=0.0)
        assert (seen(renderer, away=away)[..., :3].sum(axis=2) < 12).sum() == 0
        dress(renderer, outline=pixels, line_tint=(0.0,) * 3)
        dark = (seen(renderer, away=away)[..., :3].sum(axis=2) < 12) & ~np.isfinite(normals(away)[..., 0])
        row = dark[SIDE // 2]
        assert abs(row[: SIDE // 2].sum() - pixels) <= 1
        assert abs(row[SIDE // 2 :].sum() - pixels) <= 1


def test_an_outline_in_millimetres_shrinks_with_the_thing_and_is_painted_thinner(renderer) -> None:
    def thick(away: float, paint: float, **changes) -> int:
        dress(renderer, paint, line_tint=(0.0,) * 3, unit="metres", outline=80.0, **changes)
        dark = (seen(renderer, away=away)[..., :3].sum(axis=2) < 12) & ~np.isfinite(normals(away)[..., 0])
        return int(dark[SIDE // 2].sum())

    near, far = thick(4.5, 1.0), thick(9.0, 1.0)
    assert abs(far / near - 0.5) < 0.15
    assert abs(thick(4.5, 0.5, thinned="R") / near - 0.5) < 0.2


def test_the_chain_shows_each_link(renderer) -> None:
    dress(renderer, gloss=1.0, gloss_size=0.3, shade=(0.3, 0.3, 0.9))
    cosine, inside = normals() @ SUN, np.nan_to_num(normals()[..., 2] > 0.35, nan=False)
    pictures = {link: seen(renderer, f"link:{link}") for link in LINKS}
    assert pictures["base"][inside].std(axis=0).max() < 1.5
    threshold = pictures["threshold"]
    assert threshold[inside & (cosine > 0.05)].min() > 240
    assert threshold[inside & (cosine < -0.05)][:, :3].max() < 15
    shade, base = (pictures[n][inside].mean(axis=0) for n in ("shade", "base"))
    assert shade[1] < base[1]
    glossy = pictures["gloss"][..., 0] > 200
    assert 20 < (glossy & inside).sum() < inside.sum() * 0.2
    half = SUN + np.array([0.0, 0.0, 1.0])
    nearest = normals()[glossy & inside] @ (half / np.linalg.norm(half))
    assert nearest.min() > 1 - 0.3**2 * 0.5 - 0.02  # its size says how far from the half vector it reaches
    with pytest.raises(ValueError, match="no look 'link:what'"):
        seen(renderer, "link:what")


RAMP = ((0.0, (0.05, 0.05, 0.2)), (0.5, (0.6, 0.2, 0.1)), (0.8, (0.9, 0.7, 0.5)), (1.0, (1.0, 1.0, 1.0)))
COLD = ((0.0, (0.0, 0.0, 0.3)), (1.0, (0.2, 0.6, 1.0)))


@pytest.mark.parametrize("second", [0.0, 0.4, 1.0])
def test_ramps_color_the_light_by_how_much_there_is_of_it(renderer, second: float) -> None:
    """base · ramp(½ + ½ · cosine), against linear interpolation between the stops; two ramps are mixed."""
    dress(renderer, ramp=RAMP, ramp_b=COLD, second=second)
    picture = tone_unmapped(to_linear(seen(renderer)[..., :3] / 255))
    surface, cosine = normals(), normals() @ SUN
    inside = np.nan_to_num(surface[..., 2] > 0.4, nan=False)
    reach = np.clip(0.5 + 0.5 * cosine[inside], 0, 1)

    def ramp(stops) -> np.ndarray:
        return np.stack([np.interp(reach, [x for x, _ in stops], [c[i] for _, c in stops]) for i in range(3)], axis=-1)

    wanted = (ramp(RAMP) * (1 - second) + ramp(COLD) * second) * [0.2, 0.5, 0.1]
    drawn = picture[inside]
    page = (drawn * wanted).sum() / (wanted**2).sum()  # how bright the page is
    assert np.abs(drawn / page - wanted).max() < 0.03
    assert reach.min() < 0.3
    assert reach.max() > 0.95
    alone = tone_unmapped(to_linear(seen(renderer, "link:ramp")[..., :3] / 255))[inside]
    assert np.abs(alone / page * [0.2, 0.5, 0.1] - wanted).max() < 0.03  # the link shows the ramps without the base


def test_areas_have_a_gloss_of_their_own_each(gl, demo) -> None:
    """By a map of three colours; where no area is, the plain gloss. Both back ends mean the same."""
    pixels = np.zeros((4, 4, 4), np.uint8)
    pixels[0, :, 0] = pixels[1, :, 1] = pixels[2, :, 2] = 255
    pixels[..., 3] = 255
    asset = demo.library.assets.put("maps", "areas.png", png_bytes(pixels))
    areas = MapSet(id="areas", name="Areas", maps=mote_map(asset, "areas.png"))
    more = Demo(demo.project.with_(map_sets=(*demo.project.map_sets, areas)), demo.library, demo.folder)
    tones = Tones(areas="areas", gloss=0.4, gloss_size=0.2, cloth=(0.0, 0.5), skin=(0.15, 0.35), metal=(0.9, 0.08))
    wall = more.project.material("kiln_wall").with_(kind="toned", tones=tones)
    assert "areas" in wall.map_sets
    assert_parity(stage_renderer(gl, more), more, wall)
    plain = Material(id="m", name="M", kind="toned", coats=(Coat(id="c", name="C"),), tones=tones)
    outputs = compile_material(
        plain, PackedLookup((areas,)), lambda _, v: lib.const(*(v if isinstance(v, tuple) else (v,)))
    )
    textures = {t.name: t for t in demo.library.textures(areas)}
    for row, (strength, size) in enumerate((tones.cloth, tones.skin, tones.metal, (0.4, 0.2))):
        gloss = evaluate({"g": outputs["tone_gloss"]}, Environment(
            {"uv0": np.array([[0.5], [(row + 0.5) / 4]], np.float32)}, **reading(textures)
        ))["g"].ravel()  # fmt: skip
        np.testing.assert_allclose(gloss, [strength] * 3 + [size], atol=1e-5)


def test_line_art_is_told_where_its_layout_lies_aslant_to_the_texels() -> None:
    straight = shapes.plane(1.0, 1.0, 0.25)
    turn = np.radians(20)
    turned = straight.uvs[0] @ np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]], np.float32)
    mesh = straight.with_(uvs=(straight.uvs[0], turned.astype(np.float32)))
    assert aslant(mesh, 0) == 0.0
    assert aslant(mesh, 1) > 0.99
    told = {}
    for uv_set in (0, 1, 2):
        lines = Recipe(id="lines", name="Lines", steps=(
            Step(id="at", kind="uv", pick=str(uv_set)), Step(id="out", kind="map", args=("at",), pick="ink/mask"),
        ))  # fmt: skip
        made = Material(
            id="m", name="M", kind="toned", coats=(Coat(id="c", name="C"),),
            links=(Link(path="light:tones.line", recipe="lines", low=0.0, high=1.0),),
        )  # fmt: skip
        told[uv_set] = line_note(mesh, made, PackedLookup((), (lines,)))
    assert told[0] == ""
    assert "UV set 2 lie aslant" in told[1]
    assert "UV set 3, which the mesh does not have" in told[2]
    assert line_note(mesh, made.with_(links=()), PackedLookup(())) == ""
