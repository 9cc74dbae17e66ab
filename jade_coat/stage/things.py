"""What stands on the stage, by id: a persistent collection, so that an edit costs what it changes."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from itertools import zip_longest
from typing import Any, ClassVar, Generic, TypeVar, get_args
from weakref import ref

from immutables import Map
from pydantic import GetCoreSchemaHandler
from pydantic_core import CoreSchema, core_schema

from jade_coat.material.fields import Frozen

BLOCK = 128
"""Things a block holds: a change copies one block, a comparison looks into those that differ."""


class Thing(Frozen):
    """Whatever stands on the stage. `parent` is the id of the group it belongs to, or empty."""

    id: str
    name: str
    parent: str = ""
    visible: bool = True
    locked: bool = False


T = TypeVar("T", bound=Thing)
Block = dict[str, T]


class Things(Generic[T]):
    """Things of one kind by id, in the order they came. It never changes; copies share all blocks but those changed."""

    __slots__ = ("__weakref__", "_blocks", "_places")

    def __init__(self, things: Iterable[T] = ()) -> None:
        """Raises ValueError where two have one id."""
        listed = list(things)
        self._blocks: tuple[Block[T], ...] = tuple(
            {t.id: t for t in listed[i : i + BLOCK]} for i in range(0, len(listed), BLOCK)
        )
        self._places: Map[str, int] = Map({i: b for b, block in enumerate(self._blocks) for i in block})
        if len(self._places) != len(listed):
            raise ValueError(f"their ids must be unique, got {[t.id for t in listed][:20]}")

    @classmethod
    def _of(cls, blocks: Iterable[Block[T]], places: Map[str, int]) -> Things[T]:
        made = cls.__new__(cls)
        made._blocks, made._places = tuple(blocks), places
        return made

    def __iter__(self) -> Iterator[T]:
        for block in self._blocks:
            yield from block.values()

    def __len__(self) -> int:
        return len(self._places)

    def __contains__(self, wanted: object) -> bool:
        return wanted in self._places

    def __getitem__(self, wanted: str) -> T:
        """The thing with this id. Raises KeyError."""
        return self._blocks[self._places[wanted]][wanted]

    def get(self, wanted: str) -> T | None:
        """The thing with this id, if there is one."""
        at = self._places.get(wanted)
        return None if at is None else self._blocks[at][wanted]

    @property
    def first(self) -> T | None:
        """The one that came first."""
        return next(iter(self), None)

    def ids(self) -> Iterator[str]:
        """All ids, in order."""
        for block in self._blocks:
            yield from block

    def with_(self, *things: T) -> Things[T]:
        """With these in the places of those that have their ids; new ones come last. Itself where nothing is new."""
        blocks, places = list(self._blocks), self._places
        copied: set[int] = set()
        for thing in things:
            at = places.get(thing.id)
            if at is not None and blocks[at][thing.id] is thing:
                continue
            if at is None:
                if not blocks or len(blocks[-1]) >= BLOCK:
                    copied.add(len(blocks))
                    blocks.append({})
                at = len(blocks) - 1
                places = places.set(thing.id, at)
            if at not in copied:
                copied.add(at)
                blocks[at] = dict(blocks[at])
            blocks[at][thing.id] = thing
        return self._of(blocks, places) if copied else self

    def without(self, *ids: str) -> Things[T]:
        """Without those that have these ids."""
        gone = {i for i in ids if i in self._places}
        if not gone:
            return self
        touched = {self._places[i] for i in gone}
        blocks = list(self._blocks)
        for at in touched:
            blocks[at] = {i: t for i, t in blocks[at].items() if i not in gone}
        if len(blocks) > 1 and (len(self) - len(gone)) * 2 < len(blocks) * BLOCK:
            return Things(t for block in blocks for t in block.values())
        places = self._places.mutate()
        for i in gone:
            del places[i]
        return self._of(blocks, places.finish())

    def changed_from(self, older: Things[T]) -> list[tuple[T | None, T | None]]:
        """What differs from an older state, as pairs of the thing then and now; None where there was or is none."""
        if self is older:
            return []
        known = _Asked.last  # the document, the picture and the boxes ask the same of one edit after another
        if known is not None and known.of() is self and known.older() is older:
            return list(known.pairs)
        pairs = self._pairs(older)
        _Asked.last = _Asked(ref(self, _forget), ref(older, _forget), pairs)
        return list(pairs)

    def _pairs(self, older: Things[T]) -> list[tuple[T | None, T | None]]:
        then: Block[T] = {}
        now: Block[T] = {}
        for a, b in zip_longest(older._blocks, self._blocks, fillvalue=None):
            if a is not b:
                then.update(a or {})
                now.update(b or {})
        pairs: list[tuple[T | None, T | None]] = [(then.pop(i, None), thing) for i, thing in now.items()]
        return [(a, b) for a, b in pairs if a is not b] + [(thing, None) for thing in then.values()]

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Things):
            return NotImplemented
        if self is other:
            return True
        if len(self) != len(other) or any(a is None or a != b for a, b in self.changed_from(other)):
            return False
        mine, theirs = self._blocks, other._blocks
        alike = len(mine) == len(theirs) and all(a is b or [*a] == [*b] for a, b in zip(mine, theirs, strict=True))
        return alike or [*self.ids()] == [*other.ids()]

    __hash__ = None  # type: ignore[assignment]

    def __repr__(self) -> str:
        return f"Things({list(self)!r})"

    @classmethod
    def __get_pydantic_core_schema__(cls, source: Any, handler: GetCoreSchemaHandler) -> CoreSchema:
        """Read from a list, and taken as it is where it is one already; written as a list."""
        listed = core_schema.list_schema(handler.generate_schema(*get_args(source)))
        read = core_schema.no_info_after_validator_function(cls, listed)
        python = core_schema.union_schema([core_schema.is_instance_schema(cls), read], mode="left_to_right")
        plain = core_schema.plain_serializer_function_ser_schema(list, return_schema=listed)
        return core_schema.json_or_python_schema(read, python, serialization=plain)


@dataclass(frozen=True)
class _Asked:
    """What one collection differs in from an older one; the last that was asked for is kept as long as both live."""

    last: ClassVar[_Asked | None] = None
    of: ref[Things[Any]]
    older: ref[Things[Any]]
    pairs: list[tuple[Any, Any]]


def _forget(gone: object) -> None:
    _Asked.last = None
