"""What the fields of a material are: label, unit, range and step of each, declared once beside its default."""

from __future__ import annotations

import weakref
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cache, wraps
from typing import Any, Literal, Self, TypeVar, cast

from pydantic import BaseModel, ConfigDict, Field, model_validator

Kind = Literal[
    "number", "angle", "color", "range", "pair", "point", "toggle", "integer", "choice", "map", "curve", "flag",
    "uv_set", "color_set", "recipe", "inputs", "shared", "reading", "sets", "stops",
]  # fmt: skip
"""What a field holds. Those from `flag` on cannot be dials: yes or no, the number of a UV or colour set, ids of what
the project has, numbers for a recipe's inputs, a reading of a map set, several map sets, stops of a gradient."""
When = tuple[str, tuple[Any, ...]]
"""Another field of the same part, and the values it must have; no values stand for anything but nothing."""
Number = float | tuple[float, ...]
Vec2 = tuple[float, float]
Setting = int | float | str | tuple[float, ...] | tuple[Vec2, ...]
"""What a dial can be set to: numbers live in the row; whole numbers, choices, maps and curves shape the program."""
Vec3 = tuple[float, float, float]
Color = tuple[float, float, float]


@dataclass(frozen=True)
class Spec:
    """How one field is shown and bounded. `low`, `high` are hard limits; `soft` is the slider's span.

    `choices` are the keys and words of a choice.
    """

    label: str
    kind: Kind = "number"
    unit: str = ""
    low: float = 0.0
    high: float = 1.0
    soft: Vec2 | None = None
    logarithmic: bool = False
    hint: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    group: str = ""
    """The fold it is shown in, where its part has several."""
    when: When | None = None
    """When it matters, if not always."""
    map: str = ""
    """A role: it matters where there is such a map; with a minus before it, where there is none; `any` is any map."""

    def matters(self, part: Any) -> bool:
        """Whether it means anything as the other fields of its part are set, which must mean something themselves."""
        if self.when is None:
            return True
        name, wanted = self.when
        value, other = getattr(part, name), declared(type(part)).get(name)
        return (value in wanted if wanted else bool(value)) and (other is None or other.matters(part))

    @property
    def shapes_program(self) -> bool:
        """Whether another value makes another program, rather than another row."""
        return self.kind in ("integer", "choice", "map", "curve")

    @property
    def span(self) -> Vec2:
        """The slider's span: the soft limits, else the hard ones."""
        return self.soft or (self.low, self.high)

    @property
    def size(self) -> int:
        """How many numbers the field holds."""
        return {"color": 3, "range": 2, "pair": 2, "point": 3}.get(self.kind, 1)

    def clamped(self, value: Any) -> Any:
        """The value with every number inside the hard limits. Raises ValueError for a wrong count or kind."""
        if self.shapes_program:
            return self._checked(value)
        numbers = value if isinstance(value, tuple) else (value,)
        if len(numbers) != self.size:
            raise ValueError(f"{self.label}: expected {self.size} number(s), got {len(numbers)}")
        kept = tuple(min(max(float(n), self.low), self.high) for n in numbers)
        return kept if self.size > 1 else kept[0]

    def _checked(self, value: Any) -> Any:
        if self.kind == "integer" and isinstance(value, (int, float)):
            return int(min(max(round(value), self.low), self.high))
        if self.kind == "curve" and isinstance(value, (tuple, list)):
            return tuple((float(x), float(y)) for x, y in value)
        if self.kind == "map" and isinstance(value, str):
            return value
        if self.kind == "choice" and value in dict(self.choices):
            return value
        wanted = ", ".join(k for k, _ in self.choices) or {"map": "a map set"}.get(self.kind, f"{self.kind} values")
        raise ValueError(f"{self.label}: expected {wanted}, got {value!r}")


def option(default: Any, label: str, kind: Kind, choices: Mapping[Any, str] | None = None, **spec: Any) -> Any:
    """A pydantic field that shapes the program (a whole number, a choice, a map set, a curve) and can become a dial."""
    words = tuple((str(k), text) for k, text in (choices or {}).items())
    low, high = spec.get("low", 0), spec.get("high", 1)
    limits = {"ge": low, "le": high} if kind == "integer" else {}
    told = vars(Spec(label, kind=kind, choices=words, **spec))
    return Field(default, validate_default=True, json_schema_extra={"spec": told}, **limits)


