"""Keeps the render process in step with a project: sends what changed, and no more."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import cache

import numpy as np

from jade_coat.files.library import Library
from jade_coat.ground.pieces import Cell, Pieces
from jade_coat.looking.ground_lift import GroundLifts
from jade_coat.maps.covering import covering, threshold_of
from jade_coat.maps.mapset import MapSet
from jade_coat.maps.packing import PackedLookup, Texture
from jade_coat.material.compile import with_live_coat
from jade_coat.material.fields import Number
from jade_coat.material.kinds import kind_of
from jade_coat.material.material import Material
from jade_coat.material.paint_source import own_key
from jade_coat.material.specials import plain_id
from jade_coat.mesh import shapes
from jade_coat.mesh.data import FULL, MeshData
from jade_coat.mesh.makers import CardField
from jade_coat.mesh.painting import TILE, Paint, PaintMap
from jade_coat.stage.alone import NO_LOOKS, Look, single
from jade_coat.stage.coats_alone import alone_id, every_wear
from jade_coat.stage.draws import Scene, ScenePatch
from jade_coat.stage.ground_grids import own_grids
from jade_coat.stage.ground_nodes import NODE_MESH, node_mesh
from jade_coat.stage.grounds import Ground
from jade_coat.stage.lamps import LITTLE, Surroundings
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.redress import redressed
from jade_coat.stage.scene import SceneColumns
from jade_coat.stage.strewing import Due, Grown
from jade_coat.stage.things import Things
from jade_coat.stage.turns import STRAIGHT
from jade_coat.view.client import RenderClient
from jade_coat.view.environment import SKIES, Environment
from jade_coat.view.stand_ins import StandInMeshes

STAGE = "stage"
_DRESS = ("materials", "finishes", "map_sets", "recipes", "meshes", "categories")
"""What of a project the looks of its props follow from."""
PREVIEW = "preview"
SWATCH_MESH, SWATCH_CARD = "swatch mesh", "swatch card"
PREVIEW_SHAPES: dict[str, Callable[[], MeshData]] = {
    "tile": shapes.rail_tile, "plane": shapes.wall_piece, "ball": lambda: shapes.ball(0.5, 96), "rod": shapes.rod,
    "cloth": shapes.hanging_cloth,
}  # fmt: skip
SHAPE_LABELS = {"tile": "Bent tile", "plane": "Plane", "ball": "Ball", "rod": "Rod", "cloth": "Cloth"}


@cache
def swatch_tile() -> MeshData:
    """What finishes are shown on."""
    return painted(shapes.rail_tile())


@cache
def glow_card() -> MeshData:
    """What glows is shown on: a card, that no fade at the edge of a field reaches."""
    return CardField(
        over="box", radii=(0.0, 0.0, 0.0), count=1, size=(0.75, 0.75), spread=0.0, facing="ahead", roll=0.0
    ).mesh()


class StageLink:
    """One project's way to the renderer. Textures are loaded elsewhere and handed in by `textures_loaded`."""

    def __init__(self, client: RenderClient, library: Library, later: bool = False) -> None:
        """`later` leaves due what is much to strew (`due`, `grow`)."""
        self._client = client
        self._project: Project | None = None
        self._meshes = StandInMeshes(library)
        self.lifts = GroundLifts(library)
        self._columns = SceneColumns(self._meshes.of, _mesh_name, self.lifts.of, later)
        self.crowded: list[str] = []
        """Which dial tables are nearly full, in words."""
        self._lookup = PackedLookup(())
        self._open = ("", "")
        self._edited: dict[str, tuple[Material, str, Material]] = {}
        self._loaded: dict[MapSet, list[Texture]] = {}
        self._shapes: dict[str, MeshData] = {}
        self.skies: dict[tuple[str, float], Environment] = {}
        """Skies from pictures, by asset name and turn, once they are worked out."""
        self.time = 0.0
        """The time of the shared dials' tracks that is shown, seconds."""
        self.problems = self._meshes.problems
        """What is wrong with meshes that a plain box stands in for, by mesh id."""
        client.drop_all()
        client.set_scene(STAGE, Scene())

    @property
    def lookup(self) -> PackedLookup:
        """Where the present project's maps are read from."""
        return self._lookup

    def mesh_of(self, project: Project, mesh_id: str) -> MeshData:
        """The data of a mesh of some state of the project. Safe to ask from other threads."""
        return self._meshes.of(project, mesh_id)

    def mesh_data(self, mesh_id: str) -> MeshData:
        """A mesh of the present project; a plain box stands in for one that cannot be read."""
        assert self._project is not None
        return self._meshes.of(self._project, mesh_id)

    def unsent_sets(self, project: Project) -> list[MapSet]:
        """The map sets in use or at hand whose textures have not been loaded yet."""
        return [s for s in project.map_sets if s not in self._loaded]

    def textures_loaded(self, map_set: MapSet, textures: list[Texture]) -> None:
        """Take a map set's textures, and send them to the materials of the stage that read them."""
        self._loaded[map_set] = textures
        if self._project is not None:
            for material in self._columns.materials.values():
                if map_set.id in material.sets_read(self._lookup):
                    self._give(material, self._project)

    def open_coat(self, material_id: str, coat: str) -> bool:
        """Make ready for fields of a coat being turned, instead of those of the one before; whether it was another."""
        if (material_id, coat) == self._open:
            return False
        before, self._open = self._open[0], (material_id, coat)
        self._edited.clear()
        project, ids = self._project, []
        for material in every_wear(project, {before, material_id}) if project is not None else ():
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
        lookup = lookup or self._lookup
        material, wanted = self._as_edited(material), material.sets_read(lookup)
        sets = (self._loaded.get(s, ()) for s in project.map_sets if s.id in wanted)
        threshold = threshold_of(material)
        textures = {t.name: covering(t, threshold) for found in sets for t in found}
        self._client.set_material(material, lookup, textures)

    def play(self, project: Project, time: float) -> None:
        """Show the shared dials at a time of their tracks."""
        self.time = time
        self._client.set_shared(project.shared_at(time))
        self._pose(project)

    def _pose(self, project: Project) -> None:
        """Put the meshes that move where they are now."""
        for name, mesh in self._columns.meshes.items():
            self._client.pose_mesh(name, project.mesh(mesh).clip, self.time)

    def light(self, project: Project, quick: bool = False) -> None:
        """Send a project's light; a sky that is still being worked out leaves the hazy morning in its place."""
        light = project.light
        sky: str | Environment = light.sky
        if light.sky not in SKIES:
            sky = self.skies.get((light.sky, light.sky_turn), "morning")
        self._client.set_light(light.direction(), light.strength, sky, quick)
        self._client.set_shared(project.shared_at(self.time))

    def sync(self, project: Project) -> bool:
        """Send what differs from the project last sent; whether anything did."""
        before, self._project = self._project, project
        if before is not None and not project.differs_from(before):
            return False
        if before is None or (before.map_sets, before.recipes) != (project.map_sets, project.recipes):
            self._lookup = PackedLookup(project.map_sets, project.recipes)
        if before is None or before.map_sets is not project.map_sets:
            near = {*project.map_sets, *(before.map_sets if before else ())}
            self._loaded = {s: textures for s, textures in self._loaded.items() if s in near}
        patch = self._columns.update(project)
        self.crowded = self._columns.crowded() if patch.tables or patch.rows else self.crowded
        dressed = before is None or any(getattr(before, n) is not getattr(project, n) for n in _DRESS)
        laid = before is None or before.grounds is not project.grounds
        if dressed or laid or patch.decals or any(p.made is not None for p in patch.draws.values()):
            for material in self._columns.materials.values():
                self._give(material, project)
            self._put_meshes(self._columns.meshes, project)
        if before is None or before.light is not project.light:
            self.light(project)
        if before is None or before.shared is not project.shared or before.wind is not project.wind:
            self._client.set_shared(project.shared_at(self.time))
        self._sync_paint(before, project)
        self._paint_again(patch, project)
        self._sync_grounds(before, project)
        if dressed or patch:
            self._pose(project)
        if patch:
            self._client.patch_scene(STAGE, patch)
            self._client.sweep()
        return True

    def _put_meshes(self, meshes: Mapping[str, str], project: Project) -> None:
        """Send meshes of a project by the names that draws know them by."""
        measured = {stream for material in project.materials for stream in material.measured(self._lookup)}
        for name, mesh in meshes.items():
            self._client.put_mesh(name, self._meshes.of(project, mesh), measured)

    def _sync_paint(self, before: Project | None, project: Project) -> None:
        for old, prop in project.props.changed_from(before.props if before else Things()):
            now = prop.paint_map if prop is not None else None
            if prop is not None and isinstance(now, PaintMap):
                self._client.put_map(prop.id, now)
            elif old is not None and isinstance(old.paint_map, PaintMap):
                self._client.drop_map(old.id)
            paint, last = prop.paint if prop is not None else None, old.paint if old is not None else None
            if prop is None or not isinstance(paint, Paint) or paint is last:
                continue
            known = self._client.paint_of(prop.id)
            if not isinstance(last, Paint) or known is None or known.shape != (paint.count, paint.channels):
                self._client.put_paint(prop.id, paint.whole())
                continue
            for tile in paint.changed_tiles(last):
                start = tile * TILE
                if not np.array_equal(known[start : start + TILE], paint.tiles[tile]):
                    self._client.patch_paint(prop.id, start, paint.tiles[tile])

    def _paint_again(self, patch: ScenePatch, project: Project) -> None:
        """Send the paint of props that are drawn again, unchanged: it was let go while nothing showed them."""
        shown: set[str] = set()
        for part in patch.draws.values():
            shown |= {*part.paints.values()}
            if part.made is not None:
                shown |= {part.made.paint, *part.made.paints.values()}
        for prop in (project.props.get(name) for name in shown):
            if prop is not None and isinstance(prop.paint, Paint) and self._client.paint_of(prop.id) is None:
                self._client.put_paint(prop.id, prop.paint.whole())
            if prop is not None and isinstance(prop.paint_map, PaintMap):
                self._client.put_map(prop.id, prop.paint_map)

    def _sync_grounds(self, before: Project | None, project: Project) -> None:
        """Send what differs of the heights and the weights of grounds."""
        if before is not None and before.grounds is project.grounds and before.groups is project.groups:
            return
        for ground in project.grounds:
            if project.shows(ground):
                self._put_ground(ground)

    def _put_ground(self, ground: Ground) -> None:
        self._client.put_mesh(NODE_MESH, node_mesh())
        for texture, grids in own_grids(ground).items():
            self._client.put_grids(own_key(ground.id, texture), grids)

    def repaint(self, prop_id: str) -> None:
        """Send a prop's paint as the project has it, over what was shown of a stroke that is given up."""
        prop = self._project.props.get(prop_id) if self._project else None
        if prop is None:
            return
        if isinstance(prop.paint_map, PaintMap):
            self._client.put_map(prop.id, prop.paint_map)
        if isinstance(prop.paint, Paint):
            self._client.put_paint(prop.id, prop.paint.whole())

    def show_other(self, scene: str, project: Project) -> None:
        """Put another state of the project into a scene of its own, beside the stage: to compare."""
        before = self._project
        apart = {m.id: f"{scene}/{m.id}" for m in project.materials}
        materials = tuple(m.with_(id=apart[m.id]) for m in project.materials)
        finishes = tuple(f.with_(parent=apart.get(f.parent, f.parent)) for f in project.finishes)
        other = redressed(project, lambda f: apart.get(f, f))
        props = []
        for prop, moved in zip(project.props, other.props, strict=True):
            own = before.props.get(prop.id) if before else None
            if own is None or prop.paint is not own.paint or prop.paint_map is not own.paint_map:
                moved = moved.with_(id=f"{scene}/{prop.id}")
                if isinstance(prop.paint, Paint):
                    self._client.put_paint(moved.id, prop.paint.whole())
                if isinstance(prop.paint_map, PaintMap):
                    self._client.put_map(moved.id, prop.paint_map)
            props.append(moved)
        grounds = tuple(g.with_(id=f"{scene}/{g.id}") for g in other.grounds)
        other = other.with_(materials=materials, finishes=finishes, props=tuple(props), grounds=grounds)
        columns, made, lookup = self._columns.beside(project, scene), Scene(), self._lookup
        columns.update(other).apply(made)
        if before is None or (before.map_sets, before.recipes) != (project.map_sets, project.recipes):
            lookup = PackedLookup(project.map_sets, project.recipes)
        for material in columns.materials.values():
            self._give(material, project, lookup)
        self._put_meshes(columns.meshes, other)
        for ground in grounds:
            if other.shows(ground):
                self._put_ground(ground)
        self._client.set_scene(scene, made)
        self._client.sweep()

    def hide(self, scene: str) -> None:
        """Let go of a scene beside the stage that is not shown any more, and of the pictures called like it."""
        self._client.drop_scenes((scene,))

    def pieces(self, ground: str, scatter: str) -> Mapping[Cell, Pieces]:
        """The pieces of a scatter of the present project, by cell."""
        return self._columns.strewing.pieces(ground, scatter)

    def stands(self, ground: str, scatter: str) -> bool:
        """Whether a scatter of the present project is strewn as it is to be."""
        return self._columns.strewing.stands(ground, scatter)

    @property
    def due(self) -> Due | None:
        """Scatters of the present project that are to be strewn, wherever that keeps nobody waiting."""
        return self._columns.due

    def grow(self, due: Due, grown: Grown) -> None:
        """Take what was due, and send it."""
        patch = self._columns.grow(due, grown)
        if patch:
            self._client.patch_scene(STAGE, patch)

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
        assert self._project is not None
        around = Surroundings(exposure=self._project.light.exposure)
        self._show_alone(PREVIEW, f"preview {shape}", self.preview_mesh(shape), material, values, around)

    def show_look(self, scene: str, material: Material, values: dict[str, Number]) -> None:
        """Put a look on the swatch form, or what glows on a card, as a scene of its own."""
        mesh = (SWATCH_CARD, glow_card()) if kind_of(material.kind).part == "glow" else (SWATCH_MESH, swatch_tile())
        self._show_alone(scene, *mesh, material, values, LITTLE)

    def show_made(
        self, scene: str, mesh: MeshData, material: Material, values: dict[str, Number],
        others: Mapping[str, Look] = NO_LOOKS,
    ) -> None:  # fmt: skip
        """Put a mesh that is still being made into a scene of its own, in a look; some slots in looks of their own."""
        assert self._project is not None
        around = Surroundings(exposure=self._project.light.exposure)
        self._show_alone(scene, f"{scene} mesh", mesh, material, values, around, others)

    def show_model(self, scene: str, prop: Prop) -> None:
        """Put one prop of the present project alone at the origin, upright, as a scene of its own."""
        project = self._project
        assert project is not None
        alone = prop.with_(position=(0.0, 0.0, 0.0), turn=STRAIGHT, size=(1.0, 1.0, 1.0), parent="", visible=True)
        other, columns, made = (
            project.alone(alone),
            SceneColumns(self._meshes.of, _mesh_name),
            Scene(),
        )
        columns.update(other).apply(made)
        made.surroundings = LITTLE
        for material in columns.materials.values():
            self._give(material, project)
        self._put_meshes(columns.meshes, other)
        self._client.set_scene(scene, made)

    def _show_alone(
        self, scene: str, key: str, mesh: MeshData, material: Material, values: dict[str, Number],
        around: Surroundings, others: Mapping[str, Look] = NO_LOOKS,
    ) -> None:  # fmt: skip
        assert self._project is not None
        self._client.put_mesh(key, mesh, material.measured(self._lookup))
        self._give(material, self._project)
        for other, _ in others.values():
            self._give(other, self._project)
        made = single(key, mesh, material, values, others)
        made.surroundings = around
        self._client.set_scene(scene, made)


def painted(mesh: MeshData) -> MeshData:
    """A form with paint that rises from its top to its foot in all channels, so that painted coats show."""
    y = mesh.positions[:, 1]
    amount = np.clip(0.62 - 1.5 * (y - y.min()) / max(float(np.ptp(y)), 1e-6), 0, 1) * FULL
    return mesh.with_(colors=(np.repeat(amount[:, None], 4, axis=1).astype(np.uint16),))


def _mesh_name(project: Project, mesh: str) -> str:
    """Draws name meshes by what they hold, not by their ids in a project."""
    return project.mesh(mesh).asset
