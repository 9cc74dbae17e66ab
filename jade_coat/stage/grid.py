"""How the parts of a ground lie beside and over one another."""

from typing import NamedTuple


class Grid(NamedTuple):
    """How the parts of a ground lie: where it begins in the world (x, z), how large the finest are along x and z,
    metres, how many levels there are, and between which heights all of it is."""

    corner: tuple[float, float]
    leaf: tuple[float, float]
    levels: int
    low: float
    high: float
    baked_beyond: float = 0.0
    """From how far on parts are drawn from pages, metres; 0 for never."""
    baked_side: int = 0
    """Texels along the edge of the pages."""
