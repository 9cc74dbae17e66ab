"""Adds the light of lamps to what is lit, each where it reaches, with the shadows of what stands in it."""

from __future__ import annotations

import math
from typing import Any

import moderngl
import numpy as np

from jade_coat.program.types import Array
from jade_coat.stage.lamps import LampDraw
from jade_coat.view.attachments import ATTACHMENTS, Box, within
from jade_coat.view.camera import look_at_by, perspective, planes
from jade_coat.view.casting import Caster, depth_map
from jade_coat.view.context import HEADER, light_source, shader
from jade_coat.view.drawing import Drawer, depth_tested, set_uniform
from jade_coat.view.frame import Frame
from jade_coat.view.gpu_scenes import GpuScene
from jade_coat.view.lying import attachments_read
from jade_coat.view.passes.sky_depths import AT_ONCE

SIDE = 4096
"""Texels across the map that the lamps of a scene share."""
LARGEST, SMALLEST = 512, 32
"""Texels across one face of a lamp's map."""
FACES = 6
FEW = 2
"""Lamps whose maps are drawn at once however much throws shadows."""
TOGETHER = 4
"""Lamps that a program adds up at once, as `lamps.glsl` knows too."""
WIDE = 1.2
"""A spot whose cone ends at a wider angle than this looks at all its faces, as one that shines all round."""
Named = tuple[str, LampDraw]
_CUBE = np.array([(x, y, z) for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)], np.float64)


