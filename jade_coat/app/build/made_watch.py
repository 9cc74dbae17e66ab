"""Watches what meshes were cut by: where a map set's opacity changes, they are made anew by themselves."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QTimer

from jade_coat.app.build.maker import made_anew
from jade_coat.app.session import Session
from jade_coat.jobs.words import told
from jade_coat.material.surface import Role
from jade_coat.mesh.data import MeshData
from jade_coat.stage.mesh_assets import MeshAsset

WAIT_MS = 250


class MadeWatch(QObject):
    """Makes each mesh anew once for each state of its source; undone, it stays as it was."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self._library = session.library
        self._tried: set[tuple[str, str]] = set()
        """Meshes and the marks of sources that they were made anew for."""
        self._wait = QTimer(self)
        self._wait.setSingleShot(True)
        self._wait.setInterval(WAIT_MS)
        self._wait.timeout.connect(self._look)
        session.changed.connect(self._wait.start)

    def _look(self) -> None:
        if self._session.library is not self._library:
            self._library = self._session.library
            self._tried.clear()
        sets = {s.id: s for s in self._session.project.map_sets}
        for mesh in self._session.project.meshes:
            source = sets.get(mesh.made.source) if mesh.made is not None and mesh.made_of else None
            mark = source.mark(Role.OPACITY) if source is not None else ""
            if mark and mark != mesh.made_of and (mesh.id, mark) not in self._tried:
                self._tried.add((mesh.id, mark))
                self._make(mesh)

    def _make(self, mesh: MeshAsset) -> None:
        session, numbers = self._session, mesh.made
        assert numbers is not None
        project, library = session.project, session.library

        def done(found: tuple[MeshData, str]) -> None:
            if any(m is mesh or m == mesh for m in session.project.meshes):
                made_anew(session, mesh.id, found[0], numbers, found[1])

        failed = lambda error: session.said.emit(f"{mesh.name} cannot be made anew: {told(error)}", True)  # noqa: E731
        session.work(lambda: library.make(project, numbers), done, failed)
