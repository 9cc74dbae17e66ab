"""What the application and the render process say to each other."""

from __future__ import annotations

from dataclasses import dataclass

from jade_coat.material.material import Material
from jade_coat.material.surface import MapLookup
from jade_coat.program.types import Array
from jade_coat.stage.draws import Scene
from jade_coat.view.environment import Environment
from jade_coat.view.shared import Handle


@dataclass(frozen=True)
class PutMesh:
    """A mesh: vertex streams by name, triangles `(m, 3) uint32`, and the metres a unit of each UV set spans."""

    key: str
    streams: dict[str, Handle]
    triangles: Handle
    metres: tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class PutTexture:
    """A texture with all its levels, largest first."""

    name: str
    is_color: bool
    levels: tuple[Handle, ...]


@dataclass(frozen=True)
class PutPaint:
    """Vertex paint of a prop: `(n, 4 a colour set) uint16`, replacing what it had."""

    prop: str
    values: Handle


@dataclass(frozen=True)
class PatchPaint:
    """New values for a run of vertices of a prop's paint."""

    prop: str
    start: int
    values: Array


@dataclass(frozen=True)
class PutMap:
    """A prop's painted map: `(side, side, 4) uint8` or `uint16`, top row first, replacing what it had."""

    prop: str
    values: Handle


@dataclass(frozen=True)
class DropMap:
    """A prop's painted map is not needed any more."""

    prop: str


@dataclass(frozen=True)
class PatchMap:
    """New texels `(h, w, 4)` of a prop's painted map from a column and a row on."""

    prop: str
    column: int
    row: int
    values: Array


@dataclass(frozen=True)
class SetMaterial:
    """A material and where its maps are read from; it compiles when its structure is new."""

    material: Material
    lookup: MapLookup


@dataclass(frozen=True)
class SetScene:
    """The draws of a scene and their dial rows."""

    name: str
    scene: Scene


@dataclass(frozen=True)
class SetRow:
    """New numbers for one row of a material in a scene: a dial was turned."""

    scene: str
    material: str
    row: int
    values: Array


@dataclass(frozen=True)
class SetLight:
    """The sun (unit direction towards it, strength) and the sky: a synthesised one by name, or one worked out already.

    `quick` leaves the sky as it is: the sun is being dragged.
    """

    direction: tuple[float, float, float]
    strength: float
    sky: str | Environment = "morning"
    quick: bool = False


@dataclass(frozen=True)
class SetShared:
    """The values of the shared dials by the names that programs use."""

    values: dict[str, float]


@dataclass(frozen=True)
class Eye:
    """A camera ready for the renderer: view and projection `(4, 4)`, position `(3,)`."""

    view: Array
    projection: Array
    position: Array


@dataclass(frozen=True)
class Marks:
    """What is drawn over a picture: a mesh's edges and vertices, and how finely it can be painted.

    `matrix` `(4, 4)` places the mesh. `radius` is the brush's in the mesh's own metres; 0 leaves the colours away.
    `spacing` is the share of the picture's height that lies between two vertices or so: dots keep clear of each other.
    """

    mesh: str
    matrix: Array
    edges: bool = False
    vertices: bool = False
    radius: float = 0.0
    spacing: float = 0.05


@dataclass(frozen=True)
class Part:
    """What alone has changed since the last picture of a stream: some triangles of a prop that has paint of its own.

    `numbers` `(k,)` say which they are, `corners` `(k, 3) uint32` their vertices; `box` is where they are seen, 0–1
    from the upper left. Where the last picture was of something else, all is drawn.
    """

    prop: str
    numbers: Array
    corners: Array
    box: tuple[float, float, float, float]


@dataclass(frozen=True)
class FrameRequest:
    """Ask for a picture. The newest request of a stream wins; a lower priority number goes first.

    `looks` of more than one name gives pictures side by side. `sample` counts up while a still picture is refined;
    0 starts anew. The picture is written to `target` as `(height, width × looks, 4) uint8`, top row first.
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


@dataclass(frozen=True)
class Quit:
    """End the process."""


@dataclass(frozen=True)
class Ready:
    """The context is there."""

    renderer: str
    version: int


@dataclass(frozen=True)
class Taken:
    """What lay in a shared block is uploaded; the block may go."""

    block: str


@dataclass(frozen=True)
class FrameDone:
    """A picture is in its target."""

    stream: str
    serial: int
    sample: int
    milliseconds: float
    compiles: int
    """How many programs have been compiled since the process started."""


@dataclass(frozen=True)
class MaterialFault:
    """A material could not be compiled or drawn; its props show the fault finish. An empty reason: well again."""

    material: str
    reason: str


@dataclass(frozen=True)
class Refused:
    """The process cannot draw on this machine; the reason says what to install."""

    reason: str


@dataclass(frozen=True)
class Trouble:
    """Something else went wrong with a message."""

    reason: str
