"""What stands in the view while nothing can be drawn: why, and a way to start again."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QFrame, QWidget

from jade_coat.app.controls.basics import button, column, holder, label, row


class StoppedNotice(QFrame):
    """A card in the middle of the view; shown while there is a reason."""

    def __init__(self, view: QWidget, start_again: Callable[[], object]) -> None:
        super().__init__(view)
        self.setObjectName("card")
        self._reason = label("", "", wrap=True)
        self.again = button("Start the view again", start_again, "main")
        head = label("The view is stopped", "name")
        self.setLayout(column(head, self._reason, 1, holder(row(self.again, 1)), margins=(16, 14, 16, 14), gap=8))

    def show_reason(self, reason: str) -> None:
        """Show why nothing is drawn, or go away (an empty reason)."""
        self._reason.setText(reason)
        self.setVisible(bool(reason))
        self.place()

    def place(self) -> None:
        """Lie in the middle of the view."""
        parent = self.parentWidget()
        assert parent is not None
        width = max(min(440, parent.width() - 24), 120)
        self.setFixedWidth(width)
        self.adjustSize()
        self.move((parent.width() - width) // 2, max((parent.height() - self.height()) // 2, 52))
