"""Surface kinds: what is cut, dithered, blended or added, in the picture, in its shadow, and from every side."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest

from jade_coat.files.assets import Assets
from jade_coat.files.glsl_bundle import bundle_files
from jade_coat.files.library import Library
from jade_coat.maps.alpha import coverage
from jade_coat.maps.covering import covering, threshold_of
from jade_coat.maps.images import png_bytes
from jade_coat.maps.mapset import MapFile, MapSet
from jade_coat.maps.packing import PackedLookup, Texture, halved, pack_set
from jade_coat.material.compile import compile_material, fades, live_fields
from jade_coat.material.dither import Dither
from jade_coat.material.far import Far
from jade_coat.material.fill import Fill
from jade_coat.material.kinds import KINDS
from jade_coat.material.material import Coat, Material
from jade_coat.material.rows import field_values, layout
from jade_coat.material.surface import Role, Surface
from jade_coat.mesh import shapes
from jade_coat.stage.draws import Draw, Scene
from jade_coat.stage.project import Project
from jade_coat.view.camera import eye_of
from tests.core.test_light import neutral
from tests.core.test_parity import assert_parity
from tests.support import put_mesh

SIDE = 96
CARD = shapes.plane(1.0, 1.0, 0.25)
CUT_SET = MapSet(id="cut", name="Cut", maps=(
    MapFile(role=Role.OPACITY, asset="maps/cut.png", file="cut.png", channels="r"),
))  # fmt: skip


def cut_texture(opacity: np.ndarray) -> Texture:
    """The pack that holds an opacity `(n, n)`, without levels."""
    texels = np.zeros((*opacity.shape, 4), np.uint8)
    texels[..., 1] = np.round(opacity * 255)
    texels[..., 3] = 255
    return Texture("cut/c", False, (texels,))


def material(kind: str, name: str = "m", mapped: bool = True, **more) -> Material:
    surface = Surface(map_set="cut" if mapped else "", tile_size=1.0, roughness=1.0, **more)
    return Material(id=name, name=name, kind=kind, coats=(Coat(id="c", name="C", surface=surface),))


def placed(renderer, parts: list[tuple[Material, np.ndarray]], opacity: np.ndarray, scene: str = "kinds") -> None:
    """A scene of cards by their matrices, each with a material of its own."""
    texture = cut_texture(opacity)
    renderer.assets.put_texture(texture.name, False, texture.levels)
    put_mesh(renderer, "card", CARD)
    draws, rows, zero = [], {}, np.zeros(1, np.int32)
    for made, matrix in parts:
        renderer.assets.set_material(made, PackedLookup((CUT_SET,)))
        rows[made.id] = layout(made).pack(field_values(made))[None]
        where = matrix.astype(np.float32)[None]
        draws.append(Draw("card", "", 0, len(CARD.triangles), made.id, where, zero, np.zeros(1, np.float32)))
    renderer.scenes.set(scene, Scene(tuple(draws), rows))


def at(y: float) -> np.ndarray:
    matrix = np.eye(4)
    matrix[1, 3] = y
    return matrix


ABOVE = eye_of(np.array([0.0, 2.0, 0.001]), np.zeros(3), 0.45, 1.0)


@pytest.mark.parametrize("kind", ["opaque", "masked", "blended", "strands"])
def test_of_a_thing_with_levels_the_view_shows_the_one_for_its_distance_whatever_its_kind(renderer, kind) -> None:
    """A card of 1 m from near, one of half a metre from 3 m on: what is covered says which is there."""
    placed(renderer, [(material(kind), at(0.0)), (material(kind), np.diag([0.5, 1.0, 0.5, 1.0]))], np.ones((4, 4)))
    scene, spans = renderer.scenes.get("kinds").scene, ((0.0, 3.0), (3.0, np.inf))
    levels = [replace(draw, span=span) for draw, span in zip(scene.draws, spans, strict=True)]
    renderer.scenes.set("kinds", Scene(levels, scene.rows))
    for away, side in ((2.0, 1.0), (2.9, 1.0), (3.1, 0.5), (4.0, 0.5)):
        eye = eye_of(np.array([0.0, away, 0.001]), np.zeros(3), 0.6, 1.0)
        covered = renderer.picture("kinds", eye, SIDE, SIDE, backdrop=False)[..., 3] > 127
        assert covered.mean() == pytest.approx((side / (2 * away * np.tan(0.3))) ** 2, rel=0.2)


def test_what_is_cut_out_is_there_where_its_opacity_reaches_the_threshold(renderer) -> None:
    ramp = np.tile(np.linspace(0, 1, 64), (64, 1))
    for cut in (0.25, 0.5, 0.8):
        placed(renderer, [(material("masked").with_(cut=cut), at(0.0))], ramp)
        seen = renderer.picture("kinds", ABOVE, SIDE, SIDE, stream="kinds", backdrop=False)[..., 3] > 0
        whole = renderer.picture("kinds", ABOVE, SIDE, SIDE, ("opacity",), stream="kinds", backdrop=False)
        shown = whole[..., 0][seen] / 255
        assert shown.min() >= cut - 2 / 64
        assert abs(seen[SIDE // 2].sum() / SIDE - (1 - cut)) < 0.04  # the card spans the picture


@pytest.mark.parametrize("kind", ["additive", "glow"])
def test_what_adds_no_light_hides_nothing_where_quantities_are_looked_at(renderer, kind: str) -> None:
    """A card of light is there where it is bright enough to be pointed at; its dark rest leaves what is behind it."""
    half = np.tile(np.arange(64) < 32, (64, 1)).astype(float)
    behind = material("opaque", "behind", mapped=False, color=(0.2, 0.6, 0.1))
    found = []
    for color in (None, (1.0, 1.0, 1.0), (0.0, 0.0, 0.0)):
        light = [] if color is None else [(material(kind, "light", color=color), at(0.3))]
        placed(renderer, [(behind, at(0.0)), *light], half)
        found.append(renderer.picture("kinds", ABOVE, SIDE, SIDE, ("base_color",), stream="kinds").astype(int))
    assert not renderer.faults
    bare, bright, dark = found
    assert np.array_equal(dark, bare)
    lit = np.abs(bright - bare).max(axis=2) > 40
    assert 0.35 < lit.mean() < 0.65
    assert np.abs(bright - bare).max(axis=2)[~lit].max() == 0


@pytest.mark.parametrize("opacity", [0.0, 0.1, 0.3, 0.5, 0.75, 1.0])
def test_the_mean_of_a_dithered_picture_is_its_opacity(renderer, opacity: float) -> None:
    """Jimenez 2014 (from memory): interleaved gradient noise is even; the mean lies within 1/64."""
    placed(renderer, [(material("dithered"), at(0.0))], np.full((4, 4), opacity))
    seen = renderer.picture("kinds", ABOVE, SIDE, SIDE, ("opacity",), stream="kinds", backdrop=False)
    assert abs((seen[16:80, 16:80, 3] > 0).mean() - round(opacity * 255) / 255) <= 1 / 64
    renderer.picture("kinds", ABOVE, SIDE, SIDE, stream="kinds", backdrop=False)
    for sample in range(1, 24):
        gathered = renderer.picture("kinds", ABOVE, SIDE, SIDE, ("lit",), sample, "kinds", backdrop=False)
    assert np.abs(gathered[40:56, 40:56, 3] / 255 - opacity).max() < 0.2  # at rest the noise goes


def test_holes_let_light_through_to_the_ground(renderer) -> None:
    """Half of the card is cut away: so is half of its shadow; what only adds throws none."""
    halves = np.repeat([[0.0, 1.0]], 2, axis=0).repeat(32, axis=0).repeat(32, axis=1)
    renderer.set_light((0.0, 1.0, 0.0), 3.0)
    ground = material("opaque", "ground", mapped=False)
    wide = at(-0.5) @ np.diag([4.0, 1.0, 4.0, 1.0])
    side = eye_of(np.array([0.0, 0.6, 3.2]), np.array([0.0, -0.5, 0.0]), 0.5, 1.0)
    dark = {}
    for kind in ("opaque", "masked", "additive"):
        placed(renderer, [(ground, wide), (material(kind, "card"), at(0.9))], halves)
        picture = renderer.picture("kinds", side, SIDE, SIDE, stream="kinds").astype(int)[..., :3].sum(axis=2)
        placed(renderer, [(ground, wide)], halves)
        bare = renderer.picture("kinds", side, SIDE, SIDE, stream="kinds").astype(int)[..., :3].sum(axis=2)
        dark[kind] = int((picture < bare - 60).sum())
    renderer.set_light((0.48, 0.62, 0.62), 2.6)
    assert dark["opaque"] > 300
    assert 0.4 < dark["masked"] / dark["opaque"] < 0.6
    assert dark["additive"] == 0


@pytest.mark.parametrize("kind", ["masked", "dithered", "strands", "toned"])
def test_a_fill_lies_under_what_is_cut_out_in_its_own_colour_and_throws_its_shadow(renderer, kind) -> None:
    halves = np.repeat([[0.0, 1.0]], 2, axis=0).repeat(32, axis=0).repeat(32, axis=1)
    renderer.set_light((0.0, 1.0, 0.0), 3.0)
    fill = Fill(depth=0.1, tint=(0.0, 0.0, 0.2), own=0.0)
    ground, wide = material("opaque", "ground", mapped=False), at(-0.5) @ np.diag([4.0, 1.0, 4.0, 1.0])
    side = eye_of(np.array([0.0, 0.6, 3.2]), np.array([0.0, -0.5, 0.0]), 0.5, 1.0)
    ahead = eye_of(np.array([0.0, 0.4, 4.0]), np.array([0.0, 0.4, 0.0]), 0.45, 1.0)
    dark, blue, edge = [], [], []
    for under in (Fill(), fill):
        card = material(kind, "card").with_(fill=under)
        placed(renderer, [(ground, wide)], halves)
        bare = renderer.picture("kinds", side, SIDE, SIDE, stream="bare").astype(int)[..., :3].sum(axis=2)
        placed(renderer, [(ground, wide), (card, at(0.9))], halves)
        picture = renderer.picture("kinds", side, SIDE, SIDE, stream="filled").astype(int)[..., :3].sum(axis=2)
        dark.append(int((picture < bare - 60)[SIDE // 2 :].sum()))
        placed(renderer, [(card, at(0.0))], halves)
        seen = [renderer.picture("kinds", eye, SIDE, SIDE, ("base_color",), stream=f"f{i}", backdrop=False).astype(int)
                for i, eye in enumerate((ABOVE, ahead))]  # fmt: skip
        there = [(p[..., 3] > 0) & (p[..., 2] > p[..., 0] + 60) for p in seen]
        blue.append(there[0].mean())
        edge.append(np.flatnonzero(there[1].any(axis=1)))
    renderer.set_light((0.48, 0.62, 0.62), 2.6)
    assert not renderer.faults
    assert blue[0] == 0
    assert 0.45 < blue[1] < 0.55  # the half that was not there; the other lies over it
    assert dark[1] > 1.6 * dark[0] > 0
    row = SIDE / 2 * (1 + (0.4 + 0.1) / (4.0 * np.tan(0.225)))  # 0.1 m below the card, seen from aside
    assert abs(edge[1].mean() - row) < 4


def glowing(kind: str, name: str, color: tuple[float, float, float]) -> Material:
    return material(kind, name, color=(0.0, 0.0, 0.0), emissive=color)


COLORS = {"red": (0.30, 0.02, 0.02), "green": (0.02, 0.26, 0.03), "blue": (0.03, 0.02, 0.34)}


def heap(kind: str) -> list[tuple[Material, np.ndarray]]:
    return [(glowing(kind, n, c), at(y)) for (n, c), y in zip(COLORS.items(), (0.0, 0.15, -0.15), strict=True)]


def middle(renderer, eye) -> np.ndarray:
    return renderer.picture("kinds", eye, SIDE, SIDE, stream="kinds")[SIDE // 2, SIDE // 2, :3] / 255


@pytest.mark.parametrize("turn", range(6))
def test_blended_cards_lie_over_one_another_far_to_near_from_every_side(renderer, turn: int) -> None:
    """Porter & Duff 1984, over, in linear light; then the neutral tone map and the sRGB curve, as published."""
    from jade_coat.view.environment import DARK

    renderer.set_light((0.0, 1.0, 0.0), 0.0, DARK)
    angle = turn * np.pi / 3 + 0.2
    eye = eye_of(np.array([0.1 * np.sin(angle), 2.0 * np.sign(np.cos(angle)), 0.1]), np.zeros(3), 0.45, 1.0)
    order = sorted(zip(COLORS, (0.0, 0.15, -0.15), strict=True), key=lambda part: part[1] * np.sign(eye.position[1]))
    placed(renderer, heap("blended"), np.full((4, 4), 0.6))
    seen = middle(renderer, eye)
    renderer.scenes.set("kinds", Scene())
    behind = middle(renderer, eye)
    grey = ((behind + 0.055) / 1.055) ** 2.4 + 0.04
    light, opacity = grey, round(0.6 * 255) / 255
    for name, _ in order:
        light = np.array(COLORS[name]) * opacity + light * (1 - opacity)
    renderer.set_light((0.48, 0.62, 0.62), 2.6)
    assert np.abs(seen - srgb(neutral(light))).max() < 3 / 255


def srgb(linear: np.ndarray) -> np.ndarray:
    return np.where(linear <= 0.0031308, linear * 12.92, 1.055 * np.abs(linear) ** (1 / 2.4) - 0.055)


def test_added_light_is_the_same_in_any_order(renderer) -> None:
    parts = heap("additive")
    pictures = []
    for order in ((0, 1, 2), (2, 0, 1), (1, 2, 0)):
        placed(renderer, [parts[i] for i in order], np.full((4, 4), 0.5))
        pictures.append(renderer.picture("kinds", ABOVE, SIDE, SIDE, stream="kinds").astype(int))
    assert np.abs(pictures[0] - pictures[1]).max() <= 1
    assert np.abs(pictures[0] - pictures[2]).max() <= 1
    renderer.scenes.set("kinds", Scene())
    behind = middle(renderer, ABOVE)
    total = ((behind + 0.055) / 1.055) ** 2.4 + 0.04 + sum(np.array(c) for c in COLORS.values()) * 128 / 255
    shown = srgb(neutral(total))
    assert np.abs(pictures[0][SIDE // 2, SIDE // 2, :3] / 255 - shown).max() < 3 / 255


def test_a_two_sided_surface_turns_its_normal_to_who_sees_it_from_behind(renderer) -> None:
    below = eye_of(np.array([0.0, -2.0, 0.001]), np.zeros(3), 0.45, 1.0)
    for two_sided, expected in ((True, 0), (False, 255)):
        placed(renderer, [(material("masked").with_(two_sided=two_sided), at(0.0))], np.ones((4, 4)))
        normal = renderer.picture("kinds", below, SIDE, SIDE, ("normal",), stream="kinds")[SIDE // 2, SIDE // 2]
        assert abs(int(normal[1]) - expected) <= 2


@pytest.mark.parametrize("kind", sorted(KINDS))
def test_materials_of_every_kind_agree_between_glsl_and_numpy(renderer, demo, kind: str) -> None:
    wall = demo.project.material("kiln_wall").with_(kind=kind)
    assert_parity(renderer, demo, wall)


def test_an_unknown_kind_is_refused_by_name() -> None:
    with pytest.raises(ValueError, match="no surface kind 'liquid'; there are opaque"):
        Material(id="m", name="M", kind="liquid", coats=(Coat(id="c", name="C"),))


def cut_outs() -> dict[str, np.ndarray]:
    """Three cut-outs as foliage has them: discs, thin blades, and ragged leaves."""
    y, x = np.mgrid[0:256, 0:256] / 256
    discs = np.hypot((x * 6) % 1 - 0.5, (y * 6) % 1 - 0.5) < 0.34
    blades = np.abs(((x + 0.05 * np.sin(y * 12)) * 14) % 1 - 0.5) < 0.14
    noise = np.random.default_rng(5).random((32, 32)).astype(np.float32)
    ragged = cv2.resize(noise, (256, 256), interpolation=cv2.INTER_CUBIC) > 0.62
    return {"discs": discs, "blades": blades, "ragged": ragged}


def cut_out_texture(name: str) -> Texture:
    picture = (cut_outs()[name] * 255).astype(np.uint8)[..., None]
    assets = Assets()
    entry = MapFile(
        role=Role.OPACITY, asset=assets.put("maps", "cut.png", png_bytes(picture)), file="cut.png", channels="r"
    )
    return pack_set(MapSet(id="cut", name="Cut", maps=(entry,)), assets.read)[0]


@pytest.mark.parametrize("cut", [0.2, 0.5, 0.8])
@pytest.mark.parametrize("name", ["discs", "blades", "ragged"])
def test_a_cut_out_covers_as_much_in_every_level_at_the_threshold_of_its_material(name: str, cut: float) -> None:
    """Castaño 2010, by his measure: the share of the filtered picture that passes the test, within 1 % of the top's (2 % on 4 × 4)."""
    leaf = material("masked").with_(cut=cut)
    texture = covering(cut_out_texture(name), threshold_of(leaf))
    whole = coverage(texture.linear(0)[..., 1], cut)
    plain = texture.linear(0)[..., 1]
    worst = 0.0
    for level in range(1, 9):
        plain = halved(plain[..., None])[..., 0]
        worst = max(worst, abs(coverage(plain, cut) - whole))
        side = 256 >> level
        if side >= 4:  # two texels or one can only be nearest to it
            assert abs(coverage(texture.linear(level)[..., 1], cut) - whole) <= (0.01 if side > 4 else 0.02)
    assert worst > 0.1  # unscaled, it would thin out or close up


