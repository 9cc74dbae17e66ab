"""One where-term in the coat editor: its heading with a picture, and the choices its kind has."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from jade_coat.app import theme
from jade_coat.app.controls.basics import DraggedRow, button, choice, row
from jade_coat.app.controls.fields import NumberField
from jade_coat.app.controls.settings import IntegerField
from jade_coat.app.session import Session
from jade_coat.material.fields import Spec
from jade_coat.material.where import (
    MAP_READS,
    NOISE_LABELS,
    CavityTerm,
    DistanceTerm,
    FacingTerm,
    MapTerm,
    NoiseTerm,
    PaintTerm,
    RecipeTerm,
    SharedTerm,
    Term,
)
from jade_coat.mesh.data import MAX_COLOR_SETS, MAX_UV_SETS

_PICTURE = QRectF(16, 3, 46, 28)


class TermHead(DraggedRow):
    """A term's name and picture. Drag it to another place, or move it with Alt and the arrow keys."""

    removed = pyqtSignal()
    combined = pyqtSignal(str)
    moved = pyqtSignal(int)
    dropped = pyqtSignal(float)

    def __init__(self, name: str, combine: str) -> None:
        super().__init__()
        self.name = name
        self._image: QImage | None = None
        self.setFixedHeight(34)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(f"Term {name}")
        self.setToolTip("Drag to reorder, or Alt and the arrow keys")
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        remove = button("×", self.removed.emit, "plain", f"Remove the term {name.lower()}")
        remove.setFixedSize(26, 26)
        self.how: QWidget | None = None
        """How the term joins those above it, to be placed below its name; None for the first one."""
        if combine:
            ways = [(k, k) for k in ("multiply", "add", "max", "min")]
            self.how = choice(ways, combine, self.combined.emit, "How it joins the terms above")
            self.how.setFixedWidth(84)
        self.setLayout(row(1, remove, gap=4))

    def show_image(self, image: QImage) -> None:
        """Show a new picture."""
        self._image = image
        self.update()

    @property
    def has_picture(self) -> bool:
        """Whether a picture has come."""
        return self._image is not None

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        if self._dragging:
            painter.fillRect(self.rect(), theme.color("chosen"))
        if self.hasFocus():
            painter.setPen(QPen(theme.color("jade"), 1))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.setPen(QPen(theme.color("quiet"), 1.3))
        for y in (12, 17, 22):
            painter.drawLine(QPointF(3, y), QPointF(10, y))
        path = QPainterPath()
        path.addRoundedRect(_PICTURE, 4, 4)
        painter.setClipPath(path)
        if self._image is not None:
            painter.drawImage(_PICTURE, self._image)
        else:
            painter.fillRect(_PICTURE, theme.color("well"))
        painter.setClipping(False)
        painter.setPen(theme.color("text"))
        painter.setFont(theme.font(13, 600))
        painter.drawText(QRectF(70, 0, self.width() - 100, 34), Qt.AlignmentFlag.AlignVCenter, self.name)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._grabbed = event.position()

    def let_go(self, y: float) -> None:
        self.dropped.emit(y)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
        if step is not None and event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self.moved.emit(step)
        elif event.key() == Qt.Key.Key_Delete:
            self.removed.emit()
        else:
            super().keyPressEvent(event)


