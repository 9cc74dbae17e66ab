"""Long work: progress, an estimate of what is left, and cancelling."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable


class Cancelled(Exception):
    """The work was cancelled; nothing half-done is left behind."""


class Job:
    """What long work reports to and is stopped through. Safe to use from several threads."""

    def __init__(self, report: Callable[[float, str], None] | None = None) -> None:
        self._report = report or (lambda share, what: None)
        self._cancelled = threading.Event()
        self._start = time.monotonic()
        self._span = (0.0, 1.0)

    def cancel(self) -> None:
        """Ask the work to stop at its next step."""
        self._cancelled.set()

    @property
    def cancelled(self) -> bool:
        """Whether it was asked to stop."""
        return self._cancelled.is_set()

    def step(self, share: float, what: str) -> None:
        """Report how much of the present part is done, 0–1. Raises Cancelled when asked to stop."""
        if self._cancelled.is_set():
            raise Cancelled
        low, high = self._span
        self._report(low + (high - low) * min(max(share, 0.0), 1.0), what)

    def part(self, low: float, high: float) -> None:
        """From now on, steps count within this part of the whole."""
        self._span = (low, high)

    def seconds_left(self, share: float) -> float | None:
        """An estimate of the time left when `share` of the whole is done; None at the very start."""
        spent = time.monotonic() - self._start
        return spent * (1 - share) / share if share > 0.02 and spent > 0.3 else None
