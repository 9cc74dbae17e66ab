"""Takes things over from another project, and brings them up to date after showing what would change."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import QDialog, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from jade_coat.app.controls.basics import button, label, row
from jade_coat.app.session import Session
from jade_coat.app.thing_pictures import ICON, picture_of
from jade_coat.files.project_folder import BadProject, Opened, open_project
from jade_coat.jobs.words import told
from jade_coat.stage import edits
from jade_coat.stage.loose_ends import loose_ends
from jade_coat.stage.origins import Kind
from jade_coat.stage.taking import KIND_LABELS, Place, assets_of, changes, needed, take

GROUPS: dict[Kind, str] = {
    "finishes": "Finishes", "materials": "Materials", "map_sets": "Map sets", "recipes": "Recipes",
    "shared": "Shared dials",
}  # fmt: skip


class TakeOver(QDialog):
    """Everything another project has, with what each thing needs and what of that is here already."""

    def __init__(self, parent: QWidget, session: Session, folder: Path) -> None:
        """Raises BadProject when the folder holds no project that can be opened."""
        super().__init__(parent)
        self._session, self._folder = session, folder
        self.other: Opened = open_project(folder)
        self.setWindowTitle(f"Take over from {self.other.project.name}")
        self.resize(620, 560)
        self.tree = QTreeWidget()
        self.tree.setHeaderHidden(True)
        self.tree.setSelectionMode(QTreeWidget.SelectionMode.NoSelection)
        self.tree.setIconSize(ICON)
        self.tree.setAccessibleName("What the other project has")
        for kind, title in GROUPS.items():
            self._group(kind, title)
        self.tree.itemChanged.connect(self._tell)
        self._text = label("", "quiet", wrap=True)
        self._take = button("Take over", self.accept, "main")
        layout = QVBoxLayout(self)
        layout.setSpacing(10)
        layout.addWidget(label("Tick what you want. What it needs comes along; what is here already is used as it is.",
                               "quiet", wrap=True))  # fmt: skip
        layout.addWidget(self.tree, 1)
        layout.addWidget(self._text)
        layout.addLayout(row(1, button("Cancel", self.reject), self._take))
        self._tell()

    def _group(self, kind: Kind, title: str) -> None:
        things = getattr(self.other.project, kind)
        if not things:
            return
        head = QTreeWidgetItem(self.tree, [f"{title}  {len(things)}"])
        head.setFlags(Qt.ItemFlag.ItemIsEnabled)
        head.setExpanded(kind in ("finishes", "materials"))
        for thing in things:
            entry = QTreeWidgetItem(head, [thing.name])
            entry.setData(0, Qt.ItemDataRole.UserRole, (kind, thing.id))
            entry.setCheckState(0, Qt.CheckState.Unchecked)
            image = picture_of(self.other.project, self.other.assets, (kind, thing.id))
            if image is not None:
                entry.setIcon(0, QIcon(QPixmap.fromImage(image)))

    def entries(self) -> list[QTreeWidgetItem]:
        """Everything that can be ticked."""
        heads = [self.tree.topLevelItem(i) for i in range(self.tree.topLevelItemCount())]
        found = [head.child(i) for head in heads if head is not None for i in range(head.childCount())]
        return [entry for entry in found if entry is not None]

    def chosen(self) -> list[Place]:
        """What is ticked."""
        ticked = [e for e in self.entries() if e.checkState(0) == Qt.CheckState.Checked]
        return [tuple(e.data(0, Qt.ItemDataRole.UserRole)) for e in ticked]

    def _tell(self, *_: object) -> None:
        project, added, known = self._session.project, [], []
        for place in self.chosen():
            done = take(project, self.other.project, place, str(self._folder))
            project = done.project
            added += [f"{name} ({KIND_LABELS[at[0]]})" for at, name in done.added]
            known += [name for at, name in done.recognised if at not in {a for a, _ in done.added}]
        lines = [f"Comes: {', '.join(added)}."] if added else []
        if known:
            lines.append(f"Here already: {', '.join(dict.fromkeys(known))}.")
        self._text.setText("\n".join(lines) or "Nothing is ticked.")
        self._take.setEnabled(bool(added))

    def run(self) -> None:
        """Take over what is ticked, as one change."""
        merge = ("take", id(self._session.project))
        known = set(loose_ends(self._session.project))
        for kind, wanted in self.chosen():
            bring_files(self._session, self.other, needed(self.other.project, (kind, wanted)))
            taken = edits.take_over(other=self.other.project, kind=kind, id=wanted, folder=str(self._folder))
            self._session.do(taken, merge=merge)
        self._session.document.settle()
        new = [end.told for end in loose_ends(self._session.project) if end not in known]
        if new:
            self._session.said.emit(" ".join(new[:3]), True)


class UpdateTaken(QDialog):
    """What has changed at home in the things that were taken over, to be ticked and brought up to date."""

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent)
        self._session = session
        self.setWindowTitle("Update what was taken over")
        self.resize(640, 520)
        self.tree = QTreeWidget()
        self.tree.setHeaderHidden(True)
        self.tree.setSelectionMode(QTreeWidget.SelectionMode.NoSelection)
        self.tree.setAccessibleName("What would change")
        self.opened: dict[str, Opened] = {}
        for folder in dict.fromkeys(o.folder for o in session.project.origins):
            self._source(folder)
        update = button("Update what is ticked", self.accept, "main")
        update.setEnabled(bool(self.entries()))
        layout = QVBoxLayout(self)
        layout.setSpacing(10)
        text = "Ids, names and the values of your own finishes stay. One undo takes the update back."
        layout.addWidget(label(text, "quiet", wrap=True))
        layout.addWidget(self.tree, 1)
        layout.addLayout(row(1, button("Cancel", self.reject), update))

    def _source(self, folder: str) -> None:
        head = QTreeWidgetItem(self.tree)
        head.setFlags(Qt.ItemFlag.ItemIsEnabled)
        head.setExpanded(True)
        try:
            self.opened[folder] = open_project(Path(folder))
        except BadProject as error:
            head.setText(0, f"{folder} cannot be read: {told(error)}")
            return
        found = changes(self._session.project, self.opened[folder].project, folder)
        name = self.opened[folder].project.name
        head.setText(0, f"{name}: {len(found)} changed" if found else f"{name}: all is as it is there")
        for change in found:
            mark = "   changed here too: your changes to it will go" if change.changed_here else ""
            entry = QTreeWidgetItem(head, [f"{change.name} ({KIND_LABELS[change.place[0]]}){mark}"])
            entry.setData(0, Qt.ItemDataRole.UserRole, (folder, *change.place))
            state = Qt.CheckState.Unchecked if change.changed_here else Qt.CheckState.Checked
            entry.setCheckState(0, state)
            entry.setExpanded(True)
            for line in change.lines[:40]:
                QTreeWidgetItem(entry, [line])
            if len(change.lines) > 40:
                QTreeWidgetItem(entry, [f"and {len(change.lines) - 40} more"])

    def entries(self) -> list[QTreeWidgetItem]:
        """Everything that can be ticked."""
        heads = [self.tree.topLevelItem(i) for i in range(self.tree.topLevelItemCount())]
        found = [head.child(i) for head in heads if head is not None for i in range(head.childCount())]
        return [entry for entry in found if entry is not None]

    def run(self) -> None:
        """Bring what is ticked up to date, as one change."""
        merge = ("update", id(self._session.project))
        ticked = [e for e in self.entries() if e.checkState(0) == Qt.CheckState.Checked]
        for folder, other in self.opened.items():
            wanted = [tuple(e.data(0, Qt.ItemDataRole.UserRole)) for e in ticked]
            places = frozenset((kind, i) for f, kind, i in wanted if f == folder)
            origins = {(o.kind, o.id): o.theirs for o in self._session.project.origins if o.folder == folder}
            for kind, mine in places:
                bring_files(self._session, other, needed(other.project, (kind, origins[kind, mine])))
            if places:
                self._session.do(edits.update_taken(other=other.project, folder=folder, places=places), merge=merge)
        self._session.document.settle()


def bring_files(session: Session, other: Opened, places: list[Place]) -> None:
    """Copy the files of some map sets into our assets; one that is missing there stays missing here."""
    for name in assets_of(other.project, places):
        if other.assets.has(name) and not session.library.assets.has(name):
            kind, _, file = name.partition("/")
            session.library.assets.put(kind, file.partition("-")[2], other.assets.read(name))
