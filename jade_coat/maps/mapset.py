"""Map sets: the files of one surface, what each says, and guessing that from their names."""

from __future__ import annotations

import hashlib
import itertools
import re
from collections.abc import Iterable, Sequence
from pathlib import Path, PurePath
from typing import Literal

import numpy as np
from pydantic import Field, field_validator

from jade_coat.maps.motes import Motes
from jade_coat.material.fields import Frozen, Vec2
from jade_coat.material.surface import Role
from jade_coat.program.types import Array

ColorSpace = Literal["srgb", "linear"]


class MapFile(Frozen):
    """One role of a map set: an asset, the channels that hold it, and how they are encoded."""

    role: Role
    asset: str
    file: str
    channels: str = Field("rgb", pattern="^(rgba|rgb|r|g|b|a)$")
    color_space: ColorSpace = "linear"
    flip_green: bool = False
    invert: bool = False
    unit_length: bool = False
    """Normals are brought to length 1 when read."""
    unstep: bool = False
    """The steps of an 8-bit height are smoothed when read."""
    blend_edges: bool = False
    """The edges are blended when read, so that the map tiles."""
    steady: bool = False
    """A roughness grows from afar by what the set's normals lose there, so that the surface does not glitter."""
    span: Vec2 = (0.0, 1.0)
    """The values of the file that count as 0 and 1."""
    origin: str = ""
    """The file it came from, which is watched for changes."""

    @field_validator("span")
    @classmethod
    def _rising(cls, span: Vec2) -> Vec2:
        if not span[0] < span[1]:
            raise ValueError(f"a map's span runs from less to more, got {span}")
        return span


class MapSet(Frozen):
    """The maps of one surface and the metres that one tile of them spans.

    `max_side` limits the textures made of them, in texels; 0 is no limit. The files stay as they are.
    """

    id: str
    name: str
    tile_size: float = Field(1.0, gt=0, le=1000)
    max_side: int = Field(0, ge=0, le=16384)
    maps: tuple[MapFile, ...] = ()
    made: Motes | None = None
    """What it is made from, where it can be made anew."""

    def mark(self, role: Role) -> str:
        """What tells whether a role's numbers are still those that something was made from; empty for none."""
        found = self.file(role)
        told = found.model_dump_json(exclude={"file", "origin"}) if found is not None else ""
        return hashlib.sha256(f"{told} {self.max_side}".encode()).hexdigest()[:16] if told else ""

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
    Role.NORMAL: "normal normalgl normalogl normalopengl normaldx normaldirectx normalmap nrm nor norm nml ddna n",
    Role.ROUGHNESS: "roughness rough rgh rou glossiness gloss smoothness smooth r",
    Role.METALLIC: "metallic metalness metal met mtl m",
    Role.OCCLUSION: "ambientocclusion occlusion ao occ",
    Role.HEIGHT: "height displacement disp bump heightmap hgt depth h",
    Role.OPACITY: "opacity alpha cutout transparency transparent",
    Role.EMISSIVE: "emissive emission emit glow selfillumination e",
    Role.MASK: "mask",
    Role.CHANNELS: "channels",
}
_BY_WORD = {word: role for role, words in _SINGLE.items() for word in words.split()}
_LETTER = {"o": Role.OCCLUSION, "a": Role.OCCLUSION, "r": Role.ROUGHNESS, "m": Role.METALLIC, "h": Role.HEIGHT}
_PACKED = {"orm", "arm", "rma", "mra", "mrao", "orh", "arh", "ormh"}
_INVERTED = {"gloss", "glossiness", "smoothness", "smooth"}
_DOWNWARD = {"normaldx", "normaldirectx", "dx", "directx"}
_WHOLE = {
    "metallic", "metalness", "roughness", "smoothness", "glossiness", "gloss", "occlusion", "ambientocclusion",
    "height", "displacement", "albedo", "basecolor", "basecolour", "color", "colour", "diffuse", "opacity", "alpha",
    "transparency",
}  # fmt: skip
"""Words that join another's across a separator too; short ones (rusty_metal_roughness) may belong to the surface."""
_BESIDE = {"gl", "ogl", "opengl", "ambient", "self", "illumination", "map", "tex", "texture", *_DOWNWARD}
_FIGURE = re.compile(r"\d+k|\d{3,5}(px)?|\d+(bit|bits)|\d+x\d+|bit")


