"""Textures with levels of their own making, plain or in arrays: what the OpenGL binding has no call for."""

from __future__ import annotations

import ctypes
from collections.abc import Sequence
from typing import Any

import numpy as np

from jade_coat.program.samplers import Kind
from jade_coat.program.types import Array

PLAIN, ARRAY, TEXTURE0, RGBA = 0x0DE1, 0x8C1A, 0x84C0, 0x1908
SRGB8_ALPHA8, RGBA16, RGBA8 = 0x8C43, 0x805B, 0x8058
UNPACK_ALIGNMENT, PACK_ALIGNMENT = 0x0CF5, 0x0D05
UNSIGNED_BYTE, UNSIGNED_SHORT = 0x1401, 0x1403
MIN_FILTER, MAG_FILTER, MAX_LEVEL, LINEAR, LINEAR_MIPMAP_LINEAR = 0x2801, 0x2800, 0x813D, 0x2601, 0x2703
SCRATCH = 40
"""The unit where textures are written and read, so that what a program is bound to stays; 48 are promised in all."""
_I, _U, _P = ctypes.c_int, ctypes.c_uint, ctypes.c_void_p
_SIGNATURES: dict[str, tuple[Any, ...]] = {
    "glGenTextures": (_I, _P),
    "glDeleteTextures": (_I, _P),
    "glActiveTexture": (_U,),
    "glBindTexture": (_U, _U),
    "glPixelStorei": (_U, _I),
    "glTexParameteri": (_U, _U, _I),
    "glTexImage2D": (_U, _I, _I, _I, _I, _I, _U, _U, _P),
    "glTexImage3D": (_U, _I, _I, _I, _I, _I, _I, _U, _U, _P),
    "glTexSubImage3D": (_U, _I, _I, _I, _I, _I, _I, _I, _U, _U, _P),
    "glGetTexImage": (_U, _I, _U, _U, _P),
}


class GlCalls:
    """The few OpenGL functions that textures need, of the context that is current."""

    def __init__(self, context: Any) -> None:
        load = context.mglo._context.load_opengl_function
        for name, kinds in _SIGNATURES.items():
            setattr(self, name, ctypes.CFUNCTYPE(None, *kinds)(load(name)))

    def __getattr__(self, name: str) -> Any:
        raise AttributeError(f"{name} is not among the OpenGL functions that are loaded")


class GlTexture:
    """A texture, repeated and filtered through its levels as maps are; `layers` of 0 makes a plain one."""

    def __init__(self, gl: GlCalls, kind: Kind, levels: int, layers: int = 0) -> None:
        """`kind` is `srgb8`, `linear8` or `linear16` with width and height; its content is undefined until written."""
        self.kind, self.levels, self.layers = kind, levels, layers
        form = kind[0]
        self._gl, self._target = gl, ARRAY if layers else PLAIN
        self._type = UNSIGNED_SHORT if form == "linear16" else UNSIGNED_BYTE
        internal = {"srgb8": SRGB8_ALPHA8, "linear8": RGBA8, "linear16": RGBA16}[form]
        self._name = ctypes.c_uint(0)
        gl.glGenTextures(1, ctypes.byref(self._name))
        self.use(SCRATCH)
        for level in range(levels if layers else 0):  # a plain one takes its room when it is written
            w, h = self.level_size(level)
            gl.glTexImage3D(ARRAY, level, internal, w, h, layers, 0, RGBA, self._type, None)
        gl.glTexParameteri(self._target, MAX_LEVEL, levels - 1)
        gl.glTexParameteri(self._target, MIN_FILTER, LINEAR_MIPMAP_LINEAR if levels > 1 else LINEAR)
        gl.glTexParameteri(self._target, MAG_FILTER, LINEAR)
        self._internal = internal

    def level_size(self, level: int) -> tuple[int, int]:
        """Width and height of a level."""
        return max(self.kind[1] >> level, 1), max(self.kind[2] >> level, 1)

    def write(self, levels: Sequence[Array], layer: int = 0) -> None:
        """Write all levels `(h, w, 4)` of a layer, or of a plain texture. Raises ValueError for another size."""
        self.use(SCRATCH)
        self._gl.glPixelStorei(UNPACK_ALIGNMENT, 1)
        for i, level in enumerate(levels):
            w, h = self.level_size(i)
            if level.shape != (h, w, 4):
                raise ValueError(f"level {i} of a texture is {level.shape}, not {(h, w, 4)}")
            data = np.ascontiguousarray(level).ctypes.data_as(_P)
            if self.layers:
                self._gl.glTexSubImage3D(ARRAY, i, 0, 0, layer, w, h, 1, RGBA, self._type, data)
            else:
                self._gl.glTexImage2D(PLAIN, i, self._internal, w, h, 0, RGBA, self._type, data)

    def read(self) -> list[Array]:
        """All levels of a plain texture, as they are stored."""
        self.use(SCRATCH)
        self._gl.glPixelStorei(PACK_ALIGNMENT, 1)
        found = []
        for level in range(self.levels):
            w, h = self.level_size(level)
            texels = np.empty((h, w, 4), np.uint16 if self._type == UNSIGNED_SHORT else np.uint8)
            self._gl.glGetTexImage(PLAIN, level, RGBA, self._type, texels.ctypes.data_as(_P))
            found.append(texels)
        return found

    def use(self, unit: int) -> None:
        """Bind it to a texture unit."""
        self._gl.glActiveTexture(TEXTURE0 + unit)
        self._gl.glBindTexture(self._target, self._name)

    def release(self) -> None:
        """Free it."""
        self._gl.glDeleteTextures(1, ctypes.byref(self._name))
