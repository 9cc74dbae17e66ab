"""A document: the present tree, the history behind and before it, and the one path every edit takes."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable
from dataclasses import dataclass, replace

import numpy as np

from jade_coat.ground.pages import Pages
from jade_coat.mesh.painting import Paint, PaintMap
from jade_coat.stage.edits.registry import Edit
from jade_coat.stage.grounds import Ground
from jade_coat.stage.packed_tree import PackedTree
from jade_coat.stage.project import Project, Prop

MAX_HISTORY = 400
ROOM = 512 << 20
PACK_FROM, NEWEST, LEAST_PACKED = 0.1, 3, 1 << 20
"""Packing begins when the history takes this share of its room; the newest steps and small ones stay as they are."""
Allow = Callable[[Project, Project], bool]


@dataclass(frozen=True)
class Past:
    """One entry of the history: what was done, and the tree before it (undo) or after it (redo)."""

    title: str
    tree: Project | PackedTree
    merge: Hashable = None
    nbytes: int = 0
    """What of the tree's paint the next tree does not share."""

    @property
    def project(self) -> Project:
        """The tree, unpacked if it was packed."""
        return self.tree.whole() if isinstance(self.tree, PackedTree) else self.tree


class Document:
    """Holds a project; edits make new trees, undo goes back to old ones, and dirty means "another tree than saved"."""

    def __init__(self, project: Project | None = None) -> None:
        self.project = project or Project()
        self._saved: Project | None = self.project
        self._behind: list[Past] = []
        self._ahead: list[Past] = []
        self._watchers: list[Callable[[], None]] = []
        self.room = ROOM
        """Bytes of paint that the history may hold beside the present tree's."""
        self.let_go = 0
        """How many of the oldest steps were forgotten for want of room since the project was opened."""

    def watch(self, watcher: Callable[[], None]) -> Callable[[], None]:
        """Call `watcher` after every change; returns a function that stops that."""
        self._watchers.append(watcher)
        return lambda: self._watchers.remove(watcher)

    def do(self, edit: Edit, merge: Hashable = None, allow: Allow | None = None) -> Project:
        """Run an edit. Those with one `merge` key in a row are one step.

        `allow` is shown the trees before and after, and may refuse. Raises what the edit raises (KeyError, ValueError);
        the document is then as before.
        """
        after = edit.apply(self.project)
        if after is not self.project and (allow is None or allow(self.project, after)):
            self._push(Past(edit.title, self.project, merge), after)
        return self.project

    def do_all(self, title: str, steps: Iterable[Edit]) -> Project:
        """Run several edits as one step of the history; all of them or none."""
        after = self.project
        for edit in steps:
            after = edit.apply(after)
        if after is not self.project:
            self._push(Past(title, self.project), after)
        return self.project

    def put(self, title: str, after: Project) -> None:
        """Take a tree that was worked out elsewhere, as one step of the history."""
        if after is not self.project:
            self._push(Past(title, self.project), after)

    def _push(self, step: Past, after: Project) -> None:
        last = self._behind[-1] if self._behind else None
        if last and step.merge is not None and last.merge == step.merge and not self._ahead:
            step = self._behind.pop()
        self._behind.append(replace(step, nbytes=_unshared(step.project, after)))
        self._ahead.clear()
        self._make_room()
        self._show(after)

    def _make_room(self) -> None:
        """Forget the oldest steps while the history holds too many, or too much; the newest one stays."""
        held = sum(step.nbytes for step in self._behind)
        while len(self._behind) > 1 and (len(self._behind) > MAX_HISTORY or held > self.room):
            held -= self._behind[0].nbytes
            self.let_go += int(len(self._behind) <= MAX_HISTORY)
            del self._behind[0]

    def to_pack(self) -> tuple[Past, Project] | None:
        """The oldest step whose paint is worth packing, and the tree after it; None while the history takes little."""
        if self.history_bytes < self.room * PACK_FROM:
            return None
        for i, step in enumerate(self._behind[:-NEWEST]):
            if not isinstance(step.tree, PackedTree) and step.nbytes > LEAST_PACKED:
                return step, self._behind[i + 1].project
        return None

    def packed(self, step: Past, tree: PackedTree) -> None:
        """Put a packed tree in a step's place, if that is still in the history."""
        for i, known in enumerate(self._behind):
            if known is step:
                self._behind[i] = replace(step, tree=tree, nbytes=tree.nbytes)

    @property
    def history_bytes(self) -> int:
        """Bytes of paint that the history holds beside the present tree's."""
        return sum(step.nbytes for step in (*self._behind, *self._ahead))

    def give_up(self, merge: Hashable) -> None:
        """Take back the run of edits with this `merge` key, if it is the last step; nothing of it can be redone."""
        if self._behind and merge is not None and self._behind[-1].merge == merge:
            self._show(self._behind.pop().project)

    def settle(self) -> None:
        """End a run of merging edits: a drag is over."""
        if self._behind:
            self._behind[-1] = replace(self._behind[-1], merge=None)

    def rename(self, name: str) -> None:
        """Call the project by another name: no step of the history, and not unsaved for that alone."""
        clean = not self.dirty
        self.project = self.project.with_(name=name)
        if clean:
            self._saved = self.project

    def _show(self, project: Project) -> None:
        self.project = project
        for watcher in list(self._watchers):
            watcher()

    def undo(self) -> str | None:
        """Go one step back; returns what was undone."""
        return self._go(self._behind, self._ahead)

    def redo(self) -> str | None:
        """Go one step forward; returns what was done again."""
        return self._go(self._ahead, self._behind)

    def _go(self, source: list[Past], target: list[Past]) -> str | None:
        if not source:
            return None
        step = source.pop()
        target.append(Past(step.title, self.project, nbytes=_unshared(self.project, step.project)))
        self._show(step.project)
        return step.title

    @property
    def before(self) -> Project | None:
        """The tree before the last change."""
        return self._behind[-1].project if self._behind else None

    @property
    def undo_title(self) -> str | None:
        """What undo would take back."""
        return self._behind[-1].title if self._behind else None

    @property
    def redo_title(self) -> str | None:
        """What redo would do again."""
        return self._ahead[-1].title if self._ahead else None

    @property
    def dirty(self) -> bool:
        """Whether the tree is another than the one last saved."""
        return self._saved is None or self.project.differs_from(self._saved)

    def mark_saved(self, project: Project | None = None) -> None:
        """Note that a tree (the present one) is on disk."""
        self._saved = project or self.project

    def mark_unsaved(self) -> None:
        """Note that what is shown was never saved: it was recovered."""
        self._saved = None

    def replace(self, project: Project) -> None:
        """Open another project: the history starts anew."""
        self.project, self._saved = project, project
        self._behind.clear()
        self._ahead.clear()
        self.let_go = 0
        for watcher in list(self._watchers):
            watcher()


