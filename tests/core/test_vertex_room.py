"""What programs read of vertices, beyond the attributes that OpenGL promises."""

from __future__ import annotations

import numpy as np

from jade_coat.maps.packing import PackedLookup
from jade_coat.material.placing import HeightMove
from jade_coat.material.rows import field_values, layout
from jade_coat.material.where import PaintTerm
from jade_coat.mesh import shapes
from jade_coat.mesh.attributes import (
    ATTRIBUTES,
)
from jade_coat.mesh.data import MAX_COLOR_SETS, MAX_UV_SETS, MeshData
from jade_coat.program import lib
from jade_coat.program.glsl_backend import FetchMode, emit
from jade_coat.program.layout import DialLayout
from jade_coat.stage.desk import Camera
from jade_coat.stage.draws import Draw, Scene
from jade_coat.view import crowd_tables
from jade_coat.view.vertex import MOST_STREAMS, program_part
from tests.core.test_placing import in_vertex_stage, numpy_of, prop_of
from tests.support import eye_for, put_mesh


def read_whole(mesh: MeshData) -> MeshData:
    """A mesh that holds all that a mesh can, and rests elsewhere than it is shown."""
    rng, count = np.random.default_rng(2), mesh.vertex_count
    colors = tuple(rng.integers(0, 65536, (count, 4)).astype(np.uint16) for _ in range(MAX_COLOR_SETS))
    uvs = tuple(rng.random((count, 2), np.float32) for _ in range(MAX_UV_SETS))
    whole = mesh.with_(uvs=uvs, colors=colors)
    return whole.with_(at_rest=whole.with_(positions=whole.positions * np.float32(1.5)))


def test_however_much_is_read_of_vertices_it_has_room(gl) -> None:
    """OpenGL 3.3 promises sixteen vertex attributes, and software GL has no more: what is beyond comes from a table."""
    mesh = read_whole(shapes.ball(0.5, 16))
    roots = {}
    for name, attribute in ATTRIBUTES.items():
        value, size = lib.attribute(name, attribute.type), attribute.type.size
        roots[name] = value if size == 1 else lib.dot(value, tuple(range(1, size + 1)))
    assert len(program_part(emit({}, DialLayout(()), FetchMode.MANUAL, vertex=roots)).streams) > MOST_STREAMS
    expected = numpy_of(mesh, prop_of().matrix(), roots)
    for name, found in in_vertex_stage(gl, mesh, prop_of().matrix(), roots).items():
        np.testing.assert_allclose(found, expected[name], atol=3e-5, err_msg=name)


def test_what_has_no_room_in_attributes_nor_in_a_table_is_told(renderer, demo, monkeypatch) -> None:
    wall, mesh = demo.project.material("kiln_wall"), read_whole(shapes.ball(0.5, 16))
    coats = [
        coat.with_(
            surface=coat.surface.with_(uv_set=i),
            where=(*coat.where, PaintTerm(id=f"set{i}", color_set=i), PaintTerm(id=f"other{i}", color_set=3 - i)),
        )
        for i, coat in enumerate(wall.coats)
    ]
    much = wall.with_(id="much", coats=tuple(coats), moves=(HeightMove(id="height", amount=0.02),))
    lookup = PackedLookup(demo.project.map_sets, demo.project.recipes)
    for limit, told in ((0, True), (1 << 30, False)):
        monkeypatch.setattr(crowd_tables, "MOST_BYTES", limit)
        renderer.assets.set_material(much, lookup)
        put_mesh(renderer, "much", mesh)
        draw = Draw("much", "", 0, len(mesh.triangles), "much", np.eye(4, dtype=np.float32)[None],
                    np.zeros(1, np.int32), np.zeros(1, np.float32))  # fmt: skip
        rows = layout(much).pack(field_values(much))[None]
        renderer.scenes.set("much", Scene([draw], {"much": rows}))
        eye = eye_for(Camera(distance=2.0), 64, 64)
        plain = renderer.picture("much", eye, 64, 64, ("base_color",))
        assert len(np.unique(plain.reshape(-1, 4), axis=0)) > 20
        assert ("too large" in renderer.faults.get("much", "")) == told
    renderer.assets.set_material(wall, lookup)
    assert not renderer.faults
