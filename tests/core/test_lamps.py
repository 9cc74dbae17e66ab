"""Lamps, shadows, the sky shut out of rooms, mist and exposure, against published formulas and closed forms."""

from __future__ import annotations

from dataclasses import replace
from itertools import product

import numpy as np
import pytest

from jade_coat.maps.packing import PackedLookup
from jade_coat.material.material import Coat, Material
from jade_coat.material.rows import field_values, layout
from jade_coat.material.surface import NoMaps, Surface
from jade_coat.mesh import shapes
from jade_coat.stage.alone import single
from jade_coat.stage.draws import Scene
from jade_coat.stage.lamps import BARE, Lamp, Mist, Surroundings, lamp_draw, mist_draw
from jade_coat.stage.turns import turn_of
from jade_coat.view.camera import eye_of
from jade_coat.view.passes.lamps import LARGEST, SMALLEST, _laid_out
from tests.core.test_kinds import CUT_SET, material
from tests.support import put_mesh

SUN = ((0.48, 0.62, 0.62), 2.6)
GREY = 0.5


def stand(renderer, boxes, around=BARE, color=(GREY,) * 3) -> None:
    """A scene of boxes, each a middle and full sides in metres, all in one rough look."""
    mesh = shapes.box(1.0, 1.0, 1.0)
    put_mesh(renderer, "block", mesh)
    material = Material(
        id="plain", name="Plain", coats=(Coat(id="c", name="C", surface=Surface(color=color, roughness=1.0)),)
    )
    renderer.assets.set_material(material, NoMaps())
    scene = single("block", mesh, material, field_values(material))
    matrices = np.repeat(np.eye(4, dtype=np.float32)[None], len(boxes), axis=0)
    low, high = mesh.bounds
    for matrix, (middle, sides) in zip(matrices, boxes, strict=True):
        matrix[:3, :3] = np.diag(np.array(sides) / (high - low))
        matrix[:3, 3] = np.array(middle) - matrix[:3, :3] @ ((low + high) / 2)
    count = len(boxes)
    draw = replace(scene.draws[0], matrices=matrices, rows=np.zeros(count, np.int32), seeds=np.zeros(count, np.float32))
    renderer.scenes.set("room", Scene([draw], scene.rows, {}, around))


def light_at(renderer, eye, sample: int = 0, size: int = 96) -> np.ndarray:
    """The light `(h, w, 3)` of a picture before the tone map, top row first."""
    renderer.picture("room", eye, size, size, stream="lamps", sample=sample)
    buffers = renderer.buffers("lamps", size, size)
    found = np.frombuffer(buffers.radiance.read(), np.float16).reshape(size, size, 4)[::-1, :, :3]
    return found.astype(np.float64)


NOTHING = Surroundings((("none", lamp_draw(Lamp(id="none", name="None", position=(0, -900, 0), strength=1e-6))),))
"""A lamp too far to be seen: it has the picture left as light, for the tests to read."""
FLOOR = ((0.0, -0.1, 0.0), (12.0, 0.2, 12.0))


def room(wall: float = 0.15, side: float = 4.0) -> list:
    """A closed room: a floor, a ceiling and four walls, which overlap at the edges as walls do."""
    out = side / 2 + wall / 2
    boxes = [((0, -wall / 2, 0), (side + 2 * wall, wall, side + 2 * wall)),
             ((0, side + wall / 2, 0), (side + 2 * wall, wall, side + 2 * wall))]  # fmt: skip
    for sign in (1, -1):
        boxes.append(((sign * out, side / 2, 0), (wall, side + wall, side + 2 * wall)))
        boxes.append(((0, side / 2, sign * out), (side + 2 * wall, side + wall, wall)))
    return boxes


def test_a_sealed_room_is_dark(renderer) -> None:
    """At most 0.5 % of the light outdoors arrives at any place of a closed room, by sun and sky together."""
    renderer.set_light(*SUN)
    stand(renderer, [FLOOR], NOTHING)
    outdoors = light_at(renderer, eye_of(np.array([0.0, 3.0, 0.1]), np.zeros(3), 0.9, 1.0))[30:66, 30:66].mean()
    assert outdoors > 0.3
    stand(renderer, room(), NOTHING)
    for target in product((-1.9, 1.9), (0.1, 3.9), (-1.9, 1.9)):
        inside = light_at(renderer, eye_of(np.array([0.1, 2.0, 0.05]), np.array(target), 1.4, 1.0))
        assert inside.max() <= 0.005 * outdoors