@pytest.mark.parametrize("kind", ["dithered", "blended", "strands"])
def test_what_is_not_cut_at_a_threshold_keeps_its_mean_in_every_level(kind: str) -> None:
    plain = cut_out_texture("blades")
    texture = covering(plain, threshold_of(material(kind)))
    assert texture.key != plain.key
    mean = texture.linear(0)[..., 1].mean()
    for level in range(1, 9):
        assert abs(texture.linear(level)[..., 1].mean() - mean) < 0.004
    other = covering(texture, threshold_of(material("masked")))
    assert abs(other.linear(5)[..., 1].mean() - mean) > 0.02 or other is texture


def test_materials_of_other_thresholds_draw_one_map_each_with_its_own_cover(renderer) -> None:
    """Far away, so that small levels are read: a card with a high threshold is not gone, one with a low one not full."""
    texture = cut_out_texture("ragged")
    renderer.assets.put_texture(texture.name, False, texture.levels)
    whole = coverage(texture.linear(0)[..., 1])
    for cut in (0.3, 0.7):
        leaf = material("masked", f"m{cut}").with_(cut=cut)
        made = covering(texture, threshold_of(leaf))
        renderer.assets.put_texture(made.key, False, made.levels)
        put_mesh(renderer, "card", CARD)
        renderer.assets.set_material(leaf, PackedLookup((CUT_SET,)), {texture.name: made.key})
        row = {leaf.id: layout(leaf).pack(field_values(leaf))[None]}
        zero = np.zeros(1, np.int32)
        one = np.eye(4, dtype=np.float32)[None]
        draw = Draw("card", "", 0, len(CARD.triangles), leaf.id, one, zero, np.zeros(1, np.float32))
        renderer.scenes.set("kinds", Scene((draw,), row))
        seen = [renderer.picture("kinds", ABOVE, 24, 24, ("lit",), i, "far", backdrop=False)[2:-2, 2:-2, 3].mean() / 255
                for i in range(16)][-1]  # fmt: skip
        assert seen == pytest.approx(whole, abs=0.06)


