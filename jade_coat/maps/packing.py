"""Packs a map set into few textures, each with a mip chain right for what it holds."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np

from jade_coat.maps.alpha import CUT, coverage, with_coverage
from jade_coat.maps.color import LINEAR_OF_BYTE, to_linear, to_srgb
from jade_coat.maps.findings import with_blended_edges, without_steps
from jade_coat.maps.images import as_float, quantized, read_image
from jade_coat.maps.mapset import MapFile, MapSet
from jade_coat.material.recipes import Recipe
from jade_coat.material.surface import MapRead, Role
from jade_coat.program import TextureRef
from jade_coat.program.samplers import Kind
from jade_coat.program.sending import SentBare
from jade_coat.program.types import Array

ReadAsset = Callable[[str], bytes]
SMOOTH_SIDE = 512
STRIP = 512
"""Rows of a large file that are held in float at a time, or so."""
MAX_TEXTURE = 4096
"""Maps are packed at most this large; larger files are reduced when read."""


@dataclass(frozen=True)
class Pack:
    """What one texture of a set holds: its roles with their channels, whether RGB is colour, and its bits."""

    suffix: str
    roles: tuple[tuple[Role, str], ...]
    is_color: bool
    bits: int
    fill: tuple[float, float, float, float]


PACKS = (
    Pack("a", ((Role.BASE_COLOR, "rgb"), (Role.OCCLUSION, "a")), True, 8, (1, 1, 1, 1)),
    Pack("b", ((Role.NORMAL, "rg"), (Role.ROUGHNESS, "b"), (Role.HEIGHT, "a")), False, 16, (0.5, 0.5, 0.5, 0.5)),
    Pack("c", ((Role.METALLIC, "r"), (Role.OPACITY, "g"), (Role.MASK, "b")), False, 8, (0, 1, 0, 1)),
    Pack("d", ((Role.EMISSIVE, "rgb"),), True, 8, (0, 0, 0, 1)),
    Pack("e", ((Role.CHANNELS, "rgba"),), False, 16, (0, 0, 0, 1)),
)


@dataclass(frozen=True)
class Texture(SentBare):
    """A packed texture: `levels` of `(h, w, 4)` uint8 or uint16, largest first, read-only.

    `threshold` is the one that an opacity in it keeps its coverage for from level to level (`maps.covering`).
    """

    name: str
    is_color: bool
    levels: tuple[Array, ...]
    threshold: float = CUT

    @cached_property
    def key(self) -> str:
        """A content hash."""
        digest = hashlib.sha256(self.levels[0].tobytes() + bytes([self.is_color]))
        if self.threshold != CUT or len(self.levels) != max(self.levels[0].shape[:2]).bit_length():
            digest.update(repr((self.threshold, len(self.levels))).encode())
        return digest.hexdigest()[:24]

    @property
    def kind(self) -> Kind:
        """Its format, width and height: what textures of one array have in common."""
        level = self.levels[0]
        form = "srgb8" if self.is_color else "linear16" if level.dtype == np.uint16 else "linear8"
        return (form, level.shape[1], level.shape[0])

    @cached_property
    def coverings(self) -> dict[float, Texture]:
        """The same with the levels of its opacity made for other thresholds; kept once made."""
        return {}

    @cached_property
    def _linear(self) -> dict[int, Array]:
        return {}

    def linear(self, level: int) -> Array:
        """A level as `(h, w, 4) float32`, colour decoded to linear light; kept once made."""
        level = min(max(level, 0), len(self.levels) - 1)
        if level not in self._linear:
            raw = self.levels[level]
            values = as_float(raw)
            if self.is_color:
                values[..., :3] = LINEAR_OF_BYTE[raw[..., :3]]
            self._linear[level] = values
        return self._linear[level]

    def wrapped(self, level: int) -> Array:
        """A level as `linear` gives it with one texel of its other side all around, `(h + 2, w + 2, 4)`; kept."""
        level = min(max(level, 0), len(self.levels) - 1)
        if -1 - level not in self._linear:
            self._linear[-1 - level] = np.pad(self.linear(level), ((1, 1), (1, 1), (0, 0)), mode="wrap")
        return self._linear[-1 - level]

    @cached_property
    def mean(self) -> Array:
        """The mean texel, `(4,) float32`, colour in linear light: the last level's."""
        return self.linear(len(self.levels) - 1).reshape(-1, 4).mean(axis=0)

    @property
    def size(self) -> int:
        """Bytes of all levels."""
        return sum(level.nbytes for level in self.levels)


