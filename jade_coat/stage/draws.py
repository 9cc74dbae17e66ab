"""What a renderer is given: instanced draws and the rows of the dial tables."""

from __future__ import annotations

from dataclasses import dataclass, field

from jade_coat.material.paint_source import MapSource
from jade_coat.program.types import Array


@dataclass(frozen=True)
class Draw:
    """One instanced draw: a run of a mesh's triangles, one material, and an entry per instance.

    `paint` names the prop whose own paint is used, or is empty for the mesh's; `matrices` `(n, 4, 4)`;
    `rows` `(n,)` index the material's table; `props` `(n,)` index the project's props; `seeds` `(n,) float32` are their
    random numbers. `on_map` says how materials read a painted map, where the own paint is on one.
    """

    mesh: str
    paint: str
    start: int
    count: int
    material: str
    matrices: Array
    rows: Array
    props: Array
    seeds: Array
    on_map: MapSource | None = None


@dataclass(frozen=True)
class Scene:
    """All draws, and for each material its table of rows `(n, floats)`."""

    draws: tuple[Draw, ...] = ()
    rows: dict[str, Array] = field(default_factory=dict)
