"""The view: the newest picture, the far inset, and moving about; what lies over it are overlays."""

from __future__ import annotations

import math
from collections.abc import Set

import numpy as np
from PyQt6.QtCore import QEvent, QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QSinglePointEvent,
    QTabletEvent,
    QWheelEvent,
)

from jade_coat.app import theme
from jade_coat.app.session import Session
from jade_coat.app.view.overlay import Overlay, draw_tag
from jade_coat.app.view.picking import prop_at, surface_at
from jade_coat.app.view.pictures import INSET, Pictures
from jade_coat.app.view.stopped_notice import StoppedNotice
from jade_coat.looking.stage_rays import PropHit
from jade_coat.looking.stage_surface import SurfaceHit
from jade_coat.stage import edits
from jade_coat.stage.desk import Camera

FINISH_MIME = "application/x-jade-coat-finish"
BANNER_LEFT = 370
KEY_TURN, KEY_SHIFT = 0.12, 0.06
"""What an arrow key turns the camera by, radians, and moves it by, as a share of its distance."""
_ARROWS = {
    Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1),
}  # fmt: skip


class View(Pictures):
    """Shows the stage; `tool` is "look", "brush", "stage" or "ground"."""

    clicked = pyqtSignal(str, str, object)
    """The left button was pressed and let go at one place: the prop and slot there (empty for none), and the keys."""
    menu_wanted = pyqtSignal(str, str, QPoint)
    """A prop's menu is asked for: its id, the slot, and where on the screen."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.overlays: list[Overlay] = []
        self.inset_overlays: list[Overlay] = []
        self._taken: Overlay | None = None
        self._drag: tuple[QPointF, Camera, str] | None = None
        self._clicked = False
        self.setMinimumSize(240, 180)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAcceptDrops(True)
        self.setAccessibleName("View")
        self.tool = "look"
        self.pressure = 1.0
        """How hard the pen is pressed, 0 to 1; a mouse presses fully."""
        self._stopped = StoppedNotice(self, session.client.start_again)
        self._stopped.show_reason(session.client.stopped)
        session.view_state.connect(self._show_stopped)

    def _show_stopped(self, text: str) -> None:
        self._stopped.show_reason(self.session.client.stopped)

    @property
    def held(self) -> bool:
        """Whether a hand moves something in the view just now."""
        return self._drag is not None or self._taken is not None

    def let_go(self) -> None:
        """Let go of the camera, give up what is dragged: a release that never came would keep the picture coarse."""
        taken, self._taken, self._drag = self._taken, None, None
        if taken is not None:
            taken.give_up()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._stopped.place()
        self.refresh()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        if self._image is not None:
            painter.drawImage(QRectF(self.rect()), self._image)
            self._paint_split(painter)
        else:
            painter.fillRect(self.rect(), theme.color("chrome"))
            if not self._session.client.stopped:
                self._say(painter, "Preparing the view…")
        if not self._session.project.props and not self._session.project.grounds:
            self._say(painter, "Nothing is placed yet. Import a mesh, or drop one here.")
        for overlay in self.overlays:
            overlay.paint(painter)
        self._paint_inset(painter)
        for overlay in self.inset_overlays:
            overlay.paint(painter)
        if self._state and not self._session.client.stopped:
            self._paint_banner(painter, self._state, "persimmon")
        elif self._session.faults:
            self._paint_banner(painter, self._session.faults_told, "persimmon")

    def _paint_split(self, painter: QPainter) -> None:
        if self.split is None:
            return
        x = round(self.split_at * self.width())
        if self._split_image is not None:
            painter.save()
            painter.setClipRect(QRectF(x, 0, self.width() - x, self.height()))
            painter.drawImage(QRectF(self.rect()), self._split_image)
            painter.restore()

    def _say(self, painter: QPainter, text: str) -> None:
        painter.setPen(theme.color("text"))
        painter.setFont(theme.font(15))
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)

    def _paint_banner(self, painter: QPainter, text: str, tone: str) -> None:
        painter.setFont(theme.font(13, 500))
        left = BANNER_LEFT  # the view's own buttons stand before it
        right = self.width() - (INSET.width() + 24 if self.inset_shown() else 12)
        top = 12.0
        if right - left < 200:
            left, right, top = 12, self.width() - 12, 54.0
        width = min(painter.fontMetrics().horizontalAdvance(text) + 32, right - left)
        box = QRectF((left + right - width) / 2, top, width, 30)
        painter.setPen(QPen(theme.color(tone), 1))
        painter.setBrush(theme.color("warn_back"))
        painter.drawRoundedRect(box, 6, 6)
        painter.setPen(theme.color("text"))
        shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, round(width - 24))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, shown)

    def _paint_inset(self, painter: QPainter) -> None:
        if not self.inset_shown() or self._far is None:
            return
        box = self.inset_rect()
        path = QPainterPath()
        path.addRoundedRect(box, 6, 6)
        painter.save()
        painter.setClipPath(path)
        painter.drawImage(box, self._far)
        painter.restore()
        painter.setPen(QPen(theme.color("chrome"), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)
        camera = self.camera if self.far_first else self.far_camera()
        text = (
            f"{'Near' if self.far_first else 'Far'} {camera.distance:.0f} m"
            if camera.distance >= 10
            else f"Near {camera.distance:.1f} m"
        )
        draw_tag(painter, QPointF(box.left() + 6, box.bottom() - 6), text)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.pressure = 1.0
        self._press(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.pressure = 1.0
        if self._taken is not None and event.buttons() == Qt.MouseButton.NoButton:
            self._release(event)  # another window took the release
        elif self._drag is not None and event.buttons() == Qt.MouseButton.NoButton:
            self.let_go()
        self._move(event)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._release(event)

    def tabletEvent(self, event: QTabletEvent | None) -> None:
        """A pen does what the mouse does, with its pressure."""
        assert event is not None
        event.accept()
        kind = event.type()
        if kind == QEvent.Type.TabletPress:
            self.pressure = event.pressure()
            self._press(event)
        elif kind == QEvent.Type.TabletMove:
            self.pressure = event.pressure()
            self._move(event)
        elif kind == QEvent.Type.TabletRelease:
            self._release(event)

    def _press(self, event: QSinglePointEvent) -> None:
        self.setFocus()
        at, button = event.position(), event.button()
        if self.inset_shown() and self.inset_rect().contains(at) and button == Qt.MouseButton.LeftButton:
            self.swap_far()
            return
        if button == Qt.MouseButton.LeftButton:
            self._taken = next((o for o in reversed(self.overlays) if o.press(at, event)), None)
            if self._taken is not None:
                return
        self._clicked = button == Qt.MouseButton.LeftButton
        pan = button == Qt.MouseButton.MiddleButton or bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        self._drag = (at, self.camera, "pan" if pan else "orbit")

    def _move(self, event: QSinglePointEvent) -> None:
        at = event.position()
        if self._taken is not None:
            self._taken.move(at, event)
            return
        if event.buttons() == Qt.MouseButton.NoButton:
            for overlay in self.overlays:
                overlay.hover(at)
        if self._drag is not None:
            self._move_camera(at)

    def _release(self, event: QSinglePointEvent) -> None:
        if self._taken is not None:
            taken, self._taken = self._taken, None
            taken.release(event.position(), event)
            self._rest.start()
            return
        drag, self._drag = self._drag, None
        if drag is None:
            return
        if (event.position() - drag[0]).manhattanLength() < 4:
            self._click(event)
        self._rest.start()

    def _click(self, event: QSinglePointEvent) -> None:
        """Choose what is under the pointer, or with the other button open its menu."""
        hit = self.pick(event.position())
        if self._clicked:
            self.clicked.emit(hit.prop.id if hit else "", hit.slot if hit else "", event.modifiers())
        elif hit is not None and event.button() == Qt.MouseButton.RightButton:
            self.menu_wanted.emit(hit.prop.id, hit.slot, event.globalPosition().toPoint())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows turn the camera, with Shift they move it; + and − go nearer and farther."""
        assert event is not None
        way = _ARROWS.get(Qt.Key(event.key()))
        camera = self.camera
        if way is not None and event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            eye = self.eye(camera, self.width(), self.height())
            moved = (way[0] * eye.view[0, :3] - way[1] * eye.view[1, :3]) * camera.distance * KEY_SHIFT
            self.set_camera(camera.with_(target=tuple(float(v) for v in np.array(camera.target) + moved)))
        elif way is not None and not event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier:
            pitch = min(max(camera.pitch - way[1] * KEY_TURN, -1.5), 1.5)
            self.set_camera(camera.with_(yaw=camera.yaw + way[0] * KEY_TURN, pitch=pitch))
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            factor = 1 / 0.88 if event.key() == Qt.Key.Key_Minus else 0.88
            self.set_camera(camera.with_(distance=min(max(camera.distance * factor, 0.02), 5000)))
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """By keyboard: the menu of the chosen prop; the mouse's comes when its button is let go."""
        prop = self._session.prop
        if event is not None and event.reason() == QContextMenuEvent.Reason.Keyboard and prop is not None:
            self.menu_wanted.emit(prop.id, self._session.slot, event.globalPos())

    def leaveEvent(self, event: object) -> None:
        for overlay in self.overlays:
            overlay.hover(None)
        self.update()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        delta = event.angleDelta()
        turn = (delta.y() or delta.x()) / 120  # with Alt held some systems turn the wheel sideways
        if any(o.wheel(turn, event) for o in reversed(self.overlays)):
            return
        self.set_camera(self.camera.with_(distance=min(max(self.camera.distance * 0.88**turn, 0.02), 5000)))

    def _move_camera(self, at: QPointF) -> None:
        assert self._drag is not None
        start, camera, kind = self._drag
        moved = at - start
        if kind == "orbit":
            pitch = min(max(camera.pitch + moved.y() * 0.007, -1.5), 1.5)
            self.set_camera(camera.with_(yaw=camera.yaw - moved.x() * 0.007, pitch=pitch))
            return
        eye = self.eye(camera, self.width(), self.height())
        metres = 2 * camera.distance * math.tan(camera.field_of_view / 2) / max(self.height(), 1)
        shift = (-moved.x() * eye.view[0, :3] + moved.y() * eye.view[1, :3]) * metres
        self.set_camera(camera.with_(target=tuple(float(v) for v in np.array(camera.target) + shift)))

    def pick(self, at: QPointF, only: str = "") -> PropHit | None:
        """What is under a place of the view; `only` looks at one prop alone."""
        if self.shape or self._before:
            return None  # what is drawn is not the stage
        x, y = at.x() / max(self.width(), 1), at.y() / max(self.height(), 1)
        return prop_at(self._session, self.main_eye(), x, y, only)

    def surface(self, at: QPointF, but: Set[str] = frozenset()) -> SurfaceHit | None:
        """What is seen at a place of the view, a prop or the land; `but` leaves some props out."""
        if self.shape or self._before:
            return None
        x, y = at.x() / max(self.width(), 1), at.y() / max(self.height(), 1)
        return surface_at(self._session, self.main_eye(), x, y, but)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        assert event is not None
        mime = event.mimeData()
        if mime is not None and mime.hasFormat(FINISH_MIME):
            event.acceptProposedAction()
        else:
            event.ignore()  # files are the window's business

    def dropEvent(self, event: QDropEvent | None) -> None:
        assert event is not None
        mime = event.mimeData()
        hit = self.pick(event.position())
        if mime is None or hit is None:
            return
        finish = mime.data(FINISH_MIME).data().decode()
        if self._session.do(edits.put_finish(prop=hit.prop.id, slot=hit.slot, finish=finish)):
            self._session.choose_prop(hit.prop.id, hit.slot)
            event.acceptProposedAction()
