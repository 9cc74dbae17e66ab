"""Starts the render process. Imports next to nothing, so that it is on its way before anything else is imported."""

from __future__ import annotations

import gc
import multiprocessing
from dataclasses import dataclass
from multiprocessing.connection import Connection
from typing import Any


@dataclass(frozen=True)
class Started:
    """A render process and the connection to it."""

    process: Any
    connection: Connection


def start_process() -> Started:
    """Start a render process, which lives no longer than this one."""
    context = multiprocessing.get_context("spawn")
    ours, theirs = context.Pipe()
    process = context.Process(target=_run, args=(theirs,), name="jade-coat-view", daemon=True)
    process.start()
    theirs.close()
    return Started(process, ours)


def _run(connection: Connection) -> None:
    gc.disable()  # while things are imported, which stay
    from jade_coat.view.process import run

    gc.freeze()
    gc.enable()
    run(connection)
