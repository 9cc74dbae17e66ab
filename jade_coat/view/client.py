"""The application's end of the render process: feeds it, asks for pictures, and restarts it when it dies."""

from __future__ import annotations

import queue
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing.connection import Connection, wait
from multiprocessing.reduction import ForkingPickler
from typing import Any

import numpy as np

from jade_coat.program.types import Array
from jade_coat.view import answers
from jade_coat.view import messages as m
from jade_coat.view.given import Given
from jade_coat.view.requests import Part
from jade_coat.view.shared import Handle, Shared
from jade_coat.view.spawn import Started, start_process

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
    leaving: bool = False
    """Whether it is let go as soon as the picture under way is there."""


class RenderClient(Given):
    """Feeds the process, asks it for pictures, and gives a new one everything anew.

    Call `poll` when `fileno` is readable. `on_picture`, `on_fault(material, reason)` and `on_state(text)` are called
    from there; the state is "" while all is well.
    """

    def __init__(self, started: Started | None = None) -> None:
        """`started` may be a process that was started earlier, to save time."""
        super().__init__()
        self.on_picture: Callable[[Picture], None] = lambda picture: None
        self.on_fault: Callable[[str, str], None] = lambda material, reason: None
        self.on_state: Callable[[str], None] = lambda text: None
        self.on_trouble: Callable[[str], None] = lambda text: None
        self.on_connection: Callable[[], None] = lambda: None
        self.renderer = ""
        self.ready = False
        self._closed = False
        self._streams: dict[str, _Stream] = {}
        self._blocks: dict[str, Shared] = {}
        self._deaths: list[float] = []
        self.stopped = ""
        """Why no process runs until `start_again` is called; empty while one does."""
        self._refusal = ""
        self._process: Any = None
        self._start(started)

    # The process

    def _start(self, started: Started | None = None) -> None:
        started = started or start_process()
        self._process, self._connection = started.process, started.connection
        self._outbox: queue.SimpleQueue[bytes | None] = queue.SimpleQueue()
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
                self._connection.recv().arrive(self)
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
            self.send(m.Quit())
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
        self.give_again()
        for name, stream in self._streams.items():
            again = stream.waiting
            if again is None and stream.under_way is not None:
                request, tag = stream.under_way
                again = (_wishes(request), tag)
            stream.under_way, stream.waiting = None, None
            if again is not None:
                self._ask(name, *again)

    # What the process tells (see `messages`)

    def started(self, renderer: str) -> None:
        """The process is there, and draws with this renderer."""
        self.ready, self.renderer = True, renderer
        self.on_state("")

    def free_block(self, name: str) -> None:
        """What lay in a shared block has been read."""
        block = self._blocks.pop(name, None)
        if block is not None:
            block.close()

    def refused(self, reason: str) -> None:
        """The process cannot draw on this machine, and ends."""
        self._refusal = reason

    def send(self, message: m.Message | m.FrameRequest | m.Quit) -> None:
        """Put a message, as it is now, into the outbox. Raises what pickling raises."""
        if not self.stopped:
            self._outbox.put(bytes(ForkingPickler.dumps(message)))

    def send_arrays(self, arrays: dict[str, Array], message: Callable[[dict[str, Handle]], m.Message]) -> None:
        """Send arrays in shared memory, by the message that names where they lie."""
        if not self.stopped:
            block = Shared(arrays)
            self._blocks[block.name] = block
            self.send(message(block.handles))

    def forget_stream(self, name: str) -> None:
        """Let go of a stream's pictures, once the one under way is there."""
        found = self._streams.get(name)
        if found is not None:
            found.waiting, found.leaving = None, True
            if found.under_way is None:
                self._end_stream(name, found)

    def _end_stream(self, name: str, found: _Stream) -> None:
        del self._streams[name]
        if found.buffer is not None:
            found.buffer.close()
        self.send(m.Drop(streams=(name,)))

    # Pictures

    def request(self, stream: str, tag: Any = None, **wishes: Any) -> None:
        """Ask for a picture of a stream: the fields of `FrameRequest` but stream, serial and target.

        While one is under way the newest request waits; older ones are forgotten.
        """
        if self._closed:
            return
        found = self._streams.setdefault(stream, _Stream())
        found.leaving = False
        if found.under_way is None and not self.stopped:
            self._ask(stream, wishes, tag)
        else:
            found.waiting = (wishes, tag)

    def busy(self, stream: str) -> bool:
        """Whether a picture of this stream is still to come."""
        found = self._streams.get(stream)
        return found is not None and found.under_way is not None and not self.stopped

    def waits(self, stream: str) -> bool:
        """Whether a request of this stream is not drawn yet and would be forgotten for a newer one."""
        found = self._streams.get(stream)
        return found is not None and found.waiting is not None

    def with_waiting(self, stream: str, part: Part | None) -> Part | None:
        """What a request of this stream is to draw so that a part lies in it, and what would be forgotten for it."""
        found = self._streams.get(stream)
        if found is None or found.waiting is None or part is None:
            return part
        waiting = found.waiting[0].get("part")
        return part.with_(waiting) if waiting is not None else None

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
        self.send(request)
        found.under_way = (request, tag)

    def arrived(self, done: answers.FrameDone) -> None:
        """A picture is in its buffer."""
        found = self._streams.get(done.stream)
        if found is None or found.under_way is None or abs(done.serial) != found.serial:
            return
        _, tag = found.under_way
        found.under_way = None
        assert found.buffer is not None
        if found.leaving:
            self._end_stream(done.stream, found)
            return
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


def _sender(connection: Connection, outbox: queue.SimpleQueue[bytes | None]) -> None:
    """Send from a thread of its own: a full pipe must not block the window."""
    while (message := outbox.get()) is not None:
        try:
            connection.send_bytes(message)
        except (OSError, ValueError, TypeError):  # a connection that is closed meanwhile has no handle any more
            return
