"""The words that the simulated kiln reads, each with its meaning; what it does not know is named."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from jade_coat.kiln.brief import LIMITS, Brief
from jade_coat.maps.color import hex_to_linear

MOST_WORDS = 60
"""Words of a sentence that are read."""


@dataclass(frozen=True)
class Word:
    """Some words of one meaning. `sets` replaces choices of a brief, `adds` moves its numbers.

    `strength` makes it an adverb: it multiplies what the next word adds.
    """

    kind: str
    words: tuple[str, ...]
    sets: tuple[tuple[str, Any], ...] = ()
    adds: tuple[tuple[str, float], ...] = ()
    strength: float | None = None


def _word(kind: str, words: str, strength: float | None = None, **effects: Any) -> Word:
    sets = tuple((n, v) for n, v in effects.items() if n not in LIMITS)
    return Word(kind, tuple(words.split()), sets, tuple((n, v) for n, v in effects.items() if n in LIMITS), strength)


def _color(words: str, code: str, **more: float) -> Word:
    return _word("colour", words, tint=hex_to_linear(code), **more)


WORDS: tuple[Word, ...] = (
    _word("stuff", "clay earth earthen terracotta loam mud", stuff="clay"),
    _word("stuff", "plaster lime stucco render limewash", stuff="plaster"),
    _word("stuff", "stone rock rocky granite limestone", stuff="stone"),
    _word("stuff", "sand sandy grit", stuff="sand"),
    _word("stuff", "wood wooden timber oak pine", stuff="wood"),
    _word("stuff", "copper", stuff="copper"),
    _word("stuff", "iron steel", stuff="iron"),
    _word("stuff", "cloth linen canvas fabric felt", stuff="cloth"),
    _word("stuff", "glaze glazed ceramic ceramics porcelain", stuff="glaze"),
    _word("stuff", "leaf leaves litter foliage", stuff="leaf"),
    _word("stuff", "turf sward", stuff="moss"),
    _word("pattern", "plain bare seamless", pattern="plain"),
    _word("pattern", "brick bricks", pattern="bricks"),
    _word("pattern", "tile tiles tiled", pattern="tiles"),
    _word("pattern", "plank planks board boards", pattern="planks"),
    _word("pattern", "pebble pebbles gravel cobble cobbles cobbled", pattern="pebbles"),
    _word("pattern", "weave woven", pattern="weave"),
    _word("pattern", "ripple ripples rippled rings", pattern="rings"),
    _word("age", "old aged ancient antique", aged=0.6, dusty=0.15),
    _word("age", "new fresh clean", aged=-0.5, dusty=-0.3),
    _word("age", "weathered worn faded stained", aged=0.5),
    _word("age", "dust dusty", dusty=0.5),
    _word("age", "rust rusty rusted verdigris patina tarnished", aged=0.6),
    _word("growth", "moss mossy", growth="moss", grown=0.5),
    _word("growth", "overgrown", growth="moss", grown=0.85),
    _word("growth", "lichen lichened", growth="lichen", grown=0.5),
    _word("growth", "algae slimy", growth="algae", grown=0.5, gloss=0.2),
    _word("damage", "crack cracks cracked crazed", broken=0.45),
    _word("damage", "chip chips chipped", broken=0.35),
    _word("damage", "broken ruined crumbling shattered", broken=0.8),
    _word("damage", "scratched scuffed", broken=0.2),
    _word("damage", "soot sooty sooted charred burnt smoky", sooty=0.6),
    _color("red reddish", "#9c3f2c"),
    _color("orange", "#b9683a"),
    _color("ochre yellow yellowish", "#b98f45"),
    _color("brown brownish umber", "#6d4a33"),
    _color("green greenish", "#5f7a4c"),
    _color("jade celadon", "#7fa58c"),
    _color("blue bluish cobalt", "#3d5b86"),
    _color("grey gray greyish", "#8a8780"),
    _color("white whitewashed", "#ddd6c8"),
    _color("black blackened", "#2b2926"),
    _color("cream ivory", "#d8c9a6"),
    _color("pink", "#c08f84"),
    _word("colour", "warm", warm=0.5),
    _word("colour", "cool cold", warm=-0.5),
    _word("colour", "pale light bright", light=0.5),
    _word("colour", "dark deep", light=-0.5),
    _word("colour", "vivid strong", vivid=0.5),
    _word("colour", "muted soft", vivid=-0.5),
    _word("surface", "glossy shiny polished wet", gloss=0.5),
    _word("surface", "matt matte dull dry", gloss=-0.5),
    _word("surface", "rough uneven bumpy", relief=0.6, gloss=-0.2),
    _word("surface", "smooth flat even", relief=-0.6, gloss=0.1),
    _word("scale", "fine small tiny", coarse=-0.8),
    _word("scale", "coarse large big", coarse=0.8),
    _word("strength", "slightly lightly faintly little some", strength=0.5),
    _word("strength", "very heavily thickly much", strength=1.6),
    _word("strength", "no without not", strength=-4.0),
)  # fmt: skip
"""The whole vocabulary, in the order in which kinds are told."""
KINDS = tuple(dict.fromkeys(w.kind for w in WORDS))
BY_WORD = {text: word for word in WORDS for text in word.words}
_SMALL = "a an and at by for from in into is it its of on or over the to under with that which"
FILLERS = frozenset(_SMALL.split())
"""Words that say nothing by themselves."""
NATURAL = {"cloth": "weave", "glaze": "tiles", "leaf": "leaves"}
"""The pattern that a stuff has where no other is asked for."""


@dataclass(frozen=True)
class Reading:
    """A sentence as it was read: what it asks for, the words that were understood, and those that were not."""

    brief: Brief
    understood: tuple[str, ...]
    unknown: tuple[str, ...]


def read_words(text: str) -> Reading:
    """What a sentence asks of the kiln; an adverb counts for the word after it, "no" takes what follows away.

    A size before damage says how much there is of that: fine cracks do not make the tile finer.
    """
    brief, strength = Brief(), 1.0
    sized: dict[str, float] = {}
    understood: list[str] = []
    unknown: list[str] = []
    patterned = False
    for token in _tokens(text):
        if token in FILLERS:
            continue
        word = BY_WORD.get(token)
        if word is None:
            unknown.append(token)
            continue
        understood.append(token)
        if word.strength is not None:
            strength = word.strength
            continue
        if word.kind == "scale":
            sized = {name: by * max(strength, 0.0) for name, by in word.adds}
            brief, strength = brief.moved(**sized), 1.0
            continue
        if word.kind == "damage" and sized:
            brief = brief.moved(**{name: -by for name, by in sized.items()})
            strength *= 0.7 if sized["coarse"] < 0 else 1.4
        sized = {}
        if strength >= 0:
            brief = brief.with_(**dict(word.sets))
            patterned = patterned or word.kind == "pattern"
        brief = brief.moved(**{name: by * strength for name, by in word.adds})
        strength = 1.0
    if not patterned:
        brief = brief.with_(pattern=NATURAL.get(brief.stuff, brief.pattern))
    return Reading(brief, tuple(dict.fromkeys(understood)), tuple(dict.fromkeys(unknown)))


def _tokens(text: str) -> Iterator[str]:
    for i, found in enumerate(re.finditer(r"[^\W\d_]+", text.lower())):
        if i == MOST_WORDS:
            return
        yield found.group()


def vocabulary_text() -> str:
    """The vocabulary for people, as Markdown: a line for each kind."""
    lines = []
    for kind in KINDS:
        groups = [", ".join(w.words) for w in WORDS if w.kind == kind]
        lines.append(f"- **{kind}**: {'; '.join(groups)}")
    return "\n".join(lines)