def term_choices(term: Term, session: Session, change: Callable[..., None]) -> Iterator[tuple[str, QWidget]]:
    """What a term of this kind lets choose, beside its numbers: a name and a control each."""
    if isinstance(term, PaintTerm):
        channels = [(c, f"Channel {c}") for c in "RGBA"]
        yield "Painted", choice(channels, term.channel, lambda c: change(channel=c))
        sets = [(str(i), f"Colour set {i + 1}") for i in range(MAX_COLOR_SETS)]
        yield "Of", choice(sets, str(term.color_set), lambda i: change(color_set=int(i)))
    elif isinstance(term, MapTerm):
        project = session.project
        sets = [("", "None yet"), *((s.id, s.name) for s in project.map_sets)]
        yield "Map set", choice(sets, term.map_set, lambda s: change(map_set=s))
        held = next((s.maps for s in project.map_sets if s.id == term.map_set), ())
        roles = {m.role for m in held}
        reads = [
            (k, k.capitalize()) for k, (role, _) in MAP_READS.items() if not held or role in roles or k == term.read
        ]
        yield "Read", choice(reads, term.read, lambda r: change(read=r))
        uv_sets = [(str(i), f"UV set {i + 1}") for i in range(MAX_UV_SETS)]
        yield "By", choice(uv_sets, str(term.uv_set), lambda i: change(uv_set=int(i)))
        ways = [("once", "Once"), ("tiled", "Tiled")]
        yield (
            "Laid",
            choice(
                ways,
                "once" if term.once else "tiled",
                lambda w: change(once=w == "once"),
                "Once over the whole UV square, or tiled by metres",
            ),
        )
        uv_sets = [(str(i), f"UV set {i + 1}") for i in range(max(2, term.uv_set + 1))]
        yield "UV set", choice(uv_sets, str(term.uv_set), lambda i: change(uv_set=int(i)))
    elif isinstance(term, NoiseTerm):
        patterns = [(k, k.capitalize()) for k in NOISE_LABELS]
        yield "Pattern", choice(patterns, term.pattern, lambda p: change(pattern=p), NOISE_LABELS[term.pattern])
        spaces = [("object", "the object"), ("world", "the world")]
        yield "Fixed to", choice(spaces, term.space, lambda s: change(space=s))
        if term.pattern in ("clouds", "ridges"):
            yield "Octaves", _whole("Octaves", term.octaves, 1, 8, lambda n: change(octaves=n))
        yield "Seed", _whole("Seed", term.seed, 0, 9999, lambda n: change(seed=n))
    elif isinstance(term, FacingTerm):
        ways = [("direction", "a direction"), ("viewer", "the viewer")]
        yield "Toward", choice(ways, term.toward, lambda w: change(toward=w))
    elif isinstance(term, CavityTerm):
        yield "Shows", choice([("hollows", "Hollows"), ("edges", "Edges")], term.side, lambda s: change(side=s))
    elif isinstance(term, RecipeTerm):
        recipes = session.project.recipes
        options = [("", "None yet"), *((r.id, r.name) for r in recipes)]
        yield (
            "Recipe",
            choice(options, term.recipe, lambda r: change(recipe=r, inputs={}), "Ctrl+R makes and edits recipes"),
        )
        for given in next((r.inputs for r in recipes if r.id == term.recipe), ()):
            yield given.name.replace("_", " "), _number(term, given.name, given.value, change)
    elif isinstance(term, SharedTerm):
        dials = [("", "None yet"), *((d.id, d.name) for d in session.project.shared)]
        yield "Follows", choice(dials, term.shared, lambda d: change(shared=d))
    elif isinstance(term, DistanceTerm):
        ways = [("viewer", "the viewer"), ("point", "a point")]
        yield "From", choice(ways, term.origin, lambda w: change(origin=w))


def _number(term: RecipeTerm, name: str, default: float, change: Callable[..., None]) -> QWidget:
    """A field for what this use gives to an input of its recipe."""
    value = term.inputs.get(name, default)
    span = max(abs(default) * 3, 1.0)
    spec = Spec(name, low=-1000.0, high=1000.0, soft=(min(0.0, -span if default < 0 else 0.0), span))
    field = NumberField(spec, value)
    field.changed.connect(lambda v: change(merge=("input", term.id, name), inputs={**term.inputs, name: float(v)}))
    return field


def _whole(label: str, value: int, low: int, high: int, change: Callable[[int], None]) -> QWidget:
    field = IntegerField(Spec(label, "integer", low=low, high=high), value)
    field.changed.connect(change)
    return field
