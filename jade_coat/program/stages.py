"""Decides which values of a program cross from the vertex to the pixel stage."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from jade_coat.program import passes
from jade_coat.program.ops import OPS
from jade_coat.program.passes import UNIFORM_OPS
from jade_coat.program.types import Rate
from jade_coat.program.value import Value, walk


@dataclass(frozen=True)
class Varying:
    """Where a value crosses from the vertex to the pixel stage."""

    flat: bool
    index: int
    at: int
    size: int

    @property
    def name(self) -> str:
        """Its GLSL expression."""
        return self.named("")

    def named(self, ending: str) -> str:
        """The expression of a variable whose name goes on so."""
        return f"{self.kind}{self.index}{ending}." + "xyzw"[self.at : self.at + self.size]

    @property
    def kind(self) -> str:
        """How it is interpolated."""
        return "flat" if self.flat else "smooth"


class Stages:
    """Decides which values cross to the pixel stage, which are spilled, and which are worked out there again."""

    def __init__(self, outputs: Mapping[str, Value], budget: int, may_spill: bool = True) -> None:
        self._may_spill = may_spill
        self.outputs = tuple(outputs.values())
        self.rate = passes.rates(outputs)
        self.repeated: set[Value] = set()
        self._spilled: dict[Value, None] = {}
        self._works: dict[Value, float] = {}
        self._uniform: dict[Value, bool] = {}
        self._reached: set[Value] = set()
        crossing: dict[Value, None] = {}
        self._reach(self.outputs, crossing)
        while (bins := self._bins(crossing)) > budget:
            victim = self._cheapest(crossing)
            if victim is None:
                raise ValueError(f"the material needs {bins} varyings, {budget} are to be had")
            del crossing[victim]
            if self._can_spill(victim):
                self._spilled[victim] = None
            else:
                self.repeated.add(victim)
                self._reach(victim.args, crossing)
        self.crossing = self._packed(crossing)
        self.spilled = list(self._spilled)

    def in_pixel_stage(self, node: Value) -> bool:
        """Whether the pixel stage works this node out; only floats can cross to it, and a spread one crosses as one."""
        return self.rate[node] is Rate.PIXEL or node in self.repeated or node.op == "splat" or not node.type.is_float

    def _reach(self, nodes: Iterable[Value], crossing: dict[Value, None]) -> None:
        """Add to the values that cross what nodes of the pixel stage read from below."""
        stack = list(nodes)
        while stack:
            node = stack.pop()
            if node in self._reached:
                continue
            self._reached.add(node)
            if self.rate[node] is Rate.CONSTANT or node.op in UNIFORM_OPS:
                continue
            if self.in_pixel_stage(node):
                stack.extend(node.args)
            else:
                crossing[node] = None

    def _cheapest(self, crossing: Iterable[Value]) -> Value | None:
        # What is asked for at vertices means another thing between them: it crosses, whatever else must not.
        choices = [n for n in crossing if (n.args and n.op != "per_vertex") or n.op == "dial"]
        return min(choices, key=lambda n: (self._loss(n), self._work(n) / n.type.size), default=None)

    def _loss(self, node: Value) -> int:
        """What is lost if a value does not cross: least where it is little work on uniforms, then a read of the row."""
        if self.rate[node] is Rate.SHARED and self._work(node) <= OPS["texture"].cost:
            return 0
        return 1 if self._can_spill(node) else 2

    def _work(self, node: Value) -> float:
        if node not in self._works:
            self._works[node] = sum(OPS[n.op].cost for n in walk([node]))
        return self._works[node]

    def _can_spill(self, node: Value) -> bool:
        if not self._may_spill or self.rate[node] is not Rate.ROW:
            return False
        if node not in self._uniform:
            self._uniform[node] = any(n.op in UNIFORM_OPS for n in walk([node]))
        return not self._uniform[node]

    def _bins(self, crossing: Iterable[Value]) -> int:
        return len({(v.flat, v.index) for v in self._packed(crossing).values()})

    def _packed(self, crossing: Iterable[Value]) -> dict[Value, Varying]:
        placed: dict[Value, Varying] = {}
        bins: dict[bool, list[int]] = {True: [], False: []}
        for node in sorted(crossing, key=lambda n: -n.type.size):
            flat = self.rate[node] is not Rate.VERTEX
            room = bins[flat]
            index = next((i for i, used in enumerate(room) if used + node.type.size <= 4), len(room))
            if index == len(room):
                room.append(0)
            placed[node] = Varying(flat, index, room[index], node.type.size)
            room[index] += node.type.size
        return placed
