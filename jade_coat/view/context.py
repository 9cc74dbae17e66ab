"""Makes an OpenGL context without a window, and reads shader files."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import Any

import moderngl

from jade_coat.material.shading import KIND_PARTS, light_of

SHADERS = Path(__file__).parent / "shaders"
HEADER = "#version 330\n"


class NoGraphics(RuntimeError):
    """No OpenGL 3.3 context could be made; the message says what to install."""


def create_context() -> Any:
    """A standalone OpenGL 3.3 context: EGL first, else GLX. Raises NoGraphics."""
    reasons = []
    choices: tuple[dict[str, Any], ...] = ({"backend": "egl"}, {})
    for settings in choices:
        try:
            return moderngl.create_context(standalone=True, require=330, **settings)
        except Exception as error:  # the library raises plain Exception
            reasons.append(str(error))
    raise NoGraphics(
        "OpenGL 3.3 is not to be had here. Install Mesa: apt-get install libegl1 libgl1-mesa-dri "
        f"({'; '.join(reasons)})"
    )


@cache
def shader(name: str) -> str:
    """The text of a shader file."""
    return (SHADERS / name).read_text()


def light_source(shading: str = "standard") -> str:
    """GLSL of the light on a surface, by what its kind sends of it (`material.kinds`)."""
    return shader("light.glsl") + shading_source(shading)


def shading_source(shading: str) -> str:
    """GLSL of what a kind sends of light, to stand behind `light.glsl`, and behind `lamps.glsl` if that is there."""
    return light_of(shading) if shading in KIND_PARTS else shader(f"{shading}.glsl")


def numbered(source: str) -> str:
    """A source with line numbers, for error messages."""
    return "\n".join(f"{i:4d}  {line}" for i, line in enumerate(source.splitlines(), 1))
