"""Brings a project of an older format up to the present one, a step a version."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

Migration = Callable[[dict[str, Any]], dict[str, Any]]


def _from_1(data: dict[str, Any]) -> dict[str, Any]:
    """Format 2 knows the span of a map's values and what a shared term is without its dial; format 1 had neither."""
    return data


MIGRATIONS: dict[int, Migration] = {1: _from_1}
"""By the format they start from."""


def brought_up(data: dict[str, Any], version: int) -> dict[str, Any]:
    """A project's content in the format `version`; the given one is left as it is."""
    made = dict(data)
    for start in range(made.get("schema_version", 1), version):
        made = {**MIGRATIONS[start](made), "schema_version": start + 1}
    return made