@pytest.mark.parametrize("kind", ["opaque", "masked", "dithered", "blended"])
def test_it_fades_from_afar_by_as_much_as_its_dials_say(renderer, kind: str) -> None:
    """Seen from 2 m, fading from 1 m and gone from 3 or 5 m: a half is there, or three quarters; nearer than that all."""
    seen = {}
    for far in (Far(), Far(fades=1.0, gone=3.0), Far(fades=1.0, gone=5.0), Far(fades=3.0, gone=6.0), Far(gone=1.0)):
        faded = material(kind, "card").with_(far=far)
        floor = [(glowing("opaque", "floor", (4.0, 4.0, 4.0)), at(-0.01))] if kind == "blended" else []
        placed(renderer, [*floor, (faded, at(0.0))], np.ones((4, 4)))
        for sample in range(24):
            picture = renderer.picture("kinds", ABOVE, SIDE, SIDE, ("lit",), sample, f"far{far.gone}", backdrop=False)
        seen[far.fades, far.gone] = picture[40:56, 40:56, 3].mean() / 255 if kind != "blended" else light(picture)
    whole, none = seen[0.0, 0.0], seen[0.0, 1.0]
    assert none == 0 if kind != "blended" else none > 2 * whole
    for dials, share in (((1.0, 3.0), 0.5), ((1.0, 5.0), 0.75), ((3.0, 6.0), 1.0)):
        there = (seen[dials] - none) / (whole - none)
        assert there == pytest.approx(share, abs=0.04), dials


