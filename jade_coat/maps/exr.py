"""Reads OpenEXR files: plain colour, one named layer, or one channel; what has no one meaning is refused by name."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

import numpy as np

from jade_coat.maps.picture import BadImage, check_size, finite
from jade_coat.program.types import Array

_ORDERS = ("rgba", "xyz")


def read_exr(data: bytes, name: str) -> Array:
    """The picture over its display window, `(h, w, 1 | 3 | 4) float32`; beyond the data window it is 0.

    Raises BadImage. Channels R G B (A) in either case are colour; failing those, the one layer (`diffuse.R`, `N.X`)
    there is, or the one channel there is.
    """
    import OpenEXR  # reads only from files

    with tempfile.TemporaryDirectory(prefix="jade-coat-") as folder:
        path = Path(folder) / "map.exr"
        path.write_bytes(data)
        try:
            with OpenEXR.File(str(path), header_only=True) as file:
                header = file.header()  # empty once the file is closed
                held, shown = _window(header["dataWindow"]), _window(header["displayWindow"])
            for x0, y0, x1, y1 in (shown, held):
                check_size(x1 - x0, y1 - y0, name)
            with OpenEXR.File(str(path), separate_channels=True) as exr:
                channels = {k: v.pixels for k, v in exr.channels().items()}
        except BadImage:
            raise
        except Exception as error:  # the library raises whatever its C++ side throws
            raise BadImage(f"{name}: the EXR is damaged ({str(error)[:200]}). Save it again.") from None
    picked = _picked(list(channels), name)
    size = (held[3] - held[1], held[2] - held[0])
    if any(channels[c].shape != size for c in picked):
        raise BadImage(f"{name}: its channels differ in size. Save every channel at full size.")
    stack = finite(np.stack([channels[c].astype(np.float32) for c in picked], axis=2))
    return stack if held == shown else _placed(stack, held, shown, name)


def _window(corners: Any) -> tuple[int, int, int, int]:
    (x0, y0), (x1, y1) = corners
    return int(x0), int(y0), int(x1) + 1, int(y1) + 1


def _placed(picture: Array, held: tuple[int, ...], shown: tuple[int, ...], name: str) -> Array:
    """The part of the picture that is shown, in a frame of the display window's size."""
    frame = np.zeros((shown[3] - shown[1], shown[2] - shown[0], picture.shape[2]), np.float32)
    x0, y0 = max(held[0], shown[0]), max(held[1], shown[1])
    x1, y1 = min(held[2], shown[2]), min(held[3], shown[3])
    if x0 >= x1 or y0 >= y1:
        raise BadImage(f"{name}: nothing of it lies inside its display window. Save it again.")
    frame[y0 - shown[1] : y1 - shown[1], x0 - shown[0] : x1 - shown[0]] = picture[
        y0 - held[1] : y1 - held[1], x0 - held[0] : x1 - held[0]
    ]
    return frame


def _picked(names: list[str], file: str) -> list[str]:
    """The channels to read, in order. Raises BadImage naming those that there are."""
    layers: dict[str, dict[str, str]] = {}
    for name in names:
        layer, _, last = name.rpartition(".")
        layers.setdefault(layer, {})[last.lower()] = name
    plain = layers.get("", {})
    if {"r", "g", "b"} <= plain.keys():
        return [plain[c] for c in "rgba" if c in plain]
    if {"ry", "by"} & plain.keys():
        raise BadImage(
            f"{file}: its colour is stored as brightness and colour differences (Y, RY, BY). Save it as RGB."
        )
    if len(names) == 1:
        return names
    if plain.keys() <= {"y", "a"} and "y" in plain and len(layers) == 1:
        return [plain["y"]] * 3 + [plain["a"]]
    if {"x", "y", "z"} <= plain.keys():
        raise BadImage(f"{file}: X, Y and Z may be a direction or a colour. Name its channels R, G and B.")
    found = [c for c in map(_layer, layers.values()) if c]
    if len(found) == 1 and len(layers) == 1:
        return found[0]
    there = ", ".join(sorted(names)[:12])[:200] or "none"
    raise BadImage(f"{file}: it is not clear which of its channels to read ({there}). Save one layer as R, G and B.")


def _layer(channels: dict[str, str]) -> list[str]:
    for order in _ORDERS:
        if channels.keys() >= set(order[:3]):
            return [channels[c] for c in order if c in channels]
    return []
