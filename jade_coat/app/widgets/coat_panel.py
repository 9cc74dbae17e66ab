"""The coat editor: surface, where and seam of the chosen coat; the dot before a field makes it a dial."""

from __future__ import annotations

from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QCheckBox, QMenu, QSpinBox, QVBoxLayout, QWidget

from jade_coat.app import theme
from jade_coat.app.session import Session
from jade_coat.app.widgets.basics import button, choice, clear, label, row, scrolled
from jade_coat.app.widgets.fields import Field, field_for
from jade_coat.material.fields import specs
from jade_coat.material.material import Coat, Material
from jade_coat.material.seam import SEAM_LABELS, Seam, weight
from jade_coat.material.surface import fields_in_use
from jade_coat.material.where import TERM_KINDS, NoiseTerm, PaintTerm, Term
from jade_coat.program.numpy_backend import Environment, evaluate
from jade_coat.program.value import const


class ExposeDot(QAbstractButton):
    """A ring that is filled when its field is a dial."""

    def __init__(self, exposed: bool, field_name: str) -> None:
        super().__init__()
        self.setCheckable(True)
        self.setChecked(exposed)
        self.setFixedSize(16, 24)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"Make {field_name.lower()} a dial")
        self.setToolTip("A dial: finishes may change it" if exposed else "Make this a dial that finishes may change")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        on = self.isChecked()
        painter.setPen(QPen(theme.color("jade" if on or self.hasFocus() else "quiet"), 1.4))
        painter.setBrush(theme.color("jade") if on else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QPointF(6, 12), 4, 4)


class SeamCurve(QWidget):
    """The weight over the amount, for a low place, level ground and a high place below the coat."""

    moved = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(74)
        self.seam = Seam()
        self._grabbed: int | None = None
        self.setAccessibleName("Seam curve")

    def show_seam(self, seam: Seam) -> None:
        """Show another seam."""
        self.seam = seam
        self.setToolTip(
            "Weight over amount. Drag a point; double-click adds or removes one."
            if seam.kind == "ramp"
            else "Weight over amount: in low places (strong), on level ground, and on high places (faint)"
        )
        self.update()

    def _box(self) -> QRectF:
        return QRectF(self.rect()).adjusted(8, 8, -8, -8)

    def _curve(self, below: float) -> list[QPointF]:
        amount = np.linspace(0, 1, 81, dtype=np.float32)[None]
        from jade_coat.program import lib

        value = weight(self.seam, lib.dial("a"), 0.5, const(below), self.seam.softness, self.seam.bias)
        w = evaluate({"w": value}, Environment(dials={"a": amount}))["w"]
        box = self._box()
        return [
            QPointF(box.left() + float(a) * box.width(), box.bottom() - float(y) * box.height())
            for a, y in zip(amount[0], np.broadcast_to(w, amount.shape)[0], strict=True)
        ]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("well"))
        painter.drawRoundedRect(QRectF(self.rect()), 6, 6)
        places = ((0.15, 255), (0.5, 130), (0.85, 70)) if self.seam.kind == "interlock" else ((0.5, 255),)
        for below, alpha in reversed(places):
            points = self._curve(below)
            path = QPainterPath(points[0])
            for point in points[1:]:
                path.lineTo(point)
            painter.setPen(QPen(theme.color("celadon", alpha), 1.8))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(path)
        if self.seam.kind == "ramp":
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color("jade"))
            for point in self._handles():
                painter.drawEllipse(point, 4, 4)

    def _handles(self) -> list[QPointF]:
        box = self._box()
        return [QPointF(box.left() + x * box.width(), box.bottom() - y * box.height()) for x, y in self.seam.points]

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        near = [i for i, h in enumerate(self._handles()) if (h - event.position()).manhattanLength() < 12]
        inner = [i for i in near if 0 < i < len(self.seam.points) - 1]
        self._grabbed = inner[0] if inner and self.seam.kind == "ramp" else None

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._grabbed is None:
            return
        points, i, box = list(self.seam.points), self._grabbed, self._box()
        x = (event.position().x() - box.left()) / box.width()
        y = (box.bottom() - event.position().y()) / box.height()
        x = min(max(x, points[i - 1][0] + 0.01), points[i + 1][0] - 0.01)
        y = min(max(y, points[i - 1][1]), points[i + 1][1])
        points[i] = (x, y)
        self.moved.emit(tuple(points))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._grabbed = None

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.seam.kind != "ramp":
            return
        box, points = self._box(), list(self.seam.points)
        near = [i for i, h in enumerate(self._handles()) if (h - event.position()).manhattanLength() < 12]
        inner = [i for i in near if 0 < i < len(points) - 1]
        if inner:
            del points[inner[0]]
        else:
            x = min(max((event.position().x() - box.left()) / box.width(), 0.01), 0.99)
            if all(abs(x - p[0]) > 0.01 for p in points):
                y = float(np.interp(x, [p[0] for p in points], [p[1] for p in points]))
                points = sorted([*points, (x, y)])
        self.moved.emit(tuple(points))


