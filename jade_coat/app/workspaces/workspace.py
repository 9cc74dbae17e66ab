"""What a workspace is: a name, a page, and what it does when it is entered; its commands are its methods."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, ClassVar

from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QWidget

if TYPE_CHECKING:
    from jade_coat.app.project_window import ProjectWindow
    from jade_coat.app.workspaces.bench import Bench


class Workspace:
    """One workspace of a window. Methods marked by `command` appear in menus, keys, the finder and F1 by themselves."""

    name: ClassVar[str]
    narrow: ClassVar[bool] = False
    """Whether the keys of its commands do nothing while another workspace is shown."""
    shut: ClassVar[frozenset[str]] = frozenset()
    """The panes that are folded at first; afterwards they are as people left them."""

    def __init__(self, window: ProjectWindow, bench: Bench) -> None:
        self.window, self.bench = window, bench
        self.session = window.session

    @property
    def scope(self) -> str:
        """What its commands belong to: another workspace may give their keys to something else."""
        return self.name

    @property
    def page(self) -> QWidget:
        """What is shown; the same for those that share one."""
        return self.bench

    def enter(self) -> None:
        """The workspace is shown from now on."""

    def takes_picture(self, path: Path) -> bool:
        """Make something of a picture that is brought in, or leave it to the window."""
        return False

    def key(self, event: QKeyEvent) -> bool:
        """Take a key that is pressed while it is shown, or leave it."""
        return False
