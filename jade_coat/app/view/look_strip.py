"""The look-at strip: small live pictures of every quantity; hover to peek, click to stay."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QEnterEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QShowEvent,
)
from PyQt6.QtWidgets import QWidget

from jade_coat.app import theme
from jade_coat.app.controls.tiles import FocusPainted, PressedTile
from jade_coat.app.session import Session
from jade_coat.app.view.view import View
from jade_coat.material.kinds import kind_of
from jade_coat.material.material import Coat, Material
from jade_coat.material.quantity import QUANTITIES, Quantity
from jade_coat.material.surface import Role
from jade_coat.material.tones import LINKS
from jade_coat.view.client import Picture
from jade_coat.view.looks import LINK

THUMB = QSize(62, 38)
TILE = QSize(THUMB.width() + 6, THUMB.height() + 22)
NAMES = {"lit": "Lit", **{q.name: q.label for q in QUANTITIES.values() if q.always}, "coverage": "Coverage"}


class LookThumb(FocusPainted):
    """One small picture with its name."""

    peeked = pyqtSignal(str, bool)
    chosen = pyqtSignal(str)

    def __init__(self, look: str, name: str) -> None:
        super().__init__()
        self.look, self.name, self.current = look, name, False
        self.image: QImage | None = None
        self.setFixedSize(TILE)
        self.setToolTip(f"{name}: hover to peek, click to stay")
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.setInterval(180)
        self._pause.timeout.connect(lambda: self.peeked.emit(self.look, True))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        box = QRectF(3, 2, THUMB.width(), THUMB.height())
        path = QPainterPath()
        path.addRoundedRect(box, 5, 5)
        painter.setClipPath(path)
        if self.image is not None:
            painter.drawImage(box, self.image)
        else:
            painter.fillRect(box, theme.color("raised"))
        painter.setClipping(False)
        if self.current or self.hasFocus():
            painter.setPen(QPen(theme.color("celadon" if self.current else "jade"), 2))
            painter.drawPath(path)
        painter.setPen(theme.color("text" if self.current else "quiet"))
        painter.setFont(theme.font(11.5, 500 if self.current else 400))
        text = painter.fontMetrics().elidedText(self.name, Qt.TextElideMode.ElideRight, self.width())
        under = QRectF(0, THUMB.height() + 3, self.width(), 18)
        painter.drawText(under, Qt.AlignmentFlag.AlignCenter, text)

    def enterEvent(self, event: QEnterEvent | None) -> None:
        self._pause.start()

    def leaveEvent(self, event: object) -> None:
        self._pause.stop()
        self.peeked.emit(self.look, False)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self._pause.stop()
        self.chosen.emit(self.look)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.chosen.emit(self.look)
        else:
            super().keyPressEvent(event)


class MoreTile(PressedTile):
    """The place at the end of the row that opens the rest of the looks, or folds them again."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.more = 0
        self.setFixedSize(TILE)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def count(self, more: int) -> None:
        """Show how many more there are; 0 folds them."""
        self.more = more
        self.setAccessibleName(f"{more} more looks" if more else "Fewer looks")
        self.setToolTip("Show all looks" if more else "Show one row of looks")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.color("jade" if self.hasFocus() else "line"), 1))
        box = QRectF(3.5, 2.5, THUMB.width() - 1, THUMB.height() - 1)
        painter.drawRoundedRect(box, 5, 5)
        painter.setPen(theme.color("text"))
        painter.setFont(theme.font(13, 500))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, f"+{self.more}" if self.more else "–")
        painter.setPen(theme.color("quiet"))
        painter.setFont(theme.font(11.5))
        under = QRectF(0, THUMB.height() + 3, self.width(), 18)
        painter.drawText(under, Qt.AlignmentFlag.AlignCenter, "More" if self.more else "Fewer")


