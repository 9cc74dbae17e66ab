"""Small helpers for building panels."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6 import sip
from PyQt6.QtCore import QEvent, QPointF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QHelpEvent,
    QKeyEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QWheelEvent,
)
from PyQt6.QtWidgets import (
    QAbstractButton,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QStyle,
    QStyleOptionButton,
    QStylePainter,
    QToolTip,
    QVBoxLayout,
    QWidget,
)

from jade_coat.app import theme


class Elided(QLabel):
    """A line that is cut short with dots where there is no room for all of it; resting on it then shows the whole.

    What people name never makes a panel wider than it is.
    """

    def __init__(self, text: str = "", role: str = "") -> None:
        super().__init__(text)
        self.setProperty("role", role)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Preferred)

    @property
    def is_cut(self) -> bool:
        """Whether there is no room for all of it."""
        return self.width() < self.sizeHint().width()

    def minimumSizeHint(self) -> QSize:
        whole = super().minimumSizeHint()
        return QSize(min(whole.width(), 24), whole.height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if not self.is_cut:
            super().paintEvent(event)
            return
        painter = QPainter(self)
        painter.setFont(self.font())
        painter.setPen(self.palette().windowText().color())
        box = self.contentsRect()
        shown = painter.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, box.width())
        painter.drawText(box, self.alignment(), shown)

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip and self.is_cut:
            told = "\n".join(part for part in (self.text(), self.toolTip()) if part)
            QToolTip.showText(event.globalPos(), told, self)
            return True
        return super().event(event)


def label(text: str, role: str = "", tip: str = "", wrap: bool = False) -> QLabel:
    """A label; roles are those of the style sheet: quiet, head, name, title, warn.

    A line is cut where room lacks, but for a head.
    """
    made = QLabel(text) if wrap or role == "head" else Elided(text)
    made.setProperty("role", role)
    made.setToolTip(tip)
    made.setWordWrap(wrap)
    return made


def counted(number: int, word: str) -> str:
    """A number of things in words: 1 prop, 2 props, 3 finishes."""
    plural = f"{word}es" if word.endswith(("sh", "ch", "s", "x")) else f"{word}s"
    return f"{number:,} {word if number == 1 else plural}"


def show_or_hide(widget: QWidget, wanted: bool) -> None:
    """Show a widget or hide it, even one that lies in nothing yet, or whose panel was built anew without it.

    Qt would make a window of its own of the first, which flashes and closes the popup that is open.
    """
    if not sip.isdeleted(widget) and (not wanted or widget.parentWidget() is not None):
        widget.setVisible(wanted)


class Line:
    """A line of text that outlives the labels that show it: a panel may be built anew between two words."""

    def __init__(self, role: str = "quiet", wrap: bool = False) -> None:
        self._role, self._wrap, self._text = role, wrap, ""
        self._label: QLabel | None = None

    @property
    def text(self) -> str:
        """What it says."""
        return self._text

    def widget(self) -> QLabel:
        """A new label that shows the text from now on."""
        self._label = label(self._text, self._role, wrap=self._wrap)
        show_or_hide(self._label, bool(self._text))
        return self._label

    def say(self, text: str) -> None:
        """Change the text, on the label too if there still is one."""
        self._text = text
        if self._label is not None and not sip.isdeleted(self._label):
            self._label.setText(text)
            show_or_hide(self._label, bool(text))


class NameButton(QPushButton):
    """A button that shows a name, cut short with dots where there is no room for all of it."""

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)

    def minimumSizeHint(self) -> QSize:
        whole = super().minimumSizeHint()
        return QSize(min(whole.width(), 60), whole.height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        lacking = self.sizeHint().width() - self.width()
        if lacking <= 0:
            super().paintEvent(event)
            return
        option = QStyleOptionButton()
        self.initStyleOption(option)
        room = self.fontMetrics().horizontalAdvance(self.text()) - lacking
        option.text = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, max(room, 0))
        QStylePainter(self).drawControl(QStyle.ControlElement.CE_PushButton, option)


def button(
    text: str, do: Callable[[], object] | None = None, role: str = "", tip: str = "", names: bool = False
) -> QPushButton:
    """A push button; roles are main, plain, add, tab, tool, name, entry. One that `names` shows what people named."""
    made = NameButton(text) if names or role == "name" else QPushButton(text)
    made.setProperty("role", role)
    made.setToolTip(tip)
    made.setAutoDefault(False)
    made.setDefault(role == "main")  # in a dialog Enter presses it
    if do is not None:
        made.clicked.connect(lambda _checked=False: do())
    return made


def row(*widgets: QWidget | int, margins: tuple[int, int, int, int] = (0, 0, 0, 0), gap: int = 8) -> QHBoxLayout:
    """Widgets beside one another; a number is a stretch."""
    layout = QHBoxLayout()
    _fill(layout, widgets, margins, gap)
    return layout


def captioned(name: str, control: QWidget, width: int) -> QHBoxLayout:
    """A control of this width behind its name, which says on hover what the control does."""
    control.setFixedWidth(width)
    return row(label(name, tip=control.toolTip()), 1, control)


def column(*widgets: QWidget | int, margins: tuple[int, int, int, int] = (0, 0, 0, 0), gap: int = 4) -> QVBoxLayout:
    """Widgets under one another; a number is a stretch."""
    layout = QVBoxLayout()
    _fill(layout, widgets, margins, gap)
    return layout


def _fill(layout: QLayout, widgets: tuple[QWidget | int, ...], margins: tuple[int, int, int, int], gap: int) -> None:
    layout.setContentsMargins(*margins)
    layout.setSpacing(gap)
    for widget in widgets:
        if isinstance(widget, int):
            layout.addStretch(widget)  # type: ignore[attr-defined]
        else:
            layout.addWidget(widget)


def holder(layout: QLayout, name: str = "") -> QWidget:
    """A widget around a layout."""
    made = QWidget()
    made.setObjectName(name)
    if name:
        made.setAttribute(Qt.WidgetAttribute.WA_StyledBackground, True)
    made.setLayout(layout)
    return made


def scrolled(inner: QWidget) -> QScrollArea:
    """A vertical scroll area that is as wide as its content."""
    area = QScrollArea()
    area.setWidget(inner)
    area.setWidgetResizable(True)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # what lies in it has the focus
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
    return area


class Sheet(QWidget):
    """A sheet of rows that scrolls; those who make one fill `_box` from top to bottom."""

    def __init__(self) -> None:
        super().__init__()
        inner = QWidget()
        self._box = QVBoxLayout(inner)
        self._box.setContentsMargins(12, 10, 10, 12)
        self._box.setSpacing(4)
        self._area = scrolled(inner)
        self.setLayout(column(self._area, gap=0))


def clear(layout: QLayout) -> None:
    """Remove everything from a layout and delete it."""
    while layout.count():
        item = layout.takeAt(0)
        assert item is not None
        widget, inner = item.widget(), item.layout()
        if widget is not None:
            widget.hide()
            widget.setParent(None)
            widget.deleteLater()
        elif inner is not None:
            clear(inner)


class Fold(QWidget):
    """A part of a panel under a heading that folds it away."""

    folded = pyqtSignal(bool)

    def __init__(self, title: str, note: str = "", shut: bool = False) -> None:
        super().__init__()
        self._head = _FoldHead(title, note, shut)
        self._head.clicked.connect(self._turn)
        self._body = QWidget()
        self.box = QVBoxLayout(self._body)
        self.box.setContentsMargins(0, 0, 0, 4)
        self.box.setSpacing(4)
        show_or_hide(self._body, not shut)
        self.setLayout(column(self._head, self._body, gap=2))

    def unfold(self) -> None:
        """Open it, if it is not open."""
        if not self._body.isVisibleTo(self):
            self._turn()

    def _turn(self) -> None:
        shut = self._body.isVisibleTo(self)
        self._body.setVisible(not shut)
        self._head.shut = shut
        self._head.update()
        self.folded.emit(shut)


class _FoldHead(QAbstractButton):
    """The heading of a fold."""

    def __init__(self, title: str, note: str, shut: bool) -> None:
        super().__init__()
        self.setText(title)
        self.note, self.shut = note, shut
        self.setFixedHeight(28)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(title)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.color("line"), 1))
        painter.drawLine(QPointF(0, 1.5), QPointF(self.width(), 1.5))
        painter.setPen(QPen(theme.color("jade" if self.hasFocus() else "quiet"), 1.5))
        way = ((3, 11), (7, 15), (3, 19)) if self.shut else ((1, 13), (5, 17), (9, 13))
        painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in way]))
        painter.setFont(theme.font(12.5, 600))
        painter.setPen(theme.color("text"))
        inner = self.rect().adjusted(16, 3, 0, 0)
        painter.drawText(inner, Qt.AlignmentFlag.AlignVCenter, self.text())
        painter.setFont(theme.font(12))
        painter.setPen(theme.color("quiet"))
        painter.drawText(inner, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, self.note)


class Choice(QComboBox):
    """A drop-down with a small chevron; it leaves the wheel to the panel it lies in."""

    opening = pyqtSignal()
    closing = pyqtSignal()

    def showPopup(self) -> None:
        self.opening.emit()
        super().showPopup()

    def hidePopup(self) -> None:
        super().hidePopup()
        self.closing.emit()

    def paintEvent(self, e: QPaintEvent | None) -> None:
        super().paintEvent(e)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.color("quiet"), 1.4))
        x, y = self.width() - 11.0, self.height() / 2
        painter.drawPolyline(QPolygonF([QPointF(x - 3.5, y - 1.8), QPointF(x, y + 1.8), QPointF(x + 3.5, y - 1.8)]))

    def wheelEvent(self, e: QWheelEvent | None) -> None:
        if e is not None:
            e.ignore()

    def keyPressEvent(self, e: QKeyEvent | None) -> None:
        """Letters and digits are the workspace's keys, unless the list is open."""
        if e is None:
            return
        if e.text().isprintable() and e.text().strip():
            e.ignore()
        else:
            super().keyPressEvent(e)


def choice(options: Sequence[tuple[str, str]], current: str, chosen: Callable[[str], object], tip: str = "") -> Choice:
    """A drop-down of (key, text); calls `chosen(key)` when the user picks."""
    box = Choice()
    box.setToolTip(tip)
    for key, text in options:
        box.addItem(text, key)
    box.setCurrentIndex(max(0, next((i for i, (k, _) in enumerate(options) if k == current), 0)))
    box.activated.connect(lambda index: chosen(box.itemData(index)))
    box.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
    box.setMinimumWidth(60)
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    return box
