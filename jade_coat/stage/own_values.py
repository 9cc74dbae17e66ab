"""Dial values of single props: which dials they can have, what they end up with, and values spread by chance."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from jade_coat.material.fields import Number, Setting
from jade_coat.material.material import Dial, Material
from jade_coat.material.rows import dial_spec
from jade_coat.stage.looks import dial_values, finish_on, material_of
from jade_coat.stage.project import Project, Prop


def own_dials(material: Material) -> tuple[Dial, ...]:
    """The dials that a prop can turn for itself: those whose values are numbers in its row."""
    return tuple(d for d in material.dials if not dial_spec(material, d).shapes_program)


@dataclass(frozen=True)
class Common:
    """What some props have in common for one dial: the first one's value, whether others differ, and how many
    have a value of their own."""

    value: Setting
    mixed: bool
    own: int


def in_common(project: Project, props: Iterable[Prop], slot: str) -> dict[str, Common]:
    """What some props that wear one material in a slot have in common, by dial; nothing for no props."""
    listed = list(props)
    if not listed:
        return {}
    inherited: dict[str, dict[str, Setting]] = {}
    found: dict[str, Common] = {}
    first = finish_on(project, listed[0], slot)
    if not first:
        return {}
    rows = []
    for prop in listed:
        finish = finish_on(project, prop, slot)
        if finish not in inherited:
            inherited[finish] = dial_values(project, finish)
        rows.append((inherited[finish], prop.values.get(slot, {})))
    for dial in own_dials(material_of(project, first)):
        start = rows[0][1].get(dial.id, rows[0][0].get(dial.id))
        mixed = any(own.get(dial.id, above.get(dial.id)) != start for above, own in rows[1:])
        if start is not None:
            found[dial.id] = Common(start, mixed, sum(dial.id in own for _, own in rows))
    return found


def chance(seed: int, prop: str) -> float:
    """A number from 0 to 1 that belongs to a prop's id and a seed; it stays when other props come or go."""
    digest = hashlib.sha256(f"{seed}/{prop}".encode()).digest()
    return int.from_bytes(digest[:6], "big") / 2.0**48


def spread(
    project: Project, props: Iterable[Prop], slot: str, dial: str, ends: tuple[Number, Number], seed: int
) -> dict[str, dict[str, dict[str, Number]]]:
    """Values of a dial for props, each by chance between two ends: what `turn_own_dials` takes.

    Those that wear nothing with this dial in the slot are left out.
    """
    low, high = (np.atleast_1d(np.asarray(e, np.float64)) for e in ends)
    made: dict[str, dict[str, dict[str, Number]]] = {}
    for prop in props:
        finish = finish_on(project, prop, slot)
        material = material_of(project, finish) if finish else None
        known = next((d for d in own_dials(material) if d.id == dial), None) if material is not None else None
        if known is None or material is None:
            continue
        value = low + (high - low) * chance(seed, prop.id)
        plain: Number = tuple(value.tolist()) if len(value) > 1 else float(value[0])
        made[prop.id] = {slot: {dial: dial_spec(material, known).clamped(plain)}}
    return made