class LookStrip(QWidget):
    """All looks of the stage: a row of those that fit, or as many rows as it takes."""

    pictured = pyqtSignal(str, QImage)

    def __init__(self, session: Session, view: View) -> None:
        super().__init__()
        self._session, self._view = session, view
        self._thumbs: list[LookThumb] = []
        self._stay = "lit"
        self.also: Callable[[], Sequence[str]] = tuple
        """What is to be pictured besides: looks that others show."""
        self.is_open = False
        """Whether all looks are shown, in as many rows as it takes."""
        self.setObjectName("stack")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground, True)
        self.more = MoreTile(self)
        self.more.pressed.connect(self.turn)
        self._wait = QTimer(self)
        self._wait.setSingleShot(True)
        self._wait.setInterval(260)
        self._wait.timeout.connect(self._ask)
        session.picture.connect(self._on_picture)
        session.scene_changed.connect(self._wait.start)
        session.selection_changed.connect(self._rebuild)
        session.changed.connect(self._rebuild)
        view.arrived.connect(lambda: None if self._wait.isActive() else self._soon())
        self._drawn_for: object = None
        self._place()

    def showEvent(self, event: QShowEvent | None) -> None:
        self._wait.start()  # nothing is drawn for it while it is folded

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._place()

    @property
    def thumbs(self) -> list[LookThumb]:
        """The pictures, in order; those that do not fit are hidden."""
        return self._thumbs

    @property
    def waiting(self) -> bool:
        """Whether the pictures are about to be drawn."""
        return self._wait.isActive()

    def looks(self) -> list[tuple[str, str]]:
        """The looks on offer: every quantity, painted channels, where coats show, and the chosen coat's terms."""
        found = list(NAMES.items())
        if self._view.tool == "ground":
            grounds = self._session.project.grounds
            return found + [(f"share:{layer.id}", layer.name) for g in grounds for layer in g.layers]
        material = self._session.material
        if material is None:
            return found
        at = len(found) - 1
        found[at:at] = [(q.name, q.label) for q in QUANTITIES.values() if not q.always and self._matters(material, q)]
        if kind_of(material.kind).shading == "tones":
            chain = [link for link in LINKS if link != "ramp" or material.tones.ramp]
            found[1:1] = [(f"{LINK}{link}", LINKS[link]) for link in chain]
        painted = [t.painted for c in material.coats[1:] for t in c.where if t.painted is not None]
        channels = {4 * p.color_set + "RGBA".index(p.channel) for p in painted}
        found += [_channel(i) for i in sorted(channels)]
        prop = self._session.prop
        uvs = len(self._session.link.mesh_data(prop.mesh).uvs) if prop is not None else 1
        checks = [(f"uv:{i}", f"UV {i + 1}" if uvs > 1 else "UV") for i in range(uvs)]
        shown = [c for c in material.coats[1:] if c.shown]
        mapped = [c for c in material.coats if c.surface.map_set and c.shown]
        counted = next((c for c in mapped if c.id == self._session.coat_id), mapped[0] if mapped else None)
        checks += [(f"texels:{counted.id}", "Texels")] if counted is not None else []
        found += [(f"where:{c.id}", c.name) for c in shown]
        chosen = next((c for c in shown if c.id == self._session.coat_id), None)
        if chosen is not None:
            found += [(f"weight:{chosen.id}", "Its seam"), *self._terms(chosen)]
        return found + [(f"weight:{c.id}", f"{c.name} seam") for c in shown if c is not chosen] + checks

    def _terms(self, coat: Coat) -> list[tuple[str, str]]:
        names = [type(t).label for t in coat.where]
        found = [
            (f"term:{coat.id}:{t.id}", f"{name} {names[:i].count(name) + 1}" if names.count(name) > 1 else name)
            for i, (t, name) in enumerate(zip(coat.where, names, strict=True))
        ]
        recipes = {r.id: r for r in self._session.project.recipes}
        for term in coat.where:
            for steps in [recipes[r].steps for r in term.recipes if r in recipes]:
                found += [(f"step:{coat.id}:{term.id}:{s.id}", s.id.replace("_", " ")) for s in steps]
        return found

    def _matters(self, material: Material, quantity: Quantity) -> bool:
        """Whether a material does anything with a quantity that most leave as it is."""
        ways = {k.path for k in material.links} | {d.path for d in material.dials}
        if quantity.name in ("specular", "transmission"):
            usual, name = quantity.default[0], quantity.name
            return any(getattr(c.surface, name) != usual or f"{c.id}.surface.{name}" in ways for c in material.coats)
        lookup, role = self._session.link.lookup, Role(quantity.name)
        if any(lookup.read(s, role) is not None for c in material.coats for s in c.surface.sets):
            return True
        if role is Role.OPACITY:
            return material.kind != "opaque"
        return role is Role.EMISSIVE and any(
            any(c.surface.emissive) or f"{c.id}.surface.emissive" in ways for c in material.coats
        )

    def follow_tool(self) -> None:
        """Another tool is in hand: in Ground layers are looked at, elsewhere coats."""
        self._rebuild()

    def _rebuild(self) -> None:
        wanted = self.looks()
        if [(t.look, t.name) for t in self._thumbs] == wanted:
            return
        known = {(t.look, t.name): t for t in self._thumbs}
        self._thumbs = [known.pop(w) if w in known else self._thumb(*w) for w in wanted]
        for thumb in known.values():
            thumb.hide()
            thumb.deleteLater()
        if self._stay not in {look for look, _ in wanted}:
            self.stay("lit")
        self._mark()
        self._place()
        self._wait.start()

    def _thumb(self, look: str, name: str) -> LookThumb:
        thumb = LookThumb(look, name)
        thumb.setParent(self)
        thumb.peeked.connect(self._peek)
        thumb.chosen.connect(self.stay)
        return thumb

    def turn(self) -> None:
        """Show all looks, or one row of them."""
        self.is_open = not self.is_open
        self._place()
        self._wait.start()

    def _place(self) -> None:
        """Lay the pictures out in rows; in one row, what is chosen is always among those that are shown."""
        step = TILE.width() + 2
        across = max((self.width() - 12) // step, 2)
        fits = len(self._thumbs) <= across
        shown = list(self._thumbs)
        if not fits and not self.is_open:
            shown = self._thumbs[: across - 1]
            stays = next((t for t in self._thumbs if t.look == self._stay), None)
            if stays is not None and stays not in shown:
                shown[-1] = stays
        for thumb in self._thumbs:
            thumb.setVisible(thumb in shown)
        tiles: list[QWidget] = [*shown] if fits else [*shown, self.more]
        self.more.setVisible(not fits)
        self.more.count(len(self._thumbs) - len(shown))
        for i, tile in enumerate(tiles):
            down, along = divmod(i, across)
            tile.move(8 + along * step, 4 + down * TILE.height())
        self.setFixedHeight(4 + max(-(-len(tiles) // across), 1) * TILE.height())

    def stay(self, look: str) -> None:
        """Show a look until another is chosen."""
        self._stay = look
        self._view.set_look(look)
        self._mark()

    def _peek(self, look: str, entered: bool) -> None:
        self._view.set_look(look if entered else self._stay)

    def _mark(self) -> None:
        for thumb in self._thumbs:
            thumb.current = thumb.look == self._stay
            thumb.update()

    def _soon(self) -> None:
        eye = self._view.main_eye()
        now = (eye.view.tobytes(), self._view.scene, self._session.project)
        if now != self._drawn_for:
            self._wait.start()

    def _ask(self) -> None:
        mine = [t.look for t in self._thumbs if t.isVisible()]
        looks = tuple(dict.fromkeys((*mine, *self.also())))
        if not looks:
            return
        if self._session.client.busy("main"):
            self._wait.start()
            return
        ratio = self.devicePixelRatioF()
        width, height = round(THUMB.width() * ratio), round(THUMB.height() * ratio)
        eye = self._view.eye(self._view.camera, width, height)
        self._drawn_for = (self._view.main_eye().view.tobytes(), self._view.scene, self._session.project)
        self._session.client.request(
            "looks",
            (looks, width),
            scene=self._view.scene,
            eye=eye,
            width=width,
            height=height,
            looks=looks,
            priority=3,
        )

    def _on_picture(self, picture: Picture, image: QImage) -> None:
        if picture.stream != "looks":
            return
        looks, width = picture.tag
        by_look = {look: image.copy(i * width, 0, width, image.height()) for i, look in enumerate(looks)}
        for thumb in self._thumbs:
            if thumb.look in by_look:
                thumb.image = by_look[thumb.look]
                thumb.update()
        for look, found in by_look.items():
            self.pictured.emit(look, found)


def _channel(index: int) -> tuple[str, str]:
    """The look and the name of a painted channel, counted on from set to set."""
    color_set, letter = divmod(index, 4)
    if not color_set:
        return f"paint:{'RGBA'[letter]}", f"Paint {'RGBA'[letter]}"
    return f"channel:{index}", f"Set {color_set + 1} {'RGBA'[letter]}"
