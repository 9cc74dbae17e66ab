"""Placing maps: from three sides, tile-break, detail, colour shifts, random picks."""

from __future__ import annotations

import numpy as np
import pytest

from jade_coat.maps.packing import PackedLookup
from jade_coat.maps.sampling import reading
from jade_coat.material.compile import compile_material, fixed_fields
from jade_coat.material.material import Coat, Material
from jade_coat.material.rows import field_values
from jade_coat.material.surface import Detail, NoMaps, Surface
from jade_coat.mesh import shapes
from jade_coat.mesh.curvature import curvature
from jade_coat.program import passes
from jade_coat.program.fused import Plan
from jade_coat.program.numpy_backend import Environment

TILE = {"map_set": "glazed_tile", "tile_size": 0.8}


@pytest.fixture(scope="module")
def shown(demo):
    """Runs a surface of the demo's maps at points; returns the program's outputs as `(k, n)`."""
    lookup, textures = PackedLookup(demo.project.map_sets, demo.project.recipes), demo.textures()

    def run(surface: Surface, seed: float = 0.0, **attributes: np.ndarray) -> dict[str, np.ndarray]:
        material = Material(id="m", name="M", coats=(Coat(id="c", name="C", surface=surface),))
        outputs = compile_material(material, lookup, fixed_fields(field_values(material)))
        count = next(iter(attributes.values())).shape[1]
        frame = {
            "normal": np.tile(np.array([[0], [0], [1]], np.float32), count),
            "tangent": np.tile(np.array([[1], [0], [0], [1]], np.float32), count),
        }
        frame |= {f"object_{n}": a for n, a in frame.items()} | attributes
        instance = {"metres0": np.ones((2, 1), np.float32), "seed": np.full((1, 1), seed, np.float32)}
        found = Plan(outputs).run(Environment(attributes=frame, instance=instance, **reading(textures)))
        return {n: np.broadcast_to(a, (len(a), count)) for n, a in found.items()}

    return run


def everywhere(count: int = 60_000) -> np.ndarray:
    return np.random.default_rng(5).uniform(-40, 40, (2, count)).astype(np.float32)


@pytest.mark.parametrize(
    ("normal", "tangent", "uv"),
    [
        ((0, 0, 1), (1, 0, 0, 1), lambda x, y, z: (x, -y)), ((0, 0, -1), (-1, 0, 0, 1), lambda x, y, z: (-x, -y)),
        ((1, 0, 0), (0, 0, -1, 1), lambda x, y, z: (-z, -y)), ((-1, 0, 0), (0, 0, 1, 1), lambda x, y, z: (z, -y)),
        ((0, 1, 0), (1, 0, 0, 1), lambda x, y, z: (x, z)),
    ],
)  # fmt: skip
def test_on_an_axis_aligned_box_three_sides_are_the_same_as_a_uv_set(shown, normal, tangent, uv) -> None:
    """On a face whose UVs run in metres along its own axes, both placements read the same texels."""
    p = np.random.default_rng(1).uniform(-3, 3, (3, 500)).astype(np.float32)
    p[np.flatnonzero(normal)[0]] = 0.5 * np.sum(normal)
    turned = {
        "normal": np.tile(np.array(normal, np.float32)[:, None], 500),
        "tangent": np.tile(np.array(tangent, np.float32)[:, None], 500),
    }
    turned |= {f"object_{n}": a for n, a in turned.items()}
    laid = np.stack(uv(*p)).astype(np.float32)
    by_uv = shown(Surface(**TILE), uv0=laid, position=p, **turned)
    by_sides = shown(Surface(placement="triplanar", **TILE), position=p, **turned)
    for name in ("base_color", "roughness", "height", "normal"):
        np.testing.assert_allclose(by_sides[name], by_uv[name], atol=2e-3, err_msg=name)


