"""What gives candidates for words: a small interface that a service could fill, and the simulated kiln that ships."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Protocol

from jade_coat.jobs.job import Job
from jade_coat.kiln.brief import DIRECTIONS, Brief
from jade_coat.kiln.firing import fire
from jade_coat.kiln.stuffs import STUFFS
from jade_coat.kiln.vocabulary import read_words
from jade_coat.maps.images import read_image
from jade_coat.maps.picture import BadImage
from jade_coat.material.surface import Role

MIDDLE = "middle"
"""The way of the candidate that was asked for itself."""
PREVIEW, FULL = 256, 1024
"""Texels across the maps of a candidate to look at, and of one that is kept."""
_NEEDED = ("base_color", "normal", "roughness", "height")
_MOST_BYTES = 64 << 20


class BadCandidate(ValueError):
    """What a provider returned is of no use; the message says what and why."""


@dataclass(frozen=True)
class Ask:
    """What is asked of a provider: words, a seed, and how far people have walked from them, as directions in order."""

    words: str
    seed: int = 1
    walked: tuple[str, ...] = ()

    def towards(self, direction: str) -> Ask:
        """One step further."""
        return Ask(self.words, self.seed, (*self.walked, direction))


@dataclass(frozen=True)
class Candidate:
    """A map set on offer: PNG files by role, metres across, the seed, and the category of what it is made of.

    `way` is the direction it lies in from what was asked for, `ask` what would put it in the middle.
    """

    way: str
    ask: Ask
    name: str
    category: str
    size: float
    files: Mapping[str, bytes]


@dataclass(frozen=True)
class Understood:
    """What a provider made of the words, and those that it did not understand."""

    words: tuple[str, ...]
    unknown: tuple[str, ...]


class Provider(Protocol):
    """Gives candidates for words. Everything may raise: whoever asks tells people why."""

    name: str

    def understood(self, ask: Ask) -> Understood:
        """What it makes of the words, at once."""

    def candidates(self, ask: Ask, side: int, job: Job) -> Iterator[Candidate]:
        """The candidate in the middle, then its neighbours. Raises Cancelled where the job is."""

    def full(self, ask: Ask, side: int, job: Job) -> Candidate:
        """One candidate with maps of a side in texels."""


class SimulatedKiln:
    """The kiln that ships: it makes what it gives by itself, the same for the same words and seed."""

    name = "Simulated kiln"

    def understood(self, ask: Ask) -> Understood:
        """By the vocabulary."""
        reading = read_words(ask.words)
        return Understood(reading.understood, reading.unknown)

    def candidates(self, ask: Ask, side: int, job: Job) -> Iterator[Candidate]:
        """The middle and a neighbour each way; one that would be the middle again is left out."""
        middle = brief_of(ask)
        ways = [k for k, d in DIRECTIONS.items() if d.walk(middle) != middle]
        for i, way in enumerate((MIDDLE, *ways)):
            job.step(i / (len(ways) + 1), f"Firing {DIRECTIONS[way].label if way in DIRECTIONS else ask.words[:40]}")
            yield self._made(ask if way == MIDDLE else ask.towards(way), way, side)

    def full(self, ask: Ask, side: int, job: Job) -> Candidate:
        """The middle alone."""
        job.step(0.05, "Firing")
        made = self._made(ask, MIDDLE, side)
        job.step(0.95, "Fired")
        return made

    def _made(self, ask: Ask, way: str, side: int) -> Candidate:
        brief = brief_of(ask)
        fired = fire(brief, ask.seed, side)
        return Candidate(way, ask, name_of(brief), STUFFS[brief.stuff].category, fired.size, fired.files())


def brief_of(ask: Ask) -> Brief:
    """The brief that words and the way walked from them come to."""
    brief = read_words(ask.words).brief
    for way in ask.walked:
        brief = DIRECTIONS[way].walk(brief)
    return brief


def name_of(brief: Brief) -> str:
    """What a map set of a brief is called: how it is, and what it is made of."""
    grown = {"moss": "mossy", "lichen": "lichened", "algae": "slimy"}[brief.growth]
    how = [(brief.grown, grown), (brief.broken, "broken"),
           (brief.aged, "weathered"), (brief.sooty, "sooty"), (brief.dusty, "dusty")]  # fmt: skip
    words = [word for amount, word in sorted(how, reverse=True) if amount >= 0.3][:2]
    pattern = (
        "" if brief.pattern == "plain" or (brief.stuff, brief.pattern) == ("cloth", "weave") else f" {brief.pattern}"
    )
    return f"{' '.join([*words, brief.stuff])}{pattern}".capitalize()


def checked(candidate: Candidate, side: int) -> Candidate:
    """A candidate whose maps are all there and can be read. Raises BadCandidate."""
    missing = [r for r in _NEEDED if r not in candidate.files]
    if missing:
        raise BadCandidate(f"{candidate.name[:60]}: it has no {' and no '.join(missing)} map")
    if not 0 < candidate.size <= 1000:
        raise BadCandidate(f"{candidate.name[:60]}: its size of {candidate.size} m is none")
    known = {r.value for r in Role}
    for role, data in candidate.files.items():
        if role not in known:
            raise BadCandidate(f"{candidate.name[:60]}: {role[:40]!r} is no kind of map")
        if len(data) > _MOST_BYTES:
            raise BadCandidate(f"{candidate.name[:60]}: its {role} map is larger than 64 MiB")
        try:
            picture = read_image(data, f"{role}.png")
        except (BadImage, ValueError, OSError) as error:
            raise BadCandidate(f"{candidate.name[:60]}: its {role} map cannot be read ({error})") from None
        if picture.shape[:2] != (side, side):
            height, width = picture.shape[:2]
            raise BadCandidate(f"{candidate.name[:60]}: its {role} map is {width} × {height}, not {side} × {side}")
    return candidate
