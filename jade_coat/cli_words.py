"""What commands without a window share: errors of use, finding by id or name, progress on a terminal."""

from __future__ import annotations

import sys
from collections.abc import Iterable
from typing import Any


class UsageError(ValueError):
    """The command's words do not fit together."""


def progress(share: float, what: str) -> None:
    """Show on a terminal how far work is."""
    if sys.stderr.isatty():
        print(f"\r{share * 100:3.0f} %  {what:<50}", end="", file=sys.stderr, flush=True)
        if share >= 1:
            print(file=sys.stderr)


def find(items: Iterable[Any], wanted: str, what: str) -> Any:
    """The item whose id or name is `wanted`. Raises UsageError listing those there are."""
    for item in items:
        if wanted in (item.id, item.name):
            return item
    there = ", ".join(i.id for i in items) or "none"
    raise UsageError(f"there is no {what} {wanted!r}; there are: {there}")
