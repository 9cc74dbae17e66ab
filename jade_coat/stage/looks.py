"""Looks: what dial values a finish or a prop ends up with, and how far a change reaches."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from jade_coat.maps.packing import PackedLookup
from jade_coat.material.fields import Number, Setting, remembered
from jade_coat.material.material import Finish, Material, options_of, with_field
from jade_coat.material.reach import reach_of_moves
from jade_coat.material.rows import field_values, row_values
from jade_coat.material.specials import specialised
from jade_coat.stage.project import Project, Prop


def lineage(project: Project, finish_id: str) -> list[Finish]:
    """A finish and its parents, nearest first."""
    finishes = _by_id(project)
    found = []
    while finish_id in finishes:
        found.append(finishes[finish_id])
        finish_id = finishes[finish_id].parent
    return found


@remembered
def _by_id(project: Project) -> dict[str, Finish]:
    return {f.id: f for f in project.finishes}


def material_of(project: Project, finish_id: str) -> Material:
    """The material a finish comes from in the end; a material's own id is its plain look."""
    line = lineage(project, finish_id)
    return project.material(line[-1].parent if line else finish_id)


def worn(project: Project, finish_id: str) -> Material:
    """The material as a finish wears it: with the dials that shape the program set."""
    material = material_of(project, finish_id)
    if not any(d.path in _option_paths(material) for d in material.dials):
        return material
    return specialised(material, dial_values(project, finish_id))


@remembered
def _option_paths(material: Material) -> frozenset[str]:
    return frozenset(path for path, _, _ in options_of(material))


def as_worn(project: Project, finish_id: str) -> Material:
    """The material, under its own id, with every dial of a finish written into its field."""
    material = material_of(project, finish_id)
    values = dial_values(project, finish_id)
    for dial in material.dials:
        material = with_field(material, dial.path, values[dial.id])
    return material


@remembered
def _category_finishes(project: Project) -> dict[str, str]:
    return {c.id: c.finish for c in project.categories}


@remembered
def _dresses(project: Project) -> dict[tuple[str, str], dict[str, str]]:
    """What variants put on, by mesh and variant, filled as it is asked for."""
    return {}


def dress_of(project: Project, mesh: str, variant: str) -> Mapping[str, str]:
    """The finish of every slot that a variant of a mesh, its default or the slot's category dresses."""
    known = _dresses(project)
    found = known.get((mesh, variant))
    if found is None:
        found = known[mesh, variant] = project.mesh(mesh).dress(variant, _category_finishes(project))
    return found


def finishes_on(project: Project, prop: Prop) -> Mapping[str, str]:
    """The finish of every slot of a prop that wears one: its own, else its variant's, else the slot's category's."""
    dress = dress_of(project, prop.mesh, prop.variant)
    if not prop.finishes:
        return dress
    return {**dress, **{slot: finish for slot, finish in prop.finishes.items() if finish}}


def finish_on(project: Project, prop: Prop, slot: str) -> str:
    """The finish that a slot of a prop wears; empty for none."""
    return prop.finishes.get(slot) or dress_of(project, prop.mesh, prop.variant).get(slot, "")


def worn_materials(project: Project) -> tuple[Material, ...]:
    """Every material of the project, and every one that dials of a finish in use make of them."""
    used = dict.fromkeys(f for p in project.props for f in finishes_on(project, p).values())
    found = {m.id: m for m in project.materials} | {m.id: m for m in (worn(project, f) for f in used)}
    return tuple(found.values())


def dial_values(project: Project, finish_id: str) -> dict[str, Setting]:
    """The values of all dials of a finish: the material's, changed by each parent in turn, then by itself."""
    material = material_of(project, finish_id)
    own: dict[str, Setting] = {**field_values(material), **{path: value for path, _, value in options_of(material)}}
    values = {d.id: own[d.path] for d in material.dials}
    for finish in reversed(lineage(project, finish_id)):
        values.update({k: v for k, v in finish.values.items() if k in values})
    return values


def inherited_values(project: Project, finish_id: str) -> dict[str, Setting]:
    """The values a finish would have without its own changes."""
    line = lineage(project, finish_id)
    return dial_values(project, line[0].parent if line else finish_id)


def field_row(project: Project, finish_id: str, own: dict[str, Number] | None = None) -> dict[str, Number]:
    """All field values of the material by path for a finish, with a prop's own dial values on top."""
    return row_values(material_of(project, finish_id), {**dial_values(project, finish_id), **(own or {})})


def moves_vertices(project: Project, prop: Prop) -> bool:
    """Whether anything that a prop wears moves its vertices."""
    return any(material_of(project, f).moves for f in finishes_on(project, prop).values())


def turns_to_eye(project: Project, prop: Prop) -> bool:
    """Whether anything that a prop wears moves its vertices by where it is seen from."""
    return any(m.by_eye for f in finishes_on(project, prop).values() for m in material_of(project, f).moves)


def reach_of_prop(project: Project, prop: Prop) -> float:
    """How far any vertex of a prop can be moved at the most, metres."""
    found = 0.0
    for slot, finish in finishes_on(project, prop).items():
        if material_of(project, finish).moves:
            values = field_row(project, finish, prop.values.get(slot))
            found = max(found, reach_of_moves(worn(project, finish), values))
    return found


@dataclass(frozen=True)
class Reach:
    """What a change would touch."""

    finishes: tuple[str, ...]
    props: tuple[str, ...]
    layers: tuple[str, ...] = ()
    """The names of the layers of grounds that are made of it."""

    @property
    def any(self) -> bool:
        """Whether anything on the stage would be touched."""
        return bool(self.props or self.layers)

    @property
    def sentence(self) -> str:
        """How far it reaches, in words."""
        props, layers, finishes = len(self.props), len(self.layers), len(self.finishes)
        told = [f"{props} prop{'s' if props != 1 else ''}"] if props or not layers else []
        told += [f"{layers} layer{'s' if layers != 1 else ''} of the ground"] if layers else []
        of = " and ".join(told)
        return of if finishes < 2 else f"{of} in {finishes} finishes"


def reach(project: Project, root: str) -> Reach:
    """The finishes that descend from a finish or material (itself among them) and the props that wear one."""
    lines = {f.id: lineage(project, f.id) for f in project.finishes}
    within = tuple(i for i, line in lines.items() if root in {f.id for f in line} | {line[-1].parent})
    members = {root, *within}
    props = tuple(p.id for p in project.props if members & set(finishes_on(project, p).values()))
    return Reach(within, props, _layers_of(project, members))


def _layers_of(project: Project, finishes: set[str]) -> tuple[str, ...]:
    return tuple(layer.name for ground in project.grounds for layer in ground.layers if layer.finish in finishes)


def reach_of_map_set(project: Project, map_set: str) -> Reach:
    """The finishes whose looks read a map set, and the props that wear one."""
    book = PackedLookup((), project.recipes)
    reads = tuple(f.id for f in project.finishes if map_set in worn(project, f.id).sets_read(book))
    roots = {*reads, *(m.id for m in readers_of(project, map_set))}
    props = tuple(p.id for p in project.props if roots & set(finishes_on(project, p).values()))
    return Reach(reads, props, _layers_of(project, roots))


def readers_of(project: Project, map_set: str) -> list[Material]:
    """The materials that read a map set themselves or by a recipe."""
    book = PackedLookup((), project.recipes)
    return [m for m in project.materials if map_set in m.sets_read(book)]


def wearers(project: Project, finish_id: str) -> list[Prop]:
    """The props that wear exactly this finish in some slot."""
    return [p for p in project.props if finish_id in finishes_on(project, p).values()]
