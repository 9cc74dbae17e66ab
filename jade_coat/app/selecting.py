"""What is chosen, what is looked at alone or on trial, and what follows from both."""

from __future__ import annotations

from collections.abc import Iterable
from contextlib import suppress
from typing import Any

from PyQt6.QtCore import pyqtSignal

from jade_coat.app.showing import Showing
from jade_coat.looking.stage_rays import StageRays
from jade_coat.material.material import Material
from jade_coat.mesh.painting import Paint, PaintMap
from jade_coat.stage.decals import Decal
from jade_coat.stage.desk import Desk
from jade_coat.stage.edits.arranging import within_groups
from jade_coat.stage.edits.registry import Edit
from jade_coat.stage.looks import finish_on, material_of
from jade_coat.stage.placed import Placed
from jade_coat.stage.project import KINDS_OF_THINGS, Project, Prop
from jade_coat.stage.things import Thing
from jade_coat.view.client import RenderClient


class Selecting(Showing):
    """The selection, and the project as the view shows it. Neither is part of the document."""

    selection_changed = pyqtSignal()

    def __init__(self, client: RenderClient | None = None) -> None:
        super().__init__(client)
        self.chosen: tuple[str, ...] = ()
        """The ids of the things that are chosen on the stage; of several props the last one leads."""
        self.prop_id = ""
        """The prop that leads: the one whose finish and coats are worked on."""
        self.slot = ""
        self.coat_id = ""
        self.finish_id = ""
        self.solo: tuple[str, str] | None = None
        """The material and the coat that is looked at alone."""
        self._preview: tuple[str, Paint | PaintMap] | None = None
        """A prop and paint that is shown on it without being part of the document."""
        self._trial: Edit | None = None
        """An edit whose outcome is shown without being part of the document."""
        self._shown: tuple[object, Project] | None = None
        self._edits_coats = False
        self.rays = StageRays()
        """Finds what a ray meets."""
        self.selection_changed.connect(self._open_coat)

    def choose_nothing(self) -> None:
        """Forget what is chosen, looked at alone or on trial: another project comes."""
        self.prop_id = self.slot = self.coat_id = self.finish_id = ""
        self.chosen = ()
        self.solo = self._preview = self._trial = None
        self.rays = StageRays()

    def _on_document(self) -> None:
        """Show the project as it is now."""
        raise NotImplementedError

    def _solo_is_there(self) -> bool:
        assert self.solo is not None
        material = next((m for m in self.project.materials if m.id == self.solo[0]), None)
        return material is not None and any(c.id == self.solo[1] for c in material.coats)

    def _mend_selection(self) -> None:
        project = self.project
        before = (self.prop_id, self.slot, self.coat_id, self.finish_id, self.chosen)
        there = tuple(i for i in self.chosen if any(i in getattr(project, kind) for kind in KINDS_OF_THINGS))
        self.chosen = self.chosen if there == self.chosen else there
        if self.prop_id not in project.props:
            self.prop_id = project.props.first.id if project.props.first else ""
        prop = project.props.get(self.prop_id)
        slots = project.mesh(prop.mesh).slots if prop else ()
        if self.slot not in slots:
            self.slot = slots[0] if slots else ""
        known = {f.id for f in project.finishes} | {m.id for m in project.materials}
        if self.finish_id not in known:
            worn = finish_on(project, prop, self.slot) if prop else ""
            fallback = project.finishes[0].id if project.finishes else ""
            self.finish_id = worn or fallback or (project.materials[0].id if project.materials else "")
        material = self.material
        if material is None:
            self.coat_id = ""
        elif all(c.id != self.coat_id for c in material.coats):
            self.coat_id = material.coats[-1].id
        if before != (self.prop_id, self.slot, self.coat_id, self.finish_id, self.chosen):
            self.selection_changed.emit()

    def edits_coats(self, on: bool) -> None:
        """Say whether fields of the chosen coat can be turned: the renderer then has a program that bears it."""
        self._edits_coats = on
        self._open_coat()

    def _open_coat(self) -> None:
        material = self.material if self._edits_coats else None
        if self.link.open_coat(material.id if material else "", self.coat_id if material else ""):
            self.scene_changed.emit()

    @property
    def desk(self) -> Desk:
        """How the project is looked at."""
        chosen = {"prop": self.prop_id, "slot": self.slot, "finish": self.finish_id, "coat": self.coat_id}
        return Desk(camera=self.camera, **chosen)

    def choose_as(self, desk: Desk) -> None:
        """Choose what was chosen on a desk, as far as it is there."""
        self.prop_id, self.slot, self.finish_id, self.coat_id = desk.prop, desk.slot, desk.finish, desk.coat
        self._mend_selection()
        self.selection_changed.emit()

    @property
    def material(self) -> Material | None:
        """The material that the chosen finish comes from."""
        return material_of(self.project, self.finish_id) if self.finish_id else None

    def material_of(self, finish: str) -> Material | None:
        """The material that a finish comes from; None for none."""
        return material_of(self.project, finish) if finish else None

    @property
    def shown_project(self) -> Project:
        """The document as the view shows it: one coat alone where one is looked at by itself, and paint on trial."""
        if self.solo is None and self._preview is None and self._trial is None:
            return self.project
        known, key = self._shown, (id(self.project), self.solo, self._preview, self._trial)
        if known is None or known[0] != key:
            known = self._shown = (key, self._with_trials())
        return known[1]

    def _with_trials(self) -> Project:
        changes: dict[str, Any] = {}
        if self.solo is not None:
            material_id, coat_id = self.solo
            changes["materials"] = tuple(
                m.with_(coats=tuple(c.with_(shown=c.id == coat_id) for c in m.coats)) if m.id == material_id else m
                for m in self.project.materials
            )
        if self._preview is not None:
            prop_id, made = self._preview
            kind = "paint_map" if isinstance(made, PaintMap) else "paint"
            changes["props"] = self.project.props.with_(self.project.prop(prop_id).with_(**{kind: made}))
        shown: Project = self.project.with_(**changes) if changes else self.project
        if self._trial is not None:
            with suppress(KeyError, ValueError):  # what it was about may be gone
                shown = self._trial.apply(shown)
        return shown

    def try_out(self, edit: Edit | None) -> None:
        """Show what an edit would make of the stage, or stop that (None). Not an edit."""
        if edit is not self._trial:
            self._trial = edit
            self._on_document()

    def show_on_trial(self, prop: str, made: Paint | PaintMap | None) -> None:
        """Show paint on a prop that is no part of the document, or stop that (None). Not an edit."""
        wanted = (prop, made) if made is not None else None
        if wanted != self._preview:
            self._preview = wanted
            self._on_document()

    def look_alone(self, coat: str) -> None:
        """Show one coat of the present material alone, or, when it is alone already, all of them. Not an edit."""
        material = self.material
        if material is None:
            return
        wanted = (material.id, coat)
        self.solo = None if self.solo == wanted else wanted
        self._on_document()

    @property
    def prop(self) -> Prop | None:
        """The chosen prop."""
        return self.project.props.get(self.prop_id)

    @property
    def shown_prop(self) -> Prop | None:
        """The chosen prop as the view shows it, with paint on trial."""
        return self.shown_project.props.get(self.prop_id)

    def choose_prop(self, prop: str, slot: str) -> None:
        """Choose a prop's slot and the finish it wears; nothing else is chosen then."""
        self.chosen = (prop,)
        self._lead(prop, slot)
        self._mend_selection()
        self.selection_changed.emit()

    def choose_things(self, things: Iterable[str], slot: str = "") -> None:
        """Choose some things of the stage, or none; the last prop among them leads, by this slot or by its first."""
        self.chosen = tuple(dict.fromkeys(things))
        lead = next((i for i in reversed(self.chosen) if i in self.project.props), "")
        if lead and (lead != self.prop_id or slot):
            self._lead(lead, slot)
        self._mend_selection()
        self.selection_changed.emit()

    @property
    def chosen_props(self) -> tuple[Prop, ...]:
        """The props that are chosen, those of chosen groups among them, each once."""
        project = self.project
        if not self.chosen:
            return ()
        groups = {i for i in self.chosen if i in project.groups}
        inside = within_groups(project, groups) if groups else []
        ids = dict.fromkeys([*self.chosen, *inside])
        return tuple(project.props[i] for i in ids if i in project.props)

    @property
    def chosen_placed(self) -> tuple[Placed, ...]:
        """The things that are chosen and stand somewhere: those in chosen groups among them."""
        project = self.project
        groups = {i for i in self.chosen if i in project.groups}
        inside = within_groups(project, groups) if groups else []
        found = [self._thing(i) for i in dict.fromkeys([*self.chosen, *inside])]
        return tuple(t for t in found if isinstance(t, Placed))

    def _thing(self, wanted: str) -> Thing | None:
        project = self.project
        return next((t for kind in KINDS_OF_THINGS if (t := getattr(project, kind).get(wanted)) is not None), None)

    @property
    def chosen_last(self) -> Thing | None:
        """The thing that was chosen last."""
        return self._thing(self.chosen[-1]) if self.chosen else None

    @property
    def decal(self) -> Decal | None:
        """The decal that was chosen last, if the last thing chosen is one."""
        found = self.chosen_last
        return found if isinstance(found, Decal) else None

    def _lead(self, prop: str, slot: str) -> None:
        self.prop_id, self.slot = prop, slot
        found = self.prop
        if found is None:
            return
        slots = self.project.mesh(found.mesh).slots
        self.slot = slot if slot in slots else slots[0] if slots else ""
        self.finish_id = finish_on(self.project, found, self.slot) or self.finish_id

    def choose_finish(self, finish: str) -> None:
        """Choose a finish for the dial sheet and the coat stack."""
        self.finish_id = finish
        self._mend_selection()
        self.selection_changed.emit()

    def choose_coat(self, coat: str) -> None:
        """Choose a coat of the present material."""
        self.coat_id = coat
        self.selection_changed.emit()
