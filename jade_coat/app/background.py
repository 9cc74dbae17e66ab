"""Work in the background, and its results in the window's thread.

A widget that is freed in another thread takes the application down. So nothing that may hold one is ever let go in the
pool: tasks, callbacks and results lie under a ticket in the window's thread, and the pool hands back tickets alone.
"""

from __future__ import annotations

import contextlib
import os
import threading
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor, wait
from dataclasses import dataclass
from itertools import count
from typing import Any, ClassVar
from weakref import WeakValueDictionary

from PyQt6.QtCore import QCoreApplication, QObject, pyqtSignal

from jade_coat.jobs.job import Job

BACKGROUND_NICE = 10
CLOSE_SECONDS = 0.6
"""How long closing waits for work that was told to stop."""


@dataclass
class Ticket:
    """Work under way: what is run, who hears of it, and what came of it."""

    task: Callable[[], Any]
    done: Callable[[Any], None]
    failed: Callable[[Exception], None]
    job: Job | None
    future: Future[None] | None = None
    result: Any = None
    error: BaseException | None = None

    def run(self) -> None:
        """Run the task; for the pool."""
        try:
            self.result = self.task()
        except BaseException as error:
            self.error = error.with_traceback(None)  # whose frames hold what the task held

    def tell(self) -> None:
        """Tell what came of it; for the window's thread."""
        if self.error is None:
            self.done(self.result)
        elif isinstance(self.error, Exception):
            self.failed(self.error)
        else:  # a compiled library may raise what is no Exception
            self.failed(RuntimeError(f"{type(self.error).__name__}: {self.error}"))


class Bell(QObject):
    """Rung by the pool, heard in the window's thread. There is one for all, which lives as long as the process."""

    rung = pyqtSignal(int)
    tickets: ClassVar[dict[int, Ticket]] = {}
    """All work whose result was not heard yet; nobody but the window's thread takes anything out."""
    heard_by: ClassVar[WeakValueDictionary[int, Background]] = WeakValueDictionary()
    numbers: ClassVar[count[int]] = count()

    def hear(self, number: int) -> None:
        """Take a ticket out, and tell whoever asked for the work, if it is still there."""
        ticket, owner = self.tickets.pop(number, None), self.heard_by.pop(number, None)
        if ticket is not None and owner is not None and not owner.closed:
            owner.deliver(ticket)


_BELLS: list[Bell] = []


def _bell() -> Bell:
    if not _BELLS:
        made = Bell()
        app = QCoreApplication.instance()
        if app is not None:
            made.moveToThread(app.thread())
        made.rung.connect(made.hear)
        _BELLS.append(made)
    return _BELLS[0]


class Background(QObject):
    """Runs tasks on two threads of a lower priority than the window's."""

    def __init__(self) -> None:
        super().__init__()
        self._pool = ThreadPoolExecutor(2, thread_name_prefix="jade-coat", initializer=_stand_back)
        self._running: set[int] = set()
        self.closed = False
        self.unfinished = False
        """Whether closing left work behind that could not be stopped; it ends with the process."""

    def work(
        self, task: Callable[[], Any], done: Callable[[Any], None], failed: Callable[[Exception], None],
        job: Job | None = None,
    ) -> None:  # fmt: skip
        """Run a task in the background; `done` or `failed` is called in the window's thread, unless all is closed.

        The task gets what it needs as values that nobody changes, and gives back its result. Closing cancels its `job`.
        """
        if self.closed:
            return
        bell = _bell()
        number = next(bell.numbers)
        bell.tickets[number] = Ticket(task, done, failed, job)
        bell.heard_by[number] = self
        self._running.add(number)
        bell.tickets[number].future = self._pool.submit(_run, number)

    def deliver(self, ticket: Ticket) -> None:
        """Tell what came of work."""
        self._running.intersection_update(Bell.tickets)
        ticket.tell()

    def stop_work(self) -> None:
        """Tell all work to stop, and wait a moment for it; nothing is called back from here on."""
        self.closed = True
        self._pool.shutdown(wait=False, cancel_futures=True)
        left = [Bell.tickets[n] for n in self._running if n in Bell.tickets]
        for ticket in left:
            if ticket.job is not None:
                ticket.job.cancel()
        self.unfinished = bool(wait([t.future for t in left if t.future is not None], CLOSE_SECONDS).not_done)
        for number in self._running:  # what has ended will not be heard of; what runs on is kept until it ends
            ticket_left = Bell.tickets.get(number)
            if ticket_left is not None and ticket_left.future is not None and ticket_left.future.done():
                Bell.tickets.pop(number, None)


def _run(number: int) -> None:
    """Run what lies under a ticket, and ring: this thread holds nothing of it afterwards."""
    _held(number)
    _BELLS[0].rung.emit(number)


def _held(number: int) -> None:
    ticket = Bell.tickets.get(number)
    if ticket is not None:
        ticket.run()


def _stand_back() -> None:
    """Give a background thread, and those it starts, a lower priority than the window's."""
    with contextlib.suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), BACKGROUND_NICE)