class PackedLookup(SentBare):
    """Tells materials where each role of the given map sets is read from, and what recipes there are."""

    def __init__(self, sets: Iterable[MapSet], recipes: Iterable[Recipe] = ()) -> None:
        self._recipes = {r.id: r for r in recipes}
        self._reads: dict[tuple[str, Role], MapRead] = {}
        for map_set in sets:
            present = {m.role for m in map_set.maps}
            for pack in PACKS:
                reference = TextureRef(texture_name(map_set.id, pack), pack.is_color)
                for role, channels in pack.roles:
                    if role in present:
                        self._reads[map_set.id, role] = MapRead(reference, channels)

    def read(self, map_set: str, role: Role) -> MapRead | None:
        """Where the role is read from, or None when the set lacks it."""
        return self._reads.get((map_set, role))

    def recipe(self, wanted: str) -> Recipe | None:
        """The recipe with this id, or None."""
        return self._recipes.get(wanted)

    @cached_property
    def key(self) -> tuple[object, ...]:
        """What this lookup answers, as something hashable."""
        reads = tuple(sorted((s, r.value) for s, r in self._reads))
        return (reads, tuple(sorted(r.model_dump_json() for r in self._recipes.values())))


def texture_name(set_id: str, pack: Pack) -> str:
    """The name programs use for one texture of a set."""
    return f"{set_id}/{pack.suffix}"


def pack_set(map_set: MapSet, read_asset: ReadAsset) -> list[Texture]:
    """The textures of a map set.

    Raises BadImage or OSError (from `read_asset`) when a file is missing or damaged.
    """
    limit = min(map_set.max_side or MAX_TEXTURE, MAX_TEXTURE)
    pictures = {m.role: role_picture(m, read_asset, limit) for m in map_set.maps}
    found = []
    for pack in PACKS:
        if not any(role in pictures for role, _ in pack.roles):
            continue
        base = _assembled(pack, pictures)
        opacity = next((c for role, c in pack.roles if role is Role.OPACITY and role in pictures), "")
        steady = any(m.role is Role.ROUGHNESS and m.steady for m in map_set.maps) and Role.NORMAL in pictures
        found.append(Texture(texture_name(map_set.id, pack), pack.is_color, _chain(base, pack, opacity, steady)))
    return found


def toksvig(roughness: Array, length: Array) -> Array:
    """The roughness that stands in for normals whose mean is only so long: both `(h, w)`, 0 to 1.

    Toksvig, Mipmapping Normal Maps, 2005: the exponent s of a highlight becomes s·l / (l + s·(1 − l)). For the
    microfacet lobes here s = 2/α² − 2 with α = roughness² (Walter et al. 2007, section 5.2).
    """
    alpha2 = np.maximum(np.asarray(roughness, np.float64), 1e-3) ** 4
    s = 2 / alpha2 - 2
    short = np.clip(length, 1e-3, 1)
    s = s * short / (short + s * (1 - short))
    return np.asarray((2 / (s + 2)) ** 0.25, np.float32)


def role_picture(entry: MapFile, read_asset: ReadAsset, limit: int = MAX_TEXTURE) -> Array:
    """One role's values `(h, w, c) float32`: colour linear, normals with green up, inverted where asked."""
    picked = _picked(read_image(read_asset(entry.asset), entry.file), entry.channels)
    if entry.unstep or entry.blend_edges:
        values = _scaled(picked, entry)
        if entry.unstep:
            values = without_steps(values)
        if entry.blend_edges:
            values = with_blended_edges(values)
        values = reduced(values, limit)
    else:
        values = _reduced_in_strips(picked, entry, limit)
    if entry.role is Role.MASK:
        values = smoothed(values)
    if entry.unit_length and values.shape[2] >= 3:
        normal = values * 2 - 1
        length = np.linalg.norm(normal, axis=2, keepdims=True)
        values = np.where(length > 0.05, normal / np.maximum(length, 1e-6), [0.0, 0.0, 1.0]) * 0.5 + 0.5
        values = values.astype(np.float32)
    if entry.flip_green and values.shape[2] >= 2:
        values = values.copy()
        values[..., 1] = 1 - values[..., 1]
    return 1 - values if entry.invert else values


def _scaled(picked: Array, entry: MapFile) -> Array:
    """A file's numbers as values: spread over the entry's span, colour decoded."""
    values = as_float(picked)
    low, high = entry.span
    if (low, high) != (0.0, 1.0):
        values = ((values - np.float32(low)) / np.float32(high - low)).astype(np.float32)
    return to_linear(values) if entry.color_space == "srgb" else values


