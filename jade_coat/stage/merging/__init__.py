"""Merging two versions of a project that come from one: inside things, by field, item, tile and texel."""

from jade_coat.stage.merging.collisions import ABSENT, BOTH, MINE, THEIRS, Collision
from jade_coat.stage.merging.whole import Merged, merged

__all__ = ["ABSENT", "BOTH", "MINE", "THEIRS", "Collision", "Merged", "merged"]