def test_a_window_lets_light_in_and_a_roof_shades_what_stands_under_it(renderer) -> None:
    renderer.set_light(SUN[0], 0.0)
    stand(renderer, room()[:-1], NOTHING)  # one wall is missing
    eye = eye_of(np.array([0.1, 3.0, 1.0]), np.array([0.0, 0.0, -0.5]), 0.8, 1.0)
    open_room = light_at(renderer, eye)[40:56, 40:56].mean()
    stand(renderer, room()[:1], NOTHING)
    outdoors = light_at(renderer, eye)[40:56, 40:56].mean()
    assert 0.02 * outdoors < open_room < 0.6 * outdoors
    renderer.set_light(*SUN)


def lamp(**settings) -> tuple[str, object]:
    made = Lamp(id="l", name="L", **{"color": (1.0, 1.0, 1.0), **settings})
    return ("l", lamp_draw(made))


def arrives(points: np.ndarray, at, strength: float, reach: float, cone=None, axis=(0, -1, 0)) -> np.ndarray:
    """What arrives of a lamp, as the text of KHR_lights_punctual gives it."""
    away = points - np.array(at)
    distance = np.linalg.norm(away, axis=-1)
    found = strength * np.clip(1 - (distance / reach) ** 4, 0, 1) / distance**2
    if cone is not None:
        scale = 1 / max(0.001, np.cos(cone[0]) - np.cos(cone[1]))
        cosine = (away / distance[..., None]) @ np.array(axis)
        found = found * np.clip(cosine * scale - np.cos(cone[1]) * scale, 0, 1) ** 2
    return found


@pytest.mark.parametrize("cone", [None, (0.2, 0.5), (0.1, 1.4)])
def test_a_lamp_falls_off_as_the_extension_says(renderer, cone) -> None:
    """KHR_lights_punctual; a rough grey floor reflects by Lambert to within its weak gloss at right angles."""
    renderer.set_light(SUN[0], 0.0, "evening")
    at, strength, reach = (0.2, 2.0, 0.1), 6.0, 4.0
    settings = {"spot": True, "inner": cone[0], "outer": cone[1]} if cone else {}
    eye = eye_of(np.array([0.0, 6.0, 0.01]), np.zeros(3), 0.6, 1.0)
    stand(renderer, [FLOOR], NOTHING)
    before = light_at(renderer, eye)
    stand(renderer, [FLOOR], Surroundings((lamp(position=at, strength=strength, reach=reach, **settings),)))
    light = (light_at(renderer, eye) - before)[..., 0]
    size = len(light)
    half = 6.0 * np.tan(0.3)
    line = ((np.arange(size) + 0.5) / size * 2 - 1) * half
    x, z = np.meshgrid(line, line)
    points = np.stack([x, np.zeros_like(x), z], axis=-1)
    to = np.array(at) - points
    cosine = to[..., 1] / np.linalg.norm(to, axis=-1)
    expected = arrives(points, at, strength, reach, cone) * cosine * GREY / np.pi
    lit = expected > 0.02
    assert lit.sum() > 50
    assert np.abs(light - expected)[lit].max() < 0.12 * expected.max()
    assert np.abs(light[lit] / expected[lit]).mean() == pytest.approx(1.0, abs=0.08)
    assert light[expected == 0].max(initial=0.0) < 1e-3
    renderer.set_light(*SUN)


def test_no_lamp_shines_through_walls(renderer) -> None:
    """A lamp in a closed room lights nothing outside of it, whichever way one looks; one that casts none does."""
    renderer.set_light(SUN[0], 0.0)
    boxes = [*room(), ((0, -0.3, 0), (30, 0.2, 30)), ((5.5, 1, 0), (1, 3, 8)), ((0, 1, -5.5), (8, 3, 1))]
    eyes = [eye_of(np.array(p), np.array([0.0, 0.5, 0.0]), 0.9, 1.0) for p in ((9, 9, 9), (-9, 8, 7), (1, 14, -6))]
    dark = []
    for around in (NOTHING, Surroundings((lamp(position=(0.7, 1.5, 0.4), strength=80, reach=30),)),
                   Surroundings((lamp(position=(0.7, 1.5, 0.4), strength=80, reach=30, casts=False),))):  # fmt: skip
        stand(renderer, boxes, around)
        dark.append([light_at(renderer, eye) for eye in eyes])
    assert max(np.abs(a - b).max() for a, b in zip(dark[0], dark[1], strict=True)) < 2e-3
    assert max(np.abs(a - b).max() for a, b in zip(dark[0], dark[2], strict=True)) > 0.1
    renderer.set_light(*SUN)


