"""Edits of map sets, materials, their coats and where-terms."""

from __future__ import annotations

from typing import Any

from jade_coat.maps.mapset import MapSet
from jade_coat.material.fields import Setting
from jade_coat.material.material import Coat, Material, owner_of, replaced, with_field
from jade_coat.material.placing import MOVE_KINDS, PREFIX
from jade_coat.material.shading import KIND_PARTS
from jade_coat.material.surface import Surface
from jade_coat.material.where import TERM_KINDS, PaintTerm
from jade_coat.stage.edits.registry import added, edit, swap
from jade_coat.stage.naming import free_id, free_name
from jade_coat.stage.project import Project
from jade_coat.stage.references import without_fields


@edit
def add_map_set(project: Project, /, map_set: MapSet) -> Project:
    """Add a map set."""
    return added(project, "map_sets", map_set)


@edit
def set_map_set(project: Project, /, map_set: str, **changes: Any) -> Project:
    """Change a map set: its maps, name or tile size."""
    return swap(project, "map_sets", project.map_set(map_set).with_(**changes))


@edit
def add_material(project: Project, /, material: Material) -> Project:
    """Add a material."""
    return added(project, "materials", material)


@edit
def set_material(project: Project, /, material: str, **changes: Any) -> Project:
    """Change a material's name, depth, surface kind, threshold, or whether it has two sides."""
    return swap(project, "materials", project.material(material).with_(**changes))


@edit
def add_coat(project: Project, /, material: str, coat: Coat) -> Project:
    """Add a coat on top."""
    old = project.material(material)
    taken = {c.id for c in old.coats}
    coat = coat.with_(
        id=free_id(coat.id if coat.id not in taken else coat.name, taken),
        name=free_name(coat.name, {c.name for c in old.coats}),
    )
    return swap(project, "materials", old.with_(coats=(*old.coats, coat)))


@edit
def remove_coat(project: Project, /, material: str, coat: str) -> Project:
    """Remove a coat and the dials that pointed at it."""
    old = project.material(material)
    old.coat(coat)
    if len(old.coats) == 1:
        raise ValueError("a material keeps at least one coat")
    project = without_fields(project, material, lambda path: owner_of(path) == coat)
    lean = project.material(material)
    return swap(project, "materials", lean.with_(coats=tuple(c for c in lean.coats if c.id != coat)))


@edit
def copy_coat(project: Project, /, material: str, coat: str, to: str = "") -> Project:
    """Copy a coat, with what its fields follow, on top of its own material or of another."""
    source = project.material(material)
    copied = source.coat(coat)
    project = add_coat.on(project, to or material, copied)
    made = project.material(to or material)
    new = made.coats[-1].id
    links = tuple(k.with_(path=f"{new}.{k.path.partition('.')[2]}") for k in source.links if owner_of(k.path) == coat)
    return swap(project, "materials", made.with_(links=(*made.links, *links))) if links else project


def _with_coat(project: Project, material: str, coat: Coat) -> Project:
    old = project.material(material)
    return swap(project, "materials", old.with_(coats=tuple(coat if c.id == coat.id else c for c in old.coats)))


@edit
def move_coat(project: Project, /, material: str, coat: str, to: int) -> Project:
    """Move a coat to another place in the stack, counted from the bottom."""
    old = project.material(material)
    moved = old.coat(coat)
    rest = [c for c in old.coats if c.id != coat]
    rest.insert(max(0, min(to, len(rest))), moved)
    return swap(project, "materials", old.with_(coats=tuple(rest)))


@edit
def set_coat(project: Project, /, material: str, coat: str, **changes: Any) -> Project:
    """Change a coat's name or whether it shows."""
    return _with_coat(project, material, project.material(material).coat(coat).with_(**changes))


@edit
def set_surface(project: Project, /, material: str, coat: str, **changes: Any) -> Project:
    """Change a coat's surface: its map set or UV set."""
    old = project.material(material).coat(coat)
    return _with_coat(project, material, old.with_(surface=old.surface.with_(**changes)))


@edit
def set_seam(project: Project, /, material: str, coat: str, **changes: Any) -> Project:
    """Change a coat's seam."""
    old = project.material(material).coat(coat)
    return _with_coat(project, material, old.with_(seam=old.seam.with_(**changes)))


