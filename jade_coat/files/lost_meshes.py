"""What a project's file makes of meshes that are not in it: left out, and named."""

from __future__ import annotations

from jade_coat.stage.project import Project

NAMED = 3
"""So many names are told; of more, how many."""


def without_lost_meshes(project: Project, problems: list[str]) -> Project:
    """The project without props and scatters of meshes that it does not list; `problems` are told which."""
    there = {m.id for m in project.meshes}
    props = [p for p in project.props if p.mesh not in there]
    if props:
        problems.append(_told([p.name for p in props], "prop"))
        project = project.with_(props=project.props.without(*(p.id for p in props)))
    for ground in project.grounds:
        lost = [s for s in ground.scatter if s.mesh not in there]
        if lost:
            problems.append(_told([f"{s.name} on {ground.name}" for s in lost], "scatter"))
            kept = tuple(s for s in ground.scatter if s.mesh in there)
            project = project.with_things("grounds", ground.with_(scatter=kept))
    return project


def _told(names: list[str], what: str) -> str:
    listed = ", ".join(names[:NAMED]) + (f" and {len(names) - NAMED} more" if len(names) > NAMED else "")
    verb = f"The {what} {listed} is of a mesh" if len(names) == 1 else f"The {what}s {listed} are of meshes"
    return f"{verb} that the file does not list, and left out. Undo what was changed in the file by hand."
