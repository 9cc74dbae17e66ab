"""Splits a program into what is still, and can be drawn into pages once, and what is made of that as it is seen."""

from __future__ import annotations

from collections.abc import Callable, Container, Iterable, Mapping
from dataclasses import dataclass

from jade_coat.material.quantity import OUTPUTS, QUANTITIES
from jade_coat.material.shared import CAMERA, TIME, WIND_DIRECTION, WIND_STRENGTH
from jade_coat.program import Value, combine, const, passes
from jade_coat.program.value import walk

STILL = "still:"
"""Before the name of a quantity: what it is before anything moves it."""
KEPT_PAGE = "kept"
"""The output, and the page, of what else the moving part reads."""
ROOM = 4
"""So many numbers a texel that page has room for."""
LIVE = {
    TIME: "changes with the clock", CAMERA: "follows the eye", WIND_DIRECTION: "follows the wind",
    WIND_STRENGTH: "follows the wind",
}  # fmt: skip
"""What a program must not read to be drawn into pages once, and what it does if it reads it, in words."""
_CHEAP = ("splat", "combine")
"""What is put together again of what is kept, rather than kept itself."""
_STORED = ("texture", "texture_level", "texture_mean", "dial")
"""What the moving part cannot read by itself: maps, and numbers of the looks."""


@dataclass(frozen=True)
class Split:
    """A program in two. `outputs` are its quantities, `still` what pages hold of them.

    `live` are the names of quantities that move; `reads` are the still values that these are made of: each is in the
    page of a quantity (its name) or in channels of `kept` (their numbers).
    """

    outputs: Mapping[str, Value]
    still: Mapping[str, Value]
    live: tuple[str, ...]
    reads: Mapping[Value, str | tuple[int, ...]]

    @property
    def kept(self) -> Value:
        """What else pages hold, four numbers."""
        channels: list[Value] = [const(0.0)] * ROOM
        for value, place in self.reads.items():
            if not isinstance(place, str):
                for k, channel in enumerate(place):
                    channels[channel] = getattr(value, "xyzw"[k]) if value.type.size > 1 else value
        return combine(*channels)


def split(outputs: Mapping[str, Value]) -> Split | None:
    """A program's quantities in two; None where the moving part reads more still values than pages have room for.

    `still:NAME` among the outputs is what a quantity is before anything moves it: it takes that one's place.
    """
    made = passes.fold({n: v for n, v in outputs.items() if n in OUTPUTS or n.removeprefix(STILL) in OUTPUTS})
    roots = {name: made[name] for name in OUTPUTS}
    moving = _following(roots.values(), lambda n: n.op == "shared" and n.static[0] in LIVE)
    stored = _following(roots.values(), lambda n: n.op in _STORED)
    live = tuple(name for name in OUTPUTS if roots[name] in moving)
    twins = {made[f"{STILL}{n}"]: n for n in live if f"{STILL}{n}" in made}
    still = {
        name: made.get(f"{STILL}{name}", _at_rest(name)) if name in live else roots[name] for name in OUTPUTS
    }  # fmt: skip
    if any(v in moving for v in still.values()):
        return None
    reads: dict[Value, str | tuple[int, ...]] = {}
    used, seen, stack = 0, set[Value](), [roots[name] for name in live]
    while stack:
        node = stack.pop()
        if node in seen:
            continue
        seen.add(node)
        if node in twins:
            reads[node] = twins[node]
        elif node in moving or (node in stored and (node.op in _CHEAP or _is_part(node, twins))):
            stack.extend(reversed(node.args))
        elif node in stored:
            if not node.type.is_float or used + node.type.size > ROOM:
                return None
            reads[node] = tuple(range(used, used + node.type.size))
            used += node.type.size
    return Split(roots, still, live, reads)


def why_live(outputs: Mapping[str, Value]) -> tuple[str, ...]:
    """What moves of a program's quantities, in words."""
    read = passes.reads({name: outputs[name] for name in OUTPUTS}, "shared")
    return tuple(dict.fromkeys(words for name, words in LIVE.items() if name in read))


def _following(roots: Iterable[Value], begins: Callable[[Value], bool]) -> set[Value]:
    """The nodes that a test holds for, and all that follow from one."""
    found: set[Value] = set()
    for node in walk(list(roots)):
        if begins(node) or any(a in found for a in node.args):
            found.add(node)
    return found


def _is_part(node: Value, known: Container[Value]) -> bool:
    """Whether a node is some components of one that is known."""
    return node.op == "swizzle" and node.args[0] in known


def _at_rest(name: str) -> Value:
    plain = QUANTITIES[name].default
    return const(*plain) if len(plain) > 1 else const(plain[0])
