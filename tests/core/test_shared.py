"""Shared dials: time tracks, links, and what stays when one goes."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jade_coat.bake.baker import bake_slot
from jade_coat.bake.scene_bake import SceneBaker
from jade_coat.bake.unwrap import bake_mesh
from jade_coat.jobs.job import Job
from jade_coat.material.compile import compile_material, live_fields, structure, with_shared
from jade_coat.material.material import Coat, Link, Material
from jade_coat.material.rows import field_values
from jade_coat.material.surface import NoMaps, Surface
from jade_coat.material.where import SharedTerm
from jade_coat.program import Rate, passes
from jade_coat.stage import edits
from jade_coat.stage.document import Document
from jade_coat.stage.project import Project
from jade_coat.stage.shared_dials import SharedDial

keys_and_length = st.floats(0.5, 30).flatmap(
    lambda length: st.tuples(
        st.just(length),
        st.lists(
            st.tuples(st.floats(0, 0.98), st.floats(0, 1)), min_size=1, max_size=6, unique_by=lambda k: round(k[0], 2)
        ),
    )
)


@settings(max_examples=100, deadline=None)
@given(keys_and_length, st.floats(0, 100))
def test_a_track_goes_through_its_keys_and_loops_without_a_jump(made, time) -> None:
    length, keys = made
    dial = SharedDial(id="d", name="D", keys=tuple(sorted((t * length, v) for t, v in keys)), length=length)
    for t, value in dial.keys:
        assert dial.at(t) == pytest.approx(value, abs=1e-6)
    assert dial.at(time) == pytest.approx(dial.at(time + length), abs=1e-6)
    step = length * 1e-6
    assert dial.at(length - step) == pytest.approx(dial.at(0.0), abs=1e-3)
    values = [v for _, v in dial.keys]
    around = [dial.at(t) for t in np.linspace(0, length, 60)]
    assert min(values) - 1e-9 <= min(around)
    assert max(around) <= max(values) + 1e-9  # Fritsch & Carlson 1980: no overshoot
    before, after = (dial.at(s) - dial.at(s - step) for s in (length - step, length + step))
    assert before == pytest.approx(after, abs=1e-3)  # nor a kink


def wet_material() -> Material:
    coat = Coat(id="c", name="C", surface=Surface(color=(0.4, 0.4, 0.4), roughness=0.9))
    top = Coat(id="t", name="T", surface=Surface(color=(0.0, 0.0, 1.0)), where=(SharedTerm(id="s", shared="damp"),))
    links = (
        Link(path="c.surface.roughness", shared="damp", low=0.9, high=0.3),
        Link(path="c.surface.tint", shared="damp", low=(1.0, 1.0, 1.0), high=(0.5, 0.5, 0.5)),
    )
    return Material(id="m", name="M", coats=(coat, top.with_(amount=0.0)), links=links)


def test_linked_fields_follow_their_shared_dial_and_leave_the_pixel_stage() -> None:
    material = wet_material()
    outputs = compile_material(material, NoMaps(), live_fields(material))
    assert passes.rates({"r": outputs["roughness"]})[outputs["roughness"]] <= Rate.ROW
    for damp, expected, tone in ((0.0, 0.9, 0.4), (0.5, 0.6, 0.3), (1.0, 0.3, 0.2)):
        fixed = with_shared(compile_material(material, NoMaps(), lambda _, v: _plain(v)), {"own_damp": damp})
        assert fixed["roughness"].static[0] == pytest.approx(expected)
        assert fixed["base_color"].static == pytest.approx((tone,) * 3)
    assert structure(material) == structure(material.with_(name="Other"))


def _plain(value):
    from jade_coat.program import const

    return const(*value) if isinstance(value, tuple) else const(value)


def test_edits_link_unlink_and_a_removed_dial_leaves_its_value() -> None:
    material = wet_material().with_(links=())
    document = Document(Project(materials=(material,), shared=(SharedDial(id="damp", name="Damp", value=0.25),)))
    document.do(edits.link_field(material="m", path="c.surface.roughness", shared="damp", high=0.1))
    link = document.project.material("m").link_at("c.surface.roughness")
    assert (link.low, link.high) == (0.9, 0.1)
    document.do(edits.link_field(material="m", path="c.surface.roughness", shared="damp", low=0.5))
    assert document.project.material("m").link_at("c.surface.roughness").high == 0.1
    with pytest.raises(KeyError, match="no shared dial"):
        document.do(edits.link_field(material="m", path="c.surface.hue", shared="none"))
    document.do(edits.set_shared(shared="damp", name="Wet", value=7.0))
    assert document.project.shared_dial("damp").value == 1.0  # kept within its limits; a new name loses nothing
    document.do(edits.set_shared(shared="damp", value=0.25))
    document.do(edits.remove_shared(shared="damp"))
    assert field_values(document.project.material("m"))["c.surface.roughness"] == pytest.approx(0.4)
    assert not document.project.material("m").links
    document.undo()
    assert document.project.material("m").links
    for bad in (((1.0, 0.0), (0.5, 1.0)), ((-1.0, 0.0),)):
        with pytest.raises(ValueError, match="rising"):
            SharedDial(id="d", name="D", keys=bad)


def test_the_demo_gets_wet_and_a_bake_takes_the_state_at_rest(demo) -> None:
    """Wet ground: colour less saturated and darker, roughness lower (common practice, no source)."""
    prop = demo.project.prop("kiln_wall_prop")
    results = []
    for damp in (0.0, 1.0):
        shared = tuple(d.with_(keys=(), value=damp if d.id == "damp" else 0.0) for d in demo.project.shared)
        project = demo.project.with_(shared=shared)
        assert project.shared_at()["own_damp"] == damp
        look = SceneBaker(project, demo.library, 64, Job())._look(prop, "surface", "celadon_wall")
        mesh = demo.mesh(prop.mesh)
        made = bake_mesh(mesh)
        maps = bake_slot(mesh, made, made.mesh.slots[0], look, prop.matrix(), prop.paint.whole(), 64, Job()).values
        results.append((maps["base_color"].mean(), maps["roughness"].mean()))
    (dry_color, dry_rough), (wet_color, wet_rough) = results
    assert wet_color < 0.75 * dry_color
    assert wet_rough < dry_rough
