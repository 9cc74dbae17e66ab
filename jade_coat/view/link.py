"""Keeps the render process in step with a project: sends what changed, and no more."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from jade_coat.files.library import Library
from jade_coat.maps.mapset import MapSet
from jade_coat.maps.packing import PackedLookup, Texture
from jade_coat.material.fields import Number
from jade_coat.material.material import Material
from jade_coat.mesh import shapes
from jade_coat.mesh.data import FULL, BadMesh, MeshData, Slot
from jade_coat.mesh.painting import TILE, Paint, PaintMap
from jade_coat.stage.draws import Draw, Scene
from jade_coat.stage.looks import worn_materials
from jade_coat.stage.project import Project
from jade_coat.stage.rows import KeptRows
from jade_coat.stage.scene import BARE, build_scene, single
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
        self._lookup = PackedLookup(())
        self._sent: set[MapSet] = set()
        self._broken: dict[str, MeshData] = {}
        self._shapes: dict[str, MeshData] = {}
        self.skies: dict[tuple[str, float], Environment] = {}
        """Skies from pictures, by asset name and turn, once they are worked out."""
        self.time = 0.0
        """The time of the shared dials' tracks that is shown, seconds."""
        self.problems: dict[str, str] = {}
        """What is wrong with meshes that a plain box stands in for, by mesh id."""
        swatch = painted(shapes.rail_tile())
        client.put_mesh(SWATCH_MESH, swatch)
        self._swatch = swatch

    @property
    def lookup(self) -> PackedLookup:
        """Where the present project's maps are read from."""
        return self._lookup

    def mesh_data(self, mesh_id: str) -> MeshData:
        """A mesh of the present project; a plain box stands in for one that cannot be read."""
        assert self._project is not None
        asset = self._project.mesh(mesh_id)
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
        """The map sets in use or at hand whose textures the renderer does not have yet."""
        return [s for s in project.map_sets if s not in self._sent]

    def textures_loaded(self, map_set: MapSet, textures: list[Texture]) -> None:
        """Send a map set's textures."""
        self._sent.add(map_set)
        for texture in textures:
            self._client.put_texture(texture)

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
        if before is not None and before.with_(camera=project.camera) == project:
            return False
        if before is None or (before.map_sets, before.recipes) != (project.map_sets, project.recipes):
            self._lookup = PackedLookup(project.map_sets, project.recipes)
        self._client.set_material(BARE, self._lookup)
        for material in worn_materials(project):
            self._client.set_material(material, self._lookup)
        bent = _bend(any(m.reads_bend(self._lookup) for m in project.materials))
        for asset in project.meshes:
            self._client.put_mesh(asset.id, self.mesh_data(asset.id), bent)
        self.light(project)
        self._client.set_shared(shared_values(project.shared, self.time))
        self._sync_paint(before, project)
        self._sync_scene(build_scene(project, self.mesh_data, self._rows))
        return True

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
        if not _same_draws(old, scene):
            self._client.set_scene(STAGE, Scene(scene.draws, {k: v.copy() for k, v in scene.rows.items()}))
            return
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
        for material in worn_materials(other):
            self._client.set_material(material, PackedLookup(project.map_sets, project.recipes))
        self._client.set_scene(scene, build_scene(other, self.mesh_data))

    def measure_edges(self, mesh_id: str) -> None:
        """Send how long a mesh's edges are, for marks; for a large mesh call it once that is worked out."""
        self._client.put_mesh(mesh_id, self.mesh_data(mesh_id), ("edge",))

    def preview_mesh(self, shape: str) -> MeshData:
        """The mesh of a preview shape."""
        if shape not in self._shapes:
            self._shapes[shape] = painted(PREVIEW_SHAPES[shape]())
        return self._shapes[shape]

    def show_preview(self, shape: str, material: Material, values: dict[str, Number]) -> None:
        """Put a look on a preview shape, in the scene `PREVIEW`."""
        mesh = self.preview_mesh(shape)
        self._client.put_mesh(f"preview {shape}", mesh, _bend(material.reads_bend(self._lookup)))
        self._client.set_material(material, self._lookup)
        self._client.set_scene(PREVIEW, single(f"preview {shape}", mesh, material, values))

    def show_look(self, scene: str, material: Material, values: dict[str, Number]) -> None:
        """Put a look on the swatch form, as a scene of its own."""
        self._client.put_mesh(SWATCH_MESH, self._swatch, _bend(material.reads_bend(self._lookup)))
        self._client.set_material(material, self._lookup)
        self._client.set_scene(scene, single(SWATCH_MESH, self._swatch, material, values))


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