def _unshared(project: Project, other: Project) -> int:
    """Bytes of the paint in one tree that another does not share."""
    total = 0
    for twin, prop in project.props.changed_from(other.props):
        if prop is None or (twin is not None and twin.paint is prop.paint and twin.paint_map is prop.paint_map):
            continue
        shared = {id(t) for paint in _paints(twin) for t in paint.tiles} if twin is not None else set()
        own = {id(t): t.nbytes for paint in _paints(prop) for t in paint.tiles}
        total += sum(size for tile, size in own.items() if tile not in shared)
    for then, ground in project.grounds.changed_from(other.grounds):
        if ground is not None:
            known = _grids(then) if then is not None else {}
            total += sum(_own_bytes(grid, known.get(name)) for name, grid in _grids(ground).items())
    return total


def _grids(ground: Ground) -> dict[str, Pages]:
    """What a ground holds in tiles."""
    own = {"\0hand": ground.by_hand} if ground.by_hand is not None else {}
    return {"\0heights": ground.heights.pages, **ground.weights, **own}


def _own_bytes(grid: Pages, other: Pages | None) -> int:
    """Bytes of the tiles of a grid that another does not share."""
    if other is grid:
        return 0
    theirs = other.tiles if other is not None and len(other.tiles) == len(grid.tiles) else (None,) * len(grid.tiles)
    pairs = zip(grid.tiles, theirs, strict=True)
    return sum(tile.nbytes for tile, was in pairs if tile is not was and isinstance(tile, np.ndarray))


def _paints(prop: Prop) -> list[Paint]:
    found = [prop.paint] if isinstance(prop.paint, Paint) else []
    return [*found, prop.paint_map.paint] if isinstance(prop.paint_map, PaintMap) else found