class CoatPanel(QWidget):
    """Edits the chosen coat of the present material."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._fields: dict[str, Field] = {}
        self._key: object = None
        self._inner = QWidget()
        self._box = QVBoxLayout(self._inner)
        self._box.setContentsMargins(12, 10, 10, 12)
        self._box.setSpacing(4)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(scrolled(self._inner))
        self._curve: SeamCurve | None = None
        session.changed.connect(self.refresh)
        session.selection_changed.connect(self.refresh)

    @property
    def fields(self) -> dict[str, Field]:
        """The controls by field path."""
        return self._fields

    def refresh(self) -> None:
        """Follow the document: rebuild when the coat's shape changed, else show new values."""
        material = self._session.material
        coat = next((c for c in material.coats if c.id == self._session.coat_id), None) if material else None
        key = self._shape(material, coat) if material and coat else None
        if key != self._key:
            self._key = key
            self._build(material, coat)
        if material and coat:
            self._show_values(material, coat)

    def _shape(self, material: Material, coat: Coat) -> object:
        terms = tuple(t.model_dump_json(exclude=set(specs(type(t)))) for t in coat.where)
        surface = (coat.surface.map_set, coat.surface.uv_set)
        sets = tuple((s.id, s.name, tuple(m.role for m in s.maps)) for s in self._session.project.map_sets)
        dials = tuple(d.path for d in material.dials)
        meshes = self._session.project.meshes
        return (
            material.id,
            coat.id,
            coat.name,
            material.coats[0].id == coat.id,
            surface,
            terms,
            coat.seam.kind,
            sets,
            dials,
            meshes,
        )

    def _build(self, material: Material | None, coat: Coat | None) -> None:
        clear(self._box)
        self._fields, self._curve = {}, None
        if material is None or coat is None:
            self._box.addWidget(label("COAT", "head"))
            text = "Choose a prop or a finish to see its coats.\nImport a mesh and maps to begin."
            self._box.addWidget(label(text, "quiet", wrap=True))
            self._box.addStretch(1)
            return
        self._box.addLayout(row(label("COAT", "head"), 1, label(coat.name, "name")))
        self._build_surface(material, coat)
        if coat.id != material.coats[0].id:
            self._build_where(material, coat)
            self._build_seam(material, coat)
        self._box.addStretch(1)

    def _heading(self, text: str, note: str = "") -> None:
        self._box.addSpacing(8)
        self._box.addLayout(row(label(text, "head"), 1, label(note, "quiet")))

    def _plain_row(self, name: str, control: QWidget, tip: str = "") -> None:
        spacer = QWidget()
        spacer.setFixedWidth(16)
        text = label(name, tip=tip)
        self._box.addLayout(row(spacer, text, 1, _sized(control), gap=6))

    def _field_row(self, material: Material, path: str, part: Any, name: str) -> None:
        spec = specs(type(part))[name]
        control = field_for(spec, getattr(part, name))
        control.changed.connect(
            lambda value: self._session.do(
                "set_field", merge=("field", path), material=material.id, path=path, value=value
            )
        )
        control.settled.connect(self._session.document.settle)
        dot = ExposeDot(material.dial_at(path) is not None, spec.label)
        dot.clicked.connect(lambda on: self._session.do("expose" if on else "hide", material=material.id, path=path))
        self._fields[path] = control
        self._box.addLayout(row(dot, label(spec.label, tip=spec.hint), 1, _sized(control), gap=6))

    def _build_surface(self, material: Material, coat: Coat) -> None:
        self._heading("Surface")
        project, do = self._session.project, self._session.do
        sets = [("", "Plain values"), *((s.id, s.name) for s in project.map_sets)]

        def choose_set(chosen: str) -> None:
            changes: dict[str, Any] = {"map_set": chosen}
            if chosen:
                changes["tile_size"] = project.map_set(chosen).tile_size
            do("set_surface", material=material.id, coat=coat.id, **changes)

        self._plain_row("Map set", choice(sets, coat.surface.map_set, choose_set, "The maps this coat is made of"))
        if coat.surface.map_set:
            there = [len(self._session.link.mesh_data(m.id).uvs) for m in project.meshes]
            count = max([coat.surface.uv_set + 1, *there])
            uv_sets = [(str(i), f"UV set {i + 1}") for i in range(count)]
            self._plain_row("Placed by", choice(
                uv_sets, str(coat.surface.uv_set),
                lambda i: do("set_surface", material=material.id, coat=coat.id, uv_set=int(i)),
            ))  # fmt: skip
        for name in fields_in_use(coat.surface, self._session.link.lookup):
            self._field_row(material, f"{coat.id}.surface.{name}", coat.surface, name)

    def _build_where(self, material: Material, coat: Coat) -> None:
        count = len(coat.where)
        self._heading("Where", f"{count} term{'s' if count != 1 else ''}")
        self._field_row(material, f"{coat.id}.amount", coat, "amount")
        for i, term in enumerate(coat.where):
            self._build_term(material, coat, term, first=i == 0)
        add = button("+ term", role="add", tip="Add something that decides where this coat shows")
        add.clicked.connect(lambda: self._term_menu(add, material, coat))
        self._box.addWidget(add)

    def _build_term(self, material: Material, coat: Coat, term: Term, first: bool) -> None:
        def change(**changes: Any) -> None:
            self._session.do("set_term", material=material.id, coat=coat.id, term=term.id, **changes)

        remove = button("×", lambda: self._session.do("remove_term", material=material.id, coat=coat.id, term=term.id),
                        "plain", f"Remove the term {type(term).label.lower()}")  # fmt: skip
        remove.setFixedSize(26, 26)
        invert = QCheckBox("invert")
        invert.setChecked(term.invert)
        invert.clicked.connect(lambda on: change(invert=on))
        joined = [(k, k) for k in ("multiply", "add", "max", "min")]
        parts: list[QWidget | int] = [label(type(term).label, "name"), 1]
        if not first:
            how = choice(joined, term.combine, lambda k: change(combine=k), "How it joins the terms above")
            how.setFixedWidth(84)
            parts.append(how)
        self._box.addSpacing(4)
        self._box.addLayout(row(*parts, invert, remove, gap=6))
        if isinstance(term, PaintTerm):
            channels = [(c, f"Channel {c}") for c in "RGBA"]
            self._plain_row("Painted", choice(channels, term.channel, lambda c: change(channel=c)))
        if isinstance(term, NoiseTerm):
            for name, low, high in (("octaves", 1, 8), ("seed", 0, 9999)):
                box = QSpinBox()
                box.setRange(low, high)
                box.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
                box.setAlignment(Qt.AlignmentFlag.AlignRight)
                box.setValue(getattr(term, name))
                box.setKeyboardTracking(False)
                box.valueChanged.connect(lambda v, n=name: change(**{n: v}))
                self._plain_row(name.capitalize(), box)
        for name in specs(type(term)):
            self._field_row(material, f"{coat.id}.where.{term.id}.{name}", term, name)

    def _term_menu(self, at: QWidget, material: Material, coat: Coat) -> None:
        menu = QMenu(self)
        for kind, model in TERM_KINDS.items():
            hint = (model.__doc__ or "").splitlines()[0].rstrip(".")
            action = menu.addAction(f"{model.label}:  {hint[0].lower()}{hint[1:]}")
            assert action is not None
            action.triggered.connect(
                lambda _=False, k=kind: self._session.do("add_term", material=material.id, coat=coat.id, kind=k)
            )
        menu.exec(at.mapToGlobal(at.rect().bottomLeft()))

    def _build_seam(self, material: Material, coat: Coat) -> None:
        self._heading("Seam")

        def change(**changes: Any) -> None:
            self._session.do("set_seam", material=material.id, coat=coat.id, **changes)

        kinds = [(k, k.capitalize()) for k in SEAM_LABELS]
        self._plain_row("Kind", choice(kinds, coat.seam.kind, lambda k: change(kind=k), SEAM_LABELS[coat.seam.kind]))
        if coat.seam.kind in ("interlock", "cut"):
            self._field_row(material, f"{coat.id}.seam.softness", coat.seam, "softness")
        self._field_row(material, f"{coat.id}.seam.bias", coat.seam, "bias")
        self._curve = SeamCurve()
        self._curve.moved.connect(lambda points: self._session.do(
            "set_seam", merge=("seam", coat.id), material=material.id, coat=coat.id, points=points
        ))  # fmt: skip
        self._box.addSpacing(4)
        self._box.addWidget(self._curve)

    def _show_values(self, material: Material, coat: Coat) -> None:
        parts: dict[str, Any] = {f"{coat.id}": coat, f"{coat.id}.surface": coat.surface, f"{coat.id}.seam": coat.seam}
        parts |= {f"{coat.id}.where.{t.id}": t for t in coat.where}
        for path, control in self._fields.items():
            owner, _, name = path.rpartition(".")
            control.show_value(getattr(parts[owner], name))
        if self._curve is not None:
            self._curve.show_seam(coat.seam)


def _sized(control: QWidget) -> QWidget:
    control.setFixedWidth(124)
    return control