class LampPass:
    """Lays the light of the lamps that are seen over what sun and sky lit."""

    reads = (*(a.name for a in ATTACHMENTS), "depth", "radiance")
    writes = ("radiance",)

    def __init__(self, drawer: Drawer) -> None:
        self._drawer, self._context = drawer, drawer.context
        self._caster = Caster(drawer)
        read = ["in vec2 at;", attachments_read(tuple(a.name for a in ATTACHMENTS)), "uniform sampler2D depth;"]
        self._program = self._context.program(
            vertex_shader=HEADER + shader("screen.vert"),
            fragment_shader="\n".join([HEADER, light_source(), shader("lamps.glsl"), *read, shader("lamp.frag")]),
        )
        self._none: Any = None

    def draw(self, frame: Frame) -> None:
        """Add all of them, where the frame is lit."""
        lamps = seen_lamps(frame)
        if frame.look != "lit" or not lamps or not self._cast(frame, dict(lamps)):
            return
        context, target = self._context, frame.buffers.lighting
        limit = target.scissor
        self._bind(frame)
        target.use()
        context.enable_only(moderngl.DEPTH_TEST | moderngl.BLEND)
        context.depth_func, context.blend_func = ">", (moderngl.ONE, moderngl.ONE)
        for box, group in grouped(frame, lamps):
            target.scissor = box if limit is None else within(box, limit)
            target.use()
            self.shine(self._program, frame.scene, group)
            self._drawer.run_screen(self._program, 1.0)
        target.scissor = limit
        context.depth_func = "<"
        context.enable_only(moderngl.NOTHING)

    def _bind(self, frame: Frame) -> None:
        program, buffers = self._program, frame.buffers
        names = [*(a.name for a in ATTACHMENTS), "depth"]
        for unit, (name, texture) in enumerate(zip(names, [*buffers.attachments, buffers.depth], strict=True)):
            texture.use(unit)
            set_uniform(program, name, unit)
        self.bind_depths(program, frame.scene, len(names))
        set_uniform(program, "eye", tuple(frame.eye.position))
        program["from_clip"].write(np.linalg.inv(frame.view_projection).T.astype("f4").tobytes())

    def bind_depths(self, program: Any, found: GpuScene, unit: int) -> None:
        """Let a program that includes `lamps.glsl` read the depth maps, from a unit."""
        if "lamp_depths" in program:
            if self._none is None:
                self._none = depth_map(self._context, (1, 1))
            (found.lamps.texture or self._none).use(unit)
            program["lamp_depths"].value = unit

    def shine(self, program: Any, found: GpuScene, lamps: list[tuple[str, LampDraw]]) -> None:
        """Give a program that includes `lamps.glsl` some lamps, at most `TOGETHER`."""
        values = np.zeros((5, TOGETHER, 4), np.float32)
        side, places = _laid_out(found)
        for i, (name, lamp) in enumerate(lamps):
            inner, outer = lamp.cone
            values[0, i] = (*lamp.position, lamp.reach)
            values[1, i] = (*lamp.shine, near_of(lamp))
            values[2, i] = (*lamp.axis, outer if lamp.is_spot else -2.0)
            values[3, i] = (*lamp.across, 1 / max(inner - outer, 0.001) if lamp.is_spot else 1.0)
            faces = _faces(lamp)
            reach = _half(lamp) if faces == 1 else 1.0
            values[4, i] = (places.get(name, -1), side / SIDE, reach if faces == 1 else 0.0, lamp.glow)
        for name, value in zip(("place", "shine", "axis", "across", "map"), values, strict=True):
            if f"lamp_{name}" in program:
                program[f"lamp_{name}"].write(value.tobytes())
        set_uniform(program, "lamp_count", len(lamps))

    def shine_nearest(self, program: Any, frame: Frame, unit: int, at: Array | None = None) -> None:
        """Give a program the lamps that matter most at a place `(3,)`, or before the eye, and their depth maps."""
        eye = frame.eye
        middle = at if at is not None else eye.position - eye.view[2, :3] * 4.0

        def arrives(lamp: tuple[str, LampDraw]) -> float:
            away = float(np.linalg.norm(middle - np.array(lamp[1].position)))
            return max(lamp[1].shine) / max(away, 0.1) ** 2

        lamps = sorted(seen_lamps(frame), key=arrives, reverse=True)[:TOGETHER]
        self.bind_depths(program, frame.scene, unit)
        self.shine(program, frame.scene, lamps)

    # Shadows

    def _cast(self, frame: Frame, lamps: dict[str, LampDraw]) -> bool:
        """Bring the depth maps of some lamps up to date; whether there are any to go by.

        Where much throws shadows, a view that is being turned or changed waits for one or two lamps that are others
        themselves; else it goes by the maps there were, and its first picture by no lamps.
        """
        found = frame.scene
        side, places = _laid_out(found)
        if not places:
            return True
        follows = (found.moves, self._caster.follows(found), side)
        stale = {
            name: lamp for name, lamp in lamps.items()
            if name in places and found.lamps_cast.get(name) != (follows, lamp, places[name])
        }  # fmt: skip
        if stale and frame.sample == 0 and self._caster.triangles(found) > AT_ONCE:
            own = {n: lamp for n, lamp in stale.items() if found.lamps_cast.get(n, ())[1:] != (lamp, places[n])}
            if len(own) > FEW:
                return not own.keys() - found.lamps_cast.keys()
            stale = own
        frame.begins = frame.begins or (bool(stale) and frame.sample > 0)
        for name, lamp in stale.items():
            found.lamps_cast[name] = (follows, lamp, places[name])
            self._cast_one(frame, lamp, side, places[name])
        if len(found.lamps_cast) > 2 * len(places) + 16:
            found.lamps_cast = {n: k for n, k in found.lamps_cast.items() if n in places}
        return True

    def _cast_one(self, frame: Frame, lamp: LampDraw, side: int, place: int) -> None:
        found, context = frame.scene, self._context
        if found.lamps.texture is None:
            found.lamps.texture = depth_map(context, (SIDE, SIDE))
        target = context.framebuffer([], found.lamps.texture)
        parts = [_part(place + i, side) for i in range(_faces(lamp))]
        for part in parts:
            target.scissor = part
            target.use()
            target.clear(depth=1.0)
        target.scissor = None
        depth_tested(context)
        middle = np.array(lamp.position)

        def reached(middles: Array, radii: Array) -> Array:
            return np.asarray(np.linalg.norm(middles - middle, axis=1) < radii + lamp.reach)

        views = list(zip(face_views(lamp), parts, strict=True))
        self._caster.cast(found, views, target, frame, self._caster.chosen(found, reached))
        target.release()


