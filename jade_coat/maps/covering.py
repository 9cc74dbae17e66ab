"""The levels of an opacity as a material needs them: cut out at its own threshold, or as many points as it asks for."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from jade_coat.maps.alpha import coverage, with_coverage
from jade_coat.maps.images import as_float, quantized
from jade_coat.maps.packing import PACKS, Texture, halved
from jade_coat.material.kinds import kind_of
from jade_coat.material.material import Material
from jade_coat.material.surface import Role

MEAN = 0.0
"""Stands for no threshold: the levels hold the mean, as what is dithered or blended needs it."""
FINE = 100
"""Thresholds are told apart to one part in so many."""
KEPT = 4
LEAST = 16
"""Variants that a texture keeps, and the side of the smallest level of what is cut."""
_PACK, _CHANNEL = next(
    (pack.suffix, "rgba".index(channels)) for pack in PACKS for role, channels in pack.roles if role is Role.OPACITY
)


def threshold_of(material: Material) -> float:
    """The threshold that the levels of a material's opacities are to keep their coverage for."""
    return round(material.cut * FINE) / FINE if kind_of(material.kind).cut == "threshold" else MEAN


def covering(texture: Texture, threshold: float) -> Texture:
    """A texture whose opacity, if it holds one, covers the same from level to level at a threshold; of `MEAN` its mean.

    Castaño 2010 scales each level until as much of it reaches the threshold; which one, the material says. What is cut
    has no levels of fewer than `LEAST` texels a side: a few texels are all there or none.
    """
    base = texture.levels[0][..., _CHANNEL]
    if texture.name.rpartition("/")[2] != _PACK or len(texture.levels) == 1 or base.min() == 255:
        return texture
    kept = texture.coverings
    if threshold not in kept:
        while len(kept) >= KEPT:
            kept.pop(next(iter(kept)))
        kept[threshold] = _levelled(texture, threshold)
    found: Texture = kept[threshold]
    return found


def _levelled(texture: Texture, threshold: float) -> Texture:
    opacity = as_float(texture.levels[0][..., [_CHANNEL]])
    whole = coverage(opacity[..., 0], threshold) if threshold != MEAN else 0.0
    levels = [texture.levels[0]]
    for old in texture.levels[1:]:
        if threshold != MEAN and max(old.shape[:2]) < LEAST:
            break
        opacity = halved(opacity)
        scaled = with_coverage(opacity[..., 0], whole, threshold) if threshold != MEAN else opacity[..., 0]
        level = np.array(old)
        level[..., _CHANNEL] = quantized(scaled)
        level.flags.writeable = False
        levels.append(level)
    return replace(texture, levels=tuple(levels), threshold=threshold)
