"""Everything that is said of a quantity follows from its one record."""

from __future__ import annotations

import numpy as np
import pytest

from jade_coat.material.compile import compile_material, live_fields
from jade_coat.material.material import Coat, Material
from jade_coat.material.quantity import QUANTITIES, stored
from jade_coat.material.rows import field_values
from jade_coat.material.surface import NoMaps, Surface
from jade_coat.mesh import shapes
from jade_coat.program import FLOAT
from jade_coat.stage.alone import single
from jade_coat.view.attachments import ATTACHMENTS
from jade_coat.view.camera import eye_of
from tests.support import put_mesh

PLAIN = Material(
    id="plain", name="Plain", coats=(Coat(id="c", name="C", surface=Surface(
        color=(0.2, 0.5, 0.7), roughness=0.3, metallic=0.6, height=0.8, emissive=(0.4, 0.1, 0.0),
    )),),
)  # fmt: skip
GIVEN = {"base_color": (0.2, 0.5, 0.7), "roughness": 0.3, "metallic": 0.6, "height": 0.8, "occlusion": 1.0,
         "opacity": 1.0, "emissive": (0.4, 0.1, 0.0)}  # fmt: skip


def displayed(name: str, value: np.ndarray) -> np.ndarray:
    """IEC 61966-2-1 for colours; the neutral tone map's toe takes 0.04 of what is brighter than 0.08."""
    if not QUANTITIES[name].is_color:
        return value
    linear = value - (0.0 if name == "base_color" else min(value.min() - 6.25 * value.min() ** 2, 0.04))
    return np.where(linear <= 0.0031308, linear * 12.92, 1.055 * np.abs(linear) ** (1 / 2.4) - 0.055)


@pytest.mark.parametrize("name", sorted(GIVEN))
def test_every_quantity_comes_back_from_the_g_buffer_as_it_was_given(renderer, name: str) -> None:
    mesh = shapes.plane(2.0, 2.0, 0.5)
    put_mesh(renderer, "quantity plane", mesh)
    renderer.assets.set_material(PLAIN, NoMaps())
    renderer.scenes.set("quantity", single("quantity plane", mesh, PLAIN, field_values(PLAIN)))
    eye = eye_of(np.array([0.0, 1.0, 0.01]), np.zeros(3), 0.5, 1.0)
    seen = renderer.picture("quantity", eye, 32, 32, looks=(name,), stream="quantity")[16, 16, :3] / 255
    assert np.abs(seen - displayed(name, np.atleast_1d(np.asarray(GIVEN[name], float)))).max() < 2.5 / 255


def test_records_are_whole_and_no_two_lie_in_one_place() -> None:
    outputs = compile_material(PLAIN, NoMaps(), live_fields(PLAIN))
    places, files = [], []
    for quantity in QUANTITIES.values():
        assert outputs[quantity.name].type.size == quantity.size == len(quantity.default)
        assert (outputs[quantity.name].type == FLOAT) == (quantity.size == 1)
        assert len(quantity.place.channels) == len(quantity.file.channels) == quantity.size
        assert all(quantity.span[0] <= v <= quantity.span[1] for v in quantity.default)
        assert quantity.place.attachment in {a.name for a in ATTACHMENTS if a.of_surface}
        assert f"out_{quantity.name}" in stored(quantity.place.attachment)
        places += [(quantity.place.attachment, c) for c in quantity.place.channels]
        files += [(quantity.file.name, c) for c in quantity.file.channels]
    assert len(set(places)) == len(places)
    assert len(set(files)) == len(files)
