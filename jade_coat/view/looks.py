"""The looks a picture can have, by name, and what the last shader is told to show for each."""

from __future__ import annotations

from collections.abc import Iterator

from jade_coat.material.quantity import QUANTITIES
from jade_coat.material.tones import LINKS

LOOKS = ("lit", *QUANTITIES, "coverage")
"""Looks that need no name behind them."""
OTHER_LOOKS = {"paint": len(LOOKS), "probe": len(LOOKS) + 1}
"""The compose shader's numbers for looks with a name behind them."""
LAYERS = "layers"
"""How often each pixel is drawn over; always a run of its own."""
A_LAYER = 8
"""What one layer adds to a picture of layers, of 255."""
LINK = "link:"
"""Before a link of the chain of two-tone light (`material.tones.LINKS`): the lit look, of such surfaces that link."""
PROBES = ("where", "weight", "term", "step", "height", "coverage", "channel", "uv", "texels", "share")
"""Looks that are outputs of a material: `where:COAT`, `weight:COAT`, `term:COAT:TERM`, `step:COAT:TERM:STEP`,
`height:COAT`, …, and `channel:N` for a painted channel, four to a colour set, `uv:N` for checks along a UV set,
`texels:COAT` for squares of a coat's texels (of its lowest coat with maps, where a material has no such coat),
`share:LAYER` for how much of a layer of a ground shows."""
MAX_PROBES = 4
"""How many outputs by name one program gives at once."""


def link_number(look: str) -> int:
    """Which link of the chain of two-tone light a look shows, from 1; 0 for any other. Raises ValueError."""
    if not look.startswith(LINK):
        return 0
    if look.removeprefix(LINK) not in LINKS:
        raise ValueError(f"there is no look {look!r}")
    return 1 + list(LINKS).index(look.removeprefix(LINK))


def is_probe(look: str) -> bool:
    """Whether a look is an output of the material, by its name."""
    return ":" in look and look.partition(":")[0] in PROBES


def is_detailed(look: str) -> bool:
    """Whether a look needs more than the surface: coverage, paint or an output by name."""
    return look not in LOOKS or look == "coverage"


def probes_of(looks: tuple[str, ...]) -> tuple[str, ...]:
    """The outputs by name among some looks, each once."""
    return tuple(dict.fromkeys(look for look in looks if is_probe(look)))


def batches(looks: tuple[str, ...], lit_alone: bool = False) -> Iterator[tuple[str, ...]]:
    """The looks in order, in runs of no more probes than a program gives at once.

    With `lit_alone` the lit look is a run of its own: it is drawn otherwise than those of quantities. A link is always.
    """
    batch: list[str] = []
    for look in looks:
        full = is_probe(look) and len({p for p in batch if is_probe(p)} | {look}) > MAX_PROBES
        alone = (lit_alone and "lit" in (look, *batch[-1:])) or any(
            n.startswith(LINK) or n == LAYERS for n in (look, *batch[-1:])
        )
        if batch and (full or alone):
            yield tuple(batch)
            batch = []
        batch.append(look)
    yield tuple(batch)


def look_index(look: str, probes: tuple[str, ...]) -> tuple[int, int]:
    """The compose shader's numbers for a look. Raises ValueError for a name it does not know."""
    name, _, detail = look.partition(":")
    if look in LOOKS:
        return LOOKS.index(look), 0
    if name == "paint" and detail in ("R", "G", "B", "A"):
        return OTHER_LOOKS["paint"], "RGBA".index(detail)
    if is_probe(look):
        return OTHER_LOOKS["probe"], probes.index(look) if look in probes else 0
    raise ValueError(f"there is no look {look!r}")
