"""What stands on land takes on its look near it: in the picture as far as its material says, and nowhere off it."""

from __future__ import annotations

import numpy as np
import pytest

from jade_coat.ground.heights import Heights
from jade_coat.maps.packing import PackedLookup
from jade_coat.material.compile import compile_material, fixed_fields, off_land, seen_from_ahead, settles
from jade_coat.material.material import Coat, Dial, Finish, Material
from jade_coat.material.settle import Settle
from jade_coat.material.surface import Surface
from jade_coat.mesh import shapes
from jade_coat.program import passes
from jade_coat.stage.draws import Scene
from jade_coat.stage.ground_nodes import NODE_MESH, node_mesh
from jade_coat.stage.mesh_assets import Category, MeshAsset
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.scene import SceneColumns
from jade_coat.view.camera import eye_of, seen
from jade_coat.view.programs import ProgramShop
from tests.core.test_ground_view import COLORS, give_own, plain
from tests.support import put_mesh

SIDE = 200
WHITE = (0.9, 0.9, 0.9)


def post(settle: Settle) -> Material:
    return Material(
        id="post", name="Post", settle=settle,
        coats=(Coat(id="c", name="C", surface=Surface(color=WHITE, roughness=0.2, height=0.5)),),
        dials=(Dial(id="reach", path="light:settle.reach", name="Blends up to"),),
    )  # fmt: skip


def standing(reach: float, lead: float = 0.0, slope: float = 0.0) -> Project:
    """A white post of 2 m on red land, which may rise along x."""
    land = np.repeat(np.linspace(-4 * slope, 4 * slope, 65, dtype=np.float32)[None], 65, axis=0)
    full = {n: np.full((33, 33), 255 if n == "red" else 0, np.uint8) for n in COLORS}
    project = plain(Heights.of(land, (8.0, 8.0)), full)
    box = MeshAsset(id="box", name="Box", asset="box", slots=("surface",), categories={"surface": "post"})
    return project.with_(
        materials=(*project.materials, post(Settle(reach=reach, lead=lead))),
        finishes=(*project.finishes, Finish(id="f", name="F", parent="post")), meshes=(box,),
        props=(Prop(id="p", name="P", mesh="box", position=(0.0, -0.5, 0.0)),),
        categories=(Category(id="post", name="Post", finish="f"),),
    )  # fmt: skip


def pictured(renderer, project: Project, look: str) -> tuple[np.ndarray, SceneColumns, object]:
    mesh = shapes.box(0.6, 2.5, 0.6)
    columns = SceneColumns(lambda _p, m: mesh if m == "box" else node_mesh(), lambda _p, m: m)
    scene = Scene()
    columns.update(project).apply(scene)
    put_mesh(renderer, "box", mesh)
    put_mesh(renderer, NODE_MESH, node_mesh())
    for ground in project.grounds:
        give_own(renderer, ground)
    for material in columns.materials.values():
        renderer.assets.set_material(material, PackedLookup(()))
    renderer.scenes.set("settle", scene)
    eye = eye_of(np.array([0.0, 1.2, 7.0]), np.array([0.0, 0.9, 0.0]), 0.5, 1.0)
    picture = renderer.picture("settle", eye, SIDE, SIDE, (look,), stream="settle")
    assert not renderer.faults
    return picture[..., :3] / 255.0, columns, eye


def along_front(picture: np.ndarray, eye, heights: np.ndarray) -> np.ndarray:
    """What is seen on the middle of the front of the post at some heights, metres."""
    at = seen(eye, np.stack([0 * heights, heights, np.full(len(heights), 0.3)], axis=1))[:, :2] * SIDE
    return picture[at[:, 1].astype(int), at[:, 0].astype(int)]


@pytest.mark.parametrize("reach", [0.0, 0.5, 1.2])
def test_near_the_land_it_has_its_colour_and_above_its_reach_its_own(renderer, reach: float) -> None:
    picture, _, eye = pictured(renderer, standing(reach), "base_color")
    heights = np.array([0.04, 0.2, 0.5, 0.9, 1.3, 1.8])
    found = along_front(picture, eye, heights)
    red = np.array(COLORS["red"])
    own = np.array(WHITE)
    share = (own[1] - np.where(found <= 0.04045, found / 12.92, ((found + 0.055) / 1.055) ** 2.4)[:, 1]) / (own - red)[
        1
    ]
    if not reach:
        assert np.abs(share).max() < 0.02
        return
    assert share[heights < reach * 0.1].min(initial=1.0) > 0.9, "at its foot it is as the land"
    assert np.abs(share[heights > reach * 1.02]).max() < 0.02, "beyond its reach it is as it was"
    assert (np.diff(share) <= 0.02).all(), "less and less of the land the higher up"


def test_it_has_the_lands_normal_at_its_foot_and_follows_the_land_where_it_rises(renderer) -> None:
    picture, _, eye = pictured(renderer, standing(0.6, slope=0.25), "normal")
    foot, top = along_front(picture, eye, np.array([0.05, 1.5]))
    up = np.array([-0.25, 1.0, 0.0]) / np.hypot(0.25, 1.0)  # of a rise of 1 in 4, by hand
    assert np.allclose(foot * 2 - 1, up, atol=0.12)
    assert np.allclose(top * 2 - 1, [0, 0, 1], atol=0.03)


def test_whether_the_land_is_as_it_was_is_known_without_a_program_of_it(renderer) -> None:
    """The land is drawn for what settles once; asking whether it changed emits nothing, where many parts would wait."""
    project = standing(0.5)
    pictured(renderer, project, "base_color")
    ground = next(d for d in renderer.scenes.get("settle").scene.draws if d.grid is not None)
    material, lookup = renderer.assets.materials[ground.material]
    fresh = ProgramShop(renderer.drawer.context)
    read = fresh.shared_read(material, lookup)
    assert fresh.compiles == 0
    assert len(fresh._by_structure) == 0
    assert read == tuple(sorted(fresh.view(material, lookup).glsl.shared))


def test_off_the_land_a_program_reads_none_of_it_and_is_as_if_it_settled_nowhere() -> None:
    material, bare = post(Settle(reach=0.4)), post(Settle())
    assert settles(material)
    values = {"light:settle.reach": 0.4}
    lookup = PackedLookup(())
    settled = seen_from_ahead(compile_material(material, lookup, fixed_fields(values)))
    assert passes.textures(list(settled.values())) == []
    assert settled == off_land(compile_material(bare, lookup, fixed_fields({"light:settle.reach": 0.0})))
