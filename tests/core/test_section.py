"""The section: a line on a surface, and what a material is along it."""

from __future__ import annotations

import numpy as np
import pytest

from jade_coat.files.assets import Assets
from jade_coat.files.library import Library
from jade_coat.looking.coverage import coverage_shares
from jade_coat.looking.section import cut, trace
from jade_coat.material.material import Coat, Link, Material
from jade_coat.material.recipes import Recipe, Step
from jade_coat.material.seam import Seam
from jade_coat.material.surface import Surface
from jade_coat.material.where import PaintTerm
from jade_coat.mesh import shapes
from jade_coat.mesh.data import FULL
from jade_coat.mesh.painting import Paint
from jade_coat.stage.project import Project, Prop
from jade_coat.view.camera import ray
from tests.support import eye_for


def straight_down(from_x: float, to_x: float, z: float, count: int = 200) -> tuple[np.ndarray, np.ndarray]:
    """An origin high above, and rays from it to points of the ground on a line."""
    origin = np.array([0.0, 50.0, 0.0])
    x = np.linspace(from_x, to_x, count)
    ends = np.stack([x, 0 * x, np.full(count, z)], axis=1)
    return origin, ends - origin


def test_a_line_on_a_plane_is_as_long_as_it_is_and_ends_at_the_edge() -> None:
    plane = shapes.plane(4, 4, 0.25)
    line = trace(plane, np.eye(4), "surface", *straight_down(-1.0, 1.0, 0.5))
    assert line is not None
    assert line.metres[-1] == pytest.approx(2.0, abs=1e-6)
    np.testing.assert_allclose(line.points[:, 1:], np.tile([[0.0, 0.5]], (200, 1)), atol=1e-9)
    over = trace(plane, np.eye(4), "surface", *straight_down(0.0, 6.0, 0.0))
    assert over is not None
    assert over.points[-1, 0] == pytest.approx(2.0, abs=0.05)
    assert trace(plane, np.eye(4), "surface", *straight_down(5.0, 6.0, 0.0)) is None
    turned = np.diag([2.0, 2.0, 2.0, 1.0])  # a prop twice as large
    assert trace(plane, turned, "surface", *straight_down(-1.0, 1.0, 0.5)).metres[-1] == pytest.approx(2.0, abs=1e-6)


def painted_plane(seam: Seam) -> tuple[Project, Library, Prop]:
    """Two plain coats; the upper one's amount, painted, rises from 0 to 1 along x."""
    library = Library(Assets())
    plane = shapes.plane(2, 2, 0.1)
    asset = library.add_mesh(plane, "Plane", set())
    low = Coat(id="low", name="Low", surface=Surface(color=(0.5, 0.0, 0.0), height=0.4))
    top = Coat(
        id="top", name="Top", surface=Surface(color=(0.0, 0.0, 0.5), height=0.6), where=(PaintTerm(id="p"),), seam=seam
    )
    material = Material(id="m", name="M", depth=0.05, coats=(low, top))
    values = np.zeros((plane.vertex_count, 4), np.uint16)
    values[:, 0] = np.round((plane.positions[:, 0] + 1) / 2 * FULL)
    prop = Prop(id="p", name="P", mesh=asset.id, finishes={"surface": "m"}, paint=Paint.of(values))
    return Project(materials=(material,), meshes=(asset,), props=(prop,)), library, prop


