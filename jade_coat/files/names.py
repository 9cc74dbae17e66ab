"""Names that people gave, made fit for file names and for comments in generated text."""

from __future__ import annotations

import hashlib
import re
import unicodedata

LONGEST = 120
"""Bytes that a file name may have, well below the 255 that file systems allow."""


def file_name(*parts: str, suffix: str = "", taken: set[str] | None = None) -> str:
    """One file name out of several names, joined by underscores: no separators, no control characters, not too long.

    Letters of any script stay. What had to be cut ends in a mark of the whole, so that two long names stay two; a name
    among `taken` gets a number, and the result is added there.
    """
    whole = "_".join(parts)
    text = re.sub(r"[^\w.-]+", "_", unicodedata.normalize("NFC", whole)).strip("._-")
    room = LONGEST - len(suffix.encode()) - 12
    if len(text.encode()) > room:
        mark = hashlib.sha256(whole.encode()).hexdigest()[:8]
        text = f"{text.encode()[:room].decode(errors='ignore')}~{mark}"
    text = text or "unnamed"
    found, n = text + suffix, 2
    while taken is not None and found.lower() in taken:  # some file systems know no case
        found, n = f"{text}_{n}{suffix}", n + 1
    if taken is not None:
        taken.add(found.lower())
    return found


def one_line(text: str, most: int = 200) -> str:
    """A name as one printable line, safe behind `//` in generated code and in plain text."""
    shown = "".join(c if c.isprintable() else " " for c in text)
    return " ".join(shown.split())[:most].rstrip("\\")
