"""Glow: cards that face the eye, flicker, fade, meet other things softly, and go into files."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

from jade_coat.bake.exporting import export_glb
from jade_coat.check.at_corners import Saving, saving, saving_on
from jade_coat.check.stretch import stretch, stretch_note
from jade_coat.files.assets import Assets
from jade_coat.files.library import Library
from jade_coat.files.mesh_files import read_mesh
from jade_coat.jobs.job import Job
from jade_coat.looking.look_at import look_at
from jade_coat.looking.stage_rays import StageNow, StageRays
from jade_coat.maps.color import to_linear
from jade_coat.maps.images import as_float, read_image
from jade_coat.maps.mapset import MapSet
from jade_coat.maps.motes import Motes
from jade_coat.maps.packing import PackedLookup, Texture
from jade_coat.material.compile import compile_material
from jade_coat.material.glow import SHAPE_LABELS, Glow
from jade_coat.material.kinds import KINDS
from jade_coat.material.material import Coat, Finish, Material
from jade_coat.material.placing import FaceMove, RoundMove
from jade_coat.material.rows import field_values, layout
from jade_coat.material.shared import EVERYWHERE
from jade_coat.material.surface import Surface
from jade_coat.mesh import shapes
from jade_coat.mesh.attributes import vertex_attributes
from jade_coat.mesh.makers import CardField
from jade_coat.program import lib
from jade_coat.program.numpy_backend import Environment, evaluate
from jade_coat.stage.draws import Draw, Scene
from jade_coat.stage.making import mote_map
from jade_coat.stage.mesh_assets import MeshAsset
from jade_coat.stage.project import Project, Prop
from jade_coat.view.camera import eye_of
from tests.core.test_parity import assert_parity
from tests.core.test_placing import compiled, in_vertex_stage, moving, numpy_of, prop_of, world
from tests.support import Demo, assert_valid_glb, put_mesh, stage_renderer

ONE_CARD = CardField(over="box", radii=(0, 0, 0), count=1, size=(0.6, 0.4), spread=0.0, facing="ahead", roll=0.0)


def glow(**fields) -> Material:
    dark = Coat(id="c", name="C", surface=Surface(color=(0.5, 0.25, 0.125)))
    return Material(id="g", name="G", kind="glow", two_sided=True, coats=(dark,), glow=Glow(**fields))


# Cards to the eye


def seen_from(*eye: float) -> dict:
    return {"camera_position": eye, "eye_known": 1.0}


@pytest.mark.parametrize("about", ["whole", "own y"])
@pytest.mark.parametrize("camera", [(3.0, 0.4, 1.0), (-2.0, 3.0, -4.0), (0.5, -1.0, 6.0)])
def test_cards_face_the_eye_from_everywhere_and_mean_the_same_to_both_back_ends(gl, about, camera) -> None:
    mesh, prop = CardField(count=12, seed=2).mesh(), prop_of(size=(1.3, 1.3, 1.3))
    outputs = compiled(moving(FaceMove(id="f", about=about, amount=100.0)))
    roots, shared = {"placed_position": outputs["placed_position"]}, seen_from(*camera)
    drawn = in_vertex_stage(gl, mesh, prop.matrix(), roots, shared)["placed_position"]
    computed = numpy_of(mesh, prop.matrix(), roots, shared)["placed_position"]
    np.testing.assert_allclose(drawn, computed, atol=2e-5)
    cards = computed.reshape(-1, 4, 3).astype(np.float64)
    rest = vertex_attributes(mesh, prop.matrix(), None, {"world_position"})["world_position"].reshape(-1, 4, 3)
    np.testing.assert_allclose(cards.mean(axis=1), rest.mean(axis=1), atol=1e-4)  # about their middles
    for side in (0, 1):
        lengths = [np.linalg.norm(c[:, side + 1] - c[:, side], axis=1) for c in (cards, rest)]
        np.testing.assert_allclose(*lengths, rtol=1e-3)
    face = np.cross(cards[:, 1] - cards[:, 0], cards[:, 3] - cards[:, 0])
    face /= np.linalg.norm(face, axis=1, keepdims=True)
    seen = np.array(camera) - cards.mean(axis=1)
    if about == "own y":
        up = prop.matrix()[:3, 1] / np.linalg.norm(prop.matrix()[:3, 1])
        seen -= (seen @ up)[:, None] * up
        assert np.abs(face @ up).max() < 1e-3
    seen /= np.linalg.norm(seen, axis=1, keepdims=True)
    assert (face * seen).sum(axis=1).min() > 0.999


@pytest.mark.parametrize("away", [1.0, 4.0, 30.0])
def test_a_kept_size_spans_the_same_angle_from_everywhere_up_to_its_limit(away: float) -> None:
    mesh, prop = ONE_CARD.mesh(), prop_of(position=(0, 0, 0), turn=(0, 0, 0, 1), size=(1, 1, 1))
    outputs = compiled(moving(FaceMove(id="f", kept=1.0, from_away=2.0, amount=100.0)))
    root, shared = {"placed_position": outputs["placed_position"]}, seen_from(0.0, 0.0, away)
    found = numpy_of(mesh, prop.matrix(), root, shared)["placed_position"]
    assert np.ptp(found[:, 0]) / away == pytest.approx(0.6 / 2.0, rel=1e-4)
    held = compiled(moving(FaceMove(id="f", kept=1.0, from_away=2.0, amount=0.2)))
    short = numpy_of(mesh, prop.matrix(), {"placed_position": held["placed_position"]}, shared)["placed_position"]
    assert np.linalg.norm(short - mesh.positions, axis=1).max() < 0.2 + 1e-4


def test_fields_turn_by_the_clock_and_with_the_sun_and_stay_round_the_eye(gl) -> None:
    mesh, prop = CardField(count=20).mesh(), prop_of()
    rest = vertex_attributes(mesh, prop.matrix(), None, {"world_position"})["world_position"].astype(np.float64)
    middle, axis = prop.matrix()[:3, 3], prop.matrix()[:3, 1] / np.linalg.norm(prop.matrix()[:3, 1])
    cases = (
        (RoundMove(id="r", spin=2.0, amount=100.0), {"time": 7.5}, math.pi / 2),
        (RoundMove(id="r", with_sun=1.0, amount=100.0), {"sun_turn": 1.1}, 1.1),
        (RoundMove(id="r", round_eye=1.0, amount=100.0), {"sun_turn": 1.1}, 0.0),
    )
    for move, shared, angle in cases:
        outputs = compiled(moving(move))
        root, seen = {"placed_position": outputs["placed_position"]}, {**seen_from(4.0, 2.0, -1.0), **shared}
        computed = numpy_of(mesh, prop.matrix(), root, seen)["placed_position"]
        drawn = in_vertex_stage(gl, mesh, prop.matrix(), root, seen)["placed_position"]
        np.testing.assert_allclose(drawn, computed, atol=5e-5)
        turned = Rotation.from_rotvec(axis * angle).apply(rest - middle)
        where = np.array([4.0, 2.0, -1.0]) if move.round_eye else middle
        np.testing.assert_allclose(computed, turned + where, atol=1e-4)
    assert moving(RoundMove(id="r", spin=1.0)).by_clock


def test_a_mesh_without_cards_stays_as_it_is() -> None:
    mesh, prop = shapes.ball(0.5, 12), prop_of()
    outputs = compiled(moving(FaceMove(id="f")))
    root = {"placed_position": outputs["placed_position"]}
    found = numpy_of(mesh, prop.matrix(), root, seen_from(3.0, 1.0, 2.0))["placed_position"]
    rest = vertex_attributes(mesh, prop.matrix(), None, {"world_position"})["world_position"]
    np.testing.assert_allclose(found, rest, atol=1e-5)


# What it sends


def evaluated(material: Material, chance=0.3, camera=(0.0, 0.0, 2.0), **shared) -> np.ndarray:
    """The colour that is added at the middle of a card, `(3,)`."""
    outputs = compile_material(
        material, PackedLookup(()), lambda _, v: lib.const(*(v if isinstance(v, tuple) else (v,)))
    )  # fmt: skip
    attributes = {"uv0": (0.5, 0.5), "uv1": (chance, 0.7), "world_position": (0, 0, 0), "normal": (0, 0, 1),
                  "tangent": (1, 0, 0, 1), "color0": (0, 0, 0.4, 0)}  # fmt: skip
    found = evaluate({n: outputs[n] for n in ("base_color", "emissive")}, Environment(
        {n: np.array(v, np.float32)[:, None] for n, v in attributes.items()},
        shared={n: np.atleast_1d(np.asarray(v, np.float32))[:, None]
                for n, v in {**EVERYWHERE, **seen_from(*camera), **shared}.items()},
        instance={"seed": np.zeros((1, 1), np.float32)},
    ))  # fmt: skip
    return (found["base_color"] + found["emissive"]).ravel()


def test_it_fades_by_distance_by_its_edge_and_by_the_sun_and_beyond_white_nothing_is_lost() -> None:
    whole = np.array((0.5, 0.25, 0.125))
    np.testing.assert_allclose(evaluated(glow()), whole, rtol=1e-5)
    np.testing.assert_allclose(evaluated(glow(boost=20.0)), 20 * whole, rtol=1e-5)
    np.testing.assert_allclose(evaluated(glow(tint=(0.5, 1.0, 0.0))), whole * (0.5, 1.0, 0.0), rtol=1e-5)
    np.testing.assert_allclose(evaluated(glow(near=(1.0, 3.0))), whole / 2, rtol=1e-4)
    np.testing.assert_allclose(evaluated(glow(far=(1.0, 5.0))), whole * 0.75, rtol=1e-4)
    assert evaluated(glow(far=(1.0, 1.5))).max() == 0
    np.testing.assert_allclose(evaluated(glow(edge="B")), whole * 0.4, rtol=1e-4)
    lit = glow(by_day=0.2, by_night=3.0)
    np.testing.assert_allclose(evaluated(lit, sun_height=1.0), whole * 0.2, rtol=1e-4)
    np.testing.assert_allclose(evaluated(lit, sun_height=-0.3), whole * 3.0, rtol=1e-4)


@given(st.sampled_from(["calm", "flame", "spark", "drawn"]), st.floats(0.0, 1.0), st.floats(0.0, 40.0))
@settings(max_examples=40, deadline=None)
def test_a_flicker_dims_by_no_more_than_it_says_and_is_still_at_none(wave: str, flicker: float, time: float) -> None:
    still, now = evaluated(glow()), evaluated(glow(wave=wave, flicker=flicker), time=time)
    assert (now <= still * (1 + 1e-5)).all()
    assert (now >= still * (1 - flicker) - 1e-6).all()
    assert glow(wave=wave, flicker=flicker).by_clock == (flicker > 0)


def test_cards_flicker_apart_and_together() -> None:
    def along(chance: float, phase: float) -> np.ndarray:
        return np.array([evaluated(glow(flicker=1.0, phase=phase), chance, time=t)[0] for t in np.linspace(0, 3, 24)])

    np.testing.assert_allclose(along(0.1, 0.0), along(0.8, 0.0), rtol=1e-5)
    assert np.abs(along(0.1, 1.0) - along(0.8, 1.0)).max() > 0.1


@pytest.mark.parametrize("shape", list(SHAPE_LABELS))
def test_every_shape_means_the_same_to_both_back_ends(gl, demo, shape: str) -> None:
    project = demo.project.with_(map_sets=(*demo.project.map_sets, mote_set(demo.library)))
    more = Demo(project, demo.library, demo.folder)
    renderer = stage_renderer(gl, more)
    wall = project.material("kiln_wall")
    gold = ((0.0, (0.1, 0.0, 0.0)), (0.3, (0.8, 0.2, 0.0)), (1.0, (1.0, 0.9, 0.6)))
    own = Glow(
        shape=shape, sheet="motes", channel="G", other="B", gradient=gold, boost=1.6, flicker=0.5, near=(0.5, 9.0),
        far=(1.0, 60.0), by_day=0.7, straight=0.4, rim=0.2, repeats=(3.0, 2.0),
    )  # fmt: skip
    assert_parity(renderer, more, wall.with_(kind="glow", glow=own))


def mote_set(library: Library) -> MapSet:
    made = Motes(side=128)
    asset = library.assets.put("maps", "motes.png", made.file())
    return MapSet(id="motes", name="Motes", maps=mote_map(asset, "motes.png"), made=made)


def test_the_wall_behind_a_glow_cuts_it_hard_or_softly(renderer) -> None:
    """A card stands half through a wall: with a soft meeting the line between is no edge."""
    put_mesh(renderer, "upright", ONE_CARD.with_(size=(2.0, 2.0)).mesh())
    white = Material(id="wall", name="W", coats=(Coat(id="c", name="C", surface=Surface(color=(0.05,) * 3)),))
    tilted = np.array([[1, 0, 0, 0], [0, 0.5, -0.87, 0], [0, 0.87, 0.5, 0], [0, 0, 0, 1]], np.float32)
    steep = {}
    for soft in (0.0, 0.6):
        light = glow(soft=soft)
        draws, rows = [], {}
        for made, matrix in ((white, np.eye(4)), (light, tilted)):
            renderer.assets.set_material(made, PackedLookup(()))
            rows[made.id] = layout(made).pack(field_values(made))[None]
            draws.append(Draw("upright", "", 0, 2, made.id, matrix[None].astype(np.float32), np.zeros(1, np.int32),
                              np.zeros(1, np.float32)))  # fmt: skip
        renderer.scenes.set("meet", Scene(tuple(draws), rows))
        eye = eye_of(np.array([0.0, 0.0, 4.0]), np.zeros(3), 0.45, 1.0)
        column = renderer.picture("meet", eye, 96, 96, stream=f"meet{soft}", backdrop=False)[:, 48, 0].astype(int)
        inner = column[20:76]
        steep[soft] = int(np.abs(np.diff(inner)).max())
        assert np.ptp(inner) > 20  # it shows on the one side
    assert steep[0.0] > 3 * steep[0.6]


def test_a_glow_is_added_throws_no_shadow_and_is_written_as_blended_and_unlit() -> None:
    kind = KINDS["glow"]
    assert (kind.blend, kind.casts, kind.lit, kind.gltf, kind.shading) == ("add", "none", False, "BLEND", "")


def test_free_channels_reach_programs_as_they_are_in_16_bits(demo) -> None:
    found: Texture = demo.library.textures(mote_set(demo.library))[0]
    made = Motes(side=128).channels()
    assert found.levels[0].dtype == np.uint16
    assert np.abs(found.levels[0] / 65535 - made).max() < 1 / 65535


def test_what_is_the_same_all_over_a_card_is_worked_out_at_its_corners_without_error(demo) -> None:
    made = glow(flicker=0.5, wave="flame")
    lookup = PackedLookup(())
    found = saving(made, lookup)
    assert found.without - found.operations > 20
    assert saving(glow().with_(kind="additive"), lookup) is None
    errors = []
    spread = shapes.plane(1.0, 1.0, 0.25)
    for mesh in (CardField(count=40).mesh(), spread.with_(uvs=(*spread.uvs, spread.uvs[0] * 3))):
        asset = demo.library.add_mesh(mesh, "M", set()).with_(id="m")
        prop = Prop(id="p", name="P", mesh="m", finishes={asset.slots[0]: "g"})
        project = demo.project.with_(
            materials=(*demo.project.materials, made), meshes=(*demo.project.meshes, asset), props=(prop,)
        )
        errors.append(saving_on(look_at(project, demo.library, prop, asset.slots[0]), lookup).error)
    assert errors[0] < 1e-5  # a card has one chance
    assert errors[1] > 0.05  # where it varies, between corners it is off
    assert "no error" in Saving(100, 140, errors[0]).sentence


def test_in_a_file_a_glow_is_as_opaque_as_it_is_bright_and_at_rest(tmp_path) -> None:
    """Over black, blended by the alpha of glTF, the picture is the light itself; where it is dark nothing is there."""
    import pygltflib

    made = glow(shape="beacon", tint=(1.0, 0.5, 0.2), boost=0.9, cross=0.0).with_(id="m", moves=(FaceMove(id="f"),))
    project, library, _ = world(made, ONE_CARD.mesh())
    written = export_glb(project, library, tmp_path / "a.glb", 64, Job())
    assert_valid_glb(tmp_path / "a.glb")
    assert any("cannot add light" in line for line in written.told)
    glb = pygltflib.GLTF2().load(str(tmp_path / "a.glb"))
    material = glb.materials[0]
    assert material.alphaMode == "BLEND"
    assert "KHR_materials_unlit" in material.extensions
    view = glb.bufferViews[
        glb.images[glb.textures[material.pbrMetallicRoughness.baseColorTexture.index].source].bufferView
    ]
    blob = glb.binary_blob()[view.byteOffset : view.byteOffset + view.byteLength]
    picture = as_float(read_image(blob, "a.png"))
    light = to_linear(picture[..., :3]) * picture[..., 3:]
    assert 0.7 < picture[..., 3].max() <= 0.9
    assert (picture[..., 3] == 0).mean() > 0.2
    assert light[..., 0].max() == pytest.approx(picture[..., 3].max(), abs=0.01)
    bright = light[..., 0] > 0.3
    np.testing.assert_allclose(light[bright][:, 1] / light[bright][:, 0], 0.5, atol=0.03)
    rest, back = ONE_CARD.mesh(), read_mesh(tmp_path / "a.glb")
    matrix = prop_of().matrix()
    points = rest.positions @ matrix[:3, :3].T + matrix[:3, 3]
    assert cKDTree(points).query(back.positions)[0].max() < 1e-4


def test_haze_that_is_stretched_on_its_cards_is_flagged_with_even_repeats() -> None:
    wide = ONE_CARD.with_(size=(3.0, 0.5)).mesh()
    assert stretch(wide, (1.0, 1.0)) == pytest.approx(6.0)
    assert "6.0 times across. Repeats of 6, 1" in stretch_note(wide, (1.0, 1.0))
    assert "times along" in stretch_note(wide, (36.0, 1.0))
    assert stretch_note(wide, (6.0, 1.0)) == ""
    assert stretch(shapes.plane(1.0, 1.0, 0.5), (1.0, 1.0)) == 1.0  # no cards


@pytest.mark.parametrize("kind", ["additive", "glow"])
def test_what_adds_no_light_is_pointed_through(kind: str) -> None:
    """A card before another: where it is dark the one behind is meant, where it shines the card itself."""
    behind = Coat(id="c", name="C", surface=Surface(color=(0.4, 0.4, 0.4)))
    materials = tuple(
        Material(id=f"m{i}", name=f"M{i}", kind=kind, two_sided=True,
                 coats=(Coat(id="c", name="C", surface=Surface(color=(c, c, c), glow=(c, c, c))),))
        for i, c in enumerate((0.0, 0.9))
    )  # fmt: skip
    plane = shapes.box(1.0, 1.0, 0.02)
    asset = MeshAsset(id="plane", name="Plane", asset="plane", slots=("surface",))
    finishes = tuple(Finish(id=f"f{i}", name=f"F{i}", parent=f"m{i}") for i in range(3))
    for front, expected in ((0, "wall"), (1, "card")):
        props = tuple(
            Prop(id=name, name=name, mesh="plane", position=(0.0, 0.0, z), finishes={"surface": f"f{finish}"})
            for name, z, finish in (("wall", -1.0, 2), ("card", 0.0, front))
        )
        project = Project(materials=(*materials, Material(id="m2", name="M2", coats=(behind,))), finishes=finishes,
                          meshes=(asset,), props=props)  # fmt: skip
        now = StageNow(project, Library(Assets()), lambda _: plane)
        low, high = plane.bounds
        hit = StageRays().first(now, (low + high) / 2 + np.array([0.1, 0.07, 5.0]), np.array([0.0, 0.0, -1.0]))
        assert hit is not None
        assert hit.prop.id == expected
