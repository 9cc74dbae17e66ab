"""Hands a ground over as open files: heights, weights, baked maps, puddles, a GLB, and all that is strewn on it."""

from __future__ import annotations

import csv
import io
import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

import numpy as np
from scipy.spatial.transform import Rotation

from jade_coat.bake.baker import BakedMaps
from jade_coat.bake.scene_bake import SceneBaker
from jade_coat.files.atomic import write_all
from jade_coat.files.gltf_writer import BakedMaterial, BakedProp, Instances, scene_glb
from jade_coat.files.height_files import heights_bytes
from jade_coat.files.library import Library
from jade_coat.files.names import file_name
from jade_coat.ground.kernels import bilinear
from jade_coat.ground.paths import GroundPath, line_of
from jade_coat.ground.pieces import Pieces
from jade_coat.ground.scatter import Scatter, values_of
from jade_coat.jobs.job import Job
from jade_coat.looking.ground_lift import GroundLifts
from jade_coat.looking.ground_look import GroundLook
from jade_coat.maps.images import png_bytes, quantized
from jade_coat.material.fields import Bounded, option
from jade_coat.material.quantity import OUTPUTS, QUANTITIES
from jade_coat.mesh.building import build_mesh
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.shapes import grid_triangles
from jade_coat.program.types import Array
from jade_coat.stage.ground_grids import CHANNELS
from jade_coat.stage.ground_water import holds_water
from jade_coat.stage.grounds import Ground
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.strewing import Strewing

SHEET = "ground.json"
PACKED = "occlusion_roughness_metallic"
STREWN_SIDE = 512
"""Texels along the maps of what is strewn."""
FRAME_GRID = 257
"""Samples along the longer edge of the mesh whose frame normals are told in, where no GLB is asked for."""
HEIGHT_WORDS = {".tif": "GeoTIFF", ".png": "16-bit PNG", ".exr": "EXR", ".npy": "NumPy", "": "no"}
BAKED_WORDS = {"": "no", "512": "512", "1024": "1024", "2048": "2048", "4096": "4096"}
GRID_WORDS = {"": "no", "65": "65 a side", "129": "129 a side", "257": "257 a side", "513": "513 a side"}
STREWN_WORDS = {"both": "GLB and tables", "glb": "in the GLB", "tables": "CSV and JSON", "": "no"}


class GroundFiles(Bounded):
    """What is written of a ground, and how finely."""

    heights: Literal[".tif", ".png", ".exr", ".npy", ""] = option(".tif", "Heights", "choice", HEIGHT_WORDS)
    weights: Literal["yes", ""] = option(
        "yes",
        "Layers",
        "choice",
        {"yes": "weights as PNG", "": "no"},
        hint="What was painted of each layer, four a file",
    )
    baked: Literal["", "512", "1024", "2048", "4096"] = option(
        "1024",
        "Baked maps",
        "choice",
        BAKED_WORDS,
        hint="Colour, normal, roughness and height: texels along its longer edge",
    )
    puddles: Literal["yes", ""] = option(
        "yes", "Puddles", "choice", {"yes": "a mask as PNG", "": "no"}, hint="Where water stands, for whatever asks"
    )
    grid: Literal["", "65", "129", "257", "513"] = option("129", "GLB", "choice", GRID_WORDS, hint="The land as a mesh")
    strewn: Literal["both", "glb", "tables", ""] = option("both", "What is strewn", "choice", STREWN_WORDS)


@dataclass(frozen=True)
class GroundWritten:
    """The files that were written, their size in bytes, and what is worth knowing, in words."""

    paths: tuple[Path, ...]
    nbytes: int
    told: tuple[str, ...]


def hand_over(
    project: Project, library: Library, ground: str, wanted: GroundFiles, folder: Path, job: Job
) -> GroundWritten:
    """Write a ground's files into a folder, all of them or none; `ground.json` says what they are.

    Raises Cancelled, WriteFailed, KeyError for a ground that is not there, and what reading maps and meshes raises.
    """
    if ground not in project.grounds:
        raise KeyError(f"there is no ground {ground!r}")
    making = _Making(project, library, project.grounds[ground], wanted, job)
    making.make()
    job.part(0.97, 1.0)
    job.step(0.5, "Writing the files")
    paths = write_all(folder, making.files)
    return GroundWritten(tuple(paths), sum(len(d) for d in making.files.values()), tuple(dict.fromkeys(making.told)))


