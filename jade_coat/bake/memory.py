"""Keeps freed memory in the process while arrays of a few hundred kilobytes come and go by the thousand."""

from __future__ import annotations

import ctypes
from functools import cache

_MMAP_THRESHOLD, _TRIM_THRESHOLD = -3, -1
_KEEP = 64 << 20


@cache
def keep_freed_memory() -> None:
    """Tell glibc to reuse blocks of up to 64 MiB instead of giving each back to the kernel; elsewhere do nothing.

    Without it, threads wait for one another in page faults: two bake little faster than one.
    """
    try:
        mallopt = ctypes.CDLL(None).mallopt
    except (OSError, AttributeError):
        return
    mallopt(_MMAP_THRESHOLD, _KEEP)
    mallopt(_TRIM_THRESHOLD, _KEEP)
