"""Edits that make materials out of map sets, and what the first prop of a project wears."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from jade_coat.maps.mapset import MapFile, MapSet
from jade_coat.maps.motes import Motes
from jade_coat.material.fields import Color
from jade_coat.material.glow import Glow
from jade_coat.material.material import Coat, Material
from jade_coat.material.seam import Seam, SeamKind
from jade_coat.material.shading import shading_path
from jade_coat.material.surface import Role, Surface
from jade_coat.material.where import PaintTerm
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.makers import Bush, Made
from jade_coat.mesh.makers.bush import COARSEST
from jade_coat.stage import edits
from jade_coat.stage.decals import Decal
from jade_coat.stage.edits.registry import Edit
from jade_coat.stage.mesh_assets import DEFAULT, MeshAsset
from jade_coat.stage.naming import free_id, free_name
from jade_coat.stage.project import Project, Prop

CLAY = (0.46, 0.38, 0.31)
"""The colour of what nobody has dressed yet, linear."""


@dataclass(frozen=True)
class NewMaterial:
    """A material to be made, the finish it is worn by, and the edits that make both."""

    material: Material
    finish: str
    steps: tuple[Edit, ...]


def new_material(
    project: Project, name: str, base: str, top: str | None = None, channel: str = "R", seam: SeamKind = "interlock"
) -> NewMaterial:
    """A material of one or two coats, each a map set or plain (an empty id), with the dials most materials have."""
    name = free_name(name, {m.name for m in project.materials} | {f.name for f in project.finishes})
    taken = {m.id for m in project.materials} | {f.id for f in project.finishes}
    coats = [_coat(project, "base", base)]
    if top is not None:
        shown = PaintTerm.model_validate({"id": "paint", "channel": channel})
        coats.append(_coat(project, "top", top).with_(where=(shown,), seam=Seam(kind=seam)))
    material = Material(id=free_id(name, taken), name=name, coats=tuple(coats))
    finish = free_id(name, {*taken, material.id})
    return NewMaterial(
        material, finish,
        (
            edits.add_material(material=material),
            *(
                edits.expose(material=material.id, path=path)
                for coat in coats for path in first_dials(coat, coat is coats[0])
            ),
            edits.add_finish(parent=material.id, name=name, id=finish),
        ),
    )  # fmt: skip


def mote_map(asset: str, file: str) -> tuple[MapFile, ...]:
    """The entries of a map set that is one file of free channels."""
    return (MapFile(role=Role.CHANNELS, asset=asset, file=file, channels="rgba"),)


def mote_file(map_set: str, data: bytes, put: Callable[[str, str, bytes], str]) -> tuple[MapFile, ...]:
    """The entries of a map set of motes; `put` keeps the file's bytes by its kind and name, and gives the asset."""
    file = f"{map_set}_channels.png"
    return mote_map(put("maps", file, data), file)


def mote_set(project: Project, name: str, numbers: Motes, data: bytes, put: Callable[[str, str, bytes], str]) -> MapSet:
    """A map set of motes, whose file is there, under a name and an id that the project does not have yet."""
    name = free_name(name, {s.name for s in project.map_sets})
    made = free_id(name, {s.id for s in project.map_sets})
    return MapSet(id=made, name=name, maps=mote_file(made, data, put), made=numbers)


GLOW_DIALS = ("tint", "boost", "flicker", "rate", "by_day", "by_night")
"""The fields of a glow that are dials at first."""


def glowing(project: Project, name: str, map_set: str, tint: Color, boost: float) -> tuple[list[Edit], str]:
    """Edits that make a glow, shaped by the first channel of a map set, and a finish of it; and that one's id."""
    name = free_name(f"{name} glow", {m.name for m in project.materials} | {f.name for f in project.finishes})
    taken = {m.id for m in project.materials} | {f.id for f in project.finishes}
    material = Material(
        id=free_id(name, taken), name=name, kind="glow", two_sided=True,
        coats=(Coat(id="base", name="Base", surface=Surface(color=(0.0, 0.0, 0.0))),),
        glow=Glow(shape="sheet", sheet=map_set, tint=tint, boost=boost),
    )  # fmt: skip
    finish = free_id(name, {*taken, material.id})
    dials = [edits.expose(material=material.id, path=shading_path("glow", field)) for field in GLOW_DIALS]
    return [
        edits.add_material(material=material),
        *dials,
        edits.add_finish(parent=material.id, name=name, id=finish),
    ], finish


def levels_made(project: Project, mesh: str, numbers: Made) -> dict[str, Made]:
    """What the levels of a mesh for afar are to be made from when it is made of other numbers, by their ids.

    Only of those that were made from the same as it is now.
    """
    asset, found = project.mesh(mesh), {}
    for name, _, _ in project.spans(mesh)[1:]:
        old, coarse = asset.made, project.mesh(name).made
        if not (isinstance(old, Bush) and isinstance(coarse, Bush) and isinstance(numbers, Bush)):
            continue
        if coarse.with_(level=old.level) == old:
            found[name] = numbers.with_(level=min(numbers.level + coarse.level - old.level, COARSEST))
    return found


