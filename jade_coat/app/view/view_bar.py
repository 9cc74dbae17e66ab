"""The view's own buttons: what stands in it, what it is compared with, and its light."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QMenu, QVBoxLayout, QWidget

from jade_coat.app.controls.basics import button, choice, label, row
from jade_coat.app.controls.fields import Field
from jade_coat.app.controls.settings import field_for
from jade_coat.app.dialogs.files import ask_file
from jade_coat.app.session import Session
from jade_coat.app.view.look_strip import NAMES
from jade_coat.app.view.pictures import Split
from jade_coat.app.view.reference import MODES, Reference, take_reference
from jade_coat.app.view.view import View
from jade_coat.jobs.words import told
from jade_coat.maps.images import PICTURES, SKY_PICTURES, linear_radiance
from jade_coat.maps.picture import BadImage
from jade_coat.material.fields import Spec
from jade_coat.stage import edits
from jade_coat.view.environment import SKIES, SKY_LABELS, from_lat_long
from jade_coat.view.link import SHAPE_LABELS

LIGHT_FIELDS = {
    "azimuth": Spec("Sun azimuth", "angle", low=-6.2831853, high=6.2831853, soft=(-3.1415927, 3.1415927)),
    "elevation": Spec("Sun elevation", "angle", low=0.0, high=1.5707964),
    "strength": Spec("Sun strength", low=0.0, high=50.0, soft=(0.0, 8.0)),
    "exposure": Spec("Exposure", unit="stops", low=-12.0, high=12.0, soft=(-4.0, 4.0)),
    "sky_turn": Spec("Sky turn", "angle", low=-6.2831853, high=6.2831853, soft=(-3.1415927, 3.1415927)),
}


class ViewBar(QWidget):
    """The buttons in the view's upper left corner."""

    def __init__(self, session: Session, view: View) -> None:
        super().__init__(view)
        self._session, self._view = session, view
        self.looks: Callable[[], Sequence[tuple[str, str]]] = lambda: list(NAMES.items())
        """The looks that can be compared, with their names."""
        self.setObjectName("viewbar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground, True)
        self.stage = button("Stage", self._stage_menu, "plain", "Show the stage, or the chosen finish on a plain shape")
        self.compare = button("Compare", self._compare_menu, "plain", "Split the view: another finish or another look")
        self.reference = Reference(view)
        self.refer = button("Reference", self._reference_menu, "plain", "Lay a picture beside the view, or over it")
        self.light = button("Light", self.open_light, "plain", "The sun, the sky and the exposure")
        self.setLayout(row(self.stage, self.compare, self.refer, self.light, margins=(3, 2, 3, 2), gap=2))
        self.move(10, 10)
        self._panel: LightPanel | None = None

    def _below(self, at: QWidget, menu: QMenu) -> None:
        menu.exec(at.mapToGlobal(at.rect().bottomLeft()))

    def _stage_menu(self) -> None:
        menu = QMenu(self)
        for key, text in (("", "The stage"), *SHAPE_LABELS.items()):
            action = menu.addAction(text, partial(self.show_shape, key))
            assert action is not None
            action.setCheckable(True)
            action.setChecked(key == self._view.shape)
        self._below(self.stage, menu)

    def show_shape(self, shape: str) -> None:
        """Show the stage (an empty name) or a preview shape."""
        self._view.show_shape(shape)
        self.stage.setText(SHAPE_LABELS.get(shape, "Stage"))
        self.adjustSize()

    def _compare_menu(self) -> None:
        menu = QMenu(self)
        menu.addAction("Nothing", partial(self.show_split, None))
        finishes = menu.addMenu("Another finish in its place")
        looks = menu.addMenu("Another look")
        assert finishes is not None
        assert looks is not None
        for finish in self._session.project.finishes:
            if finish.id != self._session.finish_id:
                finishes.addAction(finish.name, partial(self.show_split, Split(finish=finish.id, name=finish.name)))
        finishes.setEnabled(not self._view.shape)
        for look, name in self.looks():
            if look != self._view.look:
                looks.addAction(name, partial(self.show_split, Split(look=look, name=name)))
        self._below(self.compare, menu)

    def show_split(self, split: Split | None) -> None:
        """Split the view, or stop that."""
        self._view.show_split(split)
        self.compare.setText("Compare" if split is None else f"with {split.name}")
        self.adjustSize()

    def _reference_menu(self) -> None:
        self._below(self.refer, self.reference_menu())

    def reference_menu(self) -> QMenu:
        """What can be done with a picture to compare with."""
        menu, reference = QMenu(self), self.reference
        menu.addAction("Open a picture…", self.choose_reference)
        if reference.image is not None:
            menu.addSeparator()
            for mode, text in MODES.items():
                action = menu.addAction(text, partial(reference.show, mode))
                assert action is not None
                action.setCheckable(True)
                action.setChecked(mode == reference.mode)
            menu.addSeparator()
            menu.addAction("Hide it", partial(reference.show, ""))
            menu.addAction("Let it go", reference.close)
            note = menu.addAction("Over the view, Alt moves and zooms it")
            assert note is not None
            note.setEnabled(False)
        return menu

    def choose_reference(self) -> None:
        """Choose a picture file to compare the view with."""
        path = ask_file(self, "A picture to compare with", "Pictures", PICTURES)
        if path is not None:
            take_reference(self.reference, path)

    def open_light(self) -> LightPanel:
        """Open the light's panel."""
        self._panel = LightPanel(self._session, self)
        self._panel.move(self.light.mapToGlobal(self.light.rect().bottomLeft()))
        self._panel.show()
        return self._panel


class LightPanel(QWidget):
    """Sun and sky."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self._session = session
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground, True)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose, True)
        self.setFixedWidth(264)
        self.fields: dict[str, Field] = {}
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(12, 10, 12, 12)
        light = session.project.light
        skies = [*SKY_LABELS.items()]
        if light.sky not in SKIES:
            skies.append((light.sky, light.sky_name or "From a picture"))
        self.sky = choice([*skies, ("open", "Open an EXR or HDR…")], light.sky, self._choose)
        self.sky.setFixedWidth(140)
        self._box.addLayout(row(label("Sky"), 1, self.sky))
        for name, spec in LIGHT_FIELDS.items():
            if name == "sky_turn" and light.sky in SKIES:
                continue
            field = field_for(spec, getattr(light, name))
            field.setFixedWidth(140)
            field.changed.connect(partial(self._turn, name))
            field.settled.connect(session.document.settle)
            self.fields[name] = field
            self._box.addLayout(row(label(spec.label), 1, field))
        self._box.addWidget(label("Or drag the dot on the dome in the view's corner.", "quiet", wrap=True))

    def _turn(self, name: str, value: float) -> None:
        self._session.do(edits.set_light(**{name: value}), merge=("light", name))

    def _choose(self, sky: str) -> None:
        if sky != "open":
            self._session.do(edits.set_light(sky=sky))
            return
        path = ask_file(self, "Open a lat-long sky", "Skies", SKY_PICTURES)
        if path is not None:
            take_sky(self._session, path)
        self.close()


def take_sky(session: Session, path: Path) -> bool:
    """Light the stage with a lat-long picture; what is wrong with it is said. Returns whether it was taken."""
    try:
        data = path.read_bytes()
        from_lat_long(linear_radiance(data, path.name)[::8, ::8])
    except (OSError, BadImage, ValueError) as error:
        session.said.emit(f"{path.name} cannot be used as a sky: {told(error)}", True)
        return False
    asset = session.library.assets.put("maps", path.name, data)
    return session.do(edits.set_light(sky=asset, sky_name=path.name))
