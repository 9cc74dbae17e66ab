"""Keeps what was made lately, up to so many bytes."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

Made = TypeVar("Made")


class ByteCache(Generic[Made]):
    """Things by key, those asked for last; safe to use from threads. What is larger than all its room is not kept."""

    def __init__(self, room: int, size: Callable[[Made], int]) -> None:
        """`room` in bytes; `size` tells those of a thing."""
        self._room, self._size = room, size
        self._kept: OrderedDict[Hashable, Made] = OrderedDict()
        self._lock = threading.Lock()
        self.nbytes = 0
        """What is held now."""

    def get(self, key: Hashable, make: Callable[[], Made]) -> Made:
        """The thing under a key, made where it is not there. Raises what making raises."""
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
        made = make()
        with self._lock:
            if key not in self._kept and self._size(made) <= self._room:
                self._kept[key] = made
                self.nbytes += self._size(made)
                while self.nbytes > self._room:
                    self.nbytes -= self._size(self._kept.popitem(last=False)[1])
        return made
