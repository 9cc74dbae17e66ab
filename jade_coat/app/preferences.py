"""What the application remembers between starts: each entry declared once, checked when it is read."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QByteArray, QSettings

from jade_coat.app import theme


@dataclass(frozen=True)
class Preference:
    """One remembered value: its key, what stands in when it is missing or bad, and how it is read."""

    key: str
    default: Any
    read: Callable[[Any], Any]
    doc: str
    """What is expected, for the message about a bad one."""
    write: Callable[[Any], Any] = lambda value: value


def _theme(value: Any) -> str:
    if value not in theme.THEMES:
        raise ValueError
    return str(value)


def _bytes(value: Any) -> QByteArray:
    if not isinstance(value, QByteArray):
        raise ValueError
    return value


def _layouts(value: Any) -> dict[str, dict[str, Any]]:
    found = _kept(value)
    if not all(isinstance(v, dict) for v in found.values()):
        raise ValueError
    return found


def _colors(value: Any) -> list[tuple[float, float, float]]:
    found = [tuple(float(v) for v in color) for color in json.loads(value)]
    if any(len(c) != 3 or not all(0 <= v < 1e6 for v in c) for c in found):
        raise ValueError
    return found  # type: ignore[return-value]


def _kept(value: Any) -> dict[str, Any]:
    found = json.loads(value)
    if not isinstance(found, dict):
        raise ValueError
    return found


def _entries(value: Any) -> list[dict[str, Any]]:
    found = json.loads(value)
    if not isinstance(found, list) or not all(isinstance(v, dict) for v in found):
        raise ValueError
    return found


def _megabytes(value: Any) -> int:
    found = int(value)
    if not 16 <= found <= 65536:
        raise ValueError
    return found


THEME = Preference("theme", "Inkstone", _theme, " or ".join(theme.THEMES))
UNDO_MEGABYTES = Preference("undo/megabytes", 512, _megabytes, "16 to 65536 megabytes")
WINDOW = Preference("layout/window", None, _bytes, "a window's place")
LAYOUTS = Preference("layout/workspaces", {}, _layouts, "how each workspace was left", json.dumps)
BRUSH = Preference("brush/settings", {}, _kept, "the brush as it was left", json.dumps)
BRUSHES = Preference("brush/kept", [], _entries, "brushes that were kept", json.dumps)
STAGE = Preference("stage/hand", {}, _kept, "how things are placed", json.dumps)
FOLDERS = Preference("folders/last", {}, _kept, "folders by what was chosen there", json.dumps)
RECENT_COLORS = Preference("colors/recent", [], _colors, "linear colours", json.dumps)
PREFERENCES = (THEME, UNDO_MEGABYTES, WINDOW, LAYOUTS, BRUSH, BRUSHES, STAGE, FOLDERS, RECENT_COLORS)


def recall(preference: Preference) -> Any:
    """The remembered value; a bad one counts as its default."""
    value = QSettings().value(preference.key)
    if value is None:
        return preference.default
    try:
        return preference.read(value)
    except (ValueError, TypeError, OverflowError):
        return preference.default


def keep(preference: Preference, value: Any) -> None:
    """Remember a value."""
    QSettings().setValue(preference.key, preference.write(value))


def mend() -> list[str]:
    """Reset what is bad among the remembered values; returns a line for each."""
    settings, told = QSettings(), []
    for preference in PREFERENCES:
        value = settings.value(preference.key)
        if value is None:
            continue
        try:
            preference.read(value)
        except (ValueError, TypeError, OverflowError):
            settings.remove(preference.key)
            told.append(
                f"The setting {preference.key} was {str(value)[:40]!r}, expected {preference.doc}; it was reset."
            )
    return told
