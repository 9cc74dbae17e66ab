"""The process around the renderer: the same pictures, the newest wish first, rows, faults, being killed."""

from __future__ import annotations

import os
import signal

import numpy as np
import pytest

from jade_coat.material.material import layout
from jade_coat.stage.looks import field_row, material_of
from jade_coat.stage.scene import build_scene
from jade_coat.view.client import RenderClient
from tests.support import eye_for, load_client


@pytest.fixture
def client():
    made = RenderClient()
    yield made
    made.close()


def test_the_process_draws_what_the_renderer_draws_and_survives_being_killed(client, renderer, demo) -> None:
    pictures, states = load_client(client, demo), []
    client.on_state = states.append
    eye = eye_for(demo.project.camera, 240, 150)
    wish = {"scene": "stage", "eye": eye, "width": 240, "height": 150}
    client.request("main", **wish)
    assert client.wait(lambda: client.idle and bool(pictures))
    expected = renderer.picture("stage", eye, 240, 150)
    assert np.abs(pictures[-1].pixels.astype(int) - expected.astype(int)).max() <= 1
    wall = demo.project.prop("kiln_wall_prop")
    full = np.full((2048, 4), 65535, np.uint16)
    client.patch_paint(wall.id, 0, full)
    client.request("main", **wish)
    assert client.wait(lambda: client.idle)
    painted = pictures[-1].pixels
    assert not np.array_equal(painted, expected)
    os.kill(client.process_id, signal.SIGKILL)
    count = len(pictures)
    client.request("main", **wish)
    assert client.wait(lambda: client.idle and len(pictures) > count)
    assert any("started again" in s for s in states)
    assert states[-1] == ""
    assert np.array_equal(pictures[-1].pixels, painted)  # the patched paint came back too


def test_the_newest_request_wins(client, demo) -> None:
    pictures = load_client(client, demo)
    for i in range(30):
        eye = eye_for(demo.project.camera.with_(yaw=i * 0.05), 160, 100)
        client.request("main", i, scene="stage", eye=eye, width=160, height=100)
    assert client.wait(lambda: client.idle)
    tags = [p.tag for p in pictures]
    assert tags[-1] == 29
    assert len(tags) <= 3


def test_turning_a_dial_uploads_a_row_and_compiles_nothing(client, demo) -> None:
    pictures = load_client(client, demo)
    eye = eye_for(demo.project.camera, 160, 100)
    wish = {"scene": "stage", "eye": eye, "width": 160, "height": 100}
    client.request("main", **wish)
    assert client.wait(lambda: client.idle and bool(pictures))
    material = material_of(demo.project, "celadon_wall")
    values = {**field_row(demo.project, "celadon_wall"), "tile.surface.tint": (1.0, 0.2, 0.2)}
    scene = build_scene(demo.project, demo.mesh)
    row = next(int(d.rows[0]) for d in scene.draws if d.material == material.id)
    client.set_row("stage", material.id, row, layout(material).pack(values))
    client.request("main", **wish)
    assert client.wait(lambda: client.idle)
    assert pictures[-1].compiles == pictures[0].compiles
    assert not np.array_equal(pictures[-1].pixels, pictures[0].pixels)


def test_bad_messages_are_told_and_the_process_goes_on(client, demo) -> None:
    pictures, troubles = load_client(client, demo), []
    client.on_trouble = troubles.append
    eye = eye_for(demo.project.camera, 64, 40)
    client.request("main", scene="stage", eye=eye, width=64, height=40, looks=("smell",))
    assert client.wait(lambda: bool(troubles))
    assert "no look 'smell'" in troubles[0]
    client.request("main", scene="stage", eye=eye, width=64, height=40)
    assert client.wait(lambda: bool(pictures))
