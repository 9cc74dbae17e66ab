"""Colours, the shipped font, and the style sheet of both themes."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication, QWidget

FONTS = Path(__file__).parent / "fonts"
FAMILY = "Hanken Grotesk"


@dataclass(frozen=True)
class Theme:
    """One set of colours. `chrome` is behind everything, `panel` behind controls, `well` inside fields."""

    name: str
    chrome: str
    panel: str
    well: str
    raised: str
    line: str
    text: str
    quiet: str
    jade: str
    on_jade: str
    celadon: str
    persimmon: str
    warn_back: str
    chosen: str

    def pairs(self) -> list[tuple[str, str]]:
        """Every text colour with every background it is used on."""
        backs = (self.chrome, self.panel, self.well, self.raised)
        found = [(front, back) for front in (self.text, self.quiet) for back in backs]
        found += [(self.persimmon, self.panel), (self.persimmon, self.warn_back), (self.text, self.warn_back)]
        found += [(self.on_jade, self.jade), (self.text, self.chosen), (self.quiet, self.chosen)]
        found += [(self.celadon, self.panel), (self.celadon, self.chrome)]
        return found


INKSTONE = Theme(
    "Inkstone", chrome="#1E2122", panel="#272B2C", well="#1A1D1E", raised="#303536", line="#3A4041", text="#E6E8E3",
    quiet="#9BA39E", jade="#3FA58A", on_jade="#0E1514", celadon="#A9C9B4", persimmon="#E08A4B", warn_back="#362C25",
    chosen="#293934",
)  # fmt: skip
PORCELAIN = Theme(
    "Porcelain", chrome="#DDDFDA", panel="#ECEDE8", well="#FAFAF7", raised="#E1E3DD", line="#BFC4BD", text="#1F2524",
    quiet="#55605B", jade="#1F7A63", on_jade="#FFFFFF", celadon="#2F6651", persimmon="#96490F", warn_back="#F4E4D6",
    chosen="#D2E1D8",
)  # fmt: skip
THEMES = {t.name: t for t in (INKSTONE, PORCELAIN)}


class _Current:
    theme = INKSTONE


def current() -> Theme:
    """The theme in use."""
    return _Current.theme


def color(name: str, alpha: int = 255) -> QColor:
    """A colour of the theme in use by its field name."""
    found = QColor(getattr(_Current.theme, name))
    found.setAlpha(alpha)
    return found


def font(size: float = 13, weight: int = 400) -> QFont:
    """The shipped font at a pixel size; its figures all have one width."""
    made = QFont(FAMILY)
    made.setPixelSize(round(size))
    made.setWeight(QFont.Weight(weight))
    return made


def apply(app: QApplication, name: str = "Inkstone") -> None:
    """Load the font and take a theme's colours up for the whole application; `dress` its windows then."""
    for path in sorted(FONTS.glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(path))
    _Current.theme = THEMES.get(name, INKSTONE)
    app.setStyle("Fusion")
    app.setFont(font())
    app.setPalette(_palette(_Current.theme))


def dress(window: QWidget) -> None:
    """Give a window, and all that is in it or opens from it, the style sheet of the theme in use.

    Windows have it rather than the application: under a sheet of the application Qt would style every widget anew each
    time that what it lies in is put into something else, so that panels, which are made from the inside out, took
    several times as long to make.
    """
    window.setStyleSheet(style_sheet(_Current.theme))


def _palette(t: Theme) -> QPalette:
    palette = QPalette()
    roles = QPalette.ColorRole
    for role, value in (
        (roles.Window, t.panel), (roles.WindowText, t.text), (roles.Base, t.well), (roles.AlternateBase, t.raised),
        (roles.Text, t.text), (roles.Button, t.raised), (roles.ButtonText, t.text), (roles.Highlight, t.jade),
        (roles.HighlightedText, t.on_jade), (roles.ToolTipBase, t.raised), (roles.ToolTipText, t.text),
        (roles.PlaceholderText, t.quiet), (roles.Link, t.celadon),
    ):  # fmt: skip
        palette.setColor(role, QColor(value))
    for role in (roles.WindowText, roles.Text, roles.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, role, QColor(t.quiet))
    return palette