@edit
def set_detail(project: Project, /, material: str, coat: str, **changes: Any) -> Project:
    """Change the detail maps of a coat's surface."""
    old = project.material(material).coat(coat)
    return _with_coat(project, material, replaced(old, ["surface", "detail"], changes))


@edit
def set_rim(project: Project, /, material: str, coat: str, **changes: Any) -> Project:
    """Change the rim along a coat's seam."""
    return _with_coat(project, material, replaced(project.material(material).coat(coat), ["rim"], changes))


@edit
def move_term(project: Project, /, material: str, coat: str, term: str, to: int) -> Project:
    """Move a term of where a coat shows to another place in the order."""
    old = project.material(material).coat(coat)
    moved = next((t for t in old.where if t.id == term), None)
    if moved is None:
        raise KeyError(f"{old.name} has no term {term!r}")
    rest = [t for t in old.where if t.id != term]
    rest.insert(max(0, min(to, len(rest))), moved)
    return _with_coat(project, material, old.with_(where=tuple(rest)))


@edit
def add_term(project: Project, /, material: str, coat: str, kind: str) -> Project:
    """Add a term to where a coat shows."""
    old = project.material(material).coat(coat)
    term = TERM_KINDS[kind](id=free_id(kind, {t.id for t in old.where}))
    return _with_coat(project, material, old.with_(where=(*old.where, term)))


@edit
def set_term(project: Project, /, material: str, coat: str, term: str, **changes: Any) -> Project:
    """Change a term of where a coat shows."""
    old = project.material(material).coat(coat)
    if not any(t.id == term for t in old.where):
        raise KeyError(f"{old.name} has no term {term!r}")
    where = tuple(t.with_(**changes) if t.id == term else t for t in old.where)
    return _with_coat(project, material, old.with_(where=where))


@edit
def remove_term(project: Project, /, material: str, coat: str, term: str) -> Project:
    """Remove a term from where a coat shows, and the dials that pointed at it."""
    if not any(t.id == term for t in project.material(material).coat(coat).where):
        raise KeyError(f"there is no term {term!r}")
    project = without_fields(project, material, lambda path: path.startswith(f"{coat}.where.{term}."))
    old = project.material(material).coat(coat)
    return _with_coat(project, material, old.with_(where=tuple(t for t in old.where if t.id != term)))


@edit
def set_shading(project: Project, /, material: str, light: str, **changes: Any) -> Project:
    """Change the light of its own that a surface kind has: `light` is its name in the material (`material.shading`)."""
    if light not in KIND_PARTS:
        raise KeyError(f"there is no light {light!r} of a surface kind; there are {', '.join(KIND_PARTS)}")
    return swap(project, "materials", replaced(project.material(material), [light], changes))


@edit
def add_move(project: Project, /, material: str, kind: str) -> Project:
    """Let a material move the vertices of what wears it."""
    old = project.material(material)
    move = MOVE_KINDS[kind](id=free_id(kind, {m.id for m in old.moves}))
    return swap(project, "materials", old.with_(moves=(*old.moves, move)))


@edit
def set_move(project: Project, /, material: str, move: str, **changes: Any) -> Project:
    """Change how a material moves vertices."""
    return swap(project, "materials", replaced(project.material(material), ["moves", move], changes))


@edit
def remove_move(project: Project, /, material: str, move: str) -> Project:
    """Let a material move vertices no more in one way, and drop the dials that pointed at it."""
    if not any(m.id == move for m in project.material(material).moves):
        raise KeyError(f"there is no move {move!r}")
    project = without_fields(project, material, lambda path: owner_of(path) == f"{PREFIX}{move}")
    old = project.material(material)
    return swap(project, "materials", old.with_(moves=tuple(m for m in old.moves if m.id != move)))


@edit
def set_field(project: Project, /, material: str, path: str, value: Setting) -> Project:
    """Change a number of a coat."""
    return swap(project, "materials", with_field(project.material(material), path, value))


def new_coat(name: str, map_set: MapSet | None = None, channel: str = "R") -> Coat:
    """A coat made of a map set at its real tile size, shown where a channel is painted."""
    surface = Surface(map_set=map_set.id, tile_size=map_set.tile_size) if map_set else Surface()
    shown = PaintTerm(id="paint", channel=channel)
    return Coat(id=free_id(name, set()), name=name, surface=surface, where=(shown,))