def light(picture: np.ndarray) -> float:
    """The linear light in the middle of a picture over a white floor: the brighter, the less of a dark card is there."""
    from jade_coat.maps.color import to_linear, tone_unmapped

    return float(tone_unmapped(to_linear(picture[40:56, 40:56, :3].astype(np.float64) / 255)).mean())


def test_what_never_fades_has_no_program_for_it() -> None:
    plain = compile_material(material("masked"), PackedLookup((CUT_SET,)), live_fields(material("masked")))
    assert "fade" not in plain
    assert not fades(material("masked"))
    assert fades(material("masked").with_(far=Far(gone=9.0)))


@pytest.mark.parametrize("pattern", ["ordered", "hashed"])
@pytest.mark.parametrize("opacity", [0.0, 0.1, 0.25, 0.5, 0.75, 0.9, 1.0])
def test_other_patterns_leave_as_many_points_too_and_stay_at_rest(renderer, pattern: str, opacity: float) -> None:
    """Bayer 1973; Wyman & McGuire 2017: the mean is the opacity within 1 %, and samples bring it together."""
    card = material("dithered").with_(dither=Dither(pattern=pattern))
    placed(renderer, [(card, at(0.0))], np.full((4, 4), opacity))
    wide = 384
    first = renderer.picture("kinds", ABOVE, wide, wide, stream="dither", backdrop=False)[64:320, 64:320, 3] > 0
    assert abs(first.mean() - round(opacity * 255) / 255) <= 0.01
    again = renderer.picture("kinds", ABOVE, wide, wide, stream="dither again", backdrop=False)[64:320, 64:320, 3] > 0
    assert np.array_equal(first, again)
    for sample in range(1, 24):
        gathered = renderer.picture("kinds", ABOVE, wide, wide, ("lit",), sample, "dither", backdrop=False)
    assert np.abs(gathered[160:224, 160:224, 3] / 255 - opacity).mean() < 0.06