def test_three_sides_share_out_to_one_and_the_top_may_differ(shown) -> None:
    n = np.random.default_rng(2).normal(size=(3, 400)).astype(np.float32)
    n /= np.linalg.norm(n, axis=0)
    tangent = np.cross(n, [[0.3], [0.5], [0.8]], axis=0)
    tangent = np.concatenate([tangent / np.linalg.norm(tangent, axis=0), np.ones((1, 400))]).astype(np.float32)
    frame = {"normal": n, "object_normal": n, "tangent": tangent, "object_tangent": tangent}
    point = np.zeros((3, 400), np.float32)
    same = shown(Surface(placement="triplanar", **TILE), position=point, **frame)["base_color"]
    np.testing.assert_allclose(same, same[:, :1].repeat(400, axis=1), atol=1e-5)  # one texel, whatever the shares
    topped = shown(Surface(placement="triplanar", top_set="cushion_moss", **TILE), position=point, **frame)[
        "base_color"
    ]
    up, side = np.abs(n[1]) > 0.95, np.abs(n[1]) < 0.2
    assert np.abs(topped[:, side] - same[:, side]).max() < 1e-3
    assert np.abs(topped[:, up] - same[:, up]).min(axis=1).max() > 0.01


@pytest.mark.parametrize("way", ["offset", "hex"])
def test_tile_break_keeps_mean_and_contrast_and_breaks_the_repeat(shown, way: str) -> None:
    """Heitz & Neyret 2018: mean and standard deviation of the result within 5 % of the source map's."""
    uv = everywhere()
    for name in ("roughness", "height"):
        plain = shown(Surface(map_set="cushion_moss", tile_size=1.0), uv0=uv)[name]
        broken = shown(Surface(map_set="cushion_moss", tile_size=1.0, tile_break=way), uv0=uv)[name]
        assert broken.mean() == pytest.approx(plain.mean(), rel=0.05)
        assert broken.std() == pytest.approx(plain.std(), rel=0.05)
    one, next_ = (
        shown(Surface(map_set="cushion_moss", tile_size=1.0, tile_break=way), uv0=uv + np.float32(s))["height"]
        for s in (0, 1)
    )
    assert abs(np.corrcoef(one[0], next_[0])[0, 1]) < 0.35  # plain tiling would give 1


def test_tile_break_says_how_often_it_reads(demo) -> None:
    """Breaking tiling by random placement reads each map twice (common practice, no source)."""
    reads = {}
    for way in ("none", "mirror", "offset", "hex"):
        coat = Coat(id="c", name="C", surface=Surface(map_set="cushion_moss", tile_break=way))
        material = Material(id="m", name="M", coats=(coat,))
        outputs = compile_material(
            material, PackedLookup(demo.project.map_sets, demo.project.recipes), fixed_fields(field_values(material))
        )
        reads[way] = passes.cost({"c": outputs["base_color"]}).fetches
    assert reads == {"none": 1, "mirror": 1, "offset": 2, "hex": 3}


def test_a_mirrored_tile_is_the_mirror_image_of_its_neighbour(shown) -> None:
    uv = np.random.default_rng(3).uniform(0.01, 0.99, (2, 300)).astype(np.float32)
    mirrored = uv * np.array([[-1], [1]], np.float32)
    surface = Surface(map_set="glazed_tile", tile_size=1.0, tile_break="mirror")
    here, there = shown(surface, uv0=uv), shown(surface, uv0=mirrored)
    np.testing.assert_allclose(here["height"], there["height"], atol=1e-4)
    np.testing.assert_allclose(here["normal"], there["normal"] * [[-1], [1], [1]], atol=1e-3)


def test_flips_mirror_the_picture_and_its_relief(shown) -> None:
    uv = np.random.default_rng(4).uniform(-2, 2, (2, 300)).astype(np.float32)
    plain = shown(Surface(**TILE), uv0=uv)
    flipped = shown(Surface(flip_across=1.0, **TILE), uv0=uv * np.array([[-1], [1]], np.float32))
    np.testing.assert_allclose(plain["base_color"], flipped["base_color"], atol=1e-4)
    np.testing.assert_allclose(plain["normal"], flipped["normal"] * [[-1], [1], [1]], atol=1e-4)


