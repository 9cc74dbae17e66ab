"""What a workspace has in the bench besides the view; it is made when the workspace is first entered."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

from PyQt6.QtWidgets import QWidget


class Room(Protocol):
    """A panel at the left, a sheet at the right, and what lies below the view."""

    @property
    def left(self) -> QWidget:
        """The panel at the left."""

    @property
    def below(self) -> QWidget:
        """What lies below the view."""

    @property
    def sheets(self) -> Sequence[QWidget]:
        """All that may be shown at the right."""

    @property
    def word(self) -> str:
        """What the button says that folds what lies below."""

    @property
    def waiting(self) -> bool:
        """Whether anything in it is being worked out still."""

    def sheet(self) -> QWidget:
        """Which of the sheets is shown, by what is chosen."""


@dataclass
class FixedRoom:
    """A room whose sheet is always the same."""

    left: QWidget
    below: QWidget
    right: QWidget
    word: str = "Section"
    waiting: bool = False

    @property
    def sheets(self) -> Sequence[QWidget]:
        """All that may be shown at the right."""
        return (self.right,)

    def sheet(self) -> QWidget:
        """What is shown at the right."""
        return self.right
