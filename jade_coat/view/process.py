"""The render process: takes messages, keeps a renderer, and answers with pictures."""

from __future__ import annotations

import os
import signal
import time
from multiprocessing.connection import Connection
from typing import Any

from jade_coat.view import messages as m
from jade_coat.view.context import NoGraphics, create_context
from jade_coat.view.renderer import Renderer
from jade_coat.view.shared import Attachments


class RenderProcess:
    """Handles messages in order, but frame requests last, and of each stream only the newest."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection
        self._blocks = Attachments()
        self._pending: dict[str, m.FrameRequest] = {}
        self._reported: dict[str, str] = {}
        context = create_context()
        self.renderer = Renderer(context)
        connection.send(m.Ready(context.info["GL_RENDERER"], context.version_code))

    def run(self) -> None:
        """Serve until told to quit or the application is gone."""
        while True:
            timeout = 0.0 if self._pending else None
            while self._connection.poll(timeout):
                message = self._connection.recv()
                if isinstance(message, m.Quit):
                    return
                if isinstance(message, m.FrameRequest):
                    self._pending[message.stream] = message
                else:
                    self._guarded(self._take, message)
                timeout = 0.0
            if self._pending:
                request = min(self._pending.values(), key=lambda r: r.priority)
                del self._pending[request.stream]
                self._guarded(self._frame, request)

    def _guarded(self, action: Any, message: Any) -> None:
        try:
            action(message)
        except Exception as error:  # whatever a driver or damaged data throws must not end the process
            self._connection.send(m.Trouble(f"{type(message).__name__}: {type(error).__name__}: {error}"))
            if isinstance(message, m.FrameRequest):
                self._connection.send(m.FrameDone(message.stream, -message.serial, message.sample, 0.0, 0))

    def _take(self, message: Any) -> None:
        renderer, array = self.renderer, self._blocks.array
        if isinstance(message, m.PutMesh):
            streams = {name: array(h) for name, h in message.streams.items()}
            renderer.put_mesh(message.key, streams, array(message.triangles), message.metres)
            del streams
            self._taken(message.triangles.block)
        elif isinstance(message, m.PutTexture):
            renderer.put_texture(message.name, message.is_color, tuple(array(h) for h in message.levels))
            self._taken(message.levels[0].block)
        elif isinstance(message, m.PutPaint):
            renderer.put_paint(message.prop, array(message.values))
            self._taken(message.values.block)
        elif isinstance(message, m.PatchPaint):
            renderer.patch_paint(message.prop, message.start, message.values)
        elif isinstance(message, m.PutMap):
            renderer.put_map(message.prop, array(message.values))
            self._taken(message.values.block)
        elif isinstance(message, m.DropMap):
            renderer.drop_map(message.prop)
        elif isinstance(message, m.PatchMap):
            renderer.patch_map(message.prop, message.column, message.row, message.values)
        elif isinstance(message, m.SetMaterial):
            renderer.set_material(message.material, message.lookup)
        elif isinstance(message, m.SetScene):
            renderer.set_scene(message.name, message.scene)
        elif isinstance(message, m.SetRow):
            renderer.set_row(message.scene, message.material, message.row, message.values)
        elif isinstance(message, m.SetShared):
            renderer.set_shared(message.values)
        elif isinstance(message, m.SetLight):
            renderer.set_light(message.direction, message.strength, message.sky, message.quick)
        else:
            raise TypeError("nobody knows what to do with it")

    def _taken(self, block: str) -> None:
        self._blocks.release(block)
        self._connection.send(m.Taken(block))

    def _frame(self, request: m.FrameRequest) -> None:
        start = time.perf_counter()
        picture = self.renderer.picture(
            request.scene, request.eye, request.width, request.height, request.looks, request.sample,
            request.stream, request.backdrop, request.marks, request.part,
        )  # fmt: skip
        target = self._blocks.array(request.target)
        target[...] = picture
        del target
        took = (time.perf_counter() - start) * 1000
        self._report_faults()
        done = m.FrameDone(request.stream, request.serial, request.sample, took, self.renderer.shop.compiles)
        self._connection.send(done)
        self._blocks.release(request.target.block)

    def _report_faults(self) -> None:
        now = dict(self.renderer.faults)
        for material in {*now, *self._reported}:
            if now.get(material) != self._reported.get(material):
                self._connection.send(m.MaterialFault(material, now.get(material, "")))
        self._reported = now


def run(connection: Connection) -> None:
    """The process's main function."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    os.nice(5)  # the window comes first, even on two cores
    try:
        process = RenderProcess(connection)
        process.run()
    except NoGraphics as error:
        connection.send(m.Refused(str(error)))
    except (EOFError, BrokenPipeError, ConnectionResetError):
        return
