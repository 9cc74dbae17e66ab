"""Watches the files that maps came from: saved again by another program, they reload by themselves."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer

from jade_coat.app.session import Session
from jade_coat.jobs.words import told
from jade_coat.maps.images import read_image
from jade_coat.maps.picture import BadImage
from jade_coat.stage import edits

LOOK_MS = 600
PATIENCE = 50
"""Looks after which a file that still cannot be read is told about."""


@dataclass
class _Seen:
    """What a file was like when it was looked at last, and for how many looks it has been unreadable."""

    stamp: tuple[int, int] | None
    pending: bool = False
    tries: int = 0


class MapWatch(QObject):
    """Looks at size and time of every map's file a few times a second; that works on every kind of disk.

    A file that changes is read once it has stopped changing and can be decoded: a half-written one is waited for.
    """

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self._seen: dict[str, _Seen] = {}
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK_MS)
        self._timer.timeout.connect(self.look)
        self._timer.start()

    def look(self) -> None:
        """Look once."""
        origins = {m.origin for s in self._session.project.map_sets for m in s.maps if m.origin}
        for gone in self._seen.keys() - origins:
            del self._seen[gone]
        for origin in sorted(origins):
            stamp = _stamp(Path(origin))
            known = self._seen.setdefault(origin, _Seen(stamp))
            if stamp is None:
                continue  # renamed over, or on a disk that is not there: it may come back
            if stamp != known.stamp:
                known.stamp, known.pending, known.tries = stamp, True, 0
            elif known.pending:
                self._reload(Path(origin), known)

    def _reload(self, path: Path, known: _Seen) -> None:
        try:
            data = path.read_bytes()
            read_image(data, path.name)
        except (OSError, BadImage) as error:
            known.tries += 1
            if known.tries == PATIENCE:
                known.pending = False
                self._session.said.emit(
                    f"{path.name} was changed but cannot be read; the old map stays: {told(error)}", True
                )
            return
        known.pending = False
        session = self._session
        asset = session.library.assets.put("maps", path.name, data)
        steps = []
        for map_set in session.project.map_sets:
            maps = tuple(m.with_(asset=asset) if m.origin == str(path) else m for m in map_set.maps)
            if maps != map_set.maps:
                steps.append(edits.set_map_set(map_set=map_set.id, maps=maps))
        if steps:
            session.do_all(f"Reload {path.name}", steps)
            session.said.emit(f"{path.name} was changed and is loaded anew", False)


def _stamp(path: Path) -> tuple[int, int] | None:
    try:
        found = path.stat()
    except OSError:
        return None
    return found.st_mtime_ns, found.st_size
