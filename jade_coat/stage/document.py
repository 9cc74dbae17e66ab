"""A document: the present tree, the history behind and before it, and the one path every edit takes."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from dataclasses import dataclass
from typing import Any

from jade_coat.stage import edits
from jade_coat.stage.project import Project

MAX_HISTORY = 400
Allow = Callable[[Project, Project], bool]


@dataclass(frozen=True)
class Step:
    """One entry of the history: what was done, and the tree before it (undo) or after it (redo)."""

    title: str
    project: Project
    merge: Hashable = None


class Document:
    """Holds a project; edits make new trees, undo goes back to old ones, and dirty means "another tree than saved"."""

    def __init__(self, project: Project | None = None) -> None:
        self.project = project or Project()
        self._saved: Project | None = self.project
        self._behind: list[Step] = []
        self._ahead: list[Step] = []
        self._watchers: list[Callable[[], None]] = []

    def watch(self, watcher: Callable[[], None]) -> Callable[[], None]:
        """Call `watcher` after every change; returns a function that stops that."""
        self._watchers.append(watcher)
        return lambda: self._watchers.remove(watcher)

    def do(self, name: str, /, merge: Hashable = None, allow: Allow | None = None, **arguments: Any) -> Project:
        """Run the edit of this name. Consecutive edits with one `merge` key are one step of the history.

        `allow` is shown the trees before and after, and may refuse. Raises what the edit raises (KeyError, ValueError);
        the document is then as before.
        """
        after = edits.EDITS[name](self.project, **arguments)
        if after is not self.project and (allow is None or allow(self.project, after)):
            self._push(Step(edits.title(name), self.project, merge), after)
        return self.project

    def do_all(self, title: str, steps: list[tuple[str, dict[str, Any]]]) -> Project:
        """Run several edits as one step of the history; all of them or none."""
        after = self.project
        for name, arguments in steps:
            after = edits.EDITS[name](after, **arguments)
        if after is not self.project:
            self._push(Step(title, self.project), after)
        return self.project

    def _push(self, step: Step, after: Project) -> None:
        last = self._behind[-1] if self._behind else None
        if not (last and step.merge is not None and last.merge == step.merge and not self._ahead):
            self._behind.append(step)
            del self._behind[:-MAX_HISTORY]
        self._ahead.clear()
        self._show(after)

    def settle(self) -> None:
        """End a run of merging edits: a drag is over."""
        if self._behind:
            last = self._behind[-1]
            self._behind[-1] = Step(last.title, last.project)

    def look(self, **changes: Any) -> None:
        """Change what is not part of the history, such as the camera; does not make the document dirty by itself."""
        clean = not self.dirty
        self.project = self.project.with_(**changes)
        if clean:
            self._saved = self.project

    def _show(self, project: Project) -> None:
        self.project = project.with_(camera=self.project.camera) if project.camera != self.project.camera else project
        for watcher in list(self._watchers):
            watcher()

    def undo(self) -> str | None:
        """Go one step back; returns what was undone."""
        return self._go(self._behind, self._ahead)

    def redo(self) -> str | None:
        """Go one step forward; returns what was done again."""
        return self._go(self._ahead, self._behind)

    def _go(self, source: list[Step], target: list[Step]) -> str | None:
        if not source:
            return None
        step = source.pop()
        target.append(Step(step.title, self.project))
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
        return self._saved is None or self.project.with_(camera=self._saved.camera) != self._saved

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
        for watcher in list(self._watchers):
            watcher()
