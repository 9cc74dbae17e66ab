"""What the application tells the render process: one class a message, which carries itself out there by `take`."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

from jade_coat.material.material import Material
from jade_coat.material.shared import SharedValue
from jade_coat.material.surface import MapLookup
from jade_coat.mesh.motion import Motion
from jade_coat.program.types import Array
from jade_coat.stage.draws import Scene, ScenePatch
from jade_coat.view.environment import Environment
from jade_coat.view.requests import Eye, Marks, Part
from jade_coat.view.shared import Handle

if TYPE_CHECKING:
    from jade_coat.view.renderer import Renderer

ReadArray = Callable[[Handle], Array]
"""Gives the array that lies behind a handle; it is there until the message has been taken."""


class Message:
    """To the render process; `block` names the shared block it refers to, which may go once it is taken."""

    block = ""

    def take(self, renderer: Renderer, array: ReadArray) -> None:
        """Do what the message says. Whatever is raised is told to the application."""
        raise NotImplementedError


@dataclass(frozen=True)
class PutMesh(Message):
    """A mesh: vertex streams by name, triangles `(m, 3) uint32`, and the numbers that programs read of all of it."""

    key: str
    streams: dict[str, Handle]
    triangles: Handle
    numbers: dict[str, tuple[float, ...]]

    @property
    def block(self) -> str:  # type: ignore[override]
        """Where the arrays lie."""
        return self.triangles.block

    def take(self, renderer: Renderer, array: ReadArray) -> None:
        """Upload it."""
        streams = {name: array(h) for name, h in self.streams.items()}
        renderer.assets.put_mesh(self.key, streams, array(self.triangles), self.numbers)


@dataclass(frozen=True)
class PutMotion(Message):
    """How a mesh moves by itself (`mesh.motion`), as the bytes of its file."""

    key: str
    data: Handle

    @property
    def block(self) -> str:  # type: ignore[override]
        """Where the bytes lie."""
        return self.data.block

    def take(self, renderer: Renderer, array: ReadArray) -> None:
        """Read it."""
        renderer.assets.put_motion(self.key, Motion.from_bytes(array(self.data).tobytes()))


@dataclass(frozen=True)
class PoseMesh(Message):
    """Where a mesh is in a clip of its motion, seconds; at rest for a name that it has not."""

    key: str
    clip: str
    time: float

    def take(self, renderer: Renderer, array: ReadArray) -> None:
        """Move its vertices."""
        if renderer.assets.pose_mesh(self.key, self.clip, self.time):
            renderer.scenes.cast_anew()


@dataclass(frozen=True)
class PutTexture(Message):
    """A texture with all its levels, largest first, by the hash of what it holds."""

    key: str
    is_color: bool
    levels: tuple[Handle, ...]

    @property
    def block(self) -> str:  # type: ignore[override]
        """Where the arrays lie."""
        return self.levels[0].block

    def take(self, renderer: Renderer, array: ReadArray) -> None:
        """Upload it."""
        renderer.assets.put_texture(self.key, self.is_color, tuple(array(h) for h in self.levels))


@dataclass(frozen=True)
class PutPaint(Message):
    """Vertex paint of a prop: `(n, 4 a colour set) uint16`, replacing what it had."""

    prop: str
    values: Handle

    @property
    def block(self) -> str:  # type: ignore[override]
        """Where the arrays lie."""
        return self.values.block

    def take(self, renderer: Renderer, array: ReadArray) -> None:
        """Upload it."""
        renderer.assets.put_paint(self.prop, array(self.values))


@dataclass(frozen=True)
class PatchPaint(Message):
    """New values for a run of vertices of a prop's paint."""

    prop: str
    start: int
    values: Array

    def take(self, renderer: Renderer, array: ReadArray) -> None:
        """Write it over what is there."""
        renderer.assets.patch_paint(self.prop, self.start, self.values)


@dataclass(frozen=True)
class PutMap(Message):
    """A thing's own map, top row first: `(h, w, 4) uint8` or `uint16`, or `(h, w, k) float32`; it replaces the old."""

    prop: str
    values: Handle

    @property
    def block(self) -> str:  # type: ignore[override]
        """Where the arrays lie."""
        return self.values.block

    def take(self, renderer: Renderer, array: ReadArray) -> None:
        """Upload it."""
        renderer.assets.put_map(self.prop, array(self.values))


