"""What may be wrong with a map, and the change that mends it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from jade_coat.maps.images import as_float
from jade_coat.maps.mapset import MapFile
from jade_coat.material.surface import Role
from jade_coat.program.types import Array

SHORT = 0.04
"""Mean deviation from length 1 from which a normal map counts as not unit length."""
SEAM = 2.5
"""How many times larger the step across the edge may be than steps inside a map that tiles."""


@dataclass(frozen=True)
class Finding:
    """What is wrong, in words; what the mend does, in words; and the changes to the map's entry."""

    text: str
    mend: str
    changes: dict[str, Any]


def findings(entry: MapFile, picture: Array) -> list[Finding]:
    """What may be wrong with a map as it is set up; `picture` is its file as decoded, `(h, w, c)`."""
    found = []
    wanted = "srgb" if entry.role.is_color and picture.dtype != np.float32 else "linear"
    if entry.color_space != wanted:
        is_data = wanted == "linear"
        found.append(Finding(
            f"{'Data' if is_data else 'Colour'} marked as {'colour' if is_data else 'data'}: "
            + ("decoding it shifts every value." if is_data else "it will look too pale."),
            f"Mark it as {'data' if is_data else 'colour'}", {"color_space": wanted},
        ))  # fmt: skip
    if picture.dtype == np.float32:
        found += _beyond(entry, _channel(picture, entry.channels))
    if entry.role is Role.NORMAL and picture.shape[2] >= 3:
        found += _normal_findings(entry, as_float(picture)[..., :3])
    if entry.role is Role.HEIGHT and not entry.unstep and is_stepped(_channel(picture, entry.channels)):
        found.append(Finding("An 8-bit height with visible steps.", "Smooth the steps", {"unstep": True}))
    if not entry.blend_edges and entry.role is not Role.MASK and not tiles(as_float(_channel(picture, entry.channels))):
        found.append(Finding("It does not tile: its edges show.", "Blend the edges", {"blend_edges": True}))
    return found


def _beyond(entry: MapFile, values: Array) -> list[Finding]:
    """Float numbers that do not fit the span which counts as 0 to 1, and so are cut."""
    low, high = float(values.min()), float(values.max())
    if low >= entry.span[0] - 1e-4 and high <= entry.span[1] + 1e-4:
        return []
    text = (
        f"Its values run from {low:.3g} to {high:.3g}; beyond {entry.span[0]:.3g} to {entry.span[1]:.3g} they are cut."
    )
    if low == high:
        return [Finding(text, "", {})]
    wanted = (min(low, 0.0) if entry.role.is_color else low, high)
    return [Finding(text, "Fit them to 0 to 1", {"span": wanted})]


def _channel(picture: Array, channels: str) -> Array:
    if channels == "rgb":
        return picture[..., :3]
    at = min("rgba".index(channels), picture.shape[2] - 1)
    return picture[..., at : at + 1]


def _normal_findings(entry: MapFile, values: Array) -> list[Finding]:
    found = []
    normal = values * 2 - 1
    if looks_flipped(normal) != entry.flip_green:
        found.append(Finding("Its green points the other way: bumps look like dents.", "Flip the green",
                             {"flip_green": not entry.flip_green}))  # fmt: skip
    off = float(np.abs(np.linalg.norm(normal, axis=2) - 1).mean())
    if off > SHORT and not entry.unit_length:
        found.append(Finding(f"Its normals are {off * 100:.0f} % off unit length.", "Bring them to length 1",
                             {"unit_length": True}))  # fmt: skip
    return found


def looks_flipped(normal: Array) -> bool:
    """Whether a tangent-space normal map `(h, w, 3)`, −1 to 1, has its green pointing down the picture.

    The slopes of a height field have no curl; with green the wrong way round they seem to. Without any clear relief the
    answer is no.
    """
    z = np.maximum(normal[..., 2], 0.05)
    across, up = -normal[..., 0] / z, -normal[..., 1] / z
    down = -up  # rows run downward
    a, b = np.gradient(across, axis=0), np.gradient(down, axis=1)
    right, wrong = float(((a - b) ** 2).mean()), float(((a + b) ** 2).mean())
    return wrong < 0.6 * right and right > 1e-8


def is_stepped(values: Array) -> bool:
    """Whether an 8-bit height shows plateaus: most neighbours are equal though the map is not even."""
    if values.dtype != np.uint8 or np.ptp(values) < 4:
        return False
    flat = values[..., 0].astype(int)
    equal = (np.diff(flat, axis=1) == 0).mean(), (np.diff(flat, axis=0) == 0).mean()
    return bool(min(equal) > 0.55)


def tiles(values: Array) -> bool:
    """Whether steps across the edges of a map `(h, w, c)` are like those inside it."""
    if min(values.shape[:2]) < 8:
        return True
    for axis in (0, 1):
        steps = np.abs(np.diff(values, axis=axis)).mean(axis=(1 - axis, 2))
        near = float(np.concatenate([steps[:4], steps[-4:]]).max())  # the edge may lie in a joint
        first, last = np.take(values, 0, axis=axis), np.take(values, -1, axis=axis)
        across = np.abs(first - last).mean()
        if across > SEAM * max(float(steps.mean()), near, 1.0 / 255) + 0.01:
            return False
    return True


def without_steps(values: Array) -> Array:
    """An 8-bit channel `(h, w, c)`, 0–1, made smooth: blurred, but never further off than half a step."""
    import cv2

    smooth = values
    for sigma in (4.0, 2.0, 1.0):
        padded = np.pad(smooth, ((16, 16), (16, 16), (0, 0)), mode="wrap")
        blurred = cv2.GaussianBlur(padded, (0, 0), sigma).reshape(padded.shape)[16:-16, 16:-16]
        smooth = np.clip(blurred, values - 0.5 / 255, values + 0.5 / 255)
    return np.asarray(smooth, np.float32)


def with_blended_edges(values: Array) -> Array:
    """A map `(h, w, c)` laid over its own copy shifted by half, so that it tiles; the middle stays as it is."""
    shifted = np.roll(values, (values.shape[0] // 2, values.shape[1] // 2), axis=(0, 1))

    def ramp(count: int) -> Array:
        away = np.minimum(np.arange(count), np.arange(count)[::-1]) / max(count * 0.18, 1)
        t = np.clip(away, 0, 1)
        return np.asarray(t * t * (3 - 2 * t))

    own = np.minimum(ramp(values.shape[0])[:, None], ramp(values.shape[1])[None])[..., None]
    mean = values.mean(axis=(0, 1))
    mixed = mean + ((values - mean) * own + (shifted - mean) * (1 - own)) / np.sqrt(own**2 + (1 - own) ** 2)
    return np.asarray(np.clip(mixed, 0, 1), np.float32)
