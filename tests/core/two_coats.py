"""A material of two plain coats, for tests of seams and of edits."""

from __future__ import annotations

from hypothesis import strategies as st

from jade_coat.material.material import Coat, Material
from jade_coat.material.surface import Surface

unit = st.floats(0, 1, width=32)


RED, BLUE = (1.0, 0.0, 0.0), (0.0, 0.0, 1.0)


def two_coats(**top) -> Material:
    return Material(
        id="m", name="M",
        coats=(
            Coat(id="low", name="Low", surface=Surface(color=RED, roughness=0.2, height=0.5)),
            Coat(id="top", name="Top", surface=Surface(color=BLUE, roughness=0.8, height=0.5), **top),
        ),
    )  # fmt: skip