def words_of(name: str) -> list[str]:
    """The words of a file name: split at punctuation, capitals and where a size begins, in lower case."""
    return [word for token in _tokens(name) for word in token]


def _tokens(name: str) -> list[list[str]]:
    """The words of a file name by the parts that punctuation separates; letters of any script are letters."""
    stem = re.sub(r"(?i)(direct|open)(x|gl)(?![a-z])", lambda m: m[0].capitalize(), PurePath(name).stem)
    found = []
    for part in re.split(r"[\W_]+", stem):
        spaced = re.sub(r"(?<=[a-z0-9])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])", " ", part).lower()
        spaced = re.sub(r"(?<=[a-z]{3})(?=\d+(k|bit|px)?$)", " ", spaced)
        if spaced.split():
            found.append(spaced.split())
    return found


def guess(name: str) -> list[Guess]:
    """What a map file holds, judged by its name; empty when the name gives no hint. Later words count more.

    A name that joins roles (`MetallicSmoothness`, `color_alpha`, `ORM`) gives each a channel: packed letters and three
    or more words in the order R, G, B, A; of two words the first takes R and the second G, but smoothness beside
    another map lies in A, and colour takes RGB and leaves A. `assumption` says in words what that supposes, `fitted`
    holds it against the picture.
    """
    words = words_of(name)
    if words and words[-1] == "mask":
        return [Guess(role=Role.MASK, channels="r")]
    joined = _joined_roles(name)
    if joined:
        return _packed(joined)
    pairs = [a + b for a, b in itertools.pairwise(words)]
    triples = [a + b + c for a, b, c in zip(words, words[1:], words[2:], strict=False)]
    for word in [*reversed(triples), *reversed(pairs), *reversed(words)]:
        if word in _PACKED:
            letters = "mro" if word == "mrao" else word
            return [Guess(role=_LETTER[c], channels="rgba"[i]) for i, c in enumerate(letters)]
        role = _BY_WORD.get(word)
        if role is None or (len(word) == 1 and word != words[-1]):
            continue
        return [
            Guess(
                role=role,
                channels="rgba" if role is Role.CHANNELS else "rgb" if role.is_color or role is Role.NORMAL else "r",
                flip_green=role is Role.NORMAL and bool(_DOWNWARD & {*words, *pairs}),
                invert=word in _INVERTED,
            )
        ]
    return []


def assumption(name: str, found: list[Guess] | None = None) -> str:
    """What guessing the roles of a file supposes beyond its name, in words; empty for nothing."""
    found = guess(name) if found is None else found
    lines = []
    if found and _joined_roles(name):
        parts = [f"{g.channels.upper()} is {g.role.label.lower()}" for g in found]
        lines.append(f"Assumed from the name: {', '.join(parts)}.")
    if any(g.invert for g in found):
        lines.append("Smoothness is read as roughness: 1 − value.")
    return " ".join(lines)


def fitted(name: str, guesses: list[Guess], picture: Array) -> list[Guess]:
    """What a joined name's guesses become beside the decoded picture `(h, w, c)`: a channel that is not there gives way
    to the next one, and metallic beside roughness lies in B where R is even and B is not (as in glTF 2.0)."""
    if len(guesses) < 2 or not _joined_roles(name):
        return guesses
    even = [bool(np.ptp(picture[..., c]) == 0) for c in range(picture.shape[2])]
    made, taken = [], {g.channels for g in guesses}
    for one in guesses:
        channels = one.channels
        if len(channels) == 1 and "rgba".index(channels) >= picture.shape[2]:
            channels = next((c for c in "rgba"[: picture.shape[2]] if c not in taken), "r")
        if {g.role for g in guesses} == {Role.METALLIC, Role.ROUGHNESS} and len(even) >= 3 and even[0] and not even[2]:
            channels = "b" if one.role is Role.METALLIC and channels == "r" else channels
        taken.add(channels)
        made.append(one.with_(channels=channels))
    return made


