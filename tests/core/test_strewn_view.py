"""Pieces in the picture: as props would be in their places, gone from afar by dither, and their shadows on the land."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from scipy.spatial import cKDTree

from jade_coat.ground.heights import Heights
from jade_coat.ground.pieces import Pieces
from jade_coat.maps.packing import PackedLookup
from jade_coat.material.material import Finish
from jade_coat.stage.ground_nodes import NODE_MESH, node_mesh
from jade_coat.stage.mesh_assets import Category
from jade_coat.stage.plucking import as_prop
from jade_coat.stage.project import Project
from jade_coat.view.camera import eye_of, seen
from jade_coat.view.strewn import FADE, FIRST, GOING
from tests.core.test_ground_view import give_own
from tests.core.test_scatter import MESH, columns_of, project_of, scattered
from tests.support import put_mesh

SIDE = 160


def pictured(renderer, project: Project, name: str, eye) -> np.ndarray:
    columns, scene = columns_of(project)
    put_mesh(renderer, "box", MESH)
    for material in columns.materials.values():
        renderer.assets.set_material(material, PackedLookup(()))
    renderer.scenes.set(name, scene)
    found = renderer.picture(name, eye, SIDE, SIDE, ("base_color",), stream=name, backdrop=False)
    assert not renderer.faults
    return found


def test_pieces_are_drawn_as_props_in_their_places_would_be(renderer) -> None:
    """The same picture from both, and what is far away is gone, but not at once."""
    project = project_of(scattered(density=2.0, far=1000.0, dial="warm", high=1.0))
    columns, _ = columns_of(project)
    scatter = project.grounds.first.scatter[0]
    pieces = Pieces.joined(columns.strewing.pieces("land", "s").values())
    pieces = pieces.some(np.argsort(pieces.ranks))
    props = tuple(as_prop(project, scatter, pieces.some(slice(i, i + 1)), f"x{i}", f"X{i}") for i in range(len(pieces)))
    bare = project.with_(grounds=project.grounds.with_(project.grounds.first.with_(scatter=(), visible=False)))
    own = project.props["p"]
    eye = eye_of(np.array([0.0, 9.0, 24.0]), np.array([0.0, 2.0, 0.0]), 0.8, 1.0)
    from_props = pictured(renderer, bare.with_(props=(own, *props)), "props", eye)
    strewn_alone = pictured(renderer, project, "strewn", eye)
    there = from_props[..., 3] > 127
    assert there.mean() > 0.02
    assert (strewn_alone[there] == from_props[there]).all(
        axis=-1
    ).mean() > 0.99  # (the renderer was given no ground to hide them)
    near_ones = project.with_(grounds=project.grounds.with_(
        project.grounds.first.with_(scatter=(scatter.with_(far=30.0),))))  # fmt: skip
    pictured(renderer, near_ones, "near", eye)
    drawn = next(d for d in renderer.scenes.get("near").scene.draws if d.strewn)
    away = np.linalg.norm(drawn.matrices[:, :3, 3] - eye.position, axis=1)
    assert 0 < len(drawn.rows) < len(pieces)
    assert away.max() < 30.0
    gone = drawn.rows >> GOING
    assert (gone[away < FIRST * 30 * (1 - FADE)] == 0).all()
    assert gone[away > 28.0].min() > 0


@pytest.mark.parametrize("cut", [False, True])
def test_a_piece_that_goes_from_afar_is_there_at_as_many_points_as_are_left(renderer, cut: bool) -> None:
    """Over many samples its picture is as faint as it has gone (dither; by the share of the distance, by hand)."""
    project = project_of(scattered(density=1.0, far=100.0, size=(20.0, 20.0), tilt=0.0, turn=0.0))
    if cut:
        mesh = project.meshes[0].with_(categories={"surface": "cut"})
        hole = project.material("m").with_(id="hole", kind="masked")
        project = project.with_(
            materials=(*project.materials, hole), meshes=(mesh,),
            finishes=(*project.finishes, Finish(id="cut", name="Cut", parent="hole")),
            categories=(*project.categories, Category(id="cut", name="Cut", finish="cut")),
        )  # fmt: skip
    columns, scene = columns_of(project)
    put_mesh(renderer, "box", MESH)
    for material in columns.materials.values():
        renderer.assets.set_material(material, PackedLookup(()))
    name = "land\ns"
    one = Pieces.joined(scene.strewn[name].cells.values()).some(slice(0, 1))
    one = replace(one, ranks=np.zeros(1, np.float32))  # it is the last to go
    scene.strewn[name].cells = {(0, 0): one}
    renderer.scenes.set("faint", scene)
    foot = one.matrices[0, :, 3].astype(np.float64)
    for share in (1.0, 0.7, 0.3):
        at = foot + (0.0, 0.0, 100.0 * (1 - FADE * share))
        eye = eye_of(at, foot + (0.0, 2.0, 0.0), 0.05, 1.0)
        for sample in range(64):
            picture = renderer.picture("faint", eye, 64, 64, ("base_color",), sample=sample, stream="faint",
                                       backdrop=False)  # fmt: skip
        assert not renderer.faults
        inner = picture[24:40, 24:40, 3].astype(float) / 255
        assert inner.mean() == pytest.approx(share, abs=0.08)


def test_what_grows_far_from_everything_throws_its_shadow_on_the_land(renderer) -> None:
    """Where the sun's ray to the flat ground passes through a piece it is darker than beside it, by plain geometry."""
    flat = Heights.of(np.zeros((65, 65), np.float32), (60.0, 60.0))
    project = project_of(scattered(density=0.02, size=(8.0, 8.0), tilt=0.0, turn=0.0, far=500.0))
    ground = project.grounds.first
    project = project.with_(
        grounds=(ground.with_(heights=flat),), props=(project.props["p"].with_(position=(0.0, 0.0, 0.0)),)
    )
    columns, scene = columns_of(project)
    put_mesh(renderer, "box", MESH)
    put_mesh(renderer, NODE_MESH, node_mesh())
    give_own(renderer, project.grounds.first)
    for material in columns.materials.values():
        renderer.assets.set_material(material, PackedLookup(()))
    renderer.scenes.set("land", scene)
    sun = np.array([1.0, 1.0, 0.0]) / math.sqrt(2)
    renderer.set_light((float(sun[0]), float(sun[1]), 0.0), 3.0)
    eye = eye_of(np.array([0.0, 90.0, 0.001]), np.zeros(3), 0.75, 1.0)
    size = 400
    for sample in range(3):
        picture = renderer.picture("land", eye, size, size, ("lit",), stream="land", sample=sample)
    assert not renderer.faults
    places = Pieces.joined(columns.strewing.pieces("land", "s").values()).places.astype(np.float64) - 30.0
    outer = places[(np.abs(places).max(axis=1) > 12) & (np.abs(places).max(axis=1) < 24)]
    assert len(outer) > 10
    # A piece is 1.6 m wide and 2.4 m high; at 45° its shadow reaches as far to the west as it is high.
    shaded = np.stack([outer[:, 0] - 0.8 - 1.2, 0 * outer[:, 0], outer[:, 1]], axis=1)
    open_ = shaded + np.array([0.0, 0.0, 2.2])
    alone = cKDTree(places).query(open_[:, [0, 2]], k=2)[0][:, 1] > 4.0  # of all but its own
    at = [np.clip((seen(eye, p)[:, :2] * size).astype(int), 0, size - 1) for p in (shaded[alone], open_[alone])]
    dark, bright = (picture[a[:, 1], a[:, 0], :3].astype(float).mean() for a in at)
    assert alone.sum() > 4
    assert dark < 0.8 * bright  # as shown; in light it is about half
