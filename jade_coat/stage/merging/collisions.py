"""What both sides of a merge changed in different ways, and which of the two counts."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Final

MINE: Final = "mine"
THEIRS: Final = "theirs"
BOTH: Final = "both"
"""What can become of a collision; both: theirs is kept as a second thing."""
Place = tuple[str, ...]


class _Absent:
    def __repr__(self) -> str:
        return "nothing"


ABSENT: Final = _Absent()
"""What stands for something that a side does not have."""


@dataclass(frozen=True, eq=False)
class Collision:
    """Something that both sides changed, each in another way: where, what each made of it, and of how many numbers.

    `place` leads from a field of the project by fields and ids to what collides. `count` is 0 where it is one value;
    else it says how many texels, cells or vertices both changed.
    """

    place: Place
    base: Any
    mine: Any
    theirs: Any
    count: int = 0

    @property
    def key(self) -> str:
        """What it is called where it is chosen which side counts."""
        return "/".join(self.place)


@dataclass
class Choices:
    """Which side counts where two collide, and what collided so far."""

    chosen: Mapping[str, str] = field(default_factory=dict)
    found: list[Collision] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    """What was settled by itself, in words."""

    def side(self, place: Place) -> str:
        """The side that was chosen for a place, mine where none was."""
        wanted = self.chosen.get("/".join(place), MINE)
        return MINE if wanted == BOTH else wanted

    def asked(self, place: Place) -> bool:
        """Whether anything was chosen for a place."""
        return "/".join(place) in self.chosen

    def collide(self, place: Place, base: Any, mine: Any, theirs: Any, count: int = 0) -> Any:
        """Note a collision, and give what counts. What one side removed and the other changed stays, if not chosen."""
        self.found.append(Collision(place, base, mine, theirs, count))
        if not self.asked(place) and (mine is ABSENT or theirs is ABSENT):
            return theirs if mine is ABSENT else mine
        return theirs if self.side(place) == THEIRS else mine

    def within(self, place: Place) -> list[Collision]:
        """What collided at a place or below it."""
        return [c for c in self.found if c.place[: len(place)] == place]

    def forget(self, place: Place) -> None:
        """Let go of what collided at a place or below it: it is decided above."""
        self.found[:] = [c for c in self.found if c.place[: len(place)] != place]
