"""desk.json, beside project.json: how the project was looked at last."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from jade_coat.files.atomic import write_atomic
from jade_coat.stage.desk import Desk

FILE = "desk.json"


def read_desk(folder: Path, before_3: dict[str, Any] | None = None) -> tuple[Desk, str]:
    """How a project was looked at, and what is wrong with the file, in words; a new desk stands in then.

    `before_3` is the content of a project of format 1 or 2, which holds the camera itself.
    """
    path = folder / FILE
    try:
        return Desk.model_validate_json(path.read_bytes()), ""
    except FileNotFoundError:
        pass
    except (OSError, ValueError, RecursionError) as error:
        return Desk(), f"{path} cannot be read ({str(error).splitlines()[0][:80]}); the view starts anew."
    try:
        return Desk.model_validate({"camera": before_3["camera"]} if before_3 and "camera" in before_3 else {}), ""
    except (ValidationError, RecursionError):
        return Desk(), ""


def write_desk(folder: Path, desk: Desk) -> None:
    """Keep how a project is looked at, if it is not kept so already. Raises WriteFailed."""
    data = json.dumps(desk.model_dump(mode="json"), indent=1).encode() + b"\n"
    path = folder / FILE
    if not path.is_file() or path.read_bytes() != data:
        write_atomic(path, data)
