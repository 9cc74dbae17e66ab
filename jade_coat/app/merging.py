"""Two versions of a project and what they came from: what of them collides, and what is kept of either."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from jade_coat.files.assets import Assets
from jade_coat.files.atomic import WriteFailed
from jade_coat.files.kept_beside import keep_beside
from jade_coat.files.library import Library
from jade_coat.files.project_folder import Opened
from jade_coat.stage.merging import BOTH, MINE, THEIRS, Collision, Merged, merged
from jade_coat.stage.merging.whole import can_be_two
from jade_coat.stage.project import Project


@dataclass(frozen=True)
class TwoSides:
    """What is here and what somebody else saved in the folder, with what both began from, where that is known."""

    folder: Path
    base: Project | None
    mine: Project
    theirs: Opened
    library: Library

    def merged(self, chosen: Mapping[str, str]) -> Merged:
        """Both, by what was chosen where they collide. Raises ValueError where they do not go together."""
        return merged(self.base, self.mine, self.theirs.project, chosen, partial(self.library.base_colors, self.mine))

    def two_of(self, collision: Collision) -> bool:
        """Whether both sides of a collision can be kept."""
        return can_be_two(collision, self.theirs.project)

    def keep_the_rest(self, collisions: tuple[Collision, ...], chosen: Mapping[str, str]) -> list[str]:
        """Keep the versions that were not chosen in a folder beside; what was done, in words."""
        sides = {chosen.get(c.key, MINE) for c in collisions}
        rest: list[tuple[str, Project, Assets]] = []
        if MINE in sides:
            rest.append(("theirs", self.theirs.project, self.theirs.assets))
        if THEIRS in sides:
            rest.append(("mine", self.mine, self.library.assets))
        lines = []
        for whose, project, assets in rest:
            try:
                place = keep_beside(self.folder, project, assets, whose)
                lines.append(f"What was not chosen is kept in {place}: open it, or take over from it.")
            except (WriteFailed, OSError) as error:
                lines.append(f"What was not chosen of {whose} could not be kept: {error.strerror}")
        return lines


def all_of(side: str, collisions: tuple[Collision, ...], sides: TwoSides) -> dict[str, str]:
    """The same choice for all that collides; where not both can be, mine."""
    return {c.key: side if side != BOTH or sides.two_of(c) else MINE for c in collisions}
