"""The commands of the view: what is brought into it, and the clock."""

from __future__ import annotations

from jade_coat.app.commands import command
from jade_coat.app.session import Session
from jade_coat.app.view.view import View


class ViewCommands:
    """Commands on one view."""

    def __init__(self, session: Session, view: View) -> None:
        self.session, self.view = session, view

    @command("View", "F")
    def frame_prop(self) -> None:
        """Bring the chosen prop into view."""
        self.view.frame()

    @command("View", "Shift+F")
    def frame_all(self) -> None:
        """Bring everything into view."""
        self.view.frame(everything=True)

    @command("View", "N")
    def swap_far(self) -> None:
        """Swap the near and the far picture."""
        self.view.swap_far()

    @command("View", "J")
    def next_slot(self) -> None:
        """Choose the next prop, slot by slot."""
        self._step(1)

    @command("View", "Shift+J")
    def slot_before(self) -> None:
        """Choose the prop before, slot by slot."""
        self._step(-1)

    def _step(self, by: int) -> None:
        project = self.session.project
        every = [(p.id, s) for p in project.props if project.shows(p) for s in project.mesh(p.mesh).slots]
        if not every:
            self.session.said.emit("There is no prop to choose yet.", True)
            return
        now = (self.session.prop_id, self.session.slot)
        at = every.index(now) + by if now in every else (0 if by > 0 else -1)
        self.session.choose_prop(*every[at % len(every)])

    @command("View", "P")
    def play_shared(self) -> None:
        """Let the clock run, or hold it."""
        if self.session.project.plays:
            self.session.play(not self.session.playing)
        else:
            self.session.said.emit(
                "Nothing goes by the clock yet: no shared dial has a track, and no recipe reads the time.", True
            )