def seen_lamps(frame: Frame) -> list[tuple[str, LampDraw]]:
    """The lamps whose reach the camera sees some of."""
    lamps = frame.scene.scene.surroundings.lamps
    if not lamps:
        return []
    middles, reaches = np.array([m.position for _, m in lamps]), np.array([m.reach for _, m in lamps])
    borders = planes(frame.view_projection)
    inside = (middles @ borders[:, :3].T + borders[:, 3] > -reaches[:, None]).all(axis=1)
    return [lamps[int(i)] for i in np.flatnonzero(inside) if any(lamps[int(i)][1].shine)]


def reached(frame: Frame, lamp: LampDraw) -> Box | None:
    """The pixels that a lamp may light."""
    return frame.pixels_of(np.array(lamp.position) + _CUBE * lamp.reach)


def grouped(frame: Frame, lamps: list[Named]) -> list[tuple[Box, list[Named]]]:
    """Lamps that are added up at once, with the pixels they may light: those whose boxes lie mostly over one another.

    Adding up costs about as much a lamp as reading the surface costs once, at every pixel of the box round all.
    """
    groups: list[tuple[Box, list[Named]]] = []
    for lamp in lamps:
        box = reached(frame, lamp[1])
        if box is None:
            continue
        for i, (other, held) in enumerate(groups):
            both = around(box, other)
            apart = _area(box) * 2 + _area(other) * (1 + len(held))
            if len(held) < TOGETHER and _area(both) * (2 + len(held)) < apart:
                groups[i] = (both, [*held, lamp])
                break
        else:
            groups.append((box, [lamp]))
    return groups


def around(a: Box, b: Box) -> Box:
    """The box of pixels round two others."""
    x0, y0 = min(a[0], b[0]), min(a[1], b[1])
    return (x0, y0, max(a[0] + a[2], b[0] + b[2]) - x0, max(a[1] + a[3], b[1] + b[3]) - y0)


def _area(box: Box) -> int:
    return box[2] * box[3]


def near_of(lamp: LampDraw) -> float:
    """What is nearer to a lamp than this throws no shadow, metres: the glass and the frame around it."""
    return max(lamp.glow, 0.02)


def _faces(lamp: LampDraw) -> int:
    return 1 if lamp.is_spot and math.acos(lamp.cone[1]) < WIDE else FACES


def _half(lamp: LampDraw) -> float:
    """The tangent of half the angle that the map of a spot covers, a little more than its cone."""
    return math.tan(math.acos(lamp.cone[1])) * 1.02


def _laid_out(found: GpuScene) -> tuple[int, dict[str, int]]:
    """The texels across one face, and the number of the first face of each lamp that casts.

    The more lamps, the smaller the faces. Those beyond what the smallest faces hold shine through.
    """
    casting = [(name, lamp) for name, lamp in found.scene.surroundings.lamps if lamp.casts]
    faces = sum(_faces(lamp) for _, lamp in casting)
    side = LARGEST
    while side > SMALLEST and (SIDE // side) ** 2 < faces:
        side //= 2
    places: dict[str, int] = {}
    at, room = 0, (SIDE // side) ** 2
    for name, lamp in casting:
        if at + _faces(lamp) <= room:
            places[name] = at
            at += _faces(lamp)
    return side, places


def _part(number: int, side: int) -> Box:
    row, column = divmod(number, SIDE // side)
    return (column * side, row * side, side, side)


def face_views(lamp: LampDraw) -> list[Array]:
    """The matrices `(4, 4)` that a lamp's faces are drawn by: along +x, −x, +y, … or down the axis of a spot."""
    middle, near = np.array(lamp.position), near_of(lamp)
    if _faces(lamp) == 1:
        ahead, right = np.array(lamp.axis), np.array(lamp.across)
        projection = perspective(2 * math.atan(_half(lamp)), 1.0, near, max(lamp.reach, near * 1.1))
        return [projection @ look_at_by(middle, right, np.cross(right, ahead), ahead)]
    projection = perspective(math.pi / 2, 1.0, near, max(lamp.reach, near * 1.1))
    found = []
    for axis in range(3):
        right, up = np.eye(3)[(axis + 1) % 3], np.eye(3)[(axis + 2) % 3]
        for sign in (1, -1):
            found.append(projection @ look_at_by(middle, -sign * right, up, sign * np.eye(3)[axis]))
    return found