def test_the_cut_says_height_weight_and_colour_of_every_coat() -> None:
    """With a soft seam the weight is the painted amount itself, and the height an even mix."""
    project, library, prop = painted_plane(Seam(kind="soft"))
    mesh = library.mesh_by_id(project, prop.mesh)
    line = trace(mesh, np.eye(4), "surface", *straight_down(-0.95, 0.95, 0.03))
    found = cut(project, library, prop, "surface", "m", line)
    amount = (line.points[:, 0] + 1) / 2
    low, top = found.coats
    assert found.depth == 0.05
    np.testing.assert_allclose(low.height, 0.4, atol=1e-6)
    np.testing.assert_allclose(top.height, 0.6, atol=1e-6)
    np.testing.assert_allclose(top.weight, amount, atol=1e-4)
    np.testing.assert_allclose(top.level, 0.4 + 0.2 * amount, atol=1e-4)
    np.testing.assert_allclose(low.seen + top.seen, 1.0, atol=1e-6)
    np.testing.assert_allclose(top.color, np.tile([[0, 0, 0.5]], (200, 1)), atol=1e-6)
    np.testing.assert_array_equal(found.winner, (amount > 0.5).astype(int))
    bare = cut(project, library, prop, "surface", "m", line, lambda v: np.zeros((len(v), 4), np.uint16))
    assert bare.coats[1].weight.max() == 0.0  # a stroke under way stands in for the prop's paint


def test_moss_is_seen_in_the_joints_of_the_demos_wall(demo) -> None:
    """With height-led blending a fine, loose coat fills the joints of a paving before it covers the stones
    (common practice, no source)."""
    prop = demo.project.prop("kiln_wall_prop")
    eye = eye_for(demo.camera, 900, 600)
    directions = np.stack([ray(eye, x, 0.58)[1] for x in np.linspace(0.25, 0.5, 400)])
    line = trace(demo.mesh(prop.mesh), prop.matrix(), "surface", eye.position, directions)
    found = cut(demo.project, demo.library, prop, "surface", "celadon_wall", line)
    tile = next(c for c in found.coats if c.coat == "tile")
    moss = next(c for c in found.coats if c.coat == "moss")
    mossy = moss.seen > 0.5
    assert 0.02 < mossy.mean() < 0.6
    assert tile.height[mossy].mean() < tile.height[~mossy].mean() - 0.2


def test_the_repaired_wall_shows_plaster_by_its_mask_and_the_soft_mix_veils(demo) -> None:
    """A 64×64 painted mask is enough for a wall when the edge detail comes from the surface's own height; a plain mix
    veils joints and stones at once (common practice, no source)."""
    prop = demo.project.prop("kiln_wall_prop")
    mesh = demo.mesh(prop.mesh)
    eye = eye_for(demo.camera, 900, 600)
    directions = np.stack([ray(eye, x, 0.25)[1] for x in np.linspace(0.1, 0.6, 600)])
    line = trace(mesh, prop.matrix(), "surface", eye.position, directions)
    between = {}
    for finish in ("celadon_wall", "plain_wall"):
        found = cut(demo.project, demo.library, prop, "surface", finish, line)
        weight = next(c for c in found.coats if c.coat == "lime").weight
        assert weight.max() > 0.8
        assert weight.min() == 0.0
        between[finish] = ((weight > 0.15) & (weight < 0.85)).mean()
    assert between["celadon_wall"] < 0.5 * between["plain_wall"]


def test_the_section_and_what_coats_cover_go_by_the_clock() -> None:
    """The upper coat's amount follows the seconds: nothing of it is there at 0, half at a half, all at 1."""
    project, library, prop = painted_plane(Seam(kind="soft"))
    rising = Recipe(id="rising", name="Rising", steps=(Step(id="out", kind="time"),))
    plain = project.material("m")
    top = plain.coats[1].with_(where=())
    made = plain.with_(
        coats=(plain.coats[0], top), links=(Link(path="top.amount", recipe="rising", low=0.0, high=1.0),)
    )
    project = project.with_(materials=(made,), recipes=(rising,))
    plane = library.mesh_by_id(project, prop.mesh)
    line = trace(plane, np.eye(4), "surface", *straight_down(-0.9, 0.9, 0.0))
    for time in (0.0, 0.5, 1.0):
        found = cut(project, library, prop, "surface", "m", line, time=time)
        np.testing.assert_allclose(found.coats[1].seen, time, atol=1e-5)
        shares = coverage_shares(project, library, prop, "surface", time)
        assert shares["m:top"] == pytest.approx(time, abs=1e-5)
