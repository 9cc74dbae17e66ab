"""Ids and names that nobody has yet."""

from __future__ import annotations

import re


def free_id(name: str, taken: set[str]) -> str:
    """A short id made from a name, with a number behind it where the plain one is taken."""
    base = re.sub(r"[^a-z0-9]+", "_", name.lower()).strip("_") or "item"
    base = base if base[0].isalpha() else f"n{base}"
    found, n = base, 2
    while found in taken:
        found, n = f"{base}_{n}", n + 1
    return found


def free_name(name: str, taken: set[str]) -> str:
    """A name no other has: "Moss", then "Moss 2", …."""
    stem = re.sub(r" \d+$", "", name)
    found, n = name, 2
    while found in taken:
        found, n = f"{stem} {n}", n + 1
    return found