@dataclass(frozen=True)
class Drop(Message):
    """Things that nothing uses any more, by their keys: let go of them."""

    meshes: tuple[str, ...] = ()
    textures: tuple[str, ...] = ()
    paint: tuple[str, ...] = ()
    maps: tuple[str, ...] = ()
    materials: tuple[str, ...] = ()
    scenes: tuple[str, ...] = ()
    streams: tuple[str, ...] = ()

    def take(self, renderer: Renderer, array: ReadArray) -> None:
        """Free them."""
        renderer.scenes.drop(self.scenes)
        renderer.assets.drop(self.meshes, self.textures, self.paint, self.maps, self.materials)
        renderer.drop_streams(self.streams)


@dataclass(frozen=True)
class PatchMap(Message):
    """New texels `(h, w, 4)` of a prop's painted map from a column and a row on."""

    prop: str
    column: int
    row: int
    values: Array

    def take(self, renderer: Renderer, array: ReadArray) -> None:
        """Write it over what is there."""
        renderer.assets.patch_map(self.prop, self.column, self.row, self.values)


@dataclass(frozen=True)
class SetMaterial(Message):
    """A material and where its maps are read from; it compiles when its structure is new.

    `textures` gives the key of each texture that is there, by the name the material reads it under.
    """

    material: Material
    lookup: MapLookup
    textures: dict[str, str]

    def take(self, renderer: Renderer, array: ReadArray) -> None:
        """Keep it."""
        renderer.assets.set_material(self.material, self.lookup, self.textures)


@dataclass(frozen=True)
class NameTextures(Message):
    """Other keys of a material's textures, by the names it reads them under: some have come, or are others now."""

    material: str
    textures: dict[str, str]

    def take(self, renderer: Renderer, array: ReadArray) -> None:
        """Read these from now on."""
        renderer.assets.name_textures(self.material, self.textures)


@dataclass(frozen=True)
class CompileAhead(Message):
    """Materials whose programs should be ready before a picture asks for them."""

    materials: tuple[str, ...]

    def take(self, renderer: Renderer, array: ReadArray) -> None:
        """Compile them; what fails is told by the picture that needs it."""
        renderer.compile_ahead(self.materials)


@dataclass(frozen=True)
class SetScene(Message):
    """The draws of a scene and their dial rows."""

    name: str
    scene: Scene

    def take(self, renderer: Renderer, array: ReadArray) -> None:
        """Put it in the old one's place."""
        renderer.scenes.set(self.name, self.scene)


@dataclass(frozen=True)
class PatchScene(Message):
    """What becomes of a scene: things were moved, dressed otherwise, or dials turned."""

    name: str
    patch: ScenePatch

    def take(self, renderer: Renderer, array: ReadArray) -> None:
        """Change what differs."""
        renderer.patch_scene(self.name, self.patch)


@dataclass(frozen=True)
class SetLight(Message):
    """The sun (unit direction towards it, strength) and the sky: a synthesised one by name, or one worked out already.

    `quick` leaves the sky as it is: the sun is being dragged.
    """

    direction: tuple[float, float, float]
    strength: float
    sky: str | Environment = "morning"
    quick: bool = False

    def take(self, renderer: Renderer, array: ReadArray) -> None:
        """Light the scenes by it."""
        renderer.set_light(self.direction, self.strength, self.sky, self.quick)


@dataclass(frozen=True)
class SetShared(Message):
    """The values of the shared dials by the names that programs use."""

    values: Mapping[str, SharedValue]

    def take(self, renderer: Renderer, array: ReadArray) -> None:
        """Keep them."""
        renderer.set_shared(self.values)


@dataclass(frozen=True)
class FrameRequest:
    """Ask for a picture. The newest request of a stream wins; a lower priority number goes first.

    `looks` of more than one name gives pictures side by side. `sample` counts up while a still picture is refined;
    0 starts anew, and a `single` one stands alone. The picture is written to `target` as
    `(height, width × looks, 4) uint8`, top row first.
    """

    stream: str
    serial: int
    scene: str
    eye: Eye
    width: int
    height: int
    target: Handle
    looks: tuple[str, ...] = ("lit",)
    sample: int = 0
    priority: int = 0
    backdrop: bool = True
    marks: Marks | None = None
    part: Part | None = None
    single: bool = False


@dataclass(frozen=True)
class Quit:
    """End the process."""
