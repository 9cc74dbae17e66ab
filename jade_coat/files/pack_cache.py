"""Keeps packed textures between sessions, so that a project's maps are decoded and filtered once."""

from __future__ import annotations

import contextlib
import hashlib
import io
import os
from collections.abc import Callable
from pathlib import Path

import numpy as np

from jade_coat.files.atomic import WriteFailed, write_atomic
from jade_coat.maps.mapset import MapSet
from jade_coat.maps.packing import PACKS, ReadAsset, Texture, pack_set, texture_name
from jade_coat.program.types import Array

FORMAT = 3
"""Raise this when packing changes, so that nothing packed the old way is used."""
MAX_BYTES = 2 << 30


def cache_folder(kind: str = "packs") -> Path:
    """Where packed textures, or other things that take long to make, are kept; deleting it costs nothing but time."""
    base = os.environ.get("XDG_CACHE_HOME") or os.path.expanduser("~/.cache")
    return Path(base) / "jade-coat" / kind


def kept_arrays(kind: str, key: str, make: Callable[[], dict[str, Array]]) -> dict[str, Array]:
    """Arrays that were made before under a key, which says all they depend on; made and kept where there are none."""
    path = cache_folder(kind) / f"{key}.npz"
    try:
        with np.load(path, allow_pickle=False) as stored:
            found = {name: stored[name] for name in stored.files}
        with contextlib.suppress(OSError):
            os.utime(path)
        return found
    except Exception:  # not there, or damaged in one of many ways: it is made again
        found = make()
    buffer = io.BytesIO()
    np.savez(buffer, allow_pickle=False, **found)
    with contextlib.suppress(WriteFailed):
        write_atomic(path, buffer.getvalue())
        _evict(path)
    return found


def packed(map_set: MapSet, read_asset: ReadAsset) -> list[Texture]:
    """The textures of a map set, from the cache or made anew. Assets are named by content, so a hit is never stale.

    Raises what `pack_set` raises when they have to be made.
    """
    path = cache_folder() / f"{_key(map_set)}.npz"
    found = _load(path, map_set)
    if found is None:
        found = pack_set(map_set, read_asset)
        with contextlib.suppress(WriteFailed):  # a full or read-only home only makes the next start slower
            write_atomic(path, _bytes(found))
            _evict(path)
    return found


def _key(map_set: MapSet) -> str:
    entries = sorted(m.model_dump_json(exclude={"origin"}) for m in map_set.maps)
    return hashlib.sha256(repr((FORMAT, map_set.id, map_set.max_side, entries)).encode()).hexdigest()[:32]


def _bytes(textures: list[Texture]) -> bytes:
    buffer = io.BytesIO()
    levels = {f"{t.name.rpartition('/')[2]}{i}": level for t in textures for i, level in enumerate(t.levels)}
    np.savez(buffer, allow_pickle=False, **levels)
    return buffer.getvalue()


def _load(path: Path, map_set: MapSet) -> list[Texture] | None:
    try:
        with np.load(path, allow_pickle=False) as stored:
            levels = {name: stored[name] for name in stored.files}
    except (OSError, ValueError, EOFError, KeyError):
        return None  # not there, or damaged: it will be made again
    except Exception:  # zipfile and zlib have errors of their own
        return None
    with contextlib.suppress(OSError):
        os.utime(path)
    found = []
    for pack in PACKS:
        chain: list[Array] = []
        while f"{pack.suffix}{len(chain)}" in levels:
            level = levels[f"{pack.suffix}{len(chain)}"]
            level.flags.writeable = False
            chain.append(level)
        if chain:
            found.append(Texture(texture_name(map_set.id, pack), pack.is_color, tuple(chain)))
    return found or None


def _evict(newest: Path) -> None:
    """Remove what was used longest ago while the cache is too large."""
    with contextlib.suppress(OSError):
        files = sorted(newest.parent.glob("*.npz"), key=lambda p: p.stat().st_mtime)
        total = sum(p.stat().st_size for p in files)
        for path in files:
            if total <= MAX_BYTES or path == newest:
                break
            total -= path.stat().st_size
            path.unlink()
