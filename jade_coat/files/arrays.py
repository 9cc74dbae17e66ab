"""Arrays as .npy files: what one holds is known before any of it is taken in.

The format: NumPy Enhancement Proposal 1 and `numpy.lib.format` (versions 1.0 to 3.0).
"""

from __future__ import annotations

import io
import math
import re
import struct
from collections.abc import Callable

import numpy as np

from jade_coat.program.types import Array

MAGIC = b"\x93NUMPY"
LONGEST_HEADER = 4096
_HEADER = re.compile(
    r"\{\s*'descr':\s*'([<>|=]?[a-z]\d{1,2})'\s*,\s*'fortran_order':\s*(True|False)\s*,\s*"
    r"'shape':\s*\(([\d\s,]*)\)\s*,?\s*\}\s*"
)
Fits = Callable[[np.dtype, tuple[int, ...]], bool]


class BadArray(ValueError):
    """A file that does not hold the array it should; the message says what it holds instead, without its name."""


def read_array(data: bytes, fits: Fits, expected: str) -> Array:
    """The array in an .npy file, read-only.

    `fits` is asked about its type and shape before its numbers are looked at; `expected` says in words what would do.
    Nothing is run that the file brings. Raises BadArray.
    """
    if not data:
        raise BadArray("it is empty")
    if not data.startswith(MAGIC) or len(data) < 12:
        raise BadArray("it is no array")
    wide = data[6] != 1
    length = struct.unpack_from("<I" if wide else "<H", data, 8)[0]
    start = (12 if wide else 10) + length
    if length > LONGEST_HEADER or start > len(data):
        raise BadArray("its header is cut off")
    found = _HEADER.fullmatch(data[12 if wide else 10 : start].decode("latin1"))
    if found is None:
        raise BadArray("its header makes no sense")
    try:
        kind = np.dtype(found[1])
        shape = tuple(int(n) for n in found[3].replace(" ", "").split(",") if n)
    except (TypeError, ValueError):
        raise BadArray("its header makes no sense") from None
    if not fits(kind, shape):
        raise BadArray(f"it holds {kind} {shape}"[:120] + f", expected {expected}")
    if len(data) - start != math.prod(shape) * kind.itemsize:
        raise BadArray(f"it holds {len(data) - start} bytes of the {math.prod(shape) * kind.itemsize} it promises")
    values = np.frombuffer(data, kind, offset=start).reshape(shape, order="F" if found[2] == "True" else "C")
    values = np.ascontiguousarray(values.astype(kind.newbyteorder("="), copy=False))
    values.flags.writeable = False
    return values


def array_bytes(values: Array) -> bytes:
    """An array as the bytes of an .npy file."""
    buffer = io.BytesIO()
    np.save(buffer, values, allow_pickle=False)
    return buffer.getvalue()