def test_a_lamp_throws_the_shadow_of_what_stands_in_its_light(renderer) -> None:
    """The edge of a shadow on the floor lies where the straight line past the box's edge meets it."""
    renderer.set_light(SUN[0], 0.0)
    around = Surroundings((lamp(position=(0.0, 3.0, 0.0), strength=30, reach=20, size=(0.01,) * 3),))
    eye = eye_of(np.array([2.0, 9.0, 0.01]), np.array([2.0, 0.0, 0.0]), 0.7, 1.0)
    plate = ((1.0, 1.5, 0.0), (0.6, 0.02, 0.6))

    def by_lamp(*boxes) -> np.ndarray:
        stand(renderer, boxes, NOTHING)
        sky = light_at(renderer, eye)
        stand(renderer, boxes, around)
        return (light_at(renderer, eye) - sky)[..., 0]

    whole, light = by_lamp(FLOOR), by_lamp(FLOOR, plate)
    size = len(light)
    row = size // 2
    x = 2.0 + ((np.arange(size) + 0.5) / size * 2 - 1) * 9 * np.tan(0.35)
    shaded = light[row] < 0.5 * whole[row]
    far = x[shaded & (x > 1.45)]  # beside the plate itself, which the eye sees too
    # From 3 m through edges at 1.51 and 1.49 m, x 0.7 and 1.3, down to the floor at 0.
    assert far.max() == pytest.approx(1.3 * 3 / 1.5, abs=0.08)
    assert shaded[(x > 1.75) & (x < 2.45)].all()
    assert not shaded[(x > 2.7) & (x < 4.5)].any()
    renderer.set_light(*SUN)


