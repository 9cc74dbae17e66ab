"""The render process: takes messages, keeps a renderer, and answers with pictures."""

from __future__ import annotations

import os
import signal
import time
from multiprocessing.connection import Connection
from typing import Any

from jade_coat.view import answers
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
        connection.send(answers.Ready(context.info["GL_RENDERER"], context.version_code))

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
                    self._take(message)
                timeout = 0.0
            if self._pending:
                request = min(self._pending.values(), key=lambda r: r.priority)
                del self._pending[request.stream]
                self._guarded(self._frame, request)

    def _guarded(self, action: Any, message: Any) -> None:
        try:
            action(message)
        except Exception as error:  # whatever a driver or damaged data throws must not end the process
            self._connection.send(answers.Trouble(f"{type(message).__name__}: {type(error).__name__}: {error}"))
            if isinstance(message, m.FrameRequest):
                self._connection.send(answers.FrameDone(message.stream, -message.serial, message.sample, 0.0, 0))

    def _take(self, message: m.Message) -> None:
        self._guarded(lambda taken: taken.take(self.renderer, self._blocks.array), message)
        if message.block:  # after whatever was raised is gone, with all that it held
            self._blocks.release(message.block)
            self._connection.send(answers.Taken(message.block))

    def _frame(self, request: m.FrameRequest) -> None:
        start = time.perf_counter()
        picture = self.renderer.picture(
            request.scene, request.eye, request.width, request.height, request.looks, request.sample,
            request.stream, request.backdrop, request.marks, request.part, request.single,
        )  # fmt: skip
        target = self._blocks.array(request.target)
        target[...] = picture
        del target
        took = (time.perf_counter() - start) * 1000
        self._report_faults()
        done = answers.FrameDone(request.stream, request.serial, request.sample, took, self.renderer.shop.compiles)
        self._connection.send(done)
        self._blocks.release(request.target.block)

    def _report_faults(self) -> None:
        now = dict(self.renderer.faults)
        for material in sorted({*now, *self._reported}):
            if now.get(material) != self._reported.get(material):
                self._connection.send(answers.MaterialFault(material, now.get(material, "")))
        self._reported = now


def run(connection: Connection) -> None:
    """The process's main function."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    os.nice(5)  # the window comes first, even on two cores
    try:
        process = RenderProcess(connection)
        process.run()
    except NoGraphics as error:
        connection.send(answers.Refused(str(error)))
    except (EOFError, BrokenPipeError, ConnectionResetError):
        return
