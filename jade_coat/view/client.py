"""The application's end of the render process: feeds it, asks for pictures, and restarts it when it dies."""

from __future__ import annotations

import multiprocessing
import queue
import threading
import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from multiprocessing.connection import Connection, wait
from typing import TYPE_CHECKING, Any

import numpy as np

from jade_coat.material.material import Material
from jade_coat.material.surface import MapLookup
from jade_coat.mesh.painting import Paint, PaintMap
from jade_coat.program.types import Array
from jade_coat.stage.draws import Scene
from jade_coat.view import messages as m
from jade_coat.view.environment import Environment
from jade_coat.view.process import run
from jade_coat.view.shared import Handle, Shared

if TYPE_CHECKING:  # what it is given, which the process can start without
    from jade_coat.maps.packing import Texture
    from jade_coat.mesh.data import MeshData

MEASURED: dict[str, Callable[[MeshData], Array]] = {
    "curvature": lambda mesh: mesh.curvature,
    "edge": lambda mesh: mesh.edge_length,
}
"""Vertex streams that are worked out only where something asks for them."""
CLOSE_SECONDS = 0.7
MAX_DEATHS = 5
"""How often the process may die within a minute before the client gives up."""


@dataclass(frozen=True)
class Picture:
    """A finished picture: `(h, w, 4) uint8`, and what it is of."""

    stream: str
    pixels: Array
    sample: int
    milliseconds: float
    compiles: int
    tag: Any


@dataclass
class _Stream:
    """One stream's buffer, the request under way, and the newest one waiting behind it."""

    buffer: Shared | None = None
    under_way: tuple[m.FrameRequest, Any] | None = None
    waiting: tuple[dict[str, Any], Any] | None = None
    serial: int = 0


