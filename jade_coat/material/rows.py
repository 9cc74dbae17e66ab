"""The row of a look: the numbers of a material's fields, as dials set them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from jade_coat.material.fields import Number, Setting, Spec, remembered
from jade_coat.material.material import Dial, Material, numbers_of, spec_at
from jade_coat.program.layout import DialLayout, layout_of


def dial_spec(material: Material, dial: Dial) -> Spec:
    """What a dial is: its field, within the dial's own limits, by powers where the range spans a hundredfold."""
    spec = spec_at(material, dial.path)
    if spec.shapes_program and spec.kind != "integer":
        return spec
    low, high = dial.limits or (spec.low, spec.high)
    low, high = max(low, spec.low), min(high, spec.high)
    soft = dial.soft or spec.soft
    if soft is not None:
        soft = (min(max(soft[0], low), high), max(min(soft[1], high), low))
        soft = soft if soft[0] < soft[1] else None
    start, end = soft or (low, high)
    wide = spec.logarithmic or (dial.soft is not None and start > 0 and end / start >= 100)
    by_powers = (wide if dial.logarithmic is None else dial.logarithmic) and start > 0
    return replace(spec, low=low, high=high, soft=soft, logarithmic=by_powers)


def field_values(material: Material) -> dict[str, Number]:
    """The value of every numeric field by path."""
    return {found.path: found.value for found in numbers_of(material)}


@remembered
def layout(material: Material) -> DialLayout:
    """The row layout of a material: all its numeric fields, so that turning any of them never recompiles."""
    return layout_of(field_values(material))


@remembered
def _dials_of_rows(material: Material) -> tuple[tuple[Dial, Spec], ...]:
    found = ((d, dial_spec(material, d)) for d in material.dials)
    return tuple((d, spec) for d, spec in found if not spec.shapes_program)


def row_values(material: Material, dial_values: Mapping[str, Setting]) -> dict[str, Number]:
    """Field values with those exposed as dials replaced by `dial_values` (by dial id), kept in their limits."""
    values = field_values(material)
    for dial, spec in _dials_of_rows(material):
        if dial.id in dial_values:
            values[dial.path] = spec.clamped(dial_values[dial.id])
    return values
