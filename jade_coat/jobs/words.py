"""What an error says to people."""

from __future__ import annotations

from pathlib import Path


def told(error: BaseException) -> str:
    """An error in one line: without the numbers of the system, or the quotes of a look-up."""
    if isinstance(error, KeyError) and error.args:
        text = str(error.args[0])
    elif isinstance(error, OSError) and error.strerror:
        # Our own kinds of OSError bring a whole sentence; those of the system a few words and the file.
        named = f"{Path(str(error.filename)).name}: " if error.filename else ""
        text = f"{named}{error.strerror}"
    else:
        text = str(error)
    lines = [line for line in text.splitlines() if line.strip()]
    return lines[0] if lines else type(error).__name__
