"""The attachments of a picture: the G-buffer, the sum of its samples, and the picture itself."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import moderngl
import numpy as np

from jade_coat.material.quantity import QUANTITIES
from jade_coat.program.types import Array

Box = tuple[int, int, int, int]
"""Pixels: left, bottom, width, height."""


def within(box: Box, limit: Box) -> Box:
    """What two boxes of pixels share."""
    x0, y0 = max(box[0], limit[0]), max(box[1], limit[1])
    x1, y1 = min(box[0] + box[2], limit[0] + limit[2]), min(box[1] + box[3], limit[1] + limit[3])
    return (x0, y0, max(x1 - x0, 0), max(y1 - y0, 0))


@dataclass(frozen=True)
class Attachment:
    """One texture of the G-buffer: four channels of bytes (`f1`) or half floats (`f2`).

    Those `of_surface` hold quantities, as their records say (`material.quantity`); the others hold what is looked at.
    """

    name: str
    format: str
    of_surface: bool = False


HALF_FLOATS = ("shape", "extra")
"""Attachments whose quantities have signs, or no upper bound."""
ATTACHMENTS = (
    *(
        Attachment(name, "f2" if name in HALF_FLOATS else "f1", True)
        for name in dict.fromkeys(quantity.place.attachment for quantity in QUANTITIES.values())
    ),
    Attachment("paint", "f1"), Attachment("wheres", "f1"), Attachment("coverage", "f1"),
)  # fmt: skip
"""The G-buffer, in the order of its outputs; surfaces come first."""


@dataclass
class Buffers:
    """The attachments for one picture size, and the sum of the samples drawn so far."""

    size: tuple[int, int]
    attachments: list[Any]
    depth: Any
    gbuffer: Any
    total: Any
    summing: Any
    picture: Any
    output: Any
    over: Any
    radiance: Any
    over_light: Any
    lighting: Any
    sighted: Any
    sighting: Any
    mask: Any
    """Depths that say where a step is wanted: full-screen steps test against it (`Drawer.run_screen`)."""
    masking: Any
    masked: Any
    under: tuple[Any, ...] = ()
    """The attachments as they were before a decal was laid, and who receives it; made when the first one is."""
    over_surfaces: Any = None
    keeping: Any = None
    receiving: Any = None
    behind: Any = None
    """The depths of all that does not blend, for what fades where it meets it; made when that is first drawn."""
    leaving: Any = None
    openness: Any = None
    """How much of the sky is seen, at half the size; made when it is first worked out."""
    opening: Any = None
    opened_by: object = None
    """The scene and which of its depth maps of the sky that was worked out from."""
    samples: int = 0
    is_sum: bool = False
    """Whether the picture is the sum of its samples: of one alone, and without marks over it."""
    filled: object = None
    """What the attachments hold: the scene, the eye and all else that they follow from."""
    projection: Array = field(default_factory=lambda: np.eye(4))
    """The projection they were drawn by, shifted by the part of a pixel of their sample."""

    def box_of(self, part: tuple[float, float, float, float]) -> tuple[int, int, int, int]:
        """The pixels (left, bottom, width, height) of a part (left, top, right, bottom; 0 to 1), and some around it."""
        width, height = self.size
        x0, x1 = (min(max(round(x * width) + d, 0), width) for x, d in ((part[0], -2), (part[2], 2)))
        y0, y1 = (min(max(round((1 - y) * height) + d, 0), height) for y, d in ((part[3], -2), (part[1], 2)))
        return (x0, y0, max(x1 - x0, 1), max(y1 - y0, 1))

    def limit(self, box: tuple[int, int, int, int] | None) -> None:
        """Let only a box of pixels (left, bottom, width, height) be composed, or all again."""
        for target in (self.summing, self.output, self.lighting, self.over_light, self.masking):
            target.scissor = box

    def keep_under(self, context: Any) -> None:
        """Make room for the attachments as they are before a decal is laid."""
        if self.under:
            return
        surface = [(a, t) for a, t in zip(ATTACHMENTS, self.attachments, strict=True) if a.of_surface]
        kept = [context.texture(self.size, 4, dtype=a.format) for a, _ in surface]
        receivers = context.texture(self.size, 1)
        for texture in (*kept, receivers):
            texture.filter = (moderngl.NEAREST, moderngl.NEAREST)
        self.under = (*kept, receivers)
        self.keeping = context.framebuffer(kept)
        self.over_surfaces = context.framebuffer([t for _, t in surface])
        self.receiving = context.framebuffer([receivers], self.depth)
        self.receiving.depth_mask = False

    def keep_behind(self, context: Any) -> None:
        """Make room for the depths of all that does not blend."""
        if self.behind is None:
            self.behind = context.texture(self.size, 1, dtype="f4")
            self.behind.filter = (moderngl.NEAREST, moderngl.NEAREST)
            self.leaving = context.framebuffer([self.behind])

    def keep_openness(self, context: Any) -> None:
        """Make room for how much of the sky is seen."""
        if self.openness is None:
            width, height = self.size
            self.openness = context.texture(((width + 1) // 2, (height + 1) // 2), 4, dtype="f2")
            self.openness.filter = (moderngl.NEAREST, moderngl.NEAREST)
            self.opening = context.framebuffer([self.openness])

    @property
    def _later(self) -> tuple[Any, ...]:
        """What is made when it is first needed."""
        openness = (self.opening, self.openness)
        return (self.keeping, self.over_surfaces, self.receiving, *openness, self.leaving, self.behind)

    def release(self) -> None:
        """Free everything."""
        for thing in (
            *(t for t in self._later if t is not None),
            *self.under,
            self.gbuffer,
            self.summing,
            self.output,
            self.over,
            self.over_light,
            self.radiance,
            self.lighting,
            self.masked,
            self.masking,
            self.mask,
            self.sighting,
            self.sighted,
            *self.attachments,
            self.depth,
            self.total,
            self.picture,
        ):
            thing.release()


def new_buffers(context: Any, width: int, height: int) -> Buffers:
    """The attachments of a picture of this size."""
    size, make = (width, height), context.texture
    attachments = [make(size, 4, dtype=a.format) for a in ATTACHMENTS]
    for texture in attachments:
        texture.filter = (moderngl.NEAREST, moderngl.NEAREST)
    depth, mask = context.depth_texture(size), context.depth_texture(size)
    depth.compare_func = ""
    depth.filter = (moderngl.NEAREST, moderngl.NEAREST)
    total, picture, radiance = make(size, 4, dtype="f4"), make(size, 4), make(size, 4, dtype="f2")
    sighted = make(size, 2, dtype="u4")
    sighted.filter = (moderngl.NEAREST, moderngl.NEAREST)
    made = Buffers(
        size, attachments, depth, context.framebuffer(attachments, depth),
        total, context.framebuffer([total], mask), picture, context.framebuffer([picture], mask),
        context.framebuffer([picture], depth), radiance, context.framebuffer([radiance], depth),
        context.framebuffer([radiance], mask), sighted, context.framebuffer([sighted], depth),
        mask, context.framebuffer([], mask), context.framebuffer(attachments, mask),
    )  # fmt: skip
    for target in (made.summing, made.output, made.lighting, made.masked):
        target.depth_mask = False
    return made
