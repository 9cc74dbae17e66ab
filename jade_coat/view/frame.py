"""One picture on its way through the passes."""

from __future__ import annotations

from dataclasses import dataclass

from jade_coat.program.types import Array
from jade_coat.view.attachments import Buffers
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
    crowds: tuple[int, ...] = ()
    """The draws of many small triangles that are sighted first and drawn by pixels."""
    marks: Marks | None = None
    part: Part | None = None

    @property
    def view_projection(self) -> Array:
        """From the world to clip space, `(4, 4)`."""
        return self.projection @ self.eye.view

    @property
    def detailed(self) -> bool:
        """Whether the attachments hold more than the surface."""
        return any(is_detailed(look) for look in self.batch)

    @property
    def probes(self) -> tuple[str, ...]:
        """The outputs by name that the attachments hold."""
        return probes_of(self.batch)
