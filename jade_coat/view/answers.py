"""What the render process tells the application: one class an answer, which finds its way in by `arrive`."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol


class Client(Protocol):
    """Who answers reach."""

    on_fault: Callable[[str, str], None]
    on_trouble: Callable[[str], None]

    def started(self, renderer: str) -> None:
        """The process is there, and draws with this renderer."""

    def free_block(self, block: str) -> None:
        """A shared block may go."""

    def arrived(self, done: FrameDone) -> None:
        """A picture is in its target."""

    def refused(self, reason: str) -> None:
        """The process cannot draw on this machine."""


class Answer:
    """From the render process."""

    def arrive(self, client: Client) -> None:
        """Tell the client."""
        raise NotImplementedError


@dataclass(frozen=True)
class Ready(Answer):
    """The context is there."""

    renderer: str
    version: int

    def arrive(self, client: Client) -> None:
        """The process can be used."""
        client.started(self.renderer)


@dataclass(frozen=True)
class Taken(Answer):
    """What lay in a shared block is uploaded; the block may go."""

    block: str

    def arrive(self, client: Client) -> None:
        """Give its memory back."""
        client.free_block(self.block)


@dataclass(frozen=True)
class FrameDone(Answer):
    """A picture is in its target."""

    stream: str
    serial: int
    sample: int
    milliseconds: float
    compiles: int
    """How many programs have been compiled since the process started."""

    def arrive(self, client: Client) -> None:
        """Hand the picture on."""
        client.arrived(self)


@dataclass(frozen=True)
class MaterialFault(Answer):
    """A material could not be compiled or drawn; its props show the fault finish. An empty reason: well again."""

    material: str
    reason: str

    def arrive(self, client: Client) -> None:
        """Tell it."""
        client.on_fault(self.material, self.reason)


@dataclass(frozen=True)
class Refused(Answer):
    """The process cannot draw on this machine; the reason says what to install."""

    reason: str

    def arrive(self, client: Client) -> None:
        """Keep the reason for when the process has ended."""
        client.refused(self.reason)


@dataclass(frozen=True)
class Trouble(Answer):
    """Something else went wrong with a message."""

    reason: str

    def arrive(self, client: Client) -> None:
        """Tell it."""
        client.on_trouble(self.reason)
