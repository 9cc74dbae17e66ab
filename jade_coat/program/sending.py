"""Values that may be sent to another process at any time."""

from __future__ import annotations

from functools import cached_property
from typing import Any


class SentBare:
    """Sent to another process, a value goes without what was worked out of it and kept on it.

    Another thread may be working something out just then, and must not change what is being read: the copy is made in
    one step of the interpreter.
    """

    def __getstate__(self) -> dict[str, Any]:
        kept = self.__dict__.copy()
        return {n: v for n, v in kept.items() if not isinstance(getattr(type(self), n, None), cached_property)}
