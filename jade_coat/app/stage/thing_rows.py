"""The things of the stage as the rows of a list: groups with what they hold below them, filtered by words."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QAbstractListModel, QMimeData, QModelIndex, Qt

from jade_coat.app.controls.basics import counted
from jade_coat.app.session import Session
from jade_coat.stage import edits
from jade_coat.stage.decals import Decal
from jade_coat.stage.grounds import Ground
from jade_coat.stage.lamps import Lamp, Mist
from jade_coat.stage.looks import finishes_on
from jade_coat.stage.project import KINDS_OF_THINGS, Group, Project, Prop
from jade_coat.stage.things import Thing

THINGS_MIME = "application/x-jade-coat-things"


def _note(thing: Thing) -> str:
    """What a thing that wears nothing is."""
    if isinstance(thing, Lamp):
        return "spot lamp" if thing.spot else "lamp"
    if isinstance(thing, Mist):
        return "mist everywhere" if thing.everywhere else "mist"
    if isinstance(thing, Ground):
        return f"ground of {counted(len(thing.layers), 'layer')}"
    return ""


@dataclass(frozen=True)
class ThingRow:
    """One row: the thing, how deep it lies in groups, how many things a group holds, and what a prop wears first."""

    thing: Thing
    depth: int
    holds: int
    finish: str
    note: str


class ThingRows(QAbstractListModel):
    """The rows, made anew only where an edit changes what they show."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.rows: list[ThingRow] = []
        self.places: dict[str, int] = {}
        self.shut: set[str] = set()
        """The groups whose content is folded away."""
        self.words: list[str] = []
        self.only = ""
        """A finish: only props that wear it are listed."""
        self._shown: Project | None = None
        session.changed.connect(self.follow)
        self.follow()

    def sift(self, words: str, only: str) -> None:
        """List only what has all the words in its name, its mesh's or its finishes', and wears a finish."""
        self.words, self.only = words.lower().split(), only
        self._rebuild()

    def fold(self, group: str) -> None:
        """Fold a group's content away, or show it."""
        self.shut ^= {group}
        self._rebuild()

    def follow(self) -> None:
        """Take the project as it is now."""
        before, project = self._shown, self._session.project
        if before is None or self._another(before, project):
            self._rebuild()
        self._shown = project

    def _another(self, before: Project, project: Project) -> bool:
        names = ("groups", "meshes", "finishes", "categories")
        if any(getattr(before, n) is not getattr(project, n) for n in names):
            return True
        kept = ("name", "parent", "visible", "locked", "mesh", "variant", "finishes")
        for then, now in project.props.changed_from(before.props):
            if then is None or now is None or any(getattr(then, n) != getattr(now, n) for n in kept):
                return True
        own = {
            "decals": ("finish",), "lamps": ("spot", "color"), "mists": ("everywhere",), "grounds": ("layers",),
        }  # fmt: skip
        for kind, further in own.items():
            for was, is_now in getattr(project, kind).changed_from(getattr(before, kind)):
                named = (*kept[:4], *further)
                if was is None or is_now is None or any(getattr(was, n) != getattr(is_now, n) for n in named):
                    return True
        return False

    def _rebuild(self) -> None:
        self.beginResetModel()
        project = self._session.project
        self._names = {f.id: f.name for f in project.finishes} | {m.id: m.name for m in project.materials}
        self._meshes = {m.id: m.name for m in project.meshes}
        inside: dict[str, list[Thing]] = {}
        for kind in KINDS_OF_THINGS:
            for thing in getattr(project, kind):
                inside.setdefault(thing.parent, []).append(thing)
        self.rows = []
        self._add(project, inside, "", 0)
        self.places = {row.thing.id: i for i, row in enumerate(self.rows)}
        self.endResetModel()

    def _add(self, project: Project, inside: dict[str, list[Thing]], parent: str, depth: int) -> None:
        sifting = bool(self.words or self.only)
        for thing in inside.get(parent, ()):
            if isinstance(thing, Group):
                if not sifting or (not self.only and self._fits(thing.name)):
                    held = len(inside.get(thing.id, ()))
                    self.rows.append(ThingRow(thing, 0 if sifting else depth, held, "", ""))
                if sifting or thing.id not in self.shut:
                    self._add(project, inside, thing.id, depth + 1)
            elif isinstance(thing, Prop):
                self._add_prop(project, thing, 0 if sifting else depth)
            elif isinstance(thing, Decal):
                worn = self._names.get(thing.finish, "nothing yet")
                if (not self.only or self.only == thing.finish) and self._fits(f"{thing.name} decal {worn}"):
                    row = ThingRow(thing, 0 if sifting else depth, 0, thing.finish, f"decal · {worn}")
                    self.rows.append(row)

            elif not self.only:
                note = _note(thing)
                if self._fits(f"{thing.name} {note}"):
                    self.rows.append(ThingRow(thing, 0 if sifting else depth, 0, "", note))

    def _add_prop(self, project: Project, prop: Prop, depth: int) -> None:
        worn = finishes_on(project, prop)
        if self.only and self.only not in worn.values():
            return
        first = next(iter(worn.values()), "")
        mesh = self._meshes.get(prop.mesh, "")
        if self.words and not self._fits(" ".join([prop.name, mesh, *(self._names.get(f, "") for f in worn.values())])):
            return
        self.rows.append(ThingRow(prop, depth, 0, first, self._names.get(first, "nothing yet")))

    def _fits(self, text: str) -> bool:
        low = text.lower()
        return all(word in low for word in self.words)

    # Qt's model

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 (Qt's own signature)
        return 0 if parent.isValid() else len(self.rows)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        row = self.rows[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return row.thing.name
        if role == Qt.ItemDataRole.UserRole:
            return row
        if role == Qt.ItemDataRole.ToolTipRole:
            return f"{row.thing.name}\n{row.note}" if row.note else row.thing.name
        return None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        drop = Qt.ItemFlag.ItemIsDropEnabled
        if not index.isValid():
            return drop
        return drop | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsDragEnabled

    def mimeTypes(self) -> list[str]:
        return [THINGS_MIME]

    def mimeData(self, indexes: Iterable[QModelIndex]) -> QMimeData:
        data = QMimeData()
        ids = [self.rows[i.row()].thing.id for i in indexes]
        data.setData(THINGS_MIME, "\n".join(ids).encode())
        return data

    def supportedDropActions(self) -> Qt.DropAction:
        return Qt.DropAction.MoveAction

    def dropMimeData(
        self, data: QMimeData | None, action: Qt.DropAction, row: int, column: int, parent: QModelIndex
    ) -> bool:
        """Dropped on a group, things go into it; dropped on a thing, into the group around it; else out of all."""
        if data is None or not data.hasFormat(THINGS_MIME):
            return False
        ids = tuple(bytes(data.data(THINGS_MIME).data()).decode().split("\n"))
        group = ""
        if parent.isValid():
            thing = self.rows[parent.row()].thing
            group = thing.id if isinstance(thing, Group) else thing.parent
        if group in ids:
            return False
        self._session.do(edits.put_in_group(things=ids, group=group))
        return False  # the rows follow the project; Qt must not take any out itself
