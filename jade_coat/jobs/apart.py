"""Runs long work in a process of its own, so that nothing it does can hold the window up or take it down."""

from __future__ import annotations

import contextlib
import multiprocessing
import os
import pickle
import signal
import threading
import time
from collections.abc import Callable
from multiprocessing.connection import Connection
from typing import Any

from jade_coat.jobs.job import Cancelled, Job

_BACKGROUND_NICE = 10
_PATIENCE = 3.0
"""Seconds that cancelled work gets to clean up after itself."""


class WorkDied(RuntimeError):
    """The process that did the work ended before it was done."""


def apart(task: Callable[..., Any], job: Job, /, *arguments: Any) -> Any:
    """Return `task(*arguments, job)`, run in a new process that reports to this job and is stopped through it.

    The task is a module's function; its arguments and result are pickled. Raises what it raises, Cancelled, or
    WorkDied.
    """
    context = multiprocessing.get_context("spawn")
    ours, theirs = context.Pipe()
    process = context.Process(target=_serve, args=(theirs,), name="jade-coat-work", daemon=True)
    job.step(0.0, "Starting…")
    process.start()
    theirs.close()
    try:
        ours.send_bytes(pickle.dumps((task, arguments), protocol=pickle.HIGHEST_PROTOCOL))
        return _followed(ours, job)
    except (EOFError, BrokenPipeError, ConnectionResetError):
        if job.cancelled:
            raise Cancelled from None
        process.join(_PATIENCE)
        raise WorkDied(
            f"The work ended unexpectedly ({_ending(process.exitcode)}). Nothing was written; try a smaller size."
        ) from None
    finally:
        process.join(0.5)
        if process.is_alive():
            process.kill()
        ours.close()


def _followed(connection: Connection, job: Job) -> Any:
    told = 0.0
    while True:
        if job.cancelled and not told:
            connection.send("cancel")
            told = time.monotonic()
        if told and time.monotonic() - told > _PATIENCE:
            raise Cancelled  # it is in the middle of something that hears nothing, and is ended
        if not connection.poll(0.1):
            continue
        kind, content = connection.recv()
        if kind == "step" and not job.cancelled:
            job.step(*content)
        elif kind == "done":
            return content
        elif kind == "error":
            raise content


def _ending(code: int | None) -> str:
    if code is not None and code < 0:
        with contextlib.suppress(ValueError):
            return signal.Signals(-code).name
    return f"exit code {code}"


def _serve(connection: Connection) -> None:
    """The process's main function."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    with contextlib.suppress(OSError):
        os.nice(_BACKGROUND_NICE)
    sending = threading.Lock()

    def send(kind: str, content: Any) -> None:
        with sending:
            connection.send((kind, content))

    job = Job(lambda share, what: send("step", (share, what)))

    def listen() -> None:
        try:
            connection.recv()  # the only thing that is ever said is to stop
        except (EOFError, OSError):
            os._exit(1)  # the application is gone: nobody wants the result
        job.cancel()

    try:
        task, arguments = pickle.loads(connection.recv_bytes())
        threading.Thread(target=listen, daemon=True).start()
        result = task(*arguments, job)
    except Exception as error:
        with contextlib.suppress(OSError):
            send("error", _sendable(error))
        return
    with contextlib.suppress(OSError):
        send("done", result)


def _sendable(error: Exception) -> Exception:
    try:
        pickle.loads(pickle.dumps(error))
    except Exception:  # an error whose class cannot be sent is told by its words
        return RuntimeError(f"{type(error).__name__}: {error}")
    return error
