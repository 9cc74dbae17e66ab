"""project.json as text: stable in order, a line for each thing on the stage, so that versions can be compared."""

from __future__ import annotations

import json
from typing import Any

from jade_coat.material.fields import Frozen, remembered
from jade_coat.stage.project import Project
from jade_coat.stage.things import Things


def project_text(project: Project) -> str:
    """The content of project.json. What is the same object as before is not worked out again."""
    dumped = project.model_dump(mode="json", include={n for n in Project.model_fields if not _listed(project, n)})
    parts = [f" {json.dumps(name)}: {_field(project, name, dumped)}" for name in Project.model_fields]
    return "{\n" + ",\n".join(parts) + "\n}\n"


def _listed(project: Project, name: str) -> bool:
    return isinstance(getattr(project, name), (tuple, Things))


def _field(project: Project, name: str, dumped: dict[str, Any]) -> str:
    value = getattr(project, name)
    if isinstance(value, Things):
        lines = [_line(thing) for thing in value]
    elif isinstance(value, tuple):
        lines = [_block(item) for item in value]
    else:
        return _indented(json.dumps(dumped[name], indent=1, ensure_ascii=False), 1)
    return "[\n  " + ",\n  ".join(lines) + "\n ]" if lines else "[]"


@remembered
def _line(thing: Frozen) -> str:
    return thing.model_dump_json()


@remembered
def _block(item: Frozen) -> str:
    return _indented(json.dumps(item.model_dump(mode="json"), indent=1, ensure_ascii=False), 2)


def _indented(text: str, by: int) -> str:
    """A text of several lines with all but the first moved in; strings of JSON hold no line ends."""
    return text.replace("\n", "\n" + " " * by)
