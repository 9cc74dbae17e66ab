"""The benchmarks print what they measured when one of them fails or takes too long, and say so by their exit code."""

from __future__ import annotations

import time
from typing import Any

from tests.bench.__main__ import measured
from tests.bench.common import entry


def good() -> list[dict[str, Any]]:
    return [entry("quick", 1.0, "ms", 1.0, 2.0, "")]


def slow() -> list[dict[str, Any]]:
    time.sleep(30)
    return []


def broken() -> list[dict[str, Any]]:
    raise ValueError("no such wall")


def beyond() -> list[dict[str, Any]]:
    return [entry("heavy", 3.0, "ms", 1.0, 2.0, "")]


def test_one_failure_loses_no_other_figure() -> None:
    results, code = measured({"a": good, "b": broken, "c": slow, "d": beyond, "e": good}, seconds=0.2)
    assert [r["name"] for r in results] == ["quick", "b", "c", "heavy", "quick"]
    assert "no such wall" in results[1]["failed"]
    assert "longer than" in results[2]["failed"]
    assert results[3]["missed"]
    assert code == 1


def test_the_exit_code_tells_a_missed_aim_from_a_failure() -> None:
    assert measured({"a": good})[1] == 0
    assert measured({"a": good, "d": beyond})[1] == 2
