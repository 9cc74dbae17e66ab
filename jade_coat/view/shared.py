"""Arrays in shared memory, so that big things cross to the render process without being copied through a pipe."""

from __future__ import annotations

from dataclasses import dataclass
from multiprocessing.shared_memory import SharedMemory

import numpy as np

from jade_coat.program.types import Array


@dataclass(frozen=True)
class Handle:
    """Where an array lies: a block's name, the offset in it, type and shape."""

    block: str
    offset: int
    dtype: str
    shape: tuple[int, ...]

    @property
    def nbytes(self) -> int:
        """Size in bytes."""
        return int(np.prod(self.shape)) * np.dtype(self.dtype).itemsize


class Shared:
    """A block that holds several arrays. Whoever makes it closes it when the other side has read it."""

    def __init__(self, arrays: dict[str, Array]) -> None:
        offset, self.handles = 0, {}
        self._block = SharedMemory(create=True, size=max(1, sum(_padded(a.nbytes) for a in arrays.values())))
        for name, array in arrays.items():
            handle = Handle(self._block.name, offset, array.dtype.str, array.shape)
            view(self._block, handle)[...] = array
            self.handles[name] = handle
            offset += _padded(array.nbytes)

    @property
    def name(self) -> str:
        """The block's name."""
        return self._block.name

    def read(self, name: str) -> Array:
        """A copy of one array."""
        return view(self._block, self.handles[name]).copy()

    def close(self) -> None:
        """Give the memory back."""
        self._block.close()
        self._block.unlink()


class Attachments:
    """The blocks another process made, as this one sees them."""

    def __init__(self) -> None:
        self._open: dict[str, SharedMemory] = {}

    def array(self, handle: Handle) -> Array:
        """The array behind a handle, not copied. Raises FileNotFoundError when its block is gone."""
        if handle.block not in self._open:
            self._open[handle.block] = SharedMemory(handle.block)
        return view(self._open[handle.block], handle)

    def release(self, block: str) -> None:
        """Let go of a block."""
        found = self._open.pop(block, None)
        if found is not None:
            found.close()


def view(block: SharedMemory, handle: Handle) -> Array:
    """The array at a handle's place in a block."""
    return np.ndarray(handle.shape, np.dtype(handle.dtype), block.buf, handle.offset)


def _padded(size: int) -> int:
    return (size + 63) // 64 * 64
