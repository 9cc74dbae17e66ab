"""The light of the stage as every lit pass reads it: the sky's irradiance and reflections, and the sun."""

from __future__ import annotations

from typing import Any

import moderngl
import numpy as np

from jade_coat.program.types import Array
from jade_coat.stage.lamps import SUN_COLOR
from jade_coat.view.environment import (
    DARK,
    LEVELS,
    MAP_SIDE,
    Environment,
    evaluate_irradiance,
    split_sum_table,
    synthesised,
)
from jade_coat.view.gpu_scenes import GpuScene
from jade_coat.view.openness import WAYS

DEFAULT_LIGHT = ((0.48, 0.62, 0.62), 2.6)
"""Direction and strength of the sun until one is set."""
_WALL = np.array([0.3, 0.55, 0.78])
"""Which way a wall faces whose light is compared, nearly unit."""
_USUAL = 1.6111
"""The light on it by the default sun and sky, over π."""
BLOCK = "Light"
BINDING = 0
_SUN_AT, _SKY_AT = 11 * 16, 16 * 16
"""Where in the block the rows of the depth maps lie."""


class Light:
    """One uniform block and two textures. Until a light is set, an empty stage is dark and any other the default."""

    def __init__(self, context: Any) -> None:
        self.version = 0
        """Counts up with every change."""
        self.sun: Array = np.zeros(3)
        """The unit direction towards the sun, `(3,)`."""
        self.is_set = False
        self._block = context.buffer(reserve=_SKY_AT + (3 * WAYS + 4) * 16)
        self._depths: dict[str, Any] = {}
        self._cast_by = b""
        self._split_sum = context.texture((32, 32), 2, split_sum_table().tobytes(), dtype="f4")
        self._split_sum.repeat_x = self._split_sum.repeat_y = False
        self._reflections = context.texture_array((MAP_SIDE, MAP_SIDE, LEVELS), 3, dtype="f2")
        self._reflections.filter = (moderngl.LINEAR, moderngl.LINEAR)
        self._reflections.repeat_x = self._reflections.repeat_y = False
        self._place_environment(DARK)
        self.place_sun(*DEFAULT_LIGHT)

    def set(
        self, direction: tuple[float, float, float], strength: float, sky: str | Environment = "morning",
        quick: bool = False,
    ) -> None:  # fmt: skip
        """Place the sun, and the sky around it; `quick` leaves the sky as it is."""
        if not quick:
            d = np.array(direction, float)
            x, y, z = (float(c) for c in d / np.linalg.norm(d))
            made = sky if isinstance(sky, Environment) else synthesised((x, y, z), sky=sky)
            self._place_environment(made)
            self.is_set = True
        self.place_sun(direction, strength)

    @property
    def evening(self) -> float:
        """What pictures have to be brightened by to look as by the default light: the light on a wall, compared."""
        if not self.is_set:
            return 1.0
        shone = self._sky_on_wall + float(self._strength * max(self.sun @ _WALL, 0.0)) / np.pi
        return float(np.clip(_USUAL / max(shone, 1e-6), 1 / 16, 64))

    def place_sun(self, direction: tuple[float, float, float], strength: float) -> None:
        """Place the sun alone."""
        self.version += 1
        d = np.array(direction, float)
        self.sun, self._strength = d / np.linalg.norm(d), strength
        values = np.zeros((2, 4), np.float32)
        values[0, :3], values[1, :3] = self.sun, np.array(SUN_COLOR) * strength
        self._block.write(values.tobytes(), offset=9 * 16)

    def _place_environment(self, environment: Environment) -> None:
        self.version += 1
        self._sky_on_wall = float(evaluate_irradiance(environment.irradiance, _WALL[None])[0].mean())
        self._reflections.write(environment.reflections.astype(np.float16).tobytes())
        values = np.zeros((9, 4), np.float32)
        values[:, :3] = environment.irradiance
        self._block.write(values.tobytes())

    def fall_on(self, scene: GpuScene) -> None:
        """Take the shadows of a scene: the sun's map must have been drawn, that of the sky may be."""
        sun, sky = scene.sun, scene.sky
        self._depths = {"shadow": sun.texture, "sky_depths": sky.texture or sun.texture}
        ways = 0 if sky.texture is None else WAYS
        numbers = [sun.texel, sky.texel, ways, sun.far_texel]
        rows = np.zeros((3 * WAYS, 4), np.float32)
        rows[: 3 * ways] = sky.rows[: 3 * ways]
        data = sun.rows.T.astype("f4").tobytes() + np.array(numbers, np.float32).tobytes() + rows.tobytes()
        data += sun.far_rows.T.astype("f4").tobytes()
        if data != self._cast_by:  # a write waits for whatever still reads the block
            self._cast_by = data
            self._block.write(data, offset=_SUN_AT)

    def bind(self, program: Any, unit: int) -> None:
        """Let a program that includes `light.glsl` read the light, its textures from a unit on."""
        if BLOCK in program:
            program[BLOCK].binding = BINDING
            self._block.bind_to_uniform_block(BINDING)
        textures = {"reflections": self._reflections, "split_sum": self._split_sum, **self._depths}
        for i, (name, texture) in enumerate(textures.items()):
            if name in program:
                texture.use(unit + i)
                program[name].value = unit + i
