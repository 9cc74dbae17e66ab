"""Starts and closes at random moments: each ends by itself, and soon.

`JADE_COAT_STARTS` sets how many; 6 in every run, 200 by hand now and then.
"""

from __future__ import annotations

import os
import random
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

STARTS = int(os.environ.get("JADE_COAT_STARTS", "6"))
MOST_SECONDS = float(os.environ.get("JADE_COAT_CLOSE_SECONDS", "60"))
"""How long a start that was told to end may take to, even on a slow machine beside other work."""

SCRIPT = """
import random, sys
from PyQt6.QtCore import QTimer
from jade_coat.app import window
seed, folder = int(sys.argv[1]), sys.argv[2]
rng = random.Random(seed)
made = window.Window.__init__
def init(self, session):
    made(self, session)
    if seed % 3 == 0:
        self.close()
        return
    timer = QTimer(self)
    timer.setSingleShot(True)
    timer.timeout.connect(self.close)
    timer.start(int(rng.random() ** 2 * 2500))
if seed % 5:
    window.Window.__init__ = init
from jade_coat.app.main import start
if __name__ == "__main__":
    from pathlib import Path
    raise SystemExit(start(Path(folder) if folder else None))
"""


@pytest.mark.parametrize("number", range(STARTS))
def test_a_window_that_is_closed_at_any_moment_ends_its_process_and_by_no_signal(
    number: int, demo_folder: Path, tmp_path: Path
) -> None:
    seed = number + int(os.environ.get("JADE_COAT_SEED", "1")) * 1000
    rng = random.Random(seed)
    folder = tmp_path / "terrace"
    if seed % 2:
        shutil.copytree(demo_folder, folder)
        if seed % 4 == 1:  # with something to tell
            next((folder / "maps").iterdir()).unlink()
    (tmp_path / "start.py").write_text(SCRIPT)
    words = [sys.executable, "-X", "dev", "-W", "ignore", "-X", "faulthandler", str(tmp_path / "start.py"), str(seed)]
    process = subprocess.Popen([*words, str(folder) if seed % 2 else ""], stderr=subprocess.PIPE, text=True,
                               env={**os.environ, "XDG_DATA_HOME": str(tmp_path / "data")})  # fmt: skip
    end = time.monotonic() + MOST_SECONDS
    if seed % 5 == 0:  # told from outside
        time.sleep(1.5 + rng.random() * 3)
        process.send_signal(signal.SIGINT)
    try:
        _, told = process.communicate(timeout=max(end - time.monotonic(), 1))
    except subprocess.TimeoutExpired:
        process.send_signal(signal.SIGABRT)
        _, told = process.communicate(timeout=60)
        pytest.fail(f"start {seed} did not end:\n{told[-3000:]}")
    stopped = seed % 5 == 0 and "KeyboardInterrupt" in told  # while modules were being loaded
    assert process.returncode >= 0 or stopped, f"start {seed} ended by signal {-process.returncode}:\n{told[-3000:]}"
    assert process.returncode in (0, 130) or stopped, told[-3000:]
