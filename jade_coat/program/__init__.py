"""The material program: typed expressions, their passes, and the two back ends that give them meaning."""

from jade_coat.program.ops import OPS
from jade_coat.program.types import BOOL, FLOAT, INT, UINT, UVEC3, VEC2, VEC3, VEC4, Rate, Type
from jade_coat.program.value import TextureRef, TypeMismatch, Value, as_value, combine, const

__all__ = [
    "BOOL",
    "FLOAT",
    "INT",
    "OPS",
    "UINT",
    "UVEC3",
    "VEC2",
    "VEC3",
    "VEC4",
    "Rate",
    "TextureRef",
    "Type",
    "TypeMismatch",
    "Value",
    "as_value",
    "combine",
    "const",
]  # fmt: skip
