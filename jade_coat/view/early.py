"""Starts the render process before there is a window: what both processes need is imported once, and shared."""

from __future__ import annotations

import gc
import os
from multiprocessing import resource_tracker

from jade_coat.view.spawn import Started, start_process

_BLAS_THREADS = "OPENBLAS_NUM_THREADS"


def start_early() -> Started:
    """Start a render process that shares what this one has imported; to be called before Qt is imported.

    Each would import it for itself at the same time otherwise. Where threads run already, which a fork would cut off
    in the middle of something, the process is started anew.
    """
    _import_shared()
    if len(os.listdir("/proc/self/task")) > 1:
        return start_process()
    resource_tracker.ensure_running()  # one for both: each would clear away the other's blocks of shared memory
    gc.freeze()
    return start_process("fork")


def _import_shared() -> None:
    """Import what both processes need; NumPy's linear algebra without threads of its own, or there could be no fork."""
    before = os.environ.get(_BLAS_THREADS)
    os.environ[_BLAS_THREADS] = "1"  # read when the library is loaded
    from jade_coat.view import client, gpu_scenes  # noqa: F401

    if before is None:
        del os.environ[_BLAS_THREADS]  # other processes may have theirs
    else:
        os.environ[_BLAS_THREADS] = before
