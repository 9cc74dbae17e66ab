"""What the application remembers between starts: each entry declared once, checked when it is read."""

from __future__ import annotations

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


def _theme(value: Any) -> str:
    if value not in theme.THEMES:
        raise ValueError
    return str(value)


def _bytes(value: Any) -> QByteArray:
    if not isinstance(value, QByteArray):
        raise ValueError
    return value


def _megabytes(value: Any) -> int:
    found = int(value)
    if not 16 <= found <= 65536:
        raise ValueError
    return found


THEME = Preference("theme", "Inkstone", _theme, " or ".join(theme.THEMES))
UNDO_MEGABYTES = Preference("undo/megabytes", 512, _megabytes, "16 to 65536 megabytes")
WINDOW = Preference("layout/window", None, _bytes, "a window's place")
ACROSS = Preference("layout/across", None, _bytes, "the widths of the panels")
MIDDLE = Preference("layout/middle", None, _bytes, "the heights under the view")
PREFERENCES = (THEME, UNDO_MEGABYTES, WINDOW, ACROSS, MIDDLE)


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
    QSettings().setValue(preference.key, value)


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
