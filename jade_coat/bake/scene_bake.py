"""Bakes the props of a project and writes them out: folders of PNG files, or one GLB."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from jade_coat.bake.baker import BakedMaps, Look, bake_slot
from jade_coat.bake.decal_bake import decals_on, with_decals
from jade_coat.bake.decal_geometry import as_geometry
from jade_coat.bake.unbaked import unbaked
from jade_coat.bake.unwrap import BakeMesh, bake_mesh
from jade_coat.files.gltf_writer import BakedMaterial, BakedProp
from jade_coat.files.library import Library
from jade_coat.jobs.job import Job
from jade_coat.looking.attributes import own_colors
from jade_coat.looking.placed import placed_mesh
from jade_coat.maps.packing import PackedLookup, Texture
from jade_coat.material.compile import (
    compile_material,
    fixed_fields,
    is_filled,
    moved_vertices,
    seen_from_ahead,
    settles,
    with_shared,
)
from jade_coat.material.fields import Number
from jade_coat.material.kinds import kind_of
from jade_coat.material.material import Material
from jade_coat.material.paint_source import OWN_MAP
from jade_coat.material.rows import field_values
from jade_coat.material.shared import EVERYWHERE
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.painting import Paint, PaintMap, shown_paint
from jade_coat.mesh.transfer import vertices_from_map
from jade_coat.program import passes
from jade_coat.program.types import Array
from jade_coat.stage.bare import BARE
from jade_coat.stage.decals import Decal
from jade_coat.stage.looks import field_row, finish_on, finishes_on, material_of, moves_vertices, worn
from jade_coat.stage.naming import free_name
from jade_coat.stage.project import Project, Prop


@dataclass(frozen=True)
class _Task:
    """One slot of one prop, and the key that equal bakes share."""

    prop: Prop
    slot: str
    look: Look
    key: tuple[object, ...]
    finish: str = ""


class SceneBaker:
    """Bakes props one after another, each distinct look on each distinct mesh once."""

    def __init__(self, project: Project, library: Library, side: int, job: Job) -> None:
        self._project, self._library, self._side, self._job = project, library, side, job
        self._lookup = PackedLookup(project.map_sets, project.recipes)
        self._meshes: dict[str, BakeMesh] = {}
        self._done: dict[tuple[object, ...], BakedMaps] = {}
        self._materials: dict[tuple[object, ...], BakedMaterial] = {}
        self._named: set[str] = set()
        self._lying: dict[str, tuple[Decal, ...]] = {}
        self._cut: set[str] = set()
        """The props whose decals are geometry of their own: they share their maps with others."""
        self._tolerant = False
        self._faulty: set[tuple[str, str]] = set()
        self.told: list[str] = []
        """What is worth knowing about what was baked, in words."""
        self.notes: list[str] = []
        """What is not as it should be in what was baked, in words."""

    def maps(self, prop: Prop, slot: str, finish: str | None = None) -> BakedMaps:
        """The maps of one slot of a prop, in its own finish or in another. Raises Cancelled and what files raise."""
        return self._baked(self._task(prop, slot, finish))

    def props(self, props: Sequence[Prop], variants: bool = False) -> list[BakedProp]:
        """Everything that a GLB of these props needs; a look that cannot be worked out is grey, and noted.

        With `variants` each prop has the looks of all variants of its model as well.
        """
        self._tolerant = True
        meshes = {p.mesh: self._project.mesh(p.mesh) for p in props}
        worn: dict[str, dict[str, Prop]] = {
            p.id: {"": p} | ({v.name: p.with_(variant=v.id) for v in meshes[p.mesh].variants}
                             if variants and len(meshes[p.mesh].variants) > 1 else {})
            for p in props
        }  # fmt: skip
        tasks = [
            (p, name, as_worn, s.name) for p in props for name, as_worn in worn[p.id].items()
            for s in self._library.mesh_by_id(self._project, p.mesh).slots
        ]  # fmt: skip
        self._cut = self._sharing(props)
        found: dict[str, dict[str, dict[str, BakedMaterial]]] = {p.id: {n: {} for n in worn[p.id]} for p in props}
        for i, (prop, name, as_worn, slot) in enumerate(tasks):
            self._job.part(0.95 * i / len(tasks), 0.95 * (i + 1) / len(tasks))
            self._job.step(0.0, f"Baking {prop.name}, {slot}")
            found[prop.id][name][slot] = self._material(self._task(as_worn, slot))
        made = [BakedProp(p, self._placed(p, self._painted(p)), found[p.id].pop(""), found[p.id]) for p in props]
        return made + self._pieces(props)

    def _sharing(self, props: Sequence[Prop]) -> set[str]:
        """The props with decals on them whose looks are another prop's too, but for the decals."""
        lying = {p.id for p in props if self._decals(p)}
        if not lying:
            return set()
        self._cut = lying  # so that keys are told without decals
        keys: dict[object, list[str]] = {}
        for prop in props:
            slots = self._library.mesh_by_id(self._project, prop.mesh).slots
            keys.setdefault(tuple(self._task(prop, s.name).key for s in slots), []).append(prop.id)
        return {i for alike in keys.values() if len(alike) > 1 for i in alike if i in lying}

    def _pieces(self, props: Sequence[Prop]) -> list[BakedProp]:
        """The decals that are geometry of their own."""
        found: list[BakedProp] = []
        materials: dict[str, BakedMaterial] = {}
        for prop in props:
            if prop.id in self._cut:
                mesh = self._library.mesh_by_id(self._project, prop.mesh)
                decals = self._lying[prop.id]
                found += as_geometry(self._project, self._library, prop, decals, mesh, materials, self._side)
        if found:
            count = f"{len(found)} decal{'s lie' if len(found) > 1 else ' lies'}"
            self.told.append(f"{count} on props that share their maps with others: written as geometry above them.")
        return found

    def _placed(self, prop: Prop, written: MeshData) -> MeshData:
        """The mesh that is written, with its vertices where materials move them; what follows wind or clock rests."""
        if not moves_vertices(self._project, prop):
            return written
        data, baked = self._mesh(prop)
        for name in self._moving(prop):
            self.told.append(f"{name} moves with the wind or the time: what wears it is written at rest.")
            return written
        placed = placed_mesh(self._project, self._library, prop, data)
        made = [np.array(a) for a in (written.positions, written.normals, written.tangents)]
        for slot, own in zip(placed.mesh.slots, written.slots, strict=True):
            run = placed.mesh.triangles[slot.start : slot.start + slot.count]
            at = np.zeros(data.vertex_count, np.int64)
            at[placed.source[run]] = run
            used = np.unique(written.triangles[own.start : own.start + own.count])
            for target, values in zip(
                made, (placed.mesh.positions, placed.mesh.normals, placed.mesh.tangents), strict=True
            ):
                target[used, :3] = values[at[baked.source[used]], :3]
        return written.with_(positions=made[0], normals=made[1], tangents=made[2])

    def _moving(self, prop: Prop) -> list[str]:
        """The names of the materials on a prop whose moves follow the wind or the clock."""
        found = []
        for finish in dict.fromkeys(finishes_on(self._project, prop).values()):
            material = worn(self._project, finish)
            if material.moves:
                outputs = compile_material(material, self._lookup, fixed_fields(field_row(self._project, finish)))
                if passes.reads(moved_vertices(outputs), "shared") & EVERYWHERE.keys():
                    found.append(material.name)
        return found

    def _mesh(self, prop: Prop) -> tuple[MeshData, BakeMesh]:
        data = self._library.mesh_by_id(self._project, prop.mesh)
        if prop.mesh not in self._meshes:
            self._job.step(0.0, f"Unwrapping {prop.name}")
            self._meshes[prop.mesh] = made = bake_mesh(data)
            self.notes += made.losses(self._project.mesh(prop.mesh).name)
        return data, self._meshes[prop.mesh]

    def _painted(self, prop: Prop) -> MeshData:
        """The mesh that is written: with the prop's own paint in place of the mesh's colour sets that it covers."""
        _, baked = self._mesh(prop)
        paint = prop.paint if isinstance(prop.paint, Paint) else None
        if isinstance(prop.paint_map, PaintMap):  # files carry paint on vertices: as the map shows it there
            data = self._library.mesh_by_id(self._project, prop.mesh)
            found = prop.paint_map
            paint = vertices_from_map(data, found, shown_paint(data, paint, found.color_set + 1))
        if paint is None:
            return baked.mesh
        own = baked.of_original(paint.whole())
        sets = tuple(np.ascontiguousarray(own[:, i : i + 4]) for i in range(0, own.shape[1], 4))
        return baked.mesh.with_(colors=(*sets, *baked.mesh.colors[len(sets) :]))

    def _task(self, prop: Prop, slot: str, finish: str | None = None) -> _Task:
        worn_finish = finish or finish_on(self._project, prop, slot)
        try:
            return self._sound_task(prop, slot, worn_finish)
        except (ValueError, KeyError, OSError) as error:
            if not self._tolerant or not worn_finish:
                raise
            self._note_fault(worn_finish, error)
            return self._sound_task(prop, slot, "")

    def _note_opacity(self, task: _Task, alpha: str) -> None:
        how = "cut at a half" if alpha == "MASK" else "blended"
        self.told.append(
            f"{task.look.material.name} has opacity: it is written as the alpha of its base colour, {how}. "
            "Its surface kind is opaque, so the view does not show it."
        )

    def _note_fault(self, finish: str, error: Exception) -> None:
        text = str(error.args[0]) if isinstance(error, KeyError) and error.args else str(error)
        try:
            name = material_of(self._project, finish).name
        except KeyError:
            name = finish
        if (name, text) not in self._faulty:
            self._faulty.add((name, text))
            self.notes.append(f"{name} cannot be worked out and is grey: {text}")

    def _sound_task(self, prop: Prop, slot: str, finish: str) -> _Task:
        look = self._look(prop, slot, finish)
        paint = prop.paint.key if isinstance(prop.paint, Paint) else ""
        if look.paint_map is not None:
            paint = f"{paint} {look.paint_map.paint.key} {look.paint_map.source}"
        key: tuple[object, ...] = (prop.mesh, slot, paint, look.material.id, tuple(sorted(look.values.items())))
        program = with_shared(compile_material(look.material, self._lookup, fixed_fields(look.values)), look.shared)
        wheres = seen_from_ahead({n: v for n, v in program.items() if n not in ("normal", "coverage")})
        if "seed" in passes.reads(program, "instance"):
            key = (*key, prop.seed)
        reads = passes.reads(wheres, "attribute")
        if "normal" in reads:  # what depends on the world is baked for each turn, or for each place
            key = (*key, prop.turn, _stretch(prop))
        if "world_position" in reads:
            key = (*key, prop.position, prop.turn, prop.size)
        if self._decals(prop) and prop.id not in self._cut:  # what lies on it lies on it alone
            key = (*key, "decals", prop.id)
        return _Task(prop, slot, look, key, finish)

    def _decals(self, prop: Prop) -> tuple[Decal, ...]:
        """The decals that lie on a prop, the lowest first."""
        if prop.id not in self._lying:
            project, library = self._project, self._library
            self._lying[prop.id] = decals_on(project, prop, lambda mesh: library.mesh_by_id(project, mesh))
        return self._lying[prop.id]

    def _look(self, prop: Prop, slot: str, finish: str) -> Look:
        material: Material = worn(self._project, finish) if finish else BARE
        values: dict[str, Number] = (
            field_row(self._project, finish, prop.values.get(slot)) if finish else field_values(BARE)
        )
        textures: dict[str, Texture] = {}
        read = material.sets_read(self._lookup)
        for map_set in self._project.map_sets:
            if map_set.id in read:
                textures |= {t.name: t for t in self._library.textures(map_set)}
        found = prop.paint_map if isinstance(prop.paint_map, PaintMap) else None
        if found is not None:
            textures[OWN_MAP.name] = Texture(OWN_MAP.name, False, (found.picture(),))
        return Look(material, values, self._lookup, textures, prop.seed, found, self._project.shared_at())

    def _baked(self, task: _Task) -> BakedMaps:
        if task.key not in self._done:
            data, baked = self._mesh(task.prop)
            slot = next((s for s in baked.mesh.slots if s.name == task.slot), None)
            if slot is None:
                raise KeyError(f"{task.prop.name} has no slot {task.slot!r}")
            colors = own_colors(task.prop)
            made = bake_slot(data, baked, slot, task.look, task.prop.matrix(), colors, self._side, self._job)
            decals = self._decals(task.prop) if task.prop.id not in self._cut else ()
            if decals:
                made = with_decals(made, baked, slot, task.prop, decals, self._project, self._library)
            self._done[task.key] = made
        return self._done[task.key]

    def _keep_unbaked(self, task: _Task) -> None:
        """Write a look with its own maps where that says all of it, and nothing lies on it."""
        if self._decals(task.prop) and task.prop.id not in self._cut:
            return
        own = unbaked(task.look, self._mesh(task.prop)[0], self._called(task), self._side)
        if own is not None:
            self._named.add(own.name)
            self._materials[task.key] = own
            self._note_inexact(task.look.material)
            self.told.append(f"{own.name} has its own maps, repeated as they are (KHR_texture_transform).")

    def _note_inexact(self, material: Material) -> None:
        kind = kind_of(material.kind)
        if kind.name in INEXACT:
            self.told.append(f"{material.name} is {kind.label.lower()}: {INEXACT[kind.name]}.")
        if is_filled(material):
            self.told.append(f"{material.name} has a fill under what is cut out, which this file does not have.")

    def _material(self, task: _Task) -> BakedMaterial:
        if task.key not in self._materials:
            self._keep_unbaked(task)
        if task.key not in self._materials:
            maps = self._baked(task)
            files = maps.png_files()
            material = task.look.material
            kind = kind_of(material.kind)
            alpha = kind.gltf
            if maps.is_cut and not kind.reads_opacity:
                alpha = "MASK" if _is_cut_out(maps.values["opacity"]) else "BLEND"
                self._note_opacity(task, alpha)
            else:
                self._note_inexact(material)
            if maps.values["transmission"].max() > 1 / 255:
                self.told.append(f"{material.name} lets light through, which this file does not say.")
            if settles(material):
                self.told.append(f"{material.name} takes on the look of the land it stands on, which no file says.")
            if alpha != "OPAQUE":
                files["base_color"] = maps.base_color_with_alpha(kind.unlit, kind.blend == "add")
            del self._done[task.key]  # the files are enough from here on
            self._materials[task.key] = BakedMaterial(
                self._name(task),
                files["base_color"],
                files["packed"],
                files["normal"],
                files.get("emissive"),
                max(maps.glow, 1.0),
                alpha,
                material.cut if kind.cut == "threshold" else 0.5,
                material.two_sided,
                kind.unlit,
                *maps.specular(),
            )
        return self._materials[task.key]

    def _name(self, task: _Task) -> str:
        name = self._called(task)
        self._named.add(name)
        return name

    def _called(self, task: _Task) -> str:
        """What a baked look is called: its finish, and the prop where that has several, as painted or placed."""
        found = [f.name for f in self._project.finishes if f.id == task.finish]
        found += [m.name for m in self._project.materials if m.id == task.finish]
        name = found[0] if found else f"{task.prop.name}, bare"
        if name in self._named:
            name = free_name(f"{name} on {task.prop.name}", self._named)
        return name


INEXACT = {
    "dithered": "glTF has no dither, so it is written as blended",
    "strands": "glTF has no light along strands, so it is written as a plain surface of that colour",
    "toned": "glTF has no light in two tones, so it is written as a plain surface of that colour",
    "additive": "glTF cannot add light, so it is written as blended and unlit",
    "glow": "glTF cannot add light, so it is written as blended and unlit, as it is now and from straight ahead",
}
"""What glTF cannot say of a surface kind, and what is written in its place."""


def _is_cut_out(opacity: Array) -> bool:
    """Whether an opacity is nearly all there or not there, as of leaves."""
    return bool(((opacity > 0.1) & (opacity < 0.9)).mean() < 0.2)


def _stretch(prop: Prop) -> tuple[float, ...]:
    """How a prop is stretched, whatever its size: that turns its normals."""
    return tuple(round(size / prop.size[0], 9) for size in prop.size)
