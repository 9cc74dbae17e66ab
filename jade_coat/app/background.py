"""Work in the background, and its results in the window's thread."""

from __future__ import annotations

import contextlib
import os
import threading
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor, wait
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from jade_coat.jobs.job import Job

BACKGROUND_NICE = 10
CLOSE_SECONDS = 0.6
"""How long closing waits for work that was told to stop."""


class Background(QObject):
    """Runs tasks on two threads of a lower priority than the window's."""

    background = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self._pool = ThreadPoolExecutor(2, thread_name_prefix="jade-coat", initializer=_stand_back)
        self._running: dict[Future[Any], Job | None] = {}
        self.closed = False
        self.unfinished = False
        """Whether closing left work behind that could not be stopped; it ends with the process."""
        self.background.connect(self._call)

    def work(
        self, task: Callable[[], Any], done: Callable[[Any], None], failed: Callable[[Exception], None],
        job: Job | None = None,
    ) -> None:  # fmt: skip
        """Run a task in the background; `done` or `failed` is called in the window's thread, unless all is closed.

        The task gets what it needs as values that nobody changes, and gives back its result. Closing cancels its `job`.
        """

        def finished(future: Future[Any]) -> None:
            self._running.pop(future, None)
            if future.cancelled() or self.closed:  # at the end there may be no window any more to tell
                return
            error = future.exception()
            if error is None:
                self.background.emit(lambda: done(future.result()))
            else:  # a compiled library may raise what is no Exception
                told = error if isinstance(error, Exception) else RuntimeError(f"{type(error).__name__}: {error}")
                self.background.emit(lambda: failed(told))

        if not self.closed:
            future = self._pool.submit(task)
            self._running[future] = job
            future.add_done_callback(finished)

    def _call(self, call: Callable[[], None]) -> None:
        if not self.closed:  # what was under way at the end finds no window any more
            call()

    def stop_work(self) -> None:
        """Tell all work to stop, and wait a moment for it; nothing is called back from here on."""
        self.closed = True
        self._pool.shutdown(wait=False, cancel_futures=True)
        running = dict(self._running)
        for job in running.values():
            if job is not None:
                job.cancel()
        self.unfinished = bool(wait(running, CLOSE_SECONDS).not_done)


def _stand_back() -> None:
    """Give a background thread, and those it starts, a lower priority than the window's."""
    with contextlib.suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), BACKGROUND_NICE)