def test_more_lamps_than_the_map_has_room_for_get_smaller_faces() -> None:
    class Held:
        scene = Scene()

    for count, side in ((1, LARGEST), (10, LARGEST), (11, 256), (200, 64), (5000, SMALLEST)):
        lamps = tuple((f"l{i}", lamp()[1]) for i in range(count))
        Held.scene = Scene(surroundings=Surroundings(lamps))
        found, places = _laid_out(Held)
        assert found == side
        assert len(places) == min(count, (4096 // side) ** 2 // 6)
        assert len(set(places.values())) == len(places)


@pytest.mark.parametrize("thins", [0.0, 1.5])
def test_mist_takes_light_by_its_depth(renderer, thins: float) -> None:
    """Beer–Lambert: what is left is exp(−τ), with τ the integral of the density along the way, summed here by hand."""
    renderer.set_light(SUN[0], 0.0)
    eye = eye_of(np.array([0.0, 2.5, 6.0]), np.array([0.0, 0.2, 0.0]), 0.5, 1.0)
    mist = Mist(id="m", name="M", position=(0, 1, 1), size=(3, 2, 3), turn=turn_of(0.0, 0.5, 0.0), density=0.6,
                thins=thins, color=(0.0, 0.0, 0.0))  # fmt: skip
    stand(renderer, [FLOOR], NOTHING)
    clear = light_at(renderer, eye)
    stand(renderer, [FLOOR], replace(NOTHING, mists=(mist_draw(mist),)))
    left = light_at(renderer, eye)[..., 0] / clear[..., 0]
    from jade_coat.view.camera import ray

    inverse = np.linalg.inv(mist.matrix())
    for row, column in ((48, 48), (60, 40), (70, 70), (90, 5), (40, 30)):
        origin, way = ray(eye, (column + 0.5) / 96, (row + 0.5) / 96)
        length = -origin[1] / way[1]
        steps = (np.arange(4000) + 0.5) / 4000 * length
        points = origin + way * steps[:, None]
        inside = (np.abs(points @ inverse[:3, :3].T + inverse[:3, 3]) <= 0.5).all(axis=1)
        density = 0.6 * np.exp(-points[:, 1] / thins) if thins else np.full(4000, 0.6)
        assert left[row, column] == pytest.approx(np.exp(-(density * inside).mean() * length), abs=0.01)
    renderer.set_light(*SUN)


def test_mist_in_a_dark_room_stays_dark_and_glows_round_a_lamp(renderer) -> None:
    renderer.set_light(*SUN)
    veil = (mist_draw(Mist(id="m", name="M", everywhere=True, density=0.3, thins=0.0)),)
    eye = eye_of(np.array([1.7, 2.0, 1.7]), np.array([-1.0, 1.9, -1.0]), 1.0, 1.0)
    stand(renderer, room(), replace(NOTHING, mists=veil))
    assert light_at(renderer, eye).max() < 0.004
    stand(renderer, room(), Surroundings((lamp(position=(0.0, 1.9, 0.0), strength=3, reach=6),), veil))
    glowing = light_at(renderer, eye).mean(axis=2)
    stand(renderer, room(), Surroundings((lamp(position=(0.0, 1.9, 0.0), strength=3, reach=6),)))
    clear = light_at(renderer, eye).mean(axis=2)
    assert glowing[44:52, 44:52].mean() > clear[44:52, 44:52].mean() * 0.8
    assert (glowing - clear)[40:56, 40:56].mean() > (glowing - clear)[:, :8].mean()


def test_a_stop_of_exposure_is_twice_the_light(renderer) -> None:
    renderer.set_light(*SUN)
    eye = eye_of(np.array([0.0, 3.0, 0.1]), np.zeros(3), 0.9, 1.0)
    stand(renderer, [FLOOR], color=(0.1,) * 3)
    dim = renderer.picture("room", eye, 32, 32, stream="exposed")[16, 16].copy()
    stand(renderer, [FLOOR], Surroundings(exposure=1.0), color=(0.05,) * 3)
    again = renderer.picture("room", eye, 32, 32, stream="exposed")[16, 16]
    assert again[:3] == pytest.approx(dim[:3], abs=12)  # but for its gloss, which does not follow its colour
    stand(renderer, [FLOOR], Surroundings(exposure=1.0), color=(0.1,) * 3)
    layered = Surroundings(NOTHING.lamps, (), 1.0)
    straight = renderer.picture("room", eye, 32, 32, stream="exposed")[16, 16].copy()
    stand(renderer, [FLOOR], layered, color=(0.1,) * 3)
    assert renderer.picture("room", eye, 32, 32, stream="exposed")[16, 16] == pytest.approx(straight, abs=1)
    assert straight[:3].mean() > dim[:3].mean() + 20


def test_depth_maps_stay_while_what_they_follow_from_is_the_same(renderer, demo) -> None:
    """A dial of what neither cuts nor moves draws none of them anew; one of what is cut does, and so does a shape."""
    from jade_coat.view.casting import Caster

    renderer.set_light(*SUN)
    caster, found = Caster(renderer.drawer), None
    stand(renderer, room())
    found = renderer.scenes.get("room")
    before = caster.follows(found)
    renderer.drawer.changes += 1
    renderer.set_shared({"time": 3.0})
    assert caster.follows(found) == before
    scene, lookup = found.scene, PackedLookup((CUT_SET,))
    solid = renderer.assets.material("plain").with_(kind="masked", id="solid")
    renderer.assets.set_material(solid, NoMaps())
    whole = replace(scene.draws[0], material="solid")
    renderer.scenes.set("room", Scene([whole], {"solid": scene.rows["plain"].copy()}, {}, BARE))
    assert caster.follows(renderer.scenes.get("room")) == ()  # without an opacity map nothing of it is cut away
    cut = material("masked", "leafy", glow=(0.25,) * 3)
    renderer.assets.set_material(cut, lookup)
    leafy, rows = replace(scene.draws[0], material="leafy"), layout(cut).pack(field_values(cut))[None]
    renderer.scenes.set("room", Scene([leafy], {"leafy": rows}, {}, BARE))
    found = renderer.scenes.get("room")
    before = caster.follows(found)
    renderer.set_shared({"time": 4.0})
    assert caster.follows(found) == before  # it does not go by the clock
    found.scene.rows["leafy"][0, 0] += 0.25
    assert caster.follows(found) != before
    before = caster.follows(found)
    renderer.assets.set_material(cut.with_(cut=0.7), lookup)
    assert caster.follows(found) != before


def test_where_much_throws_shadows_a_moving_view_keeps_the_maps_there_were_but_for_a_lamp_that_moves(
    renderer, monkeypatch
) -> None:
    """As for the sky: the first picture shows no lamps; once it stands still they are there, and stay meanwhile."""
    from jade_coat.view.passes import lamps as passes

    monkeypatch.setattr(passes, "AT_ONCE", 0)
    cast: list[int] = []
    monkeypatch.setattr(passes.LampPass, "_cast_one", lambda self, frame, lamp, side, place: cast.append(place))
    renderer.set_light((0.0, 1.0, 0.0), 0.0)
    three = tuple(
        (n, lamp_draw(Lamp(id=n, name=n, position=(x, 1.0, 0.0)))) for n, x in (("a", -1), ("b", 0), ("c", 1))
    )

    def picture(lamps, sample: int) -> int:
        cast.clear()
        found = renderer.scenes.get("room")
        found.scene.surroundings = Surroundings(lamps=lamps)
        eye = eye_of(np.array([1.7, 2.0, 1.7]), np.array([-1.0, 1.9, -1.0]), 1.0, 1.0)
        renderer.picture("room", eye, 32, 32, sample=sample, stream="waits")
        return len(cast)

    stand(renderer, room())
    assert picture(three, 0) == 0
    assert picture(three, 1) == 3
    assert picture(three, 0) == 0
    moved = (("a", replace(three[0][1], position=(-1.2, 1.0, 0.0))), *three[1:])
    assert picture(moved, 0) == 1
    renderer.scenes.get("room").moves += 1  # a prop is dragged
    assert picture(moved, 0) == 0
    assert picture(moved, 1) == 3
