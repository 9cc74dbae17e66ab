"""Tells processes apart, those of other machines too: a number alone is used again."""

from __future__ import annotations

import os
import socket
from dataclasses import dataclass
from pathlib import Path
from typing import Any


@dataclass(frozen=True)
class Who:
    """A process: its number, when it started in its kernel's ticks since that booted, and the machine it runs on."""

    process: int
    start: str
    host: str

    @staticmethod
    def me() -> Who:
        """This process."""
        return Who(os.getpid(), started(os.getpid()), socket.gethostname())

    @staticmethod
    def read(content: Any) -> Who | None:
        """Who a note in a file names; None where it names nobody."""
        if not isinstance(content, dict):
            return None
        process, start, host = content.get("process"), content.get("start", ""), content.get("host", "")
        if not isinstance(process, int) or isinstance(process, bool) or not 0 < process < 1 << 31:
            return None
        return Who(process, str(start)[:40], str(host)[:60])

    def told(self) -> dict[str, Any]:
        """What a note in a file says of it."""
        return {"process": self.process, "start": self.start, "host": self.host}

    @property
    def here(self) -> bool:
        """Whether it runs, or ran, on this machine."""
        return self.host in ("", socket.gethostname())

    @property
    def alive(self) -> bool:
        """Whether it still runs on this machine; a number that another process has by now does not count."""
        now = started(self.process)
        return self.here and bool(now) and now == self.start

    def __str__(self) -> str:
        return f"process {self.process} on {'this machine' if self.here else self.host}"


def started(process: int) -> str:
    """When a process started, and in which run of the machine; empty for none (proc(5): field 22 of stat)."""
    try:
        ticks = Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()[19]
        return f"{ticks}@{_boot()}"
    except (OSError, IndexError, ValueError):
        return ""


def _boot() -> str:
    """A mark of this run of the machine: ticks begin anew with each."""
    try:
        return Path("/proc/sys/kernel/random/boot_id").read_text().strip()[:13]
    except OSError:
        return ""