FILL, DARKER = "fill", 0.3
"""The slot of what lies inside a bush, and how dark it is beside what grows over it."""


def fill_material(over: Material, color: Color, id: str, name: str = "Fill") -> Material:
    """A plain darker material for what lies under another of a mean colour; it moves as that does."""
    r, g, b = (c * DARKER for c in color)
    return Material(
        id=id, name=name, moves=over.moves,
        coats=(Coat(id="base", name="Base", surface=Surface(color=(r, g, b), roughness=0.95, specular=0.3)),),
    )  # fmt: skip


def filled(project: Project, prop: str, over: Material, color: Color) -> list[Edit]:
    """Edits that dress what lies inside a prop in a darker plain colour than grows over it; made once a material."""
    found = f"{over.id}_fill"
    dress = edits.put_finish(prop=prop, slot=FILL, finish=found)
    if found in {f.id for f in project.finishes} | {m.id for m in project.materials}:
        return [dress]
    names = {m.name for m in project.materials} | {f.name for f in project.finishes}
    material = fill_material(over, color, f"{found}_material", free_name(f"{over.name} fill", names))
    return [
        edits.add_material(material=material), edits.expose(material=material.id, path="base.surface.color"),
        edits.add_finish(parent=material.id, name=material.name, id=found), dress,
    ]  # fmt: skip


@dataclass(frozen=True)
class PlacedMesh:
    """A prop of a new mesh, and the edits that put both into a project."""

    prop: Prop
    asset: MeshAsset
    steps: tuple[Edit, ...]


def placed_mesh(
    project: Project, add_mesh: Callable[[MeshData, str, set[str]], MeshAsset], mesh: MeshData, name: str,
    position: tuple[float, float, float] = (0.0, 0.0, 0.0),
) -> PlacedMesh:  # fmt: skip
    """A mesh, kept by `add_mesh`, and a prop of it; the first of a project wears something plain."""
    asset = add_mesh(mesh, free_name(name, {m.name for m in project.meshes}), {m.id for m in project.meshes})
    prop = Prop(
        id=free_id(asset.name, set(project.props.ids())), name=asset.name, mesh=asset.id, position=position
    )  # fmt: skip
    dress = plain_dress(project, prop, asset)
    return PlacedMesh(prop, asset, (edits.add_mesh(mesh=asset), edits.add_prop(prop=prop), *dress))


def beside(project: Project, mesh_of: Callable[[str], MeshData], mesh: MeshData) -> float:
    """An x position to the right of everything, metres, so that nothing stands inside a new prop of a mesh."""
    right = None
    for prop in project.props:
        low, high = mesh_of(prop.mesh).bounds
        reach = prop.position[0] + max(abs(float(low[0])), abs(float(high[0]))) * prop.size[0]
        right = reach if right is None else max(right, reach)
    return 0.0 if right is None else right + 0.3 - float(mesh.bounds[0][0])


def plain_dress(project: Project, prop: Prop, asset: MeshAsset) -> list[Edit]:
    """What dresses the first prop of a project: a material of one plain coat, with a finish on every slot."""
    if project.materials:
        return []
    coat = Coat(id="base", name="Base", surface=Surface(color=CLAY, roughness=0.72))
    material = Material(id="plain", name="Plain", coats=(coat,))
    finish = free_id("Plain", {material.id, *(f.id for f in project.finishes)})
    return [
        edits.add_material(material=material), edits.expose(material="plain", path="base.surface.tint"),
        edits.add_finish(parent="plain", name="Plain clay", id=finish),
        *(edits.put_finish(prop=prop.id, slot=slot, finish=finish) for slot in asset.slots),
    ]  # fmt: skip


@dataclass(frozen=True)
class FileLook:
    """What becomes of a file's material: by which slot, what it is called, and what it is made of."""

    slot: str
    name: str
    maps: tuple[MapFile, ...]
    surface: Surface
    kind: str = "opaque"
    cut: float = 0.5
    two_sided: bool = False


