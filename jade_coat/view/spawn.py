"""Starts the render process, which lives no longer than the process that starts it."""

from __future__ import annotations

import gc
import multiprocessing
from dataclasses import dataclass
from multiprocessing.connection import Connection
from typing import Any, Literal


@dataclass(frozen=True)
class Started:
    """A render process and the connection to it."""

    process: Any
    connection: Connection


def start_process(how: Literal["spawn", "fork"] = "spawn") -> Started:
    """Start a render process: anew, or by a fork, which is for a process with one thread (`early.start_early`)."""
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
