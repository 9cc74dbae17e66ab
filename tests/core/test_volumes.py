"""The tree of boxes, and what it serves: rays, and leaving out what a camera does not see."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jade_coat.mesh import shapes
from jade_coat.mesh.picking import hit_in_world
from jade_coat.mesh.picking import target as rays_of
from jade_coat.stage import edits
from jade_coat.stage.boxes import PropBoxes
from jade_coat.stage.desk import Camera
from jade_coat.stage.document import Document
from jade_coat.stage.draws import NO_DRAW
from jade_coat.stage.project import Prop
from jade_coat.stage.turns import turn_of
from jade_coat.stage.volumes import VolumeTree
from jade_coat.view import culling
from jade_coat.view import standing as standing_module
from jade_coat.view.context import create_context
from jade_coat.view.culling import seen_order
from jade_coat.view.standing import Standing
from tests.core.test_many import yard
from tests.support import Demo, eye_for, stage_renderer


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 2**31), st.integers(0, 30))
def test_boxes_find_every_prop_that_a_ray_hits_nearest_first(seed: int, moved: int) -> None:
    """Against casting the ray at every prop (Möller & Trumbore, by `mesh.picking`)."""
    project, library = yard(30)
    rng = np.random.default_rng(seed)
    boxes, document = PropBoxes(), Document(project)

    def bounds(mesh: str) -> tuple[np.ndarray, np.ndarray]:
        return library.mesh_by_id(project, mesh).bounds

    boxes.update(document.project, bounds)
    for i in range(moved):
        document.do(
            edits.set_prop(
                prop=f"p{i % 30}",
                position=tuple(rng.uniform(-2, 2, 3)),
                turn=turn_of(*rng.uniform(-3, 3, 3)),
                size=tuple(rng.uniform(0.2, 2, 3)),
            )
        )
    boxes.update(document.project, bounds)
    for _ in range(6):
        origin, target = rng.uniform(-6, 6, 3), rng.uniform(-1, 1, 3)
        direction = (target - origin) / np.linalg.norm(target - origin)
        if rng.random() < 0.3:  # along an axis too
            direction = np.eye(3)[rng.integers(3)] * rng.choice([-1.0, 1.0])
        met = boxes.along(origin, direction)
        assert [d for d, _ in met] == sorted(d for d, _ in met)
        entry = {i: d for d, i in met}
        for prop in document.project.props:
            hit = hit_in_world(rays_of(library.mesh_by_id(project, prop.mesh)), prop.matrix(), origin, direction)
            if hit is not None:
                assert prop.id in entry
                assert entry[prop.id] <= hit.distance + 1e-5


@settings(max_examples=80, deadline=None)
@given(st.integers(0, 2**31), st.integers(1, 400), st.integers(0, 12))
def test_a_tree_of_boxes_finds_just_those_that_looking_at_each_finds(seed: int, count: int, changes: int) -> None:
    rng = np.random.default_rng(seed)
    tree, there = VolumeTree(), {}
    for change in range(changes + 1):
        numbers = rng.choice(count, rng.integers(0, count + 1) if change % 3 else min(count, 3), replace=False)
        middles, halves = rng.uniform(-5, 5, (len(numbers), 3)), rng.uniform(0, 1, (len(numbers), 3))
        if change % 4 == 3:
            tree.drop(numbers)
            there = {n: box for n, box in there.items() if n not in set(numbers)}
        else:
            tree.put(numbers, middles, halves)
            there |= {int(n): box for n, *box in zip(numbers, middles, halves, strict=True)}
        assert tree.numbers.tolist() == sorted(there)
        sides = np.concatenate([rng.normal(size=(3, 3)), rng.uniform(0, 3, (3, 1))], axis=1)
        sides /= np.linalg.norm(sides[:, :3], axis=1, keepdims=True)
        expected = [
            n for n, (m, h) in there.items() if (sides[:, :3] @ m + sides[:, 3] + np.abs(sides[:, :3]) @ h >= 0).all()
        ]
        assert tree.within(sides).tolist() == sorted(expected)
        origin, way = rng.uniform(-6, 6, 3), rng.normal(size=3)
        way = np.eye(3)[rng.integers(3)] if rng.random() < 0.3 else way / np.linalg.norm(way)
        with np.errstate(divide="ignore", invalid="ignore"):
            ends = {n: ((m - h - origin) / way, (m + h - origin) / way) for n, (m, h) in there.items()}
        entry = {n: np.nanmax(np.minimum(*e)) for n, e in ends.items()}
        leave = {n: np.nanmin(np.maximum(*e)) for n, e in ends.items()}
        met, away = tree.along(origin, way)
        assert set(met.tolist()) == {n for n in there if entry[n] <= leave[n] and leave[n] >= 0}
        np.testing.assert_allclose(away, [max(entry[int(n)], 0.0) for n in met], atol=1e-9)
        assert (np.diff(away) >= 0).all()


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 2**31), st.booleans())
def test_what_is_left_out_of_a_picture_is_outside_it_and_the_rest_is_nearest_first(seed: int, tree: bool) -> None:
    """Against projecting every vertex: an instance with one inside the picture is never left out."""
    rng = np.random.default_rng(seed)
    mesh = shapes.box(0.4, 0.8, 0.2)
    props = [
        Prop(id=f"p{i}", name="P", mesh="m", position=tuple(rng.uniform(-4, 4, 3)), turn=turn_of(*rng.uniform(-3, 3, 3)),
             size=tuple(rng.uniform(0.2, 3, 3))) for i in range(80)
    ]  # fmt: skip
    matrices = np.stack([p.matrix() for p in props]).astype(np.float32)
    eye = eye_for(
        Camera(target=tuple(rng.uniform(-2, 2, 3)), yaw=rng.uniform(-3, 3), pitch=rng.uniform(-1, 1)), 160, 100
    )
    draw = replace(NO_DRAW, matrices=matrices, rows=np.zeros(len(matrices), np.int32))
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(standing_module, "TREE_FROM", 1 if tree else 10**9)
        standing = Standing(draw, np.array(mesh.bounds))
    for _ in range(rng.integers(3)):  # some stand elsewhere since
        places = rng.choice(80, 30, replace=False)
        matrices[places, :3, 3] += rng.uniform(-3, 3, (30, 3))
        standing.moved(draw, places)
    order, _ = seen_order(draw, standing, eye)
    corners = np.concatenate([mesh.positions, np.ones((mesh.vertex_count, 1))], axis=1)
    clip = np.einsum("ij,njk,lk->nli", eye.projection @ eye.view, matrices.astype(np.float64), corners)
    inside = (np.abs(clip[..., :3]) <= clip[..., 3:]).all(axis=2).any(axis=1)
    assert set(np.flatnonzero(inside)) <= set(order.tolist())
    behind = ((eye.view @ matrices[:, :, 3].T)[2] > 3) & ~inside
    assert not set(np.flatnonzero(behind)) & set(order.tolist())
    away = np.linalg.norm(standing.balls(order)[0] - eye.position, axis=1)
    assert (np.diff(away) >= 0).all()


def test_leaving_out_what_is_not_seen_changes_no_picture() -> None:
    project, library = yard(300)
    demo = Demo(project, library, Path())
    gl = create_context()
    renderer, camera = stage_renderer(gl, demo), Camera(target=(1.0, 0.5, 0.0), distance=2.0, pitch=0.4)
    pictures = []
    for fewest in (culling.FEWEST, 10**9):
        with pytest.MonkeyPatch.context() as patched:
            patched.setattr(culling, "FEWEST", fewest)
            pictures.append([renderer.picture("stage", eye_for(camera.with_(yaw=yaw), 160, 100), 160, 100)
                             for yaw in (0.0, 1.0, 2.5)])  # fmt: skip
    assert len(renderer.scenes.get("stage").seen) == 2
    for one, other in zip(*pictures, strict=True):
        assert (one != other).any(axis=2).mean() < 0.002  # edges where two surfaces lie in one place
