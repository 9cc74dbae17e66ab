"""One picture on its way through the passes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jade_coat.program.types import Array
from jade_coat.view.attachments import Box, Buffers
from jade_coat.view.camera import seen
from jade_coat.view.gpu_scenes import GpuScene
from jade_coat.view.looks import is_detailed, probes_of
from jade_coat.view.requests import Eye, Marks, Part


@dataclass
class Frame:
    """What passes read: the scene, the attachments, the camera, and which looks are wanted of it.

    `projection` `(4, 4)` is the camera's, shifted by the part of a pixel of the sample. `batch` are the looks that one
    filling of the attachments serves, `look` the one being composed. `part` is what alone is
    drawn anew, if not all. `alone` tells that one look is wanted, whose samples are summed up.
    """

    scene: GpuScene
    buffers: Buffers
    eye: Eye
    projection: Array
    batch: tuple[str, ...] = ("lit",)
    look: str = "lit"
    sample: int = 0
    alone: bool = True
    backdrop: bool = True
    blends: tuple[int, ...] = ()
    """The draws that are laid over the others by what they let through, not drawn among them."""
    own_light: tuple[int, ...] = ()
    """The draws whose surface kind has a light of its own."""
    crowds: tuple[int, ...] = ()
    """The draws of many small triangles that are sighted first and drawn by pixels."""
    link: int = 0
    """Which link of the chain a light of two tones is shown by; 0 is the whole."""
    marks: Marks | None = None
    part: Part | None = None
    begins: bool = False
    """Whether the samples before are of no use any more: what they were lit by has changed meanwhile."""

    @property
    def is_lit(self) -> bool:
        """Whether the lit look is among those that the attachments serve."""
        return "lit" in self.batch

    @property
    def in_light(self) -> bool:
        """Whether the picture is left as light at first, for what is laid over it."""
        around = self.scene.scene.surroundings
        return self.look == "lit" and bool(self.blends or self.own_light or around.lamps or around.mists)

    @property
    def view_projection(self) -> Array:
        """From the world to clip space, `(4, 4)`."""
        return self.projection @ self.eye.view

    def pixels_of(self, corners: Array) -> Box | None:
        """The pixels that a box with these corners `(8, 3)` may cover; None where it is not to be seen."""
        at = seen(self.eye, corners)
        width, height = self.buffers.size
        if (at[:, 2] <= 0).all():
            return None
        if (at[:, 2] <= 1e-3).any():
            return (0, 0, width, height)
        x0, y0 = np.floor(at[:, :2].min(axis=0) * (width, height)).astype(int) - 1
        x1, y1 = np.ceil(at[:, :2].max(axis=0) * (width, height)).astype(int) + 1
        x0, x1, y0, y1 = max(int(x0), 0), min(int(x1), width), max(int(y0), 0), min(int(y1), height)
        return (x0, height - y1, x1 - x0, y1 - y0) if x1 > x0 and y1 > y0 else None

    @property
    def detailed(self) -> bool:
        """Whether the attachments hold more than the surface."""
        return any(is_detailed(look) for look in self.batch)

    @property
    def probes(self) -> tuple[str, ...]:
        """The outputs by name that the attachments hold."""
        return probes_of(self.batch)