# Long: one style sheet.
def style_sheet(t: Theme) -> str:
    """The Qt style sheet of a theme."""
    return f"""
    QWidget {{ color: {t.text}; }}
    QMainWindow, #bar, #rail, #stack {{ background: {t.chrome}; }}
    #panel, QDialog, QMessageBox {{ background: {t.panel}; }}
    #bar {{ border-bottom: 1px solid {t.line}; }}
    #rail {{ border-top: 1px solid {t.line}; }}
    #left {{ background: {t.panel}; border-right: 1px solid {t.line}; }}
    #right {{ background: {t.panel}; border-left: 1px solid {t.line}; }}
    #status {{ background: {t.chrome}; border-top: 1px solid {t.line}; }}
    QLabel {{ background: transparent; }}
    QLabel[role="quiet"] {{ color: {t.quiet}; }}
    QLabel[role="head"] {{ color: {t.quiet}; font-size: 12px; font-weight: 600; }}
    QLabel[role="name"] {{ font-weight: 600; }}
    QLabel[role="title"] {{ font-size: 22px; font-weight: 600; }}
    QLabel[role="warn"] {{ color: {t.persimmon}; }}
    QFrame#card {{ background: {t.raised}; border-radius: 6px; }}
    QLabel[role="alarm"] {{ color: #E0574B; }}
    QWidget#viewbar {{ background: {t.chrome}; border-radius: 6px; }}
    QFrame#note {{ background: {t.warn_back}; border-radius: 6px; }}
    QToolTip {{ background: {t.raised}; color: {t.text}; border: 1px solid {t.line}; padding: 4px 6px; }}
    QPushButton, QToolButton {{ background: {t.raised}; border: 1px solid {t.line}; border-radius: 6px;
        padding: 4px 10px; min-height: 18px; }}
    QPushButton:hover, QToolButton:hover {{ border-color: {t.jade}; }}
    QPushButton:focus, QToolButton:focus {{ border-color: {t.celadon}; }}
    QPushButton:disabled, QToolButton:disabled {{ color: {t.quiet}; }}
    QPushButton[role="main"] {{ background: {t.jade}; color: {t.on_jade}; border-color: {t.jade}; font-weight: 600; }}
    QPushButton[role="plain"], QToolButton[role="plain"] {{ background: transparent; border-color: transparent;
        padding: 3px 8px; }}
    QPushButton[role="plain"]:hover, QToolButton[role="plain"]:hover {{ background: {t.raised}; }}
    QPushButton[role="plain"]:focus {{ border-color: {t.celadon}; }}
    QPushButton[role="add"] {{ background: transparent; border-color: transparent; color: {t.celadon};
        text-align: left; padding: 3px 0; }}
    QPushButton[role="add"]:hover {{ color: {t.text}; }}
    QPushButton[role="tab"] {{ background: transparent; border-color: transparent; color: {t.quiet};
        padding: 5px 14px; font-size: 14px; }}
    QPushButton[role="tab"]:hover {{ color: {t.text}; }}
    QPushButton[role="tab"]:checked {{ background: {t.chosen}; color: {t.text}; font-weight: 600; }}
    QPushButton[role="pane"] {{ background: transparent; border: 0; border-radius: 4px; color: {t.quiet};
        padding: 0 7px; min-height: 20px; font-size: 12px; }}
    QPushButton[role="pane"]:hover {{ color: {t.text}; background: {t.raised}; }}
    QPushButton[role="pane"]:focus {{ color: {t.celadon}; }}
    QPushButton[role="pane"]:checked {{ color: {t.text}; }}
    QPushButton[role="name"] {{ background: transparent; border: 0; padding: 0 2px; font-weight: 600;
        text-align: right; }}
    QPushButton[role="name"]:hover, QPushButton[role="name"]:focus {{ color: {t.celadon}; }}
    QPushButton[role="entry"] {{ background: transparent; border: 0; padding: 0 2px; text-align: left; }}
    QPushButton[role="entry"]:hover, QPushButton[role="entry"]:focus {{ color: {t.celadon}; }}
    QPushButton[role="tool"] {{ padding: 4px 12px; }}
    QToolButton[role="side"]:checked {{ background: {t.chosen}; border: 2px solid {t.celadon}; font-weight: 600; }}
    QPushButton[role="tool"]:checked {{ background: {t.celadon}; color: {t.chrome}; border-color: {t.celadon}; }}
    QLineEdit, QComboBox, QSpinBox {{ background: {t.well}; border: 1px solid transparent; border-radius: 4px;
        padding: 3px 8px; min-height: 18px; selection-background-color: {t.jade}; selection-color: {t.on_jade}; }}
    QLineEdit:focus, QComboBox:focus {{ border-color: {t.jade}; }}
    QComboBox::drop-down {{ border: 0; width: 16px; }}
    QComboBox QAbstractItemView, QMenu {{ background: {t.raised}; border: 1px solid {t.line}; padding: 4px;
        selection-background-color: {t.chosen}; selection-color: {t.text}; outline: 0; }}
    QMenu::item {{ padding: 5px 20px 5px 12px; border-radius: 4px; }}
    QMenu::item:selected {{ background: {t.chosen}; }}
    QMenu::item:disabled {{ color: {t.quiet}; }}
    QMenu::separator {{ height: 1px; background: {t.line}; margin: 4px 6px; }}
    QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: 0; }}
    QScrollBar:vertical {{ background: transparent; width: 8px; margin: 0; }}
    QScrollBar:horizontal {{ background: transparent; height: 8px; margin: 0; }}
    QScrollBar::handle {{ background: {t.line}; border-radius: 4px; min-height: 24px; min-width: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    QSplitter::handle {{ background: {t.line}; }}
    QSplitter::handle:hover {{ background: {t.jade}; }}
    QProgressBar {{ background: {t.well}; border: 0; border-radius: 4px; height: 8px; }}
    QProgressBar::chunk {{ background: {t.jade}; border-radius: 4px; }}
    QListWidget, QTreeWidget, QTableWidget {{ background: {t.well}; border: 1px solid {t.line}; border-radius: 6px; }}
    QListWidget::item {{ padding: 4px 8px; border-radius: 4px; }}
    QListWidget::item:selected {{ background: {t.chosen}; color: {t.text}; }}
    QHeaderView::section {{ background: {t.raised}; color: {t.quiet}; border: 0; padding: 4px 8px; }}
    QTreeWidget::item {{ padding: 1px; }}
    QTreeWidget::item, QTreeWidget::item:hover {{ background: transparent; color: {t.text}; }}
    QTreeWidget:focus {{ border-color: {t.jade}; }}
    QCheckBox::indicator, QTreeView::indicator {{ width: 14px; height: 14px; border-radius: 4px;
        border: 1px solid {t.line}; background: {t.well}; }}
    QCheckBox::indicator:checked, QTreeView::indicator:checked {{ background: {t.jade}; border-color: {t.jade}; }}
    """
