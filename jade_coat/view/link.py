"""Keeps the render process in step with a project: sends what changed, and no more."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

import numpy as np

from jade_coat.files.library import Library
from jade_coat.maps.mapset import MapSet
from jade_coat.maps.packing import PackedLookup, Texture
from jade_coat.material.compile import with_live_coat
from jade_coat.material.fields import Number
from jade_coat.material.material import Coat, Material, plain_id
from jade_coat.mesh import shapes
from jade_coat.mesh.data import FULL, BadMesh, MeshData, Slot
from jade_coat.mesh.painting import TILE, Paint, PaintMap
from jade_coat.program.types import Array
from jade_coat.stage.draws import Draw, Scene
from jade_coat.stage.looks import material_of, worn, worn_materials
from jade_coat.stage.project import Project
from jade_coat.stage.rows import KeptRows
from jade_coat.stage.scene import BARE, build_scene, moved_props, single
from jade_coat.stage.shared_dials import shared_values
from jade_coat.view.client import RenderClient
from jade_coat.view.environment import SKIES, Environment

STAGE = "stage"
PREVIEW = "preview"
SWATCH_MESH = "swatch mesh"
PREVIEW_SHAPES: dict[str, Callable[[], MeshData]] = {
    "tile": shapes.rail_tile, "plane": shapes.wall_piece, "ball": lambda: shapes.ball(0.5, 96), "rod": shapes.rod,
    "cloth": shapes.hanging_cloth,
}  # fmt: skip
SHAPE_LABELS = {"tile": "Bent tile", "plane": "Plane", "ball": "Ball", "rod": "Rod", "cloth": "Cloth"}


class StageLink:
    """One project's way to the renderer. Textures are loaded elsewhere and handed in by `textures_loaded`."""

    def __init__(self, client: RenderClient, library: Library) -> None:
        self._client, self._library = client, library
        self._project: Project | None = None
        self._scene = Scene()
        self._rows = KeptRows()
        self._instances: dict[int, list[tuple[int, int]]] | None = None
        """Where the instances of each prop lie in the scene's draws; worked out when one is moved."""
        self._lookup = PackedLookup(())
        self._open = ("", "")
        self._edited: dict[str, tuple[Material, str, Material]] = {}
        self._loaded: dict[MapSet, list[Texture]] = {}
        self._broken: dict[str, MeshData] = {}
        self._shapes: dict[str, MeshData] = {}
        self.skies: dict[tuple[str, float], Environment] = {}
        """Skies from pictures, by asset name and turn, once they are worked out."""
        self.time = 0.0
        """The time of the shared dials' tracks that is shown, seconds."""
        self.problems: dict[str, str] = {}
        """What is wrong with meshes that a plain box stands in for, by mesh id."""
        self._swatch = painted(shapes.rail_tile())
        client.drop_all()

    @property
    def lookup(self) -> PackedLookup:
        """Where the present project's maps are read from."""
        return self._lookup

    def mesh_data(self, mesh_id: str) -> MeshData:
        """A mesh of the present project; a plain box stands in for one that cannot be read."""
        assert self._project is not None
        return self._mesh_of(self._project, mesh_id)

    def _mesh_of(self, project: Project, mesh_id: str) -> MeshData:
        asset = project.mesh(mesh_id)
        if asset.asset in self._broken:
            return self._broken[asset.asset]
        try:
            return self._library.mesh(asset)
        except (OSError, BadMesh) as error:
            self.problems[asset.id] = str(error)
            box = shapes.box(0.5, 0.5, 0.5)
            slot = asset.slots[0] if asset.slots else "surface"
            stand_in = box.with_(slots=(Slot(slot, 0, len(box.triangles)),))
            self._broken[asset.asset] = stand_in
            return stand_in

    def unsent_sets(self, project: Project) -> list[MapSet]:
        """The map sets in use or at hand whose textures have not been loaded yet."""
        return [s for s in project.map_sets if s not in self._loaded]

    def textures_loaded(self, map_set: MapSet, textures: list[Texture]) -> None:
        """Take a map set's textures, and send them to the materials of the stage that read them."""
        self._loaded[map_set] = textures
        if self._project is not None:
            for material in worn_materials(self._project):
                if map_set.id in material.map_sets and material.id in self._scene.rows:
                    self._give(material, self._project)

    def open_coat(self, material_id: str, coat: str) -> bool:
        """Make ready for fields of a coat being turned, instead of those of the one before; whether it was another."""
        if (material_id, coat) == self._open:
            return False
        before, self._open = self._open[0], (material_id, coat)
        self._edited.clear()
        project, ids = self._project, []
        for material in _every_wear(project, {before, material_id}) if project is not None else ():
            if project is not None and self._client.has_material(material.id):
                self._give(material, project)
                ids.append(material.id)
        self._client.compile_ahead(ids)
        return True

    def _as_edited(self, material: Material) -> Material:
        """What the renderer is given for a material: one whose fields are being turned reads them all from its row."""
        owner, coat = self._open
        own_id = plain_id(material.id.rpartition("/")[2])
        if own_id not in (owner, alone_id(owner, coat)) or all(c.id != coat for c in material.coats):
            return material
        known = self._edited.get(material.id)
        if known is None or known[0] is not material or known[1] != coat:
            self._edited[material.id] = known = (material, coat, with_live_coat(material, coat))
        return known[2]

    def _give(self, material: Material, project: Project, lookup: PackedLookup | None = None) -> None:
        """Send a material with those textures of a project's map sets that are loaded."""
        material, wanted = self._as_edited(material), material.map_sets
        sets = (self._loaded.get(s, ()) for s in project.map_sets if s.id in wanted)
        self._client.set_material(material, lookup or self._lookup, {t.name: t for found in sets for t in found})

    def play(self, project: Project, time: float) -> None:
        """Show the shared dials at a time of their tracks."""
        self.time = time
        self._client.set_shared(shared_values(project.shared, time))

    def light(self, project: Project, quick: bool = False) -> None:
        """Send a project's light; a sky that is still being worked out leaves the hazy morning in its place."""
        light = project.light
        sky: str | Environment = light.sky
        if light.sky not in SKIES:
            sky = self.skies.get((light.sky, light.sky_turn), "morning")
        self._client.set_light(light.direction(), light.strength, sky, quick)

    def sync(self, project: Project) -> bool:
        """Send what differs from the project last sent; whether anything did."""
        before, self._project = self._project, project
        if before is not None and not project.differs_from(before):
            return False
        moved = moved_props(before, project) if before is not None else None
        if moved is not None:
            self._place(project, moved)
            return True
        if before is None or (before.map_sets, before.recipes) != (project.map_sets, project.recipes):
            self._lookup = PackedLookup(project.map_sets, project.recipes)
        near = {*project.map_sets, *(before.map_sets if before else ())}
        self._loaded = {s: textures for s, textures in self._loaded.items() if s in near}
        scene = build_scene(project, self.mesh_data, self._rows)
        for material in (BARE, *worn_materials(project)):
            if material.id in scene.rows:
                self._give(material, project)
        self._put_meshes(scene, project, any(m.reads_bend(self._lookup) for m in project.materials))
        self.light(project)
        self._client.set_shared(shared_values(project.shared, self.time))
        self._sync_paint(before, project)
        self._sync_scene(self._keyed(scene, project))
        return True

    def _place(self, project: Project, moved: list[int]) -> None:
        """Let props stand elsewhere: only their instances are sent."""
        if self._instances is None:
            self._instances = {}
            for d, draw in enumerate(self._scene.draws):
                for i, number in enumerate(draw.props.tolist()):
                    self._instances.setdefault(number, []).append((d, i))
        places: dict[int, list[tuple[int, Array]]] = {}
        for number in moved:
            matrix = project.props[number].matrix().astype(np.float32)
            for d, i in self._instances.get(number, ()):
                places.setdefault(d, []).append((i, matrix))
        for d, found in places.items():
            self._client.place(STAGE, d, np.array([i for i, _ in found]), np.stack([m for _, m in found]))

    def _put_meshes(self, scene: Scene, project: Project, bent: bool) -> None:
        for mesh_id in dict.fromkeys(d.mesh for d in scene.draws):
            key = project.mesh(mesh_id).asset
            self._client.put_mesh(key, self._mesh_of(project, mesh_id), _bend(bent))

    @staticmethod
    def _keyed(scene: Scene, project: Project) -> Scene:
        """A scene whose draws name meshes by what they hold, not by their ids in a project."""
        return Scene(tuple(replace(d, mesh=project.mesh(d.mesh).asset) for d in scene.draws), scene.rows)

    def _sync_paint(self, before: Project | None, project: Project) -> None:
        old = {p.id: p.paint for p in before.props} if before else {}
        self._client.keep_maps({p.id for p in project.props if isinstance(p.paint_map, PaintMap)})
        for prop in project.props:
            if isinstance(prop.paint_map, PaintMap):
                self._client.put_map(prop.id, prop.paint_map)
            paint, last = prop.paint, old.get(prop.id)
            if not isinstance(paint, Paint) or paint is last:
                continue
            known = self._client.paint_of(prop.id)
            if not isinstance(last, Paint) or known is None or known.shape != (paint.count, paint.channels):
                self._client.put_paint(prop.id, paint.whole())
                continue
            for tile in paint.changed_tiles(last):
                start = tile * TILE
                if not np.array_equal(known[start : start + TILE], paint.tiles[tile]):
                    self._client.patch_paint(prop.id, start, paint.tiles[tile])

    def repaint(self, prop_id: str) -> None:
        """Send a prop's paint as the project has it, over what was shown of a stroke that is given up."""
        prop = next((p for p in self._project.props if p.id == prop_id), None) if self._project else None
        if prop is None:
            return
        if isinstance(prop.paint_map, PaintMap):
            self._client.put_map(prop.id, prop.paint_map)
        if isinstance(prop.paint, Paint):
            self._client.put_paint(prop.id, prop.paint.whole())

    def _sync_scene(self, scene: Scene) -> None:
        old, self._scene = self._scene, scene
        self._instances = None
        if not _same_draws(old, scene):
            self._client.set_scene(STAGE, Scene(scene.draws, {k: v.copy() for k, v in scene.rows.items()}))
            self._client.sweep()
            return
        self._scene = Scene(old.draws, scene.rows)  # the client's own matrices, which follow what is moved
        for name, rows in scene.rows.items():
            for index in np.flatnonzero((rows != old.rows[name]).any(axis=1)):
                self._client.set_row(STAGE, name, int(index), rows[index])

    def show_other(self, scene: str, project: Project) -> None:
        """Put another state of the project into a scene of its own, beside the stage: to compare."""
        before = self._project
        apart = {m.id: f"{scene}/{m.id}" for m in project.materials}
        materials = tuple(m.with_(id=apart[m.id]) for m in project.materials)
        finishes = tuple(f.with_(parent=apart.get(f.parent, f.parent)) for f in project.finishes)
        own = {p.id: (p.paint, p.paint_map) for p in before.props} if before else {}
        props = []
        for prop in project.props:
            moved = prop.with_(finishes={s: apart.get(f, f) for s, f in prop.finishes.items()})
            paint, paint_map = own.get(prop.id, (None, None))
            if prop.paint is not paint or prop.paint_map is not paint_map:
                moved = moved.with_(id=f"{scene}/{prop.id}")
                if isinstance(prop.paint, Paint):
                    self._client.put_paint(moved.id, prop.paint.whole())
                if isinstance(prop.paint_map, PaintMap):
                    self._client.put_map(moved.id, prop.paint_map)
            props.append(moved)
        other = project.with_(materials=materials, finishes=finishes, props=tuple(props))
        made, lookup = build_scene(other, partial(self._mesh_of, other)), self._lookup
        if before is None or (before.map_sets, before.recipes) != (project.map_sets, project.recipes):
            lookup = PackedLookup(project.map_sets, project.recipes)
        for material in worn_materials(other):
            if material.id in made.rows:
                self._give(material, project, lookup)
        self._put_meshes(made, other, any(m.reads_bend(lookup) for m in other.materials))
        self._client.set_scene(scene, self._keyed(made, other))
        self._client.sweep()

    def hide(self, scene: str) -> None:
        """Let go of a scene beside the stage that is not shown any more, and of the pictures called like it."""
        self._client.drop_scenes((scene,))

    def measure_edges(self, mesh_id: str) -> None:
        """Send how long a mesh's edges are, for marks; for a large mesh call it once that is worked out."""
        assert self._project is not None
        self._client.put_mesh(self.mesh_key(mesh_id), self.mesh_data(mesh_id), ("edge",))

    def mesh_key(self, mesh_id: str) -> str:
        """The name under which the renderer knows a mesh of the present project."""
        assert self._project is not None
        return self._project.mesh(mesh_id).asset

    def preview_mesh(self, shape: str) -> MeshData:
        """The mesh of a preview shape."""
        if shape not in self._shapes:
            self._shapes[shape] = painted(PREVIEW_SHAPES[shape]())
        return self._shapes[shape]

    def show_preview(self, shape: str, material: Material, values: dict[str, Number]) -> None:
        """Put a look on a preview shape, in the scene `PREVIEW`."""
        self._show_alone(PREVIEW, f"preview {shape}", self.preview_mesh(shape), material, values)

    def show_look(self, scene: str, material: Material, values: dict[str, Number]) -> None:
        """Put a look on the swatch form, as a scene of its own."""
        self._show_alone(scene, SWATCH_MESH, self._swatch, material, values)

    def _show_alone(self, scene: str, key: str, mesh: MeshData, material: Material, values: dict[str, Number]) -> None:
        assert self._project is not None
        self._client.put_mesh(key, mesh, _bend(material.reads_bend(self._lookup)))
        self._give(material, self._project)
        self._client.set_scene(scene, single(key, mesh, material, values))


