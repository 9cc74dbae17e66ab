"""Numbers as people read and type them: rounded for showing, exact for editing, with units and arithmetic."""

from __future__ import annotations

import math
import re

from simpleeval import SimpleEval

from jade_coat.material.fields import Number, Spec

LENGTHS = {"mm": 0.001, "cm": 0.01, "m": 1.0, "km": 1000.0, "in": 0.0254, "ft": 0.3048}
"""Metres in a unit; inch and foot by the international yard and pound agreement of 1959."""
TIMES = {"ms": 0.001, "s": 1.0, "min": 60.0}
ANGLES = {"°": 1.0, "deg": 1.0, "rad": 180 / math.pi}
SHARES = {"%": 0.01}
_NUMBER = r"(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?"
_UNIT = re.compile(rf"(?<![\w.])({_NUMBER})(?![eE][+-]?\d)\s*([a-zA-Zµ°%]+)(?![\w.])")
_PART = re.compile(rf"-?{_NUMBER}\s*[a-zA-Zµ°%]*")
_LONGEST = 200


class NotANumber(ValueError):
    """What was typed is no number here; the message says why, in words."""


def shows_degrees(spec: Spec) -> bool:
    """Whether a field's radians are shown as degrees."""
    return spec.kind == "angle" or spec.unit == "°"


def shown(spec: Spec, value: float) -> float:
    """A stored number as people read it: radians become degrees."""
    return math.degrees(value) if shows_degrees(spec) else value


def stored(spec: Spec, value: float) -> float:
    """The opposite of `shown`."""
    return math.radians(value) if shows_degrees(spec) else value


def number_text(value: float) -> str:
    """A number with as many digits as help: 0.0013, 0.35, 12.5, 240."""
    size = abs(value)
    digits = 4 if 0 < size < 0.01 else 3 if 0 < size < 0.1 else 2 if size < 10 else 1 if size < 100 else 0
    text = f"{value:.{digits}f}"
    return text.replace("-", "−") if float(text) else text.lstrip("-")


def exact_text(value: float) -> str:
    """A number with all digits that matter, to be edited."""
    return f"{value:.9g}".replace("-", "−")


def numbers_text(spec: Spec, value: Number, exact: bool = False) -> str:
    """A field's number or numbers with the unit."""
    numbers = value if isinstance(value, tuple) else (value,)
    unit = "°" if spec.kind == "angle" else spec.unit
    gap = "" if unit in ("°", "%") else " "
    parts = [(exact_text if exact else number_text)(shown(spec, n)) for n in numbers]
    joiner = " – " if spec.kind == "range" else "; " if exact else ", "
    return joiner.join(parts) + (f"{gap}{unit}" if unit else "")


def read_numbers(spec: Spec, text: str) -> Number:
    """What was typed into a field: one number, or as many as it holds, with units and arithmetic. Raises NotANumber.

    `.5`, `5 mm`, `1/8`, `2 * 0.3 m`, `1e-3`, `0,5`; several are parted by `–`, `;`, `, ` or spaces.
    """
    if len(text) > _LONGEST:
        raise NotANumber("that is too long for a number")
    parts = _parts(text.replace("−", "-").strip(), spec.size)
    if len(parts) != spec.size:
        raise NotANumber(f"{spec.label} takes {spec.size} numbers, parted by spaces; {len(parts)} came")
    own = "°" if shows_degrees(spec) else spec.unit
    values = tuple(stored(spec, _value(part, own)) for part in parts)
    return values if spec.size > 1 else values[0]


def _parts(text: str, count: int) -> list[str]:
    if count == 1:
        return [text]
    for separator in (r"\s*[–;]\s*", r",\s+|\s+-\s+", r"\s*,\s*", r"\s+"):
        parts = [p for p in re.split(separator, text) if p]
        if len(parts) == count:
            return parts
    return _PART.findall(text)  # units stand apart from their numbers


def _value(text: str, own: str) -> float:
    """A number in the field's own unit."""
    table = next((t for t in (LENGTHS, TIMES, ANGLES) if own in t), SHARES)
    scale = 1.0 / table[own] if own in table else 1.0
    bare = re.sub(r"(?<=\d),(?=\d)", ".", text) if "." not in text else text

    def with_unit(found: re.Match[str]) -> str:
        number, unit = found.groups()
        if unit == own:
            return number
        if unit not in table:
            raise NotANumber(f"{unit} is no unit here; use {' '.join(table)}" if own else f"{unit} is no number")
        return f"({number}*{table[unit] * scale!r})"

    evaluator = SimpleEval(functions={"sqrt": math.sqrt}, names={"pi": math.pi})
    try:
        found = float(evaluator.eval(_UNIT.sub(with_unit, bare)))
    except NotANumber:
        raise
    except Exception as error:  # the parser has a family of errors of its own, and arithmetic has others
        raise NotANumber(f"“{text}” is no number") from error
    if not math.isfinite(found):
        raise NotANumber(f"“{text}” is too large")
    return found
