"""Starts the render process: by a fork before there is a window, anew later on."""

from __future__ import annotations

import gc
import multiprocessing
import os
from dataclasses import dataclass
from multiprocessing import resource_tracker
from multiprocessing.connection import Connection
from typing import Any

_BLAS_THREADS = "OPENBLAS_NUM_THREADS"


@dataclass(frozen=True)
class Started:
    """A render process and the connection to it."""

    process: Any
    connection: Connection


def start_early() -> Started:
    """Start a render process that shares what this one has imported, to be called before Qt is imported.

    What both need is imported once, here, where each would do it at the same time for itself. Where threads run
    already, which a fork would cut off in the middle of something, the process is started anew.
    """
    _import_shared()
    if len(os.listdir("/proc/self/task")) > 1:
        return start_process()
    resource_tracker.ensure_running()  # one for both: each would clear away the other's blocks of shared memory
    gc.freeze()
    return _start("fork")


def start_process() -> Started:
    """Start a render process, which lives no longer than this one."""
    return _start("spawn")


def _start(how: str) -> Started:
    context: Any = multiprocessing.get_context(how)
    ours, theirs = context.Pipe()
    also = (ours,) if how == "fork" else ()
    process = context.Process(target=_run, args=(theirs, *also), name="jade-coat-view", daemon=True)
    process.start()
    theirs.close()
    return Started(process, ours)


def _run(connection: Connection, also: Connection | None = None) -> None:
    if also is not None:
        also.close()  # the other end, which a fork has copied: held open here, it would never be seen to end
    gc.disable()  # while things are imported, which stay
    from jade_coat.view.process import run

    gc.freeze()
    gc.enable()
    run(connection)


def _import_shared() -> None:
    """Import what both processes need; NumPy's linear algebra without threads of its own, or there could be no fork."""
    before = os.environ.get(_BLAS_THREADS)
    os.environ[_BLAS_THREADS] = "1"  # read when the library is loaded
    from jade_coat.view import client, gpu_scenes  # noqa: F401

    if before is None:
        del os.environ[_BLAS_THREADS]  # other processes may have theirs
    else:
        os.environ[_BLAS_THREADS] = before
