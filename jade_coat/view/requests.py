"""What a picture is asked for with: the camera, what is drawn over it, and what alone has changed."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from jade_coat.program.types import Array


@dataclass(frozen=True)
class Eye:
    """A camera ready for the renderer: view and projection `(4, 4)`, position `(3,)`."""

    view: Array
    projection: Array
    position: Array


@dataclass(frozen=True)
class Marks:
    """What is drawn over a picture: a mesh's edges and vertices, and how finely it can be painted.

    `matrix` `(4, 4)` places the mesh. `radius` is the brush's in the mesh's own metres; 0 leaves the colours away.
    `spacing` is the share of the picture's height that lies between two vertices or so: dots keep clear of each other.
    """

    mesh: str
    matrix: Array
    edges: bool = False
    vertices: bool = False
    radius: float = 0.0
    spacing: float = 0.05

    @property
    def key(self) -> tuple[object, ...]:
        """What tells whether others look the same."""
        return (self.mesh, self.matrix.tobytes(), self.edges, self.vertices, self.radius, self.spacing)


@dataclass(frozen=True)
class Part:
    """What alone has changed since the last picture of a stream: some triangles of a prop that has paint of its own.

    `numbers` `(k,)` say which they are, `corners` `(k, 3) uint32` their vertices; `box` is where they are seen, 0–1
    from the upper left. Where the last picture was of something else, all is drawn.
    """

    prop: str
    numbers: Array
    corners: Array
    box: tuple[float, float, float, float]

    def with_(self, other: Part) -> Part | None:
        """What both have changed; None where they are of two props."""
        if other.prop != self.prop:
            return None
        numbers, first = np.unique(np.concatenate([self.numbers, other.numbers]), return_index=True)
        corners = np.concatenate([self.corners, other.corners])[first]
        (x0, y0, x1, y1), (left, top, right, bottom) = self.box, other.box
        box = (min(x0, left), min(y0, top), max(x1, right), max(y1, bottom))
        return Part(self.prop, numbers, corners, box)

    def between(self, left: float, right: float) -> Part:
        """What is seen of it in an upright strip of the picture, 0–1; beside it, a box without width at its edge."""
        x0, top, x1, bottom = self.box
        return replace(self, box=(min(max(x0, left), right), top, min(max(x1, left), right), bottom))

    @property
    def is_seen(self) -> bool:
        """Whether its box has any width."""
        return self.box[2] > self.box[0]
