"""Edits of lamps and mist."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from jade_coat.stage.edits.groups import thing_of
from jade_coat.stage.edits.registry import edit
from jade_coat.stage.lamps import Lamp, Mist
from jade_coat.stage.project import Project
from jade_coat.stage.things import Thing
from jade_coat.stage.turns import Turn


@edit
def set_things(project: Project, /, things: tuple[str, ...], **changes: Any) -> Project:
    """Change some settings of lamps, or of mists. Raises KeyError for one that is not there, ValueError for others."""
    by_kind: dict[str, list[Thing]] = {}
    for wanted in things:
        kind, old = thing_of(project, wanted)
        if not isinstance(old, (Lamp, Mist)):
            raise ValueError(f"{old.name} is neither a lamp nor mist")
        new = old.with_(**changes)
        if new != old:
            by_kind.setdefault(kind, []).append(new)
    for kind, made in by_kind.items():
        project = project.with_things(kind, *made)
    return project


@edit
def aim_lamps(project: Project, /, turns: Mapping[str, Turn]) -> Project:
    """Turn lamps, each to a turn of its own, and make spots of them. Raises ValueError for one that is locked."""
    made = []
    for wanted, turn in turns.items():
        old = project.lamps[wanted]
        if project.locks(old):
            raise ValueError(f"{old.name} is locked; unlock it first")
        made.append(old.with_(turn=turn, spot=True))
    return project.with_things("lamps", *made)
