"""Why a stroke shows nothing: what it did to the paint, and what the material makes of that."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from jade_coat.material.material import Coat, Material
from jade_coat.material.surface import MapLookup
from jade_coat.mesh.brush import Brush


@dataclass(frozen=True)
class Laid:
    """What a stroke came to: whether the paint changed, and whether any vertex or texel lay under it."""

    changed: bool
    reached: bool


def why_unseen(laid: Laid, brush: Brush, worn: Material | None, lookup: MapLookup, on_map: bool = False) -> str:
    """A sentence that says why a stroke shows nothing, or "" where it should show.

    `worn` is the material as the prop wears it; the brush's channels count on from one colour set to the next.
    """
    if not laid.changed:
        return _unchanged(laid, brush, on_map)
    if worn is None:
        return ""
    color_set = brush.channels[0] // 4
    letters = ["RGBA"[c % 4] for c in brush.channels]
    uses = worn.paint_uses(lookup, color_set)
    if not any(letter in uses for letter in letters):
        verb = "is" if len(letters) == 1 else "are"
        return f"{' and '.join(letters)} {verb} not read by {worn.name}: choose another channel, or let a coat read it."
    coats = [c for c in worn.coats[1:] if _reads(c, letters, color_set)]
    followed = len(coats) < sum(len(uses.get(letter, ())) for letter in letters)
    if not coats or followed:  # a recipe or a link reads it: no coat's switch alone hides that
        return ""
    hidden = [_hidden(c, worn.coats) for c in coats]
    return hidden[0] if all(hidden) else ""


def _unchanged(laid: Laid, brush: Brush, on_map: bool) -> str:
    if brush.strength <= 0:
        return "Strength is 0: nothing is painted."
    if brush.flow <= 0:
        return "Flow is 0: nothing is painted."
    if not laid.reached:
        what = "texel of the map" if on_map else "vertex"
        return f"No {what} lay under the brush. Make it larger, or give the prop more."
    if brush.tool == "paint":
        return f"It is {brush.toward:g} there already."
    return f"There is nothing here to {brush.tool}."


def _reads(coat: Coat, letters: Collection[str], color_set: int) -> bool:
    return any(
        t.painted is not None and t.painted.color_set == color_set and t.painted.channel in letters for t in coat.where
    )


def _hidden(coat: Coat, coats: tuple[Coat, ...]) -> str:
    """Why a coat is not seen whatever is painted; "" where it may be."""
    if not coat.shown:
        return f"{coat.name} is hidden: press its mark in Build's coat stack."
    if coat.amount <= 0:
        return f"The amount of {coat.name} is 0."
    above = coats[coats.index(coat) + 1 :]
    over = next((c for c in above if c.shown and not c.where and c.amount >= 1), None)
    return f"{over.name} covers {coat.name} everywhere." if over is not None else ""