def test_detail_keeps_the_mean_and_adds_relief(shown) -> None:
    uv = everywhere()
    plain = shown(Surface(**TILE), uv0=uv)
    detailed = shown(Surface(detail=Detail(map_set="cushion_moss", tile_size=0.11, color_strength=0.6), **TILE), uv0=uv)
    assert detailed["base_color"].mean(axis=1) == pytest.approx(plain["base_color"].mean(axis=1), rel=0.1)
    assert detailed["normal"][:2].std() > plain["normal"][:2].std() * 1.05
    np.testing.assert_allclose(np.linalg.norm(detailed["normal"], axis=0), 1, atol=1e-5)
    nothing = shown(
        Surface(detail=Detail(map_set="cushion_moss", color_strength=0, relief=0, roughness_strength=0), **TILE), uv0=uv
    )
    for name in ("base_color", "roughness", "normal"):
        np.testing.assert_allclose(nothing[name], plain[name], atol=1e-5, err_msg=name)


def color_of(**surface) -> np.ndarray:
    made = Surface(**surface)
    material = Material(id="m", name="M", coats=(Coat(id="c", name="C", surface=made),))
    color = compile_material(material, NoMaps(), fixed_fields(field_values(material)))["base_color"]
    assert color.op == "const"
    return np.array(color.static)


def test_hue_saturation_value_and_gradient() -> None:
    red = (0.6, 0.0, 0.0)
    np.testing.assert_allclose(color_of(color=red, hue=2 * np.pi / 3), (0, 0.6, 0), atol=1e-6)
    np.testing.assert_allclose(color_of(color=red, saturation=0.0), (0.6 * 0.2126,) * 3, atol=1e-6)
    np.testing.assert_allclose(color_of(color=red, value=0.5), (0.3, 0, 0), atol=1e-6)
    stops = ((0.0, (0.0, 0.0, 0.0)), (0.5, (1.0, 0.0, 0.0)), (1.0, (1.0, 1.0, 0.0)))
    for grey, wanted in (
        (0.0, (0, 0, 0)),
        (0.25, (0.5, 0, 0)),
        (0.5, (1, 0, 0)),
        (0.75, (1, 0.5, 0)),
        (1.0, (1, 1, 0)),
    ):
        np.testing.assert_allclose(color_of(color=(grey,) * 3, gradient=stops), wanted, atol=1e-6)
    for bad in (((0.0, red),), ((0.5, red), (0.2, red)), ((0.0, red), (1.5, red))):
        with pytest.raises(ValueError, match="gradient"):
            Surface(gradient=bad)


def test_one_of_several_map_sets_is_picked_for_each_prop_or_tile(shown) -> None:
    uv = np.random.default_rng(6).uniform(0, 1, (2, 300)).astype(np.float32)
    sets = ("glazed_tile", "cushion_moss", "terrace_clay")
    alone = {s: shown(Surface(map_set=s, tile_size=1.0), uv0=uv)["base_color"] for s in sets}
    many = Surface(map_set=sets[0], more_sets=sets[1:], tile_size=1.0)
    for i, name in enumerate(sets):
        picked = shown(many, seed=(i + 0.5) / 3, uv0=uv)["base_color"]
        np.testing.assert_allclose(picked, alone[name], atol=1e-6)
    by_tile = many.with_(pick="tile")
    used = set()
    for i in range(30):
        found = shown(by_tile, uv0=uv + np.float32(i))["base_color"]
        used |= {n for n in sets if np.abs(found - alone[n]).mean() < 2e-3}
    assert used == set(sets)


def test_curvature_is_one_over_the_radius_of_a_ball_and_0_on_a_plane() -> None:
    """Closed form: the mean curvature of a ball of radius r is 1/r."""
    for radius in (0.1, 0.5):
        ball = shapes.ball(radius, 64)
        inner = np.abs(ball.positions[:, 1]) < 0.8 * radius  # the poles' thin triangles are no fair sample
        assert np.median(curvature(ball)[inner]) == pytest.approx(1 / radius, rel=0.02)
        hollow = ball.with_(normals=-ball.normals)
        assert np.median(curvature(hollow)[inner]) == pytest.approx(-1 / radius, rel=0.02)
    assert np.abs(curvature(shapes.plane(2, 2, 0.2))).max() < 1e-4
    box = shapes.box(1, 1, 1)
    assert curvature(box).min() > 0.5  # every vertex of a box is a corner
