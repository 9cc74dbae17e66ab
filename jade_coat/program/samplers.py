"""Shares few texture samplers among many textures: those of one size and format become layers of one array."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from jade_coat.program.value import TextureRef

PROMISED = 16
"""Samplers that OpenGL 3.3 promises a stage (the specification's MAX_TEXTURE_IMAGE_UNITS, at least)."""

Kind = tuple[str, int, int]
"""A texture's format in words, its width and its height."""
Samplers = tuple[tuple[TextureRef, ...], ...]
"""The textures behind each sampler; more than one are the layers of an array, in this order."""


class TooManySamplers(ValueError):
    """A program reads more textures of different sizes or formats than can be had at once."""


def shared_samplers(textures: Sequence[TextureRef], kind: Callable[[TextureRef], Kind | None], room: int) -> Samplers:
    """The textures on samplers, each on its own while there is room; else the largest groups of one kind are joined.

    `kind` gives None for a texture that is not known yet: all of those share a sampler. Raises TooManySamplers where
    even that does not fit `room`; the message says what is of another size.
    """
    if len(textures) <= room:
        return tuple((t,) for t in textures)
    kinds: dict[Kind | None, list[TextureRef]] = {}
    for texture in textures:
        kinds.setdefault(kind(texture), []).append(texture)
    if len(kinds) > room:
        raise TooManySamplers(_too_many(len(textures), kinds, room))
    spare = room - len(kinds)
    joined: list[tuple[TextureRef, ...]] = []
    for _, members in sorted(kinds.items(), key=lambda item: len(item[1])):  # small groups are taken apart first
        if len(members) - 1 <= spare:
            spare -= len(members) - 1
            joined += [(t,) for t in members]
        else:
            joined.append(tuple(members))
    place = {t: i for i, t in enumerate(textures)}
    return tuple(sorted(joined, key=lambda group: place[group[0]]))


def _too_many(count: int, kinds: dict[Kind | None, list[TextureRef]], room: int) -> str:
    rare = sorted((k for k in kinds if k is not None), key=lambda k: len(kinds[k]))[: len(kinds) - room + 1]
    named = ", ".join(f"{kinds[k][0].name.partition('/')[0]} ({k[1]} × {k[2]})" for k in rare)
    return (
        f"it reads {count} textures of {len(kinds)} sizes and formats at once, and {room} can be had. "
        f"Bring map sets to one size in Texture size: {named}"
    )