def setting(
    default: Any, label: str, kind: Kind, choices: Mapping[Any, str] | None = None,
    limits: Mapping[str, Any] | None = None, **spec: Any,
) -> Any:  # fmt: skip
    """A pydantic field that is chosen in the material and cannot become a dial; `limits` are pydantic's."""
    words = tuple((str(k), text) for k, text in (choices or {}).items())
    told = vars(Spec(label, kind=kind, choices=words, **spec))
    factory = {"default_factory": default} if callable(default) else {"default": default}
    return Field(**factory, json_schema_extra={"setting": told}, **(limits or {}))


def field(default: Number, label: str, **spec: Any) -> Any:
    """A pydantic field for a number (or a tuple of them) that can become a dial."""
    return Field(default, validate_default=True, json_schema_extra={"spec": vars(Spec(label, **spec))})


class Frozen(BaseModel):
    """A frozen model that refuses unknown fields and infinite numbers."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    def with_(self, **changes: Any) -> Any:
        """A validated copy with some fields replaced; what did not change is shared."""
        values = {name: getattr(self, name) for name in type(self).model_fields}
        return type(self).model_validate({**values, **changes})

    def with_known(self, **changes: Any) -> Self:
        """A copy with some fields replaced by values that are known to be valid: for thousands of things at once."""
        made = object.__new__(type(self))
        told = self.__pydantic_fields_set__ | changes.keys()
        for name, value in (
            ("__dict__", {**self.__dict__, **changes}), ("__pydantic_fields_set__", told),
            ("__pydantic_extra__", None), ("__pydantic_private__", None),
        ):  # fmt: skip
            object.__setattr__(made, name, value)
        return made


class Bounded(Frozen):
    """A record whose numbers must lie within the limits that its fields declare."""

    @model_validator(mode="after")
    def _within(self) -> Self:
        for name, spec in declared(type(self)).items():
            value = getattr(self, name)
            if not spec.shapes_program and spec.clamped(value) != value:
                unit = f" {spec.unit}" if spec.unit else ""
                raise ValueError(f"{spec.label} must lie between {spec.low:g} and {spec.high:g}{unit}, got {value}")
        return self


Answer = TypeVar("Answer")


def remembered(function: Callable[[Any], Answer]) -> Callable[[Any], Answer]:
    """Keep the answer for each object that was asked about as long as the object lives, told apart by identity.

    Frozen objects never change, so an answer stays true; it goes when its object does.
    """
    kept: dict[int, tuple[weakref.ref[Any], Answer]] = {}

    @wraps(function)
    def asked(thing: Any) -> Answer:
        number = id(thing)
        found = kept.get(number)
        if found is not None and found[0]() is thing:
            return found[1]
        answer = function(thing)

        def gone(ref: weakref.ref[Any]) -> None:
            known = kept.get(number)
            if known is not None and known[0] is ref:  # the number may be another object's by now
                kept.pop(number, None)

        kept[number] = (weakref.ref(thing, gone), answer)
        return answer

    return asked


_SPECS: dict[type[BaseModel], dict[str, Spec]] = {}


def specs(model: type[BaseModel]) -> dict[str, Spec]:
    """The numeric fields of a model that can become dials, in order."""
    return _specs(model, False)


def options(model: type[BaseModel]) -> dict[str, Spec]:
    """The fields of a model that shape the program and can become dials, in order."""
    return _specs(model, True)


@cache
def _specs(model: type[BaseModel], shapes_program: bool) -> dict[str, Spec]:
    return {name: spec for name, spec in _all_specs(model).items() if spec.shapes_program == shapes_program}


def declared(model: type[BaseModel]) -> dict[str, Spec]:
    """All fields of a model that people set, whether or not they can become dials, in order."""
    found = {}
    for name in model.model_fields:
        spec = _all_specs(model).get(name) or _settings(model).get(name)
        if spec is not None:
            found[name] = spec
    return found


def settings(model: type[BaseModel]) -> dict[str, Spec]:
    """The fields of a model that are chosen in the material and cannot become dials, in order."""
    return _settings(model)


@cache
def _settings(model: type[BaseModel]) -> dict[str, Spec]:
    return _read_specs(model, "setting")


def _all_specs(model: type[BaseModel]) -> dict[str, Spec]:
    if model not in _SPECS:
        _SPECS[model] = _read_specs(model)
    return _SPECS[model]


def _read_specs(model: type[BaseModel], told_as: str = "spec") -> dict[str, Spec]:
    found = {}
    for name, info in model.model_fields.items():
        extra = info.json_schema_extra
        if isinstance(extra, dict) and told_as in extra:
            found[name] = Spec(**cast("dict[str, Any]", extra[told_as]))
    return found