def test_an_ordered_grid_is_bayers(renderer) -> None:
    """The matrix of 2 by 2 from which that of 8 by 8 grows: a quarter is one point of every four, a half both corners."""
    for opacity, a_square in ((0.25, {1}), (0.5, {2}), (0.75, {3})):
        card = material("dithered").with_(dither=Dither(pattern="ordered"))
        placed(renderer, [(card, at(0.0))], np.full((4, 4), opacity + 1 / 255))
        seen = renderer.picture("kinds", ABOVE, 128, 128, stream="bayer", backdrop=False)[32:96, 32:96, 3] > 0
        squares = seen.reshape(32, 2, 32, 2).sum(axis=(1, 3))
        assert set(np.unique(squares)) == a_square
        if opacity == 0.5:
            assert not (seen[:, 1:] & seen[:, :-1]).any()  # a chequerboard


def test_hashed_chances_lie_on_the_thing_and_move_with_it(renderer) -> None:
    """Moved by whole pixels the same points are there; of noise by pixels others are."""
    same = {}
    for pattern in ("noise", "hashed"):
        card = material("dithered").with_(dither=Dither(pattern=pattern))
        pictures = []
        pixel = 2 * 2.0 * np.tan(0.45 / 2) / 256
        for moved in (0, 5):
            matrix = at(0.0)
            matrix[0, 3] = moved * pixel
            placed(renderer, [(card, matrix)], np.full((4, 4), 0.5))
            pictures.append(
                renderer.picture("kinds", ABOVE, 256, 256, stream=f"{pattern}{moved}", backdrop=False)[..., 3] > 0
            )
        still, shifted = pictures
        same[pattern] = (still[80:176, 80:176] == np.roll(shifted, -5, axis=1)[80:176, 80:176]).mean()
    assert same["hashed"] > 0.9
    assert same["noise"] < 0.75


def test_a_bundle_of_what_has_a_fill_compiles_and_says_how_it_is_drawn(gl) -> None:
    made = material("masked", mapped=False).with_(fill=Fill(depth=0.05))
    files = bundle_files(Project(materials=(made,)), Library(Assets()), made)
    gl.program(vertex_shader=files["material.vert"].decode(), fragment_shader=files["material.frag"].decode()).release()
    text = "".join(data.decode(errors="ignore") for data in files.values())
    assert "fill_offset" in text
    assert "draw the mesh once more" in text
    assert "fill" not in "".join(
        d.decode(errors="ignore")
        for d in bundle_files(
            Project(materials=(material("masked", mapped=False),)), Library(Assets()), material("masked", mapped=False)
        ).values()
    )
