"""What is sent to another process is what it was when it was sent, whatever other threads work out meanwhile."""

from __future__ import annotations

import importlib
import inspect
import pickle
import pkgutil
import threading
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import jade_coat
from jade_coat.jobs.byte_cache import ByteCache
from jade_coat.maps.packing import PackedLookup
from jade_coat.mesh import shapes
from jade_coat.program.sending import SentBare
from jade_coat.view import messages as m
from jade_coat.view.client import RenderClient


class Meddling:
    """Pickled, it lets another thread work something out of its holder, as the scheduler may at any time."""

    holder: object = None
    done = False

    def __reduce__(self):
        if not self.done:
            Meddling.done = True
            thread = threading.Thread(target=lambda: self.holder.worked_out)  # type: ignore[attr-defined]
            thread.start()
            thread.join()
        return (Meddling, ())


@dataclass(frozen=True)
class Holder(SentBare):
    """A value that something is worked out of and kept on."""

    part: Meddling

    @cached_property
    def worked_out(self) -> int:
        return 7


def test_a_value_can_be_sent_while_another_thread_works_something_out_of_it() -> None:
    holder = Holder(Meddling())
    Meddling.holder, Meddling.done = holder, False
    bytes_of_it = pickle.dumps(holder)
    assert Meddling.done
    assert "worked_out" in vars(holder)
    assert "worked_out" not in vars(pickle.loads(bytes_of_it))


def test_a_mesh_can_be_sent_while_another_thread_works_something_out_of_it() -> None:
    mesh = shapes.box(1, 1, 1)
    mesh.__dict__["meddling"] = Meddling()
    object.__setattr__(mesh, "slots", (mesh.slots[0], mesh.__dict__["meddling"]))

    class View:
        worked_out = property(lambda self: mesh.bounds)

    Meddling.holder, Meddling.done = View(), False
    pickle.dumps(mesh)
    assert Meddling.done
    assert "bounds" in vars(mesh)


def _caching_classes():
    for found in pkgutil.walk_packages(jade_coat.__path__, "jade_coat."):
        if ".app" in found.name or found.name.endswith("__main__"):
            continue
        for _, one in inspect.getmembers(importlib.import_module(found.name), inspect.isclass):
            if one.__module__ == found.name and any(isinstance(v, cached_property) for v in vars(one).values()):
                yield one


def test_every_value_of_the_core_that_keeps_what_is_worked_out_of_it_can_be_sent_at_any_time() -> None:
    found = list(_caching_classes())
    assert len(found) > 5
    for one in found:
        assert "__getstate__" in {name for base in one.__mro__[:-1] for name in vars(base)}, one


@pytest.fixture
def silent(monkeypatch):
    """A client whose outbox nobody empties."""
    monkeypatch.setattr("jade_coat.view.client._sender", lambda connection, outbox: None)
    made = RenderClient()
    yield made
    made.stopped = "end of the test"
    made._process.kill()
    made.close()


def test_a_message_holds_what_was_sent_though_it_changes_before_the_pipe_has_room(silent) -> None:
    values = np.zeros((4, 4, 4), np.uint8)
    silent.send(m.PatchMap("wall", 0, 0, values))
    values[:] = 9  # the next dab of the same stroke
    arrived = pickle.loads(silent._outbox.get_nowait())
    assert not arrived.values.any()


def test_what_cannot_be_sent_is_told_where_it_was_sent_and_later_messages_still_leave(silent) -> None:
    with pytest.raises((TypeError, AttributeError, pickle.PicklingError)):
        silent.send(m.PatchMap("wall", 0, 0, threading.Lock()))  # type: ignore[arg-type]
    with pytest.raises((TypeError, AttributeError, pickle.PicklingError)):
        silent.request("main", scene="stage", eye=threading.Lock(), width=8, height=8)
    assert not silent.busy("main")
    silent.send(m.SetShared({}))
    assert isinstance(pickle.loads(silent._outbox.get_nowait()), m.SetShared)


def test_a_lookup_sent_answers_as_before() -> None:
    lookup = PackedLookup(())
    assert lookup.key == pickle.loads(pickle.dumps(lookup)).key


@settings(max_examples=60, deadline=None)
@given(st.lists(st.tuples(st.integers(0, 9), st.integers(0, 40)), max_size=60))
def test_a_cache_of_bytes_stays_within_its_room_and_gives_what_was_made_last_under_a_key(asked) -> None:
    cache: ByteCache[bytes] = ByteCache(100, len)
    sizes: dict[int, int] = {}
    for key, size in asked:
        size = sizes.setdefault(key, size * 4)
        assert cache.get(key, lambda size=size: bytes(size)) == bytes(size)
        assert cache.nbytes == sum(len(v) for v in cache._kept.values()) <= 100
        if size <= 100:
            assert list(cache._kept)[-1] == key