def _told_path(ground: Ground, path: GroundPath) -> dict[str, Any]:
    """A path as the sheet tells it: its line in the world, on the heights, metres."""
    line = line_of(path)
    high = ground.foot + ground.heights.at(line)
    world = np.stack([line[:, 0] + ground.corner[0], high, line[:, 1] + ground.corner[1]], axis=1)
    return {
        "name": path.name, "width_metres": path.width, "closed": path.closed, "line": np.round(world, 4).tolist(),
    }  # fmt: skip


class _Making:
    """The files of one ground as they come about."""

    def __init__(self, project: Project, library: Library, ground: Ground, wanted: GroundFiles, job: Job) -> None:
        self._project, self._library, self._ground, self._wanted, self._job = project, library, ground, wanted, job
        self.files: dict[str, bytes] = {}
        self.told: list[str] = []
        self._taken: set[str] = {SHEET}
        self._sheet: dict[str, Any] = {
            "name": ground.name, "size_metres": ground.heights.size, "corner": ground.corner, "foot": ground.foot,
            "rows_follow": "z", "up": "y",
        }  # fmt: skip

    def make(self) -> None:
        """Make all that is wanted."""
        ground, wanted = self._ground, self._wanted
        if wanted.heights:
            low, high = ground.heights.low, ground.heights.high
            pages = ground.heights.pages
            self._sheet["heights"] = {
                "file": self._put("heights", heights_bytes(ground.heights, wanted.heights), wanted.heights),
                "columns": pages.columns, "rows": pages.rows, "lowest_metres": low, "highest_metres": high,
            }  # fmt: skip
        self._layers()
        self._sheet["paths"] = [_told_path(ground, path) for path in ground.paths if path.lies]
        side = int(wanted.baked or 0)
        wet = [layer for layer in ground.layers if holds_water(layer)] if wanted.puddles else []
        glb = int(wanted.grid or 0)
        if side or wet or glb:
            self._job.step(0.02, "Reading maps")
            look = GroundLook(self._project, self._library, ground)
            mesh = self._mesh(look, glb or FRAME_GRID) if side or glb else None
            maps = self._baked(look, mesh, side or 512) if mesh is not None else None
            if side and maps is not None:
                files = {PACKED if name == "packed" else name: data for name, data in maps.png_files().items()}
                self._sheet["baked"] = {name: self._put(name, data) for name, data in files.items()}
            if wet:
                self._puddles(look, [f"share:{layer.id}:water" for layer in wet], side or 512)
        else:
            mesh, maps = None, None
        strewn = self._strewn() if wanted.strewn else []
        if wanted.strewn in ("both", "tables") and strewn:
            self._tables(strewn)
        if glb and mesh is not None and maps is not None:
            self._glb(mesh, maps, strewn if wanted.strewn in ("both", "glb") else [])
        self.files[SHEET] = (json.dumps(self._sheet, indent=1, ensure_ascii=False) + "\n").encode()

    def _put(self, name: str, data: bytes, suffix: str = ".png") -> str:
        file = file_name(self._ground.name, name, suffix=suffix, taken=self._taken)
        self.files[file] = data
        return file

    def _layers(self) -> None:
        """The layers in order, with what was painted of them, four a file."""
        ground = self._ground
        told = []
        for start in range(0, len(ground.layers), CHANNELS):
            some = ground.layers[start : start + CHANNELS]
            file = ""
            if self._wanted.weights:
                planes = [ground.weights[layer.id].whole() for layer in some]
                planes += [np.zeros_like(planes[0])] * (CHANNELS - len(planes))
                file = self._put(f"weights_{start // CHANNELS}", png_bytes(np.stack(planes, axis=-1)))
            for channel, layer in zip("rgba", some, strict=False):
                entry = {"name": layer.name, "finish": layer.finish, "way": layer.way, "lead": layer.lead}
                entry |= {"role": layer.role} if layer.way == "absolute" else {}
                told.append(entry | ({"file": file, "channel": channel} if file else {}))
        self._sheet["layers"] = told

    def _mesh(self, look: GroundLook, grid: int) -> MeshData:
        """The land as a mesh in the world, so many samples along its longer edge, with the layers' lift."""
        size = self._ground.heights.size
        columns, rows = (max(round((grid - 1) * s / max(size)), 1) + 1 for s in size)
        u, v = np.meshgrid(np.linspace(0, 1, columns), np.linspace(0, 1, rows))
        places = np.stack([u.ravel() * size[0], v.ravel() * size[1]], axis=1)
        (positions,) = look.at(places, ["placed_position"]).values()
        uv = np.stack([u.ravel(), v.ravel()], axis=1)
        self._grid = (rows, columns)
        return build_mesh(positions, grid_triangles(columns - 1, rows - 1), self._ground.name, uvs=(uv,))

    def _places(self, side: int) -> tuple[Array, tuple[int, int], float]:
        """The middles of the texels of a map `(rows · columns, 2)`, its rows and columns, and from texel to texel."""
        size = self._ground.heights.size
        columns, rows = (max(round(side * s / max(size)), 1) for s in size)
        u, v = np.meshgrid((np.arange(columns) + 0.5) / columns, (np.arange(rows) + 0.5) / rows)
        return np.stack([u.ravel() * size[0], v.ravel() * size[1]], axis=1), (rows, columns), size[0] / columns

    def _baked(self, look: GroundLook, mesh: MeshData, side: int) -> BakedMaps:
        """The maps of all quantities; normals in the tangent space of the mesh."""
        places, shape, step = self._places(side)
        values = {name: np.empty((len(places), QUANTITIES[name].size), np.float32) for name in OUTPUTS}
        band = max((1 << 18) // shape[1], 1) * shape[1]
        for start in range(0, len(places), band):
            self._job.part(0.05, 0.8)
            self._job.step(start / len(places), "Baking the ground")
            for name, found in look.at(places[start : start + band], OUTPUTS, step).items():
                values[name][start : start + band] = found
        values["normal"] = self._in_frame(values["normal"], mesh, places)
        return BakedMaps({name: v.reshape(*shape, -1) for name, v in values.items()})

    def _in_frame(self, normals: Array, mesh: MeshData, places: Array) -> Array:
        """World normals in the frame of the mesh, as it is between its vertices."""
        rows, columns = self._grid
        at = places / np.array(self._ground.heights.size) * (columns - 1, rows - 1)

        def between(values: Array) -> Array:
            grid = values.reshape(rows, columns, -1)
            return np.stack([bilinear(np.ascontiguousarray(grid[..., i]), at) for i in range(grid.shape[2])], axis=1)

        n = _unit(between(mesh.normals))
        t = between(mesh.tangents[:, :3])
        t = _unit(t - n * (t * n).sum(axis=1, keepdims=True))
        b = np.cross(n, t) * np.sign(mesh.tangents[:, 3].mean())
        return np.stack([(normals * axis).sum(axis=1) for axis in (t, b, n)], axis=1).astype(np.float32)

    def _puddles(self, look: GroundLook, shares: list[str], side: int) -> None:
        self._job.part(0.8, 0.86)
        self._job.step(0.0, "Finding puddles")
        places, shape, step = self._places(side)
        found = np.max([v[:, 0] for v in look.at(places, shares, step).values()], axis=0)
        self._sheet["puddles"] = {"file": self._put("puddles", png_bytes(quantized(found.reshape(*shape, 1)))),
                                  "channel": "r", "covers": round(float(found.mean()), 4)}  # fmt: skip

    # What is strewn

    def _strewn(self) -> list[tuple[Scatter, Pieces]]:
        """All scatters that are shown, with their pieces."""
        self._job.part(0.86, 0.9)
        self._job.step(0.0, "Strewing")
        lifts = GroundLifts(self._library)
        strewing = Strewing(lambda project, mesh: self._library.mesh_by_id(project, mesh), lifts.of)
        seen = self._project.with_things("grounds", self._ground.with_(visible=True, parent=""))
        for _ in strewing.update(Project(), seen):
            pass
        found = []
        for scatter in self._ground.scatter:
            pieces = Pieces.joined(strewing.pieces(self._ground.id, scatter.id).values())
            if scatter.visible and len(pieces):
                found.append((scatter, pieces))
        return found

    def _tables(self, strewn: list[tuple[Scatter, Pieces]]) -> None:
        """Every piece as a row of a table, and the same as JSON."""
        head = ("scatter", "mesh", "variant", "x", "y", "z", "qx", "qy", "qz", "qw", "size", "chance", "dial", "value")
        text = io.StringIO()
        rows = csv.writer(text, lineterminator="\n")
        rows.writerow(head)
        told = []
        for scatter, pieces in strewn:
            mesh, found = self._project.mesh(scatter.mesh), _instances(pieces)
            values = values_of(scatter) if scatter.dial else []
            columns = np.concatenate(
                [found.translations, found.rotations, found.scales[:, :1], pieces.seeds[:, None]], axis=1
            ).round(5).tolist()  # fmt: skip
            own = [_word(values[s]) for s in pieces.steps] if values else [""] * len(pieces)
            rows.writerows(
                (scatter.name, mesh.name, scatter.variant, *numbers, scatter.dial, value)
                for numbers, value in zip(columns, own, strict=True)
            )
            told.append({
                "name": scatter.name, "mesh": mesh.name, "variant": scatter.variant, "dial": scatter.dial,
                "values_by_step": values, "columns": [*head[3:12], "step"],
                "pieces": [[*numbers, int(s)] for numbers, s in zip(columns, pieces.steps, strict=True)],
            })  # fmt: skip
        self._sheet["strewn"] = {
            "csv": self._put("strewn", text.getvalue().encode(), ".csv"),
            "json": self._put("strewn", (json.dumps(told, ensure_ascii=False) + "\n").encode(), ".json"),
            "pieces": sum(len(p) for _, p in strewn),
        }

    def _glb(self, mesh: MeshData, maps: BakedMaps, strewn: list[tuple[Scatter, Pieces]]) -> None:
        """The land with its baked maps, and what is strewn on it as instances."""
        ground, files = self._ground, maps.png_files()
        color, normal, glow = files["base_color"], files["normal"], files.get("emissive")
        shine = maps.specular()[0]
        surface = BakedMaterial(ground.name, color, files["packed"], normal, glow, max(maps.glow, 1.0), specular=shine)
        made = [BakedProp(Prop(id="ground", name=ground.name, mesh="ground"), mesh, {"surface": surface})]
        if strewn:
            self._job.part(0.9, 0.97)
            bare = self._project.with_(decals=())  # those of the stage lie on none of them
            baker = SceneBaker(bare, self._library, STREWN_SIDE, self._job)
            props = [Prop(id=s.id, name=s.name, mesh=s.mesh, variant=s.variant) for s, _ in strewn]
            by_id = {s.id: _instances(p) for s, p in strewn}
            made += [
                BakedProp(b.prop, b.mesh, b.materials, b.variants, b.tinted, by_id[b.prop.id])
                for b in baker.props(props) if b.prop.id in by_id
            ]  # fmt: skip
            self.told += [*baker.notes, *baker.told]
            if any(s.dial for s, _ in strewn):
                self.told.append("In the GLB all pieces wear one look; their own dial values are in the tables.")
        self._sheet["glb"] = self._put("land", scene_glb(made), ".glb")


def _word(value: Any) -> str:
    return " ".join(f"{v:g}" for v in value) if isinstance(value, tuple) else f"{value:g}"


def _unit(values: Array) -> Array:
    return np.asarray(values / np.maximum(np.linalg.norm(values, axis=1, keepdims=True), 1e-9))


def _instances(pieces: Pieces) -> Instances:
    """Pieces as translations, quaternions and scales."""
    linear = pieces.matrices[:, :, :3].astype(np.float64)
    sizes = np.linalg.norm(linear[:, :, 0], axis=1)
    turns = Rotation.from_matrix(linear / sizes[:, None, None]).as_quat()
    return Instances(pieces.matrices[:, :, 3].astype(np.float32), turns.astype(np.float32),
                     np.repeat(sizes[:, None], 3, axis=1).astype(np.float32))  # fmt: skip
