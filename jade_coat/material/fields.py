"""What the fields of a material are: label, unit, range and step of each, declared once beside its default."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass
from functools import wraps
from typing import Any, Literal, TypeVar, cast

from pydantic import BaseModel, ConfigDict, Field

Kind = Literal["number", "angle", "color", "range", "pair", "point", "toggle"]
Number = float | tuple[float, ...]
Vec2 = tuple[float, float]
Vec3 = tuple[float, float, float]
Color = tuple[float, float, float]


@dataclass(frozen=True)
class Spec:
    """How one numeric field is shown and bounded. `low`, `high` are hard limits; `soft` is the slider's span."""

    label: str
    kind: Kind = "number"
    unit: str = ""
    low: float = 0.0
    high: float = 1.0
    soft: Vec2 | None = None
    logarithmic: bool = False
    hint: str = ""

    @property
    def span(self) -> Vec2:
        """The slider's span: the soft limits, else the hard ones."""
        return self.soft or (self.low, self.high)

    @property
    def size(self) -> int:
        """How many numbers the field holds."""
        return {"number": 1, "angle": 1, "color": 3, "range": 2, "pair": 2, "point": 3, "toggle": 1}[self.kind]

    def clamped(self, value: Number) -> Number:
        """The value with every number inside the hard limits. Raises ValueError when the count is wrong."""
        numbers = value if isinstance(value, tuple) else (value,)
        if len(numbers) != self.size:
            raise ValueError(f"{self.label}: expected {self.size} number(s), got {len(numbers)}")
        kept = tuple(min(max(float(n), self.low), self.high) for n in numbers)
        return kept if self.size > 1 else kept[0]


def field(default: Number, label: str, **spec: Any) -> Any:
    """A pydantic field for a number (or a tuple of them) that can become a dial."""
    return Field(default, validate_default=True, json_schema_extra={"spec": asdict(Spec(label, **spec))})


class Frozen(BaseModel):
    """A frozen model that refuses unknown fields and infinite numbers."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    def with_(self, **changes: Any) -> Any:
        """A validated copy with some fields replaced; what did not change is shared."""
        values = {name: getattr(self, name) for name in type(self).model_fields}
        return type(self).model_validate({**values, **changes})


Answer = TypeVar("Answer")


def remembered(function: Callable[[Any], Answer]) -> Callable[[Any], Answer]:
    """Keep the answers for the objects asked about last, told apart by identity: frozen objects never change."""
    kept: dict[int, tuple[Any, Answer]] = {}

    @wraps(function)
    def asked(thing: Any) -> Answer:
        found = kept.get(id(thing))
        if found is None or found[0] is not thing:
            if len(kept) >= _REMEMBERED:
                kept.clear()
            found = kept[id(thing)] = (thing, function(thing))  # the object is kept too, so its id stays its own
        return found[1]

    return asked


_REMEMBERED = 256
_SPECS: dict[type[BaseModel], dict[str, Spec]] = {}


def specs(model: type[BaseModel]) -> dict[str, Spec]:
    """The numeric fields of a model that can become dials, in order."""
    if model not in _SPECS:
        _SPECS[model] = _read_specs(model)
    return _SPECS[model]


def _read_specs(model: type[BaseModel]) -> dict[str, Spec]:
    found = {}
    for name, info in model.model_fields.items():
        extra = info.json_schema_extra
        if isinstance(extra, dict) and "spec" in extra:
            found[name] = Spec(**cast("dict[str, Any]", extra["spec"]))
    return found