def _every_wear(project: Project, owners: set[str]) -> list[Material]:
    """Some materials, with all that dials of their finishes make of them, and their coats alone."""
    looks = [m.id for m in project.materials if m.id in owners]
    looks += [f.id for f in project.finishes if material_of(project, f.id).id in owners]
    worn_ones = {m.id: m for m in (worn(project, look) for look in looks)}
    alone = [coat_alone(m, c) for m in project.materials if m.id in owners for c in m.coats]
    return [*worn_ones.values(), *alone]


def coat_alone(material: Material, coat: Coat) -> Material:
    """A material of one coat only, under an id of its own."""
    bare = coat.with_(where=(), amount=1.0, shown=True)
    own = {name: getattr(material, name) for name in ("depth", "kind", "cut", "two_sided")}
    return Material(id=alone_id(material.id, coat.id), name=coat.name, coats=(bare,), **own)


def alone_id(material: str, coat: str) -> str:
    """The id of a material that shows one coat of another alone."""
    return f"coat:{material}:{coat}"


def _bend(wanted: bool) -> tuple[str, ...]:
    return ("curvature",) if wanted else ()


def painted(mesh: MeshData) -> MeshData:
    """A form with paint that rises from its top to its foot in all channels, so that painted coats show."""
    y = mesh.positions[:, 1]
    amount = np.clip(0.62 - 1.5 * (y - y.min()) / max(float(np.ptp(y)), 1e-6), 0, 1) * FULL
    return mesh.with_(colors=(np.repeat(amount[:, None], 4, axis=1).astype(np.uint16),))


def _same_draws(a: Scene, b: Scene) -> bool:
    if len(a.draws) != len(b.draws) or {k: v.shape for k, v in a.rows.items()} != {
        k: v.shape for k, v in b.rows.items()
    }:
        return False
    return all(_same_draw(x, y) for x, y in zip(a.draws, b.draws, strict=True))


def _same_draw(a: Draw, b: Draw) -> bool:
    names = ("mesh", "paint", "start", "count", "material", "on_map")
    same = all(getattr(a, n) == getattr(b, n) for n in names)
    return same and all(np.array_equal(getattr(a, n), getattr(b, n)) for n in ("matrices", "rows", "props", "seeds"))
