"""desk.json, beside project.json: how the project was looked at last."""

from __future__ import annotations

import contextlib
import json
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from jade_coat.files.atomic import write_atomic
from jade_coat.files.regular import read_regular
from jade_coat.stage.desk import Desk

FILE = "desk.json"


def read_desk(folder: Path, before_3: dict[str, Any] | None = None) -> tuple[Desk, str]:
    """How a project was looked at, and what is wrong with the file, in words; a new desk stands in then.

    `before_3` is the content of a project of format 1 or 2, which holds the camera itself.
    """
    path = folder / FILE
    try:
        return Desk.model_validate_json(read_regular(path, folder, largest=1 << 24)), ""
    except FileNotFoundError:
        pass
    except (OSError, ValueError, RecursionError) as error:
        words = (error.strerror if isinstance(error, OSError) else "") or str(error).splitlines()[0][:80]
        return Desk(), f"{path} cannot be read ({words}); the view starts anew."
    try:
        return Desk.model_validate({"camera": before_3["camera"]} if before_3 and "camera" in before_3 else {}), ""
    except (ValidationError, RecursionError):
        return Desk(), ""


def write_desk(folder: Path, desk: Desk, mode: int = 0o666) -> None:
    """Keep how a project is looked at, if it is not kept so already. Raises WriteFailed."""
    data = json.dumps(desk.model_dump(mode="json"), indent=1).encode() + b"\n"
    path = folder / FILE
    with contextlib.suppress(OSError):
        if read_regular(path, folder) == data:
            return
    write_atomic(path, data, mode, within=folder)
