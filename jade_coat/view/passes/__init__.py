"""The passes of a picture, in order: each one file, with what it reads and what it writes."""

from __future__ import annotations

from typing import Protocol

from jade_coat.view.frame import Frame


class Pass(Protocol):
    """One step of drawing. `reads` and `writes` name attachments (`view.attachments`) and the scene's own maps."""

    @property
    def reads(self) -> tuple[str, ...]:
        """What must be there before."""

    @property
    def writes(self) -> tuple[str, ...]:
        """What is there afterwards."""

    def draw(self, frame: Frame) -> None:
        """Do this step for a frame."""
