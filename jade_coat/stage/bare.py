"""What is worn where nothing is chosen."""

from jade_coat.material.material import Coat, Material
from jade_coat.material.surface import Surface

BARE = Material(
    id="bare",
    name="Bare",
    coats=(Coat(id="bare", name="Bare", surface=Surface(color=(0.35, 0.35, 0.34), roughness=0.7)),),
)
"""What a slot without a finish shows."""
