"""The word kiln in the real window: from words to a dressed wall, tried on the way, and providers that misbehave."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QEnterEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget

from jade_coat.app.stage.kiln import KilnPage
from jade_coat.jobs.job import Job
from jade_coat.kiln.brief import DIRECTIONS
from jade_coat.kiln.provider import MIDDLE, Ask, Candidate, SimulatedKiln, Understood
from jade_coat.stage.looks import finish_on
from tests.app.conftest import Hand
from tests.app.wall import shown


@pytest.fixture
def kiln(hand: Hand) -> KilnPage:
    hand.window.show_workspace("Stage")
    hand.session.choose_prop("kiln_wall_prop", "surface")
    hand.key(hand.window, Qt.Key.Key_K, Qt.KeyboardModifier.ShiftModifier)
    hand.settle()
    return hand.window.bench.room("stage").kiln


def fire(hand: Hand, kiln: KilnPage, words: str) -> None:
    kiln.words.setFocus()
    kiln.words.clear()
    QTest.keyClicks(kiln.words, words)
    hand.key(kiln.words, Qt.Key.Key_Return)
    assert kiln.waiting
    hand.settle()


def rest_on(tile: QWidget) -> None:
    at = QPointF(tile.rect().center())
    QApplication.sendEvent(tile, QEnterEvent(at, at, QPointF(tile.mapToGlobal(at))))


def test_from_words_to_the_wall_by_walking_and_trying(hand: Hand, kiln: KilnPage) -> None:
    session = hand.session
    before, look = session.project, shown(hand).astype(int)
    fire(hand, kiln, "mossy brick, gothic")
    assert kiln.isVisible()
    assert "gothic" in kiln.unknown.text()
    there = {MIDDLE, *DIRECTIONS} - {"sound", "new"}  # it is neither broken nor aged
    assert set(kiln.candidates) == there
    assert {way for way, t in kiln.tiles.items() if t.image is not None} == there
    rest_on(kiln.tiles["grown"])
    hand.until(lambda: session.shown_project is not session.project)
    hand.settle()
    tried = shown(hand).astype(int)
    assert np.abs(tried - look).mean() > 4
    QApplication.sendEvent(kiln, QEvent(QEvent.Type.Leave))
    hand.until(lambda: session.shown_project is session.project)
    hand.settle()
    assert np.abs(shown(hand).astype(int) - look).max() <= 2
    assert session.project is before
    hand.click(kiln.tiles["grown"])
    hand.settle()
    assert kiln.ask == Ask("mossy brick, gothic", 1, ("grown",))
    hand.click(kiln.tiles["warm"])
    hand.settle()
    hand.click(kiln.back)
    hand.settle()
    assert kiln.ask.walked == ("grown",)
    hand.click(kiln.wear)
    hand.until(lambda: len(session.project.map_sets) == len(before.map_sets) + 1)
    hand.settle()
    project = session.project
    kept = project.map_sets[-1]
    assert kept.name.lower().startswith("mossy clay bricks")
    worn = project.finish(finish_on(project, project.prop("kiln_wall_prop"), "surface"))
    assert worn.name == kept.name
    assert session.library.textures(kept)[0].levels[0].shape[:2] == (1024, 1024)
    assert np.abs(shown(hand).astype(int) - look).mean() > 4
    hand.key(hand.window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.project == before


def test_another_seed_and_discarding(hand: Hand, kiln: KilnPage) -> None:
    fire(hand, kiln, "grey stone")
    first = dict(kiln.candidates[MIDDLE].files)
    hand.click(kiln.vary)
    hand.settle()
    assert kiln.ask == Ask("grey stone", 2)
    assert dict(kiln.candidates[MIDDLE].files) != first
    hand.click(kiln.drop)
    assert (kiln.ask, kiln.candidates) == (None, {})
    assert all(t.image is None for t in kiln.tiles.values())
    assert not kiln.keep.isEnabled()
    assert hand.session.project.map_sets == hand.session.document.project.map_sets
    fire(hand, kiln, "sand")
    hand.click(kiln.keep)
    hand.until(lambda: hand.session.project.map_sets[-1].name == "Sand")


class Misbehaving(SimulatedKiln):
    """Gives some good candidates and then does as it was told."""

    name = "Far kiln"

    def __init__(self, how: str) -> None:
        self.how = how
        self.go_on = threading.Event()

    def understood(self, ask: Ask) -> Understood:
        if self.how == "dumb":
            raise ConnectionError("no answer")
        return super().understood(ask)

    def candidates(self, ask: Ask, side: int, job: Job) -> Iterator[Candidate]:
        for i, made in enumerate(super().candidates(ask, side, job)):
            if self.how == "damaged" and i in (2, 4):
                yield replace(made, files={**made.files, "height": b"\x89PNG broken"})
            elif self.how == "fails" and i == 3:
                raise ConnectionError("the line was cut")
            elif self.how == "slow" and i == 2:
                while not self.go_on.wait(0.05):
                    job.step(0.5, "waiting")
                yield made
            else:
                yield made

    def full(self, ask: Ask, side: int, job: Job) -> Candidate:
        made = super().full(ask, 256, job)
        return made if self.how == "damaged" else replace(made, files=dict(made.files))


@pytest.mark.parametrize(("how", "says", "come"), [
    ("damaged", "2 candidates left out", 8), ("fails", "Far kiln: the line was cut", 3), ("dumb", "no answer", 10),
])  # fmt: skip
def test_a_provider_that_fails_or_returns_damaged_pictures_is_told_of(hand, kiln, how, says, come) -> None:
    said: list[str] = []
    hand.session.said.connect(lambda text, problem: said.append(text))
    kiln.provider = Misbehaving(how)
    fire(hand, kiln, "stone")
    assert any(says in text for text in said)
    assert len(kiln.candidates) == come
    sets = hand.session.project.map_sets
    hand.click(kiln.keep)  # at the wrong size, which is looked at too
    hand.until(lambda: any("not 1024 × 1024" in text for text in said))
    assert hand.session.project.map_sets == sets


def test_a_slow_provider_never_blocks_the_window_and_can_be_stopped(hand: Hand, kiln: KilnPage) -> None:
    kiln.provider = slow = Misbehaving("slow")
    QTest.keyClicks(kiln.words, "stone")
    hand.key(kiln.words, Qt.Key.Key_Return)
    hand.until(lambda: len(kiln.candidates) == 2)
    start = time.monotonic()
    hand.session.choose_things(("tall_jar",))
    assert time.monotonic() - start < 60
    assert kiln.waiting
    hand.click(kiln.stop)
    assert not kiln.waiting
    assert len(kiln.candidates) == 2
    slow.go_on.set()
    hand.settle()
    assert len(kiln.candidates) == 2
    assert not kiln.stop.isVisible()
