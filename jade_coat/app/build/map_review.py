"""The maps of a surface: what each file was taken for, its channels as pictures, and what looks wrong with it."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtWidgets import QCheckBox, QComboBox, QDialog, QLineEdit, QVBoxLayout, QWidget

from jade_coat.app.beginning import Use
from jade_coat.app.build.map_card import MapCard
from jade_coat.app.build.reach_note import ReachNote
from jade_coat.app.controls.basics import button, choice, counted, holder, label, row, scrolled, show_or_hide
from jade_coat.app.controls.fields import NumberField
from jade_coat.app.dialogs.files import ask_file
from jade_coat.files.library import Library
from jade_coat.jobs.words import told
from jade_coat.maps.images import PICTURES
from jade_coat.maps.mapset import Guess, MapFile, MapSet, guess, map_files
from jade_coat.maps.picture import BadImage
from jade_coat.material.fields import Spec, specs
from jade_coat.material.surface import Role, Surface
from jade_coat.stage.looks import Reach
from jade_coat.stage.project import Project

TILE: Spec = specs(Surface)["tile_size"]


class MapReview(QDialog):
    """Shows what each file of a map set was taken for, to be corrected before it is used."""

    def __init__(
        self, parent: QWidget, map_set: MapSet, unknown: list[MapFile], library: Library, notes: Sequence[str] = ()
    ) -> None:
        """`unknown` are shown left out; `notes` say what was not read, and why."""
        super().__init__(parent)
        self.setWindowTitle("Maps of a surface")
        self.resize(900, 620)
        self._set, self._library, self._assets = map_set, library, library.assets
        self.name = QLineEdit(map_set.name)
        self.tile = NumberField(TILE, map_set.tile_size)
        self._list = QVBoxLayout()
        self._list.setSpacing(8)
        self.cards: list[MapCard] = []
        for entry in map_set.maps:
            self._add(MapCard(entry, self._assets))
        for entry in unknown:
            self._add(MapCard(entry, self._assets, left_out=True))
        self._list.addStretch(1)
        self.note = ReachNote()
        self.note.hide()
        self._only = QCheckBox()
        self._only.hide()
        self._problem = label("", "warn", wrap=True)
        self._mend_all = button("Mend all", self.mend_all, tip="Make every change that is suggested")
        self._use = button("Use these maps", self.accept, "main")
        layout = QVBoxLayout(self)
        layout.setSpacing(10)
        layout.addLayout(row(label("Name"), self.name, label("One tile spans"), self.tile, 1))
        layout.addWidget(scrolled(holder(self._list)))
        self.notes = label("\n".join(notes[:8]), "quiet", "\n".join(notes), wrap=True)
        layout.addWidget(self.notes)
        show_or_hide(self.notes, bool(notes))
        layout.addWidget(self.note)
        layout.addWidget(self._only)
        more = button("Add a file…", self._ask_file, tip="Take one more picture into this set")
        self._uses: QComboBox | None = None
        self._ends = row(more, self._problem, 1, self._mend_all, button("Cancel", self.reject), self._use)
        layout.addLayout(self._ends)
        self._check()

    def offer(self, uses: Sequence[Use]) -> None:
        """Let people choose what becomes of the maps once they are taken in; the first is chosen."""
        self._uses = choice([(u.key, u.text) for u in uses], uses[0].key, lambda _: None, "What becomes of these maps")
        self._uses.setMinimumWidth(260)
        self._ends.insertWidget(self._ends.count() - 2, self._uses)

    @property
    def use(self) -> str:
        """What is to become of the maps, by its key."""
        return str(self._uses.currentData()) if self._uses is not None else "keep"

    def show_reach(self, project: Project, found: Reach, prop: str) -> None:
        """Say whom the change of a set in use reaches, and offer to keep it to one prop."""
        self.note.show_reach(project, found)
        self.note.show()
        self._only.setText(f"Only on {prop}: as a map set and a child finish of their own")
        self._only.setVisible(bool(prop) and len(found.props) > 0)

    @property
    def only_here(self) -> bool:
        """Whether the maps are to be kept to the chosen prop."""
        return self._only.isChecked()

    def _add(self, card: MapCard, after: MapCard | None = None) -> None:
        at = self.cards.index(after) + 1 if after is not None else len(self.cards)
        self.cards.insert(at, card)
        self._list.insertWidget(at, card)
        card.changed.connect(self._check)
        card.alpha_meant.connect(lambda meaning: self.take_alpha(card, meaning))
        card.doubled.connect(lambda: self._double(card))

    def _double(self, card: MapCard) -> None:
        self._add(MapCard(card.file_entry, self._assets, left_out=True), card)
        self._check()

    def _ask_file(self) -> None:
        path = ask_file(self, "Add a map to the set", "Pictures", PICTURES)
        if path is not None:
            self.add_file(path)

    def add_file(self, path: Path) -> None:
        """Take one more picture into the set; a role that is taken already leaves it out."""
        try:
            entries = self._library.read_map(path)
        except (OSError, BadImage) as error:
            self._problem.setText(told(error))
            return
        taken = {e.role for e in (c.entry() for c in self.cards) if e is not None}
        for entry in entries:
            self._add(MapCard(entry, self._assets, left_out=entry.role in taken or not guess(path.name)))
        self._check()

    def take_alpha(self, card: MapCard, meaning: str) -> None:
        """Read a file's alpha as a role of the set, or not at all (an empty meaning)."""
        file = card.file_entry
        for other in [c for c in self.cards if c.file_entry.asset == file.asset and c.file_entry.channels == "a"]:
            self._remove(other)
        if meaning:
            made = map_files(file.file, file.asset, [Guess(role=Role(meaning), channels="a")], file.origin)[0]
            self._add(MapCard(made, self._assets), card)
        self._check()

    def _remove(self, card: MapCard) -> None:
        self.cards.remove(card)
        self._list.removeWidget(card)
        card.hide()
        card.deleteLater()

    def mend_all(self) -> None:
        """Make every change that is suggested."""
        for card in self.cards:
            for _ in range(8):  # one mend may show the next
                if not card.findings:
                    break
                card.change(**card.findings[0].changes)

    def _meaning_of_alpha(self, card: MapCard) -> str | None:
        """What the alpha of a card's file means here: a role, "" for nothing; None when another card shows that."""
        same = [c for c in self.cards if c.file_entry.asset == card.file_entry.asset]
        if card is not next((c for c in same if c.file_entry.channels != "a"), None):
            return None
        return next((e.role.value for e in (c.entry() for c in same) if e is not None and e.channels == "a"), "")

    def map_set(self) -> MapSet:
        """The set as corrected."""
        entries = [e for e in (c.entry() for c in self.cards) if e is not None]
        made: MapSet = self._set.with_(
            name=self.name.text().strip() or self._set.name, tile_size=self.tile.value, maps=tuple(entries)
        )
        return made

    def _check(self) -> None:
        for card in self.cards:
            card.show_alpha(self._meaning_of_alpha(card))
        roles = [e.role.label for e in (c.entry() for c in self.cards) if e is not None]
        doubled = sorted({r for r in roles if roles.count(r) > 1})
        wrong = sum(len(c.findings) for c in self.cards)
        text = f"{counted(wrong, 'thing')} to look at." if wrong else ""
        if doubled:
            text = f"{', '.join(doubled)}: chosen more than once. Leave one out."
        if not roles:
            text = "Every map is left out. Give at least one a role."
        self._problem.setText(text)
        self._mend_all.setVisible(wrong > 0)
        self._use.setEnabled(not doubled and bool(roles))