def _joined_roles(name: str) -> list[str]:
    """The words of different roles that a name joins into one file, in their order; empty for fewer than two."""
    tokens = _tokens(name)
    for token in reversed(tokens):  # MetallicSmoothness, metallicsmoothness
        parts = _segmented("".join(token))
        if len({_BY_WORD[p] for p in parts}) > 1 and len(parts) == len({_BY_WORD[p] for p in parts}):
            return parts
    run: list[str] = []
    for token in tokens:  # metallic_smoothness
        word = "".join(token)
        if word in _WHOLE and all(_BY_WORD[w] != _BY_WORD[word] for w in run):
            run.append(word)
        elif len(run) > 1:
            break
        else:
            run = [word] if word in _WHOLE else []
    return run if len(run) > 1 else []


def _segmented(text: str) -> list[str]:
    """A token cut into two or more words for roles, of three letters or more (or `ao`); empty when it cannot be."""
    if text in _BY_WORD:
        return []

    def cut(rest: str) -> list[str] | None:
        if not rest:
            return []
        for end in range(len(rest), 1, -1):
            word = rest[:end]
            if word in _BY_WORD and _BY_WORD[word] not in (Role.NORMAL, Role.MASK) and (end > 2 or word == "ao"):
                after = cut(rest[end:])
                if after is not None:
                    return [word, *after]
        return None

    found = cut(text[:64]) or []
    return found if len(found) > 1 else []


def _packed(words: list[str]) -> list[Guess]:
    """A channel for each word's role."""
    colors = [w for w in words if _BY_WORD[w].is_color]
    found = []
    free = iter("rgba")
    for word in words:
        role = _BY_WORD[word]
        if colors:
            channels = "rgb" if word is colors[0] else "a"
        elif len(words) == 2 and word in _INVERTED:
            channels = "a"
        else:
            channels = next(free, "a")
        found.append(Guess(role=role, channels=channels, invert=word in _INVERTED))
    return found[:4]


_SQUARE = re.compile(r"[._](1[0-9]{3})(\.[^.]+)$")


def further_squares(names: Iterable[str]) -> dict[str, str]:
    """Those of some file names that are further squares of a map laid over several (UDIM), each with why it is left.

    Squares are numbered from 1001 on, ten in a row; a number counts as one where there is a 1001 beside it.
    """
    squares: dict[str, dict[int, str]] = {}
    for name in names:
        found = _SQUARE.search(name)
        if found is not None:
            squares.setdefault(name[: found.start()] + found[2], {})[int(found[1])] = name
    return {
        name: f"it is square {number} of a map over several (UDIM); a map set has one square, and 1001 is taken"
        for tiles in squares.values() if 1001 in tiles for number, name in sorted(tiles.items()) if number != 1001
    }  # fmt: skip


def stem_of(name: str) -> str:
    """The part of a map file's name that all maps of its set share, for grouping a folder into sets.

    What says role, size or depth is taken off the end, or where nothing there does, off the front.
    """
    words = [w for token in _tokens(name) for w in (_segmented("".join(token)) or token)]
    last = len(words)
    while last > 0 and _says_no_name(words[last - 1], last == len(words)):
        last -= 1
    first = 0
    if not any(w in _BY_WORD or w in _PACKED for w in words[last:]):
        while first < last and len(words[first]) > 1 and _says_no_name(words[first], False):
            first += 1
    kept = words[first:last]
    return " ".join(kept or words[:1])


def _says_no_name(word: str, is_last: bool) -> bool:
    if len(word) == 1:
        return is_last and word in _BY_WORD
    return word in _BY_WORD or word in _PACKED or word in _BESIDE or bool(_FIGURE.fullmatch(word))


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


def set_name(entries: Sequence[MapFile], folder: Path) -> str:
    """A name for a new map set, from its first file or from the folder they lie in."""
    stem = stem_of(entries[0].file) if entries else ""
    return (stem or folder.name).replace("_", " ").strip().capitalize() or "Maps"
