"""Edits of the variants of a model, of slots' categories, and of what a category wears."""

from __future__ import annotations

from jade_coat.material.material import by_id
from jade_coat.stage.edits.registry import edit, swap
from jade_coat.stage.looks import material_of
from jade_coat.stage.mesh_assets import DEFAULT, Category, MeshAsset, Variant
from jade_coat.stage.naming import free_id, free_name
from jade_coat.stage.project import Project


@edit
def add_variant(project: Project, /, mesh: str, name: str = "", source: str = "") -> Project:
    """Add a variant to a model, behind the others; with a source as a copy of that one."""
    asset = project.mesh(mesh)
    like = asset.variant(source) if source else None
    names = {v.name for v in asset.variants}
    name = free_name(name.strip() or (like.name if like else "Variant"), names)
    made = Variant(
        id=free_id(name, {v.id for v in asset.variants}), name=name, finishes=dict(like.finishes) if like else {}
    )
    return swap(project, "meshes", asset.with_(variants=(*asset.variants, made)))


@edit
def remove_variant(project: Project, /, mesh: str, variant: str) -> Project:
    """Remove a variant of a model; props and scatters that wore it wear the default. The default itself stays."""
    asset = project.mesh(mesh)
    gone = asset.variant(variant)
    if gone.id == DEFAULT:
        raise ValueError(f"{gone.name} is what props wear that ask for nothing; it stays")
    wearing = [p.with_(variant="") for p in project.props if p.mesh == mesh and p.variant == gone.id]
    project = swap(project, "meshes", asset.with_(variants=tuple(v for v in asset.variants if v is not gone)))
    strewn = {(g.id, s.id) for g in project.grounds for s in g.scatter if (s.mesh, s.variant) == (mesh, gone.id)}
    grounds = [
        g.with_(scatter=tuple(s.with_(variant="") if (g.id, s.id) in strewn else s for s in g.scatter))
        for g in project.grounds if any(name == g.id for name, _ in strewn)
    ]  # fmt: skip
    project = project.with_things("grounds", *grounds) if grounds else project
    return project.with_things("props", *wearing) if wearing else project


@edit
def move_variant(project: Project, /, mesh: str, variant: str, to: int) -> Project:
    """Give a variant another index; index 0 stays the default's."""
    asset = project.mesh(mesh)
    moved = asset.variant(variant)
    if moved.id == DEFAULT or to < 1:
        raise ValueError("index 0 is what props wear that ask for nothing; it stays first")
    others = [v for v in asset.variants if v is not moved]
    others.insert(min(to, len(others)), moved)
    return swap(project, "meshes", asset.with_(variants=tuple(others)))


@edit
def rename_variant(project: Project, /, mesh: str, variant: str, name: str) -> Project:
    """Call a variant by another name; its index and who wears it stay."""
    asset = project.mesh(mesh)
    old, name = asset.variant(variant), name.strip()
    if not name:
        raise ValueError("a name cannot be empty")
    if any(v.name == name and v is not old for v in asset.variants):
        raise ValueError(f"another variant of {asset.name} is called {name}")
    made = tuple(v.with_(name=name) if v is old else v for v in asset.variants)
    return swap(project, "meshes", asset.with_(variants=made))


@edit
def set_variant_finish(project: Project, /, mesh: str, variant: str, slot: str, finish: str) -> Project:
    """Choose what a variant puts on a slot; an empty finish lets the default show there."""
    asset = project.mesh(mesh)
    old = asset.variant(variant)
    if slot not in asset.slots:
        raise KeyError(f"{asset.name} has no slot {slot!r}")
    if finish:
        material_of(project, finish)
    own = {**old.finishes, slot: finish} if finish else {s: f for s, f in old.finishes.items() if s != slot}
    if own == old.finishes:
        return project
    made = tuple(v.with_(finishes=own) if v is old else v for v in asset.variants)
    return swap(project, "meshes", asset.with_(variants=made))


@edit
def add_category(project: Project, /, name: str, finish: str = "") -> Project:
    """Add a surface category, such as wood or cloth, and the project's finish for it."""
    name = name.strip()
    if not name:
        raise ValueError("a name cannot be empty")
    if any(c.name.casefold() == name.casefold() for c in project.categories):
        raise ValueError(f"there is a category {name} already")
    if finish:
        material_of(project, finish)
    made = Category(id=free_id(name, {c.id for c in project.categories}), name=name, finish=finish)
    changed: Project = project.with_(categories=(*project.categories, made))
    return changed


@edit
def dress_category(project: Project, /, category: str, finish: str) -> Project:
    """Choose the project's finish for a category: every slot that names it alone is dressed anew."""
    old = by_id(project.categories, category, "category")
    if finish:
        material_of(project, finish)
    return swap(project, "categories", old.with_(finish=finish))


@edit
def rename_category(project: Project, /, category: str, name: str) -> Project:
    """Call a category by another name."""
    old, name = by_id(project.categories, category, "category"), name.strip()
    if not name:
        raise ValueError("a name cannot be empty")
    if any(c.name.casefold() == name.casefold() and c.id != category for c in project.categories):
        raise ValueError(f"there is a category {name} already")
    return swap(project, "categories", old.with_(name=name))


@edit
def remove_category(project: Project, /, category: str) -> Project:
    """Remove a category; slots that named it name none."""
    by_id(project.categories, category, "category")
    meshes = tuple(_without_category(m, category) for m in project.meshes)
    changed: Project = project.with_(categories=tuple(c for c in project.categories if c.id != category), meshes=meshes)
    return changed


def _without_category(mesh: MeshAsset, category: str) -> MeshAsset:
    if category not in mesh.categories.values():
        return mesh
    made: MeshAsset = mesh.with_(categories={s: c for s, c in mesh.categories.items() if c != category})
    return made


@edit
def set_slot_category(project: Project, /, mesh: str, slot: str, category: str) -> Project:
    """Say of which category a slot of a model is; an empty one of none."""
    asset = project.mesh(mesh)
    if slot not in asset.slots:
        raise KeyError(f"{asset.name} has no slot {slot!r}")
    if category:
        by_id(project.categories, category, "category")
    named = {**asset.categories, slot: category} if category else {
        s: c for s, c in asset.categories.items() if s != slot
    }  # fmt: skip
    return swap(project, "meshes", asset.with_(categories=named))
