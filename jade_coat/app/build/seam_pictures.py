"""Little pictures of the kinds of seam: a coat that grows from the left over bumps, by the seam's own formula."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from PyQt6.QtGui import QIcon

from jade_coat.app.controls.images import ICON, toned
from jade_coat.material.seam import SEAM_LABELS, Seam, weight
from jade_coat.program import lib
from jade_coat.program.numpy_backend import Environment, evaluate


@lru_cache(maxsize=16)
def of_seam(kind: str) -> QIcon:
    """A kind of seam, by its name; nothing for what is none."""
    if kind not in SEAM_LABELS:
        return QIcon()
    y, x = np.mgrid[0 : ICON.height(), 0 : ICON.width()].astype(np.float32)
    amount = 1.15 - x / ICON.width() * 1.3
    bumps = 0.5 + 0.45 * np.sin(x * 0.9) * np.cos(y * 0.8)
    seam = Seam.model_validate({"kind": kind, "softness": 0.12})
    value = weight(seam, lib.dial("amount"), 0.5, lib.dial("below"), seam.softness, seam.bias)
    given = {"amount": amount.reshape(1, -1), "below": bumps.reshape(1, -1)}
    found = np.broadcast_to(evaluate({"w": value}, Environment(dials=given))["w"], (1, amount.size))
    return QIcon(toned(found.reshape(amount.shape)))
