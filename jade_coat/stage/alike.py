"""Which other props are like one: of the same mesh, in the same material, or simply there."""

from __future__ import annotations

from jade_coat.stage.looks import finishes_on, material_of
from jade_coat.stage.project import Project, Prop

ALSO = {"mesh": "All with this mesh", "material": "All in this material", "stage": "All on the stage"}
"""The ways in which props are like one, in words."""


def others_like(project: Project, prop: Prop, way: str) -> list[Prop]:
    """The other props that are like this one, in the project's order. Raises KeyError for an unknown way."""
    if way == "mesh":
        return [p for p in project.props if p.id != prop.id and p.mesh == prop.mesh]
    if way == "stage":
        return [p for p in project.props if p.id != prop.id]
    if way != "material":
        raise KeyError(f"props are not alike by {way!r}, only by {', '.join(ALSO)}")
    materials: dict[str, str] = {}

    def worn(one: Prop) -> set[str]:
        on = set(finishes_on(project, one).values())
        materials.update((f, material_of(project, f).id) for f in on if f not in materials)
        return {materials[f] for f in on}

    own = worn(prop)
    return [p for p in project.props if p.id != prop.id and own & worn(p)]