class RenderClient:
    """Keeps everything the process was given, so that a new process can be given it again.

    Call `poll` when `fileno` is readable. `on_picture`, `on_fault(material, reason)` and `on_state(text)` are called
    from there; the state is "" while all is well.
    """

    def __init__(self) -> None:
        self.on_picture: Callable[[Picture], None] = lambda picture: None
        self.on_fault: Callable[[str, str], None] = lambda material, reason: None
        self.on_state: Callable[[str], None] = lambda text: None
        self.on_trouble: Callable[[str], None] = lambda text: None
        self.on_connection: Callable[[], None] = lambda: None
        self.renderer = ""
        self.ready = False
        self._closed = False
        self._meshes: dict[str, MeshData] = {}
        self._textures: dict[str, Texture] = {}
        self._paint: dict[str, Array] = {}
        self._maps: dict[str, tuple[PaintMap, list[Array]]] = {}
        self._materials: dict[str, tuple[Material, MapLookup]] = {}
        self._scenes: dict[str, Scene] = {}
        self._streams: dict[str, _Stream] = {}
        self._blocks: dict[str, Shared] = {}
        self._deaths: list[float] = []
        self.stopped = ""
        """Why no process runs until `start_again` is called; empty while one does."""
        self._refusal = ""
        self._sun: tuple[tuple[float, float, float], float, str | Environment] | None = None
        self._shared_values: dict[str, float] = {}
        self._measured: dict[str, frozenset[str]] = {}
        self._process: Any = None
        self._start()

    # The process

    def _start(self) -> None:
        context = multiprocessing.get_context("spawn")
        self._connection, theirs = context.Pipe()
        self._process = context.Process(target=run, args=(theirs,), name="jade-coat-view", daemon=True)
        self._process.start()
        theirs.close()
        self._outbox: queue.SimpleQueue[Any] = queue.SimpleQueue()
        threading.Thread(target=_sender, args=(self._connection, self._outbox), daemon=True).start()

    @property
    def process_id(self) -> int:
        """The render process's id."""
        return int(self._process.pid or 0)

    def fileno(self) -> int:
        """What to watch for answers."""
        return self._connection.fileno()

    def poll(self, timeout: float = 0.0) -> bool:
        """Handle the answers that are there (waiting up to `timeout` seconds for the first); whether any were."""
        handled = False
        if self._closed or self.stopped:
            return False
        try:
            while self._connection.poll(timeout):
                self._handle(self._connection.recv())
                handled, timeout = True, 0.0
        except (EOFError, ConnectionResetError, BrokenPipeError, OSError):
            self._restart()
            return True
        return handled

    def wait(self, until: Callable[[], bool], seconds: float = 60.0) -> bool:
        """Poll until something holds; for use without an event loop. Returns whether it came to hold in time."""
        end = time.monotonic() + seconds
        while not until():
            left = end - time.monotonic()
            if left <= 0 or self.stopped:
                return False
            wait([self._connection], min(left, 0.5))
            self.poll()
        return True

    def close(self) -> None:
        """End the process and give all shared memory back; later requests are ignored."""
        self._closed = True
        if not self.stopped:
            self._outbox.put(m.Quit())
            self._outbox.put(None)
            self._process.join(CLOSE_SECONDS)
            if self._process.is_alive():
                self._process.kill()
                self._process.join(CLOSE_SECONDS)
            self._connection.close()
        self._free()

    def _free(self) -> None:
        for block in self._blocks.values():
            block.close()
        self._blocks.clear()
        for stream in self._streams.values():
            if stream.buffer is not None:
                stream.buffer.close()
                stream.buffer = None

    def _restart(self) -> None:
        now = time.monotonic()
        self._deaths = [t for t in self._deaths if now - t < 60] + [now]
        self._outbox.put(None)
        self._connection.close()
        self._process.join(0.2)
        self._free()
        self.ready = False
        if self._refusal or len(self._deaths) > MAX_DEATHS:
            self._stop(self._refusal or "The view failed too often and was stopped. Your work is safe.")
            return
        self.on_state("The view stopped and is being started again. Your work is safe.")
        self._start()
        self.on_connection()
        self._replay()

    def _stop(self, reason: str) -> None:
        """Run no process any more; what was asked for is remembered and asked again by `start_again`."""
        self._process.join(0.5)
        if self._process.is_alive():
            self._process.kill()
        self.stopped = reason
        self.on_connection()
        self.on_state(reason)

    def start_again(self) -> None:
        """Leave the stopped state: a new process is given everything anew."""
        if not self.stopped or self._closed:
            return
        self.stopped = self._refusal = ""
        self._deaths.clear()
        self.on_state("The view is being started again.")
        self._start()
        self.on_connection()
        self._replay()

    def _replay(self) -> None:
        if self._sun is not None:
            self._send(m.SetLight(*self._sun))
        if self._shared_values:
            self._send(m.SetShared(self._shared_values))
        for key, mesh in self._meshes.items():
            self._send_mesh(key, mesh)
        for texture in self._textures.values():
            self._send_texture(texture)
        for prop, values in self._paint.items():
            self._send_paint(prop, values)
        for prop, (last, tiles) in self._maps.items():
            self._send_map(prop, last.with_paint(Paint(tuple(tiles))))
        for material, lookup in self._materials.values():
            self._send(m.SetMaterial(material, lookup))
        for name, scene in self._scenes.items():
            self._send(m.SetScene(name, scene))
        for name, stream in self._streams.items():
            again = stream.waiting
            if again is None and stream.under_way is not None:
                request, tag = stream.under_way
                again = (_wishes(request), tag)
            stream.under_way, stream.waiting = None, None
            if again is not None:
                self._ask(name, *again)

    def _handle(self, message: Any) -> None:
        if isinstance(message, m.Ready):
            self.ready, self.renderer = True, message.renderer
            self.on_state("")
        elif isinstance(message, m.Taken):
            block = self._blocks.pop(message.block, None)
            if block is not None:
                block.close()
        elif isinstance(message, m.FrameDone):
            self._arrived(message)
        elif isinstance(message, m.MaterialFault):
            self.on_fault(message.material, message.reason)
        elif isinstance(message, m.Refused):
            self._refusal = message.reason
        elif isinstance(message, m.Trouble):
            self.on_trouble(message.reason)

    def _send(self, message: Any) -> None:
        if not self.stopped:
            self._outbox.put(message)

    # What it knows

    def put_mesh(self, key: str, mesh: MeshData, measured: Iterable[str] = ()) -> None:
        """Send a mesh unless it is there already; `measured` names streams of `MEASURED` that are wanted too.

        They take a while to work out, and stay with the mesh once they were wanted.
        """
        same = self._meshes.get(key) is mesh
        wanted = frozenset(measured) | (self._measured.get(key, frozenset()) if same else frozenset())
        if not same or wanted != self._measured.get(key):
            self._meshes[key], self._measured[key] = mesh, wanted
            self._send_mesh(key, mesh)

    def put_texture(self, texture: Texture) -> None:
        """Send a texture unless it is there already."""
        if self._textures.get(texture.name) is not texture:
            self._textures[texture.name] = texture
            self._send_texture(texture)

    def put_paint(self, prop: str, values: Array) -> None:
        """Send all of a prop's paint."""
        self._paint[prop] = values.copy()
        self._send_paint(prop, values)

    def patch_paint(self, prop: str, start: int, values: Array) -> None:
        """Send a run of a prop's paint."""
        if prop in self._paint:
            self._paint[prop][start : start + len(values)] = values
            self._send(m.PatchPaint(prop, start, values))

    def put_map(self, prop: str, paint_map: PaintMap) -> None:
        """Bring a prop's painted map up to date: all of it where it is new, else the tiles that differ."""
        known = self._maps.get(prop)
        if known is None or (known[0].side, known[0].bits) != (paint_map.side, paint_map.bits):
            self._maps[prop] = (paint_map, list(paint_map.paint.tiles))
            self._send_map(prop, paint_map)
            return
        tiles = known[1]
        self._maps[prop] = (paint_map, tiles)
        for i, tile in enumerate(paint_map.paint.tiles):
            if tiles[i] is not tile:
                if not np.array_equal(tiles[i], tile):
                    self._send_tile(prop, paint_map, i, tile)
                tiles[i] = tile

    def keep_maps(self, props: set[str]) -> None:
        """Let go of all painted maps but those of some props."""
        for prop in self._maps.keys() - props:
            del self._maps[prop]
            self._send(m.DropMap(prop))

    def patch_map(self, prop: str, tile: int, values: Array) -> None:
        """Send one tile of a prop's painted map."""
        if prop in self._maps:
            paint_map, tiles = self._maps[prop]
            tiles[tile] = values.copy()
            self._send_tile(prop, paint_map, tile, tiles[tile])

    def _send_tile(self, prop: str, paint_map: PaintMap, tile: int, values: Array) -> None:
        column, row = paint_map.corner(tile)
        edge = paint_map.tile_side
        self._send(m.PatchMap(prop, column, row, values.reshape(edge, edge, 4)))

    def _send_map(self, prop: str, paint_map: PaintMap) -> None:
        self._send_arrays({"values": paint_map.picture()}, lambda handles: m.PutMap(prop, handles["values"]))

    def paint_of(self, prop: str) -> Array | None:
        """The paint the process was last given for a prop."""
        return self._paint.get(prop)

    def set_material(self, material: Material, lookup: MapLookup) -> None:
        """Send a material unless it is there already."""
        old = self._materials.get(material.id)
        if old is None or old[0] != material or old[1] is not lookup:
            self._materials[material.id] = (material, lookup)
            self._send(m.SetMaterial(material, lookup))

    def set_scene(self, name: str, scene: Scene) -> None:
        """Send a scene."""
        self._scenes[name] = scene
        self._send(m.SetScene(name, scene))

    def set_row(self, scene: str, material: str, row: int, values: Array) -> None:
        """Send one row of numbers."""
        rows = self._scenes[scene].rows
        if not rows[material].flags.writeable:
            rows[material] = rows[material].copy()
        rows[material][row] = values
        self._send(m.SetRow(scene, material, row, values))

    def set_shared(self, values: dict[str, float]) -> None:
        """Send the values of the shared dials, unless they are so already."""
        if values != self._shared_values:
            self._shared_values = dict(values)
            self._send(m.SetShared(self._shared_values))

    def set_light(
        self, direction: tuple[float, float, float], strength: float, sky: str | Environment, quick: bool = False
    ) -> None:
        """Place the sun and the sky, unless they are so already; `quick` moves the sun alone for now."""
        wanted = (direction, strength, sky)
        if quick or self._sun is None or self._sun[:2] != wanted[:2] or self._sun[2] is not sky:
            self._sun = wanted if not quick else None
            self._send(m.SetLight(direction, strength, sky, quick))

    def _send_mesh(self, key: str, mesh: MeshData) -> None:
        streams = {"position": mesh.positions, "normal": mesh.normals, "tangent": mesh.tangents}
        streams |= {name: MEASURED[name](mesh) for name in sorted(self._measured.get(key, ()))}
        streams |= {f"uv{i}": uv for i, uv in enumerate(mesh.uvs)}
        streams |= {f"color{i}": c for i, c in enumerate(mesh.colors)}

        def message(handles: dict[str, Handle]) -> m.PutMesh:
            return m.PutMesh(key, {name: handles[name] for name in streams}, handles["triangles"], mesh.metres)

        self._send_arrays({**streams, "triangles": mesh.triangles}, message)

    def _send_texture(self, texture: Texture) -> None:
        levels = {str(i): level for i, level in enumerate(texture.levels)}
        self._send_arrays(levels, lambda handles: m.PutTexture(texture.name, texture.is_color, tuple(handles.values())))

    def _send_paint(self, prop: str, values: Array) -> None:
        self._send_arrays({"values": values}, lambda handles: m.PutPaint(prop, handles["values"]))

    def _send_arrays(self, arrays: dict[str, Array], message: Callable[[dict[str, Handle]], Any]) -> None:
        """Send arrays in shared memory, by the message that names where they lie."""
        if not self.stopped:
            block = Shared(arrays)
            self._blocks[block.name] = block
            self._send(message(block.handles))

    # Pictures

    def request(self, stream: str, tag: Any = None, **wishes: Any) -> None:
        """Ask for a picture of a stream: the fields of `FrameRequest` but stream, serial and target.

        While one is under way the newest request waits; older ones are forgotten.
        """
        if self._closed:
            return
        found = self._streams.setdefault(stream, _Stream())
        if found.under_way is None and not self.stopped:
            self._ask(stream, wishes, tag)
        else:
            found.waiting = (wishes, tag)

    def busy(self, stream: str) -> bool:
        """Whether a picture of this stream is still to come."""
        found = self._streams.get(stream)
        return found is not None and found.under_way is not None and not self.stopped

    @property
    def idle(self) -> bool:
        """Whether nothing is under way."""
        if self.stopped:
            return True
        return self.ready and not self._blocks and not any(s.under_way for s in self._streams.values())

    def _ask(self, stream: str, wishes: dict[str, Any], tag: Any) -> None:
        found = self._streams[stream]
        found.serial += 1
        shape = (wishes["height"], wishes["width"] * len(wishes.get("looks", ("lit",))), 4)
        if found.buffer is None or found.buffer.handles["picture"].shape != shape:
            if found.buffer is not None:
                found.buffer.close()
            found.buffer = Shared({"picture": np.zeros(shape, np.uint8)})
        request = m.FrameRequest(stream=stream, serial=found.serial, target=found.buffer.handles["picture"], **wishes)
        found.under_way = (request, tag)
        self._send(request)

    def _arrived(self, done: m.FrameDone) -> None:
        found = self._streams[done.stream]
        if found.under_way is None or abs(done.serial) != found.serial:
            return
        _, tag = found.under_way
        found.under_way = None
        assert found.buffer is not None
        picture = found.buffer.read("picture") if done.serial > 0 else None
        if found.waiting is not None:
            (wishes, next_tag), found.waiting = found.waiting, None
            self._ask(done.stream, wishes, next_tag)
        if picture is not None:
            self.on_picture(Picture(done.stream, picture, done.sample, done.milliseconds, done.compiles, tag))


def _wishes(request: m.FrameRequest) -> dict[str, Any]:
    """What to ask for again after a restart: the same picture, from its first sample on."""
    fields = {name: getattr(request, name) for name in request.__dataclass_fields__}
    for name in ("stream", "serial", "target"):
        fields.pop(name)
    return {**fields, "sample": 0}


def _sender(connection: Connection, outbox: queue.SimpleQueue[Any]) -> None:
    """Send from a thread of its own: a full pipe must not block the window."""
    while (message := outbox.get()) is not None:
        try:
            connection.send(message)
        except (OSError, ValueError):
            return
