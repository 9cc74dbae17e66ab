"""Map sets: the files of one surface, what each says, and guessing that from their names."""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterable
from pathlib import PurePath
from typing import Literal

from pydantic import Field

from jade_coat.material.fields import Frozen
from jade_coat.material.surface import Role

ColorSpace = Literal["srgb", "linear"]


class MapFile(Frozen):
    """One role of a map set: an asset, the channels that hold it, and how they are encoded."""

    role: Role
    asset: str
    file: str
    channels: str = Field("rgb", pattern="^(rgb|r|g|b|a)$")
    color_space: ColorSpace = "linear"
    flip_green: bool = False
    invert: bool = False
    unit_length: bool = False
    """Normals are brought to length 1 when read."""
    unstep: bool = False
    """The steps of an 8-bit height are smoothed when read."""
    blend_edges: bool = False
    """The edges are blended when read, so that the map tiles."""
    origin: str = ""
    """The file it came from, which is watched for changes."""


class MapSet(Frozen):
    """The maps of one surface and the metres that one tile of them spans.

    `max_side` limits the textures made of them, in texels; 0 is no limit. The files stay as they are.
    """

    id: str
    name: str
    tile_size: float = Field(1.0, gt=0, le=1000)
    max_side: int = Field(0, ge=0, le=16384)
    maps: tuple[MapFile, ...] = ()

    def file(self, role: Role) -> MapFile | None:
        """The map with this role, if there is one."""
        return next((m for m in self.maps if m.role is role), None)


class Guess(Frozen):
    """What a file name suggests: one role, or several for a packed file."""

    role: Role
    channels: str = "rgb"
    flip_green: bool = False
    invert: bool = False


_SINGLE = {
    Role.BASE_COLOR: "basecolor basecolour albedo diffuse diff color colour col base bc alb d c",
    Role.NORMAL: "normal normalgl normalogl normaldx normalmap nrm nor norm nml ddna n",
    Role.ROUGHNESS: "roughness rough rgh rou glossiness gloss smoothness r",
    Role.METALLIC: "metallic metalness metal met mtl m",
    Role.OCCLUSION: "ambientocclusion occlusion ao occ",
    Role.HEIGHT: "height displacement disp bump heightmap hgt depth h",
    Role.OPACITY: "opacity alpha mask cutout transparency",
    Role.EMISSIVE: "emissive emission emit glow self_illumination e",
}
_BY_WORD = {word: role for role, words in _SINGLE.items() for word in words.split()}
_LETTER = {"o": Role.OCCLUSION, "a": Role.OCCLUSION, "r": Role.ROUGHNESS, "m": Role.METALLIC, "h": Role.HEIGHT}
_PACKED = {"orm", "arm", "rma", "mra", "mrao", "orh", "arh", "ormh", "occlusionroughnessmetallic"}
_INVERTED = {"gloss", "glossiness", "smoothness"}
_DOWNWARD = {"normaldx", "dx", "directx"}


def words_of(name: str) -> list[str]:
    """The words of a file name: split at punctuation, capitals and digits' edges, in lower case."""
    stem = PurePath(name).stem
    spaced = re.sub(r"(?<=[a-z0-9])(?=[A-Z])", " ", stem)
    return [w for w in re.split(r"[^A-Za-z0-9]+", spaced.lower()) if w]


def guess(name: str) -> list[Guess]:
    """What a map file holds, judged by its name; empty when the name gives no hint. Later words count more."""
    words = words_of(name)
    joined = [a + b for a, b in itertools.pairwise(words)]
    triples = [a + b + c for a, b, c in zip(words, words[1:], words[2:], strict=False)]
    for word in [*reversed(triples), *reversed(joined), *reversed(words)]:
        if word == "occlusionroughnessmetallic":
            word = "orm"
        if word in _PACKED:
            letters = "mro" if word == "mrao" else word
            return [Guess(role=_LETTER[c], channels="rgba"[i]) for i, c in enumerate(letters)]
        role = _BY_WORD.get(word)
        if role is None or (len(word) == 1 and word != words[-1]):
            continue
        return [
            Guess(
                role=role,
                channels="rgb" if role.is_color or role is Role.NORMAL else "r",
                flip_green=role is Role.NORMAL and bool(_DOWNWARD & {*words, *joined}),
                invert=word in _INVERTED,
            )
        ]
    return []


def stem_of(name: str) -> str:
    """The part of a map file's name that all maps of its set share, for grouping a folder into sets."""
    words = words_of(name)
    known = {*_BY_WORD, *_PACKED, *_DOWNWARD, "gl", "ogl", "opengl", "ambient", "self", "illumination"}
    kept = [w for i, w in enumerate(words) if i == 0 or not (w in known or re.fullmatch(r"\d+k|\d{3,5}(px)?", w))]
    return " ".join(kept)


def map_files(name: str, asset: str, guesses: Iterable[Guess], origin: str = "") -> list[MapFile]:
    """Map entries for guesses about one file; the colour space follows from the role, and EXR is linear."""
    linear = PurePath(name).suffix.lower() == ".exr"
    return [
        MapFile(
            role=g.role, asset=asset, file=PurePath(name).name, channels=g.channels,
            color_space="srgb" if g.role.is_color and not linear else "linear",
            flip_green=g.flip_green, invert=g.invert, unit_length=g.role is Role.NORMAL, origin=origin,
        )
        for g in guesses
    ]  # fmt: skip