def file_looks(
    project: Project, prop: str, looks: Sequence[FileLook], variants: Sequence[tuple[str, Mapping[str, str]]] = ()
) -> list[Edit]:
    """Edits that make map sets, materials and finishes of a file's materials, and dress a prop in them.

    `variants` are names with, by slot, the slot whose look is worn there: the prop's model then has them, and what the
    file shows at first is its default.
    """
    steps: list[Edit] = []
    mesh = project.mesh(project.prop(prop).mesh)
    finishes: dict[str, str] = {}
    sets = {s.id for s in project.map_sets}, {s.name for s in project.map_sets}
    ids = {m.id for m in project.materials} | {f.id for f in project.finishes}
    names = {m.name for m in project.materials} | {f.name for f in project.finishes}
    for look in looks:
        surface, map_set = look.surface, ""
        if look.maps:
            made = MapSet(id=free_id(look.name, sets[0]), name=free_name(look.name, sets[1]), maps=look.maps)
            map_set = made.id
            sets[0].add(made.id)
            sets[1].add(made.name)
            steps.append(edits.add_map_set(map_set=made))
            surface = surface.with_(map_set=map_set)
        name = free_name(look.name, names)
        material = Material(
            id=free_id(name, ids), name=name, kind=look.kind, cut=look.cut, two_sided=look.two_sided,
            coats=(Coat(id="base", name="Base", surface=surface),),
        )  # fmt: skip
        finish = free_id(name, {*ids, material.id})
        ids |= {material.id, finish}
        names.add(name)
        steps += [
            edits.add_material(material=material), edits.expose(material=material.id, path="base.surface.tint"),
            edits.add_finish(parent=material.id, name=name, id=finish),
        ]  # fmt: skip
        finishes[look.slot] = finish
    own = {slot: finish for slot, finish in finishes.items() if slot in mesh.slots}
    if variants:
        bare = [edits.dress(props=(prop,), slot=slot, finish="") for slot in own]
        return steps + _file_variants(mesh, finishes, own, variants) + bare
    return steps + [edits.put_finish(prop=prop, slot=slot, finish=finish) for slot, finish in own.items()]


def _file_variants(
    mesh: MeshAsset, finishes: Mapping[str, str], own: Mapping[str, str],
    variants: Sequence[tuple[str, Mapping[str, str]]],
) -> list[Edit]:  # fmt: skip
    """Edits that give a mesh the variants of its file; the first that looks as the default does names that."""
    steps: list[Edit] = [
        edits.set_variant_finish(mesh=mesh.id, variant=DEFAULT, slot=slot, finish=finish)
        for slot, finish in own.items()
    ]
    ids, names, default = {v.id for v in mesh.variants}, {v.name for v in mesh.variants}, False
    for name, worn in variants:
        dress = {
            s: finishes[to] for s, to in worn.items() if s in mesh.slots and finishes.get(to, own.get(s)) != own.get(s)
        }
        if not dress and not default:
            default = True
            steps.append(edits.rename_variant(mesh=mesh.id, variant=DEFAULT, name=name))
            names = names - {mesh.variants[0].name} | {name}
            continue
        made = free_name(name, names)
        names.add(made)
        variant = free_id(made, ids)
        ids.add(variant)
        steps.append(edits.add_variant(mesh=mesh.id, name=made))
        steps += [
            edits.set_variant_finish(mesh=mesh.id, variant=variant, slot=slot, finish=finish)
            for slot, finish in dress.items()
        ]
    return steps


PICTURE_SIDE = 0.6
"""The longer side of a decal made of a picture, metres."""


def picture_stamp(
    project: Project, name: str, asset: str, file: str, shape: tuple[int, int], see_through: bool
) -> tuple[list[Edit], Decal]:
    """Edits that make a stamp of a picture, and its decal: what is see-through in the picture stays so.

    `shape` are its height and width in texels; its proportions are kept.
    """
    name = free_name(name, {m.name for m in project.materials} | {f.name for f in project.finishes})
    maps = [MapFile(role=Role.BASE_COLOR, asset=asset, file=file)]
    if see_through:
        maps.append(MapFile(role=Role.OPACITY, asset=asset, file=file, channels="a"))
    sets = {s.id for s in project.map_sets}, {s.name for s in project.map_sets}
    longer = PICTURE_SIDE / max(shape)
    map_set = MapSet(
        id=free_id(name, sets[0]), name=free_name(name, sets[1]), maps=tuple(maps), tile_size=shape[1] * longer
    )
    ids = {m.id for m in project.materials} | {f.id for f in project.finishes}
    surface = Surface(map_set=map_set.id, placement="square", roughness=0.6)
    material = Material(id=free_id(name, ids), name=name, coats=(Coat(id="base", name="Base", surface=surface),))
    finish = free_id(name, {*ids, material.id})
    decal = Decal(id="stamp", name=name, finish=finish, size=(shape[1] * longer, 0.25, shape[0] * longer))
    return [
        edits.add_map_set(map_set=map_set), edits.add_material(material=material),
        edits.expose(material=material.id, path="base.surface.tint"),
        edits.expose(material=material.id, path="base.surface.roughness"),
        edits.add_finish(parent=material.id, name=name, id=finish), edits.keep_stamp(decal=decal, name=name),
    ], decal  # fmt: skip


def _coat(project: Project, coat_id: str, map_set: str) -> Coat:
    if not map_set:
        return Coat(id=coat_id, name="Base" if coat_id == "base" else "Top", surface=Surface())
    found = project.map_set(map_set)
    return Coat(id=coat_id, name=found.name, surface=Surface(map_set=found.id, tile_size=found.tile_size))


def first_dials(coat: Coat, lowest: bool) -> list[str]:
    """The fields of a coat that most materials expose: its size and tint, and of one on top amount and softness."""
    found = [f"{coat.id}.surface.tile_size"] if coat.surface.map_set else []
    found.append(f"{coat.id}.surface.tint")
    return found if lowest else [*found, f"{coat.id}.amount", f"{coat.id}.seam.softness"]