def _reduced_in_strips(picked: Array, entry: MapFile, limit: int) -> Array:
    """`reduced(_scaled(…))`; where a side is a whole multiple of the limit, strip by strip, so that a large file is
    never held in float as a whole."""
    times, rest = divmod(max(picked.shape[:2]), limit)
    if rest or times < 2 or any(n % times for n in picked.shape[:2]):
        return reduced(_scaled(picked, entry), limit)
    rows = max(STRIP // times, 1) * times
    strips = []
    for at in range(0, len(picked), rows):
        part = _scaled(picked[at : at + rows], entry)
        strips.append(reduced(part, max(part.shape[:2]) // times))
    return np.concatenate(strips)


def reduced(values: Array, limit: int) -> Array:
    """A picture `(h, w, c)` with no side longer than `limit`, by averaging areas."""
    longest = max(values.shape[:2])
    if longest <= limit:
        return values
    size = tuple(max(1, round(values.shape[i] * limit / longest)) for i in (1, 0))
    small = cv2.resize(np.ascontiguousarray(values), size, interpolation=cv2.INTER_AREA)
    return np.asarray(small).reshape(size[1], size[0], -1)


def smoothed(values: Array) -> Array:
    """A mask enlarged to at least `SMOOTH_SIDE` texels by a cubic B-spline, so that few texels make soft shapes.

    It repeats at its edges and stays within the values it had. (Unser, Splines, 1999, without the sharpening filter.)
    """
    times = -(-SMOOTH_SIDE // max(values.shape[:2]))
    if times <= 1:
        return values
    from scipy.ndimage import zoom  # slow to import, and few sets have such a mask

    planes = [
        zoom(values[..., c], times, order=3, mode="grid-wrap", grid_mode=True, prefilter=False)
        for c in range(values.shape[2])
    ]
    return np.asarray(np.stack(planes, axis=2), np.float32)


def _picked(values: Array, channels: str) -> Array:
    if channels == "rgba":
        return values
    if channels == "rgb":
        return np.repeat(values[..., :1], 3, axis=2) if values.shape[2] < 3 else values[..., :3]
    at = "rgba".index(channels)
    if at >= values.shape[2]:
        at = 0 if channels != "a" else values.shape[2] - 1
    return values[..., at : at + 1]


def _assembled(pack: Pack, pictures: dict[Role, Array]) -> Array:
    """All roles of a pack at the size of the largest, `(h, w, 4) float32`, linear."""
    roles = [(role, channels) for role, channels in pack.roles if role in pictures]
    height, width = (max(pictures[r].shape[i] for r, _ in roles) for i in (0, 1))
    out = np.empty((height, width, 4), np.float32)
    out[:] = to_linear(np.array(pack.fill)) if pack.is_color else np.array(pack.fill, np.float32)
    if pack.is_color:
        out[..., 3] = pack.fill[3]
    for role, channels in roles:
        values = pictures[role]
        if values.shape[:2] != (height, width):
            values = cv2.resize(values, (width, height), interpolation=cv2.INTER_LINEAR)
            values = values.reshape(height, width, -1)
        for i, channel in enumerate(channels):
            if channels != "rgba" or i < values.shape[2]:  # of free channels those that the file lacks stay empty
                out[..., "rgba".index(channel)] = values[..., min(i, values.shape[2] - 1)]
    return np.clip(out, 0, 1)


def _chain(base: Array, pack: Pack, opacity: str = "", steady: bool = False) -> tuple[Array, ...]:
    """Every level down to one texel, encoded; each is filtered from the unrounded one above.

    The channel that holds an opacity keeps its coverage from level to level. With `steady` the roughness grows by what
    the normals lose.
    """
    has_normal = any(role is Role.NORMAL for role, _ in pack.roles)
    at = "rgba".index(opacity) if opacity else -1
    whole = coverage(base[..., at]) if opacity else 0.0
    levels = [_encoded(base, pack)]
    rough = next(("rgba".index(c) for role, c in pack.roles if role is Role.ROUGHNESS), -1)
    mean = _vectors(base) if steady and has_normal and rough >= 0 else None
    while max(base.shape[:2]) > 1:
        base = halved_normals(base) if has_normal else halved(base)
        level = base
        if opacity:
            level = base.copy()
            level[..., at] = with_coverage(base[..., at], whole)
        if mean is not None:
            mean, level = halved(mean), level.copy()
            level[..., rough] = toksvig(base[..., rough], np.linalg.norm(mean, axis=2))
        levels.append(_encoded(level, pack))
    return tuple(levels)


def _encoded(values: Array, pack: Pack) -> Array:
    coded = np.concatenate([to_srgb(values[..., :3]), values[..., 3:]], axis=2) if pack.is_color else values
    level = np.ascontiguousarray(quantized(coded, pack.bits))
    level.flags.writeable = False
    return level


def halved(values: Array) -> Array:
    """Half the size (at least one texel) by averaging areas."""
    size = (max(values.shape[1] // 2, 1), max(values.shape[0] // 2, 1))
    small = cv2.resize(np.ascontiguousarray(values), size, interpolation=cv2.INTER_AREA)
    return np.asarray(small, np.float32).reshape(size[1], size[0], -1)


def _vectors(values: Array) -> Array:
    """The normals encoded in the first two channels, `(h, w, 3)`."""
    xy = values[..., :2] * 2 - 1
    z = np.sqrt(np.maximum(1 - (xy * xy).sum(axis=2, keepdims=True), 0))
    return np.concatenate([xy, z], axis=2)


def halved_normals(values: Array) -> Array:
    """Half the size; the normal encoded in the first two channels is averaged as a vector and renormalised."""
    small = halved(_vectors(values))
    small /= np.maximum(np.linalg.norm(small, axis=2, keepdims=True), 1e-6)
    rest = halved(values[..., 2:])
    return np.concatenate([small[..., :2] * 0.5 + 0.5, rest], axis=2)
