"""Where things of a project were taken over from."""

from __future__ import annotations

from typing import Literal

from jade_coat.material.fields import Frozen

Kind = Literal["shared", "map_sets", "recipes", "materials", "finishes"]
"""What can be taken over from another project."""


class Origin(Frozen):
    """Where something was taken over from: the other project's folder, its id there, and a mark of what it was."""

    kind: Kind
    id: str
    folder: str
    theirs: str
    mark: str
