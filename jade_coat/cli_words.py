"""What commands without a window share: errors of use, finding by id or name, progress on a terminal."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Iterable
from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from jade_coat.files.project_folder import Opened


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


def opened_to_change(options: argparse.Namespace) -> Opened:
    """The project that a command is to change; what is wrong with it is printed, and stops it unless asked not to.

    Raises BadProject, or UsageError.
    """
    opened = opened_to_read(options.project)
    if opened.problems and not options.anyway:
        raise UsageError(
            f"{options.project} is not whole ({len(opened.problems)} told above). Nothing was written: put it right, "
            "or go on with --anyway; what is missing stays referred to"
        )
    return opened


def opened_to_read(folder: Path) -> Opened:
    """A project that a command only reads; what is wrong with it is printed. Raises BadProject."""
    from jade_coat.files.project_folder import open_project

    opened = open_project(folder)
    for problem in opened.problems:
        print(f"jade-coat: {problem}", file=sys.stderr)
    return opened
