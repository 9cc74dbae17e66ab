"""Where materials read paint from: a mesh's vertices, or a map that stands in for them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from jade_coat.program import VEC2, VEC4, TextureRef, Value, lib, passes

OWN_MAP = TextureRef("own paint map")
"""The texture that a prop's painted map is bound as."""


def is_own(texture: TextureRef) -> bool:
    """Whether a texture belongs to the thing that is drawn, and not to its material."""
    return texture.name.startswith("own ")


def own_key(thing: str, texture: TextureRef) -> str:
    """The key of such a texture of a thing, by its id."""
    return thing if texture == OWN_MAP else f"{thing}\n{texture.name}"


class MapSource(NamedTuple):
    """A map that stands in for a colour set: the UV set it is laid by, and its side where it ends at the square's
    edges (0: it repeats)."""

    uv_set: int
    color_set: int = 0
    side: int = 0


def painted_by_map(outputs: Mapping[str, Value], source: MapSource) -> dict[str, Value]:
    """A program that reads a colour set from `OWN_MAP` instead of from the vertices."""
    vertices = lib.attribute(f"color{source.color_set}", VEC4)
    at = lib.attribute(f"uv{source.uv_set}", VEC2)
    if source.side:  # reads at the edge must not mix with the opposite one
        at = lib.clamp(at, 0.5 / source.side, 1 - 0.5 / source.side)
    there = lib.texture(OWN_MAP, at)
    return passes.fold(passes.rebuilt(outputs, lambda node: there if node is vertices else node))
