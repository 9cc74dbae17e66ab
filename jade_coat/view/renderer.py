"""Draws pictures of scenes: runs the passes in order, and accumulates samples for a still picture."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import suppress
from functools import partial
from typing import Any

import numpy as np

from jade_coat.material.shared import SharedValue
from jade_coat.program.types import Array
from jade_coat.stage.draws import ScenePatch
from jade_coat.view.attachments import Buffers, new_buffers
from jade_coat.view.camera import jittered
from jade_coat.view.drawing import Drawer
from jade_coat.view.environment import Environment
from jade_coat.view.frame import Frame
from jade_coat.view.gpu_assets import GpuAssets
from jade_coat.view.gpu_scenes import GpuScenes
from jade_coat.view.light import DEFAULT_LIGHT, Light
from jade_coat.view.looks import LAYERS, batches, link_number
from jade_coat.view.passes import Pass
from jade_coat.view.passes.baked import BakedPass
from jade_coat.view.passes.compose import ComposePass
from jade_coat.view.passes.crowd import CrowdPass, in_crowds
from jade_coat.view.passes.decals import DecalPass
from jade_coat.view.passes.forward import ForwardPass
from jade_coat.view.passes.gather import GatherPass
from jade_coat.view.passes.lamps import LampPass
from jade_coat.view.passes.land import LandPass
from jade_coat.view.passes.layers import LayersPass
from jade_coat.view.passes.marks import MarksPass
from jade_coat.view.passes.mist import MistPass
from jade_coat.view.passes.openness import OpennessPass
from jade_coat.view.passes.own_light import OwnLightPass
from jade_coat.view.passes.shadow import ShadowPass
from jade_coat.view.passes.sky_depths import SkyDepthsPass
from jade_coat.view.passes.surfaces import SurfacePass
from jade_coat.view.programs import ProgramFault, ProgramShop
from jade_coat.view.requests import Eye, Marks, Part
from jade_coat.view.strewn import Strewer


class Renderer:
    """The assets, the scenes, the light, and the passes that make a picture of them."""

    def __init__(self, context: Any) -> None:
        self.context = context
        self.shop = ProgramShop(context)
        self.assets = GpuAssets(context)
        self.scenes = GpuScenes(context, self.assets.paint.number_of)
        self.light = Light(context)
        self.drawer = Drawer(context, self.assets, self.scenes, self.shop)
        baked = BakedPass(self.drawer)
        self.crowds, self.surfaces = CrowdPass(self.drawer), SurfacePass(self.drawer, baked)
        self.filling: tuple[Pass, ...] = (
            LandPass(self.drawer), baked, ShadowPass(self.drawer, self.light), SkyDepthsPass(self.drawer), self.crowds,
            self.surfaces, DecalPass(self.drawer), OpennessPass(self.drawer, self.light),
        )  # fmt: skip
        """What is run once for all looks that the attachments serve."""
        compose = ComposePass(self.drawer, self.light)
        lamps = LampPass(self.drawer)
        self.composing: tuple[Pass, ...] = (
            compose, lamps, OwnLightPass(self.drawer, self.light, lamps), MistPass(self.drawer, self.light, lamps),
            ForwardPass(self.drawer, self.light, lamps), GatherPass(context, compose), MarksPass(self.drawer),
        )  # fmt: skip
        """What is run for each look."""
        self._layers = LayersPass(self.drawer)
        self._strewer = Strewer(context, self.assets, self.scenes)
        self._buffers: dict[str, Buffers] = {}

    @property
    def faults(self) -> dict[str, str]:
        """Why materials cannot be drawn, by their ids."""
        return self.assets.faults

    def compile_ahead(self, materials: tuple[str, ...]) -> None:
        """Have the programs of some materials ready; one that fails is a fault once it is drawn."""
        scenes = [found.scene for found in self.scenes.by_name.values()]
        ways = [({d.material for d in scene.drawn}, in_crowds(scene)) for scene in scenes]
        for name in materials:
            if name in self.assets.materials:
                for crowd in {name in crowds for drawn, crowds in ways if name in drawn} or {False}:
                    with suppress(ProgramFault, TypeError, ValueError, KeyError):
                        self.shop.view(*self.assets.materials[name], kind=partial(self.assets.kind, name), crowd=crowd)

    def set_shared(self, values: Mapping[str, SharedValue]) -> None:
        """Take the values of the shared dials; those not named are 0."""
        self.drawer.changes += 1
        self.drawer.shared = dict(values)

    def patch_scene(self, name: str, patch: ScenePatch) -> None:
        """Change what becomes of a scene."""
        self.drawer.changes += 1
        self.scenes.patch(name, patch)

    def set_light(
        self, direction: tuple[float, float, float], strength: float, sky: str | Environment = "morning",
        quick: bool = False,
    ) -> None:  # fmt: skip
        """Place the sun, and the sky around it; `quick` leaves the sky as it is."""
        self.light.set(direction, strength, sky, quick)
        self.scenes.sun_moved()

    def drop_streams(self, names: tuple[str, ...]) -> None:
        """Let go of the attachments of streams that are not shown any more."""
        for name in names:
            gone = self._buffers.pop(name, None)
            if gone is not None:
                gone.release()

    def picture(
        self,
        scene: str,
        eye: Eye,
        width: int,
        height: int,
        looks: tuple[str, ...] = ("lit",),
        sample: int = 0,
        stream: str = "main",
        backdrop: bool = True,
        marks: Marks | None = None,
        part: Part | None = None,
        single: bool = False,
    ) -> Array:
        """Draw a scene: `(height, width × looks, 4) uint8`, top row first.

        Samples after 0 refine the last picture, unless they are asked for as `single` ones.
        """
        self.drawer.prune()
        self.drawer.pixel_angle = float(2.0 / (eye.projection[1, 1] * height))
        buffers, found = self.buffers(stream, width, height), self.scenes.get(scene)
        if not self.light.is_set and found.scene.drawn:
            self.set_light(*DEFAULT_LIGHT)
        pictures: list[Array] = []
        self._strewer.stand(found, eye)
        kinds = [self.assets.surface_kind(d.material) for d in found.scene.draws]
        blends = tuple(i for i, kind in enumerate(kinds) if kind.blend)
        own_light = tuple(i for i, kind in enumerate(kinds) if kind.shading)
        layered = bool(blends or own_light or found.scene.surroundings.lamps or found.scene.surroundings.mists)
        for asked in batches(looks, lit_alone=layered):
            link = link_number(asked[0])
            batch = ("lit",) if link else asked
            frame = Frame(
                found, buffers, eye, jittered(eye.projection, sample, width, height), batch, sample=sample,
                alone=len(looks) == 1, backdrop=backdrop, marks=marks, part=part, link=link, begins=single,
                blends=blends if batch == ("lit",) else (), own_light=own_light if batch == ("lit",) else (),
            )  # fmt: skip
            pictures += self._pictures_of(frame, looks)
        return np.concatenate(pictures, axis=1) if len(pictures) > 1 else pictures[0]

    def _pictures_of(self, frame: Frame, looks: tuple[str, ...]) -> Iterator[Array]:
        """The pictures of a frame's batch, one after the other."""
        if frame.batch == (LAYERS,):
            self._layers.draw(frame)
            yield read_picture(frame.buffers)
            return
        self._fill(frame, looks)
        for look in frame.batch:
            frame.look = look
            for step in self.composing:
                step.draw(frame)
            yield read_picture(frame.buffers)

    def _fill(self, frame: Frame, looks: tuple[str, ...]) -> None:
        """Fill the attachments: the frame's part alone where they hold all else already."""
        key, buffers = self._follows_from(frame, looks), frame.buffers
        bare = not frame.blends and not frame.scene.scene.decals  # what lies over a part is not drawn again with it
        if frame.part is not None and bare and frame.alone and buffers.filled == key:
            frame.projection = buffers.projection  # what is drawn again must fall on the very same pixels
        else:
            frame.part = None
            buffers.gbuffer.use()
            buffers.gbuffer.clear(0, 0, 0, 0, depth=1.0)
        for step in self.filling:
            step.draw(frame)
        buffers.filled, buffers.projection = key, frame.projection

    def _follows_from(self, frame: Frame, looks: tuple[str, ...]) -> tuple[object, ...]:
        """All that the attachments of a frame and its picture follow from, but patches of paint."""
        versions = (self.assets.version, self.light.version, self.drawer.changes)
        eye = (frame.eye.projection.tobytes(), frame.eye.view.tobytes())
        marks = frame.marks.key if frame.marks is not None else None
        return (frame.scene.serial, versions, eye, frame.detailed, frame.probes, looks, marks)

    def buffers(self, stream: str, width: int, height: int) -> Buffers:
        """The attachments of a stream, of this size."""
        found = self._buffers.get(stream)
        if found is None or found.size != (width, height):
            if found is not None:
                found.release()
            self._buffers[stream] = found = new_buffers(self.context, width, height)
        return found


def read_picture(buffers: Buffers) -> Array:
    """The picture of some attachments, `(h, w, 4) uint8`, top row first."""
    width, height = buffers.size
    data = np.frombuffer(buffers.output.read(components=4), np.uint8).reshape(height, width, 4)
    return data[::-1]
