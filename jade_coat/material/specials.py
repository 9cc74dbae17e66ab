"""What dials that shape the program make of a material: others, under ids of their own."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping

from jade_coat.material.fields import Setting, remembered
from jade_coat.material.material import Material, options_of, with_field

MAX_SPECIALS = 256
"""Made materials that are kept for each; dragging a whole number through its range makes many."""


@remembered
def _specials(material: Material) -> dict[tuple[tuple[str, Setting], ...], Material]:
    """What dials have made of a material so far, by the fields they set."""
    return {}


def specialised(material: Material, dial_values: Mapping[str, Setting]) -> Material:
    """The material that dials shaping the program make of it; itself while they are as the material has them.

    Its id is the material's with `~` and a mark behind it. The same settings give the same object.
    """
    own = {path: value for path, _, value in options_of(material)}
    changed = tuple(
        (d.path, dial_values[d.id]) for d in material.dials
        if d.path in own and d.id in dial_values and dial_values[d.id] != own[d.path]
    )  # fmt: skip
    if not changed:
        return material
    known = _specials(material)
    if changed not in known:
        made = material
        for path, value in changed:
            made = with_field(made, path, value)
        mark = hashlib.sha256(repr(changed).encode()).hexdigest()[:8]
        if len(known) >= MAX_SPECIALS:
            known.pop(next(iter(known)))
        known[changed] = made.with_(id=f"{material.id}~{mark}")
    return known[changed]


AS_DECAL = "\0decal"
"""Behind a material's id, where only its program as a decal is meant."""


def plain_id(material_id: str) -> str:
    """The id of the material that a specialised one comes from."""
    return material_id.partition("~")[0]
