"""How much of the window's time is left to hands while something long is under way."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from pathlib import Path

from tests.bench.common import entry

TURNING = """
import os, statistics, sys, time
os.environ["QT_QPA_PLATFORM"] = "offscreen"
from pathlib import Path
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication
from jade_coat.app.main import make_application
from jade_coat.app.session import Session
from jade_coat.app.window import Window
from jade_coat.stage import edits
from jade_coat.view.client import RenderClient

def turn(until):
    while not until():
        QApplication.processEvents()
        time.sleep(0.001)

def rate(seconds):
    ticks.clear()
    end = time.monotonic() + seconds
    turn(lambda: time.monotonic() >= end)
    return len(ticks) / seconds

def settle():
    calm = [0]
    def still():
        calm[0] = calm[0] + 1 if window.ready() else 0
        return calm[0] > 60
    turn(still)

def compile_anew():
    window.workspaces["Build"].add_coat()
    session.do(edits.set_term(material="kiln_wall", coat=session.coat_id, term="paint", channel="G"))
    return settle

def bake():
    dialog = window.export_to(Path(sys.argv[2]) / "a.glb", 2048)
    def stop():
        assert dialog.isVisible()
        dialog.job.cancel()
        turn(lambda: not dialog.isVisible())
    return stop

if __name__ == "__main__":
    ticks = []
    app = make_application()
    session = Session(RenderClient())
    session.agree = lambda what, lines: True
    window = Window(session)
    window.resize(1280, 800)
    window.show()
    window.open_folder(Path(sys.argv[1]))
    settle()
    timer = QTimer()
    timer.timeout.connect(lambda: ticks.append(1))
    timer.start(10)
    for start in (compile_anew, bake):
        idle, busy = [], []
        for _ in range(5):
            idle.append(rate(0.7))
            stop = start()
            busy.append(rate(1.0))
            stop()
        print("share", start.__name__, statistics.median(idle), statistics.median(busy), flush=True)
    session.document.mark_saved()
    window.close()
"""


def bench_turning(folder: Path) -> list[dict]:
    """Ticks of a timer of 10 ms, at rest and in the second after a coat was added, and while a GLB is baked."""
    with tempfile.TemporaryDirectory() as home:
        environment = {**os.environ, "XDG_DATA_HOME": home, "XDG_CONFIG_HOME": home, "XDG_CACHE_HOME": home}
        script = Path(home) / "turning.py"
        script.write_text(TURNING)
        out = subprocess.run(
            [sys.executable, str(script), str(folder), home],
            env=environment,
            capture_output=True,
            text=True,
            check=True,
        )
    found = [line.split()[1:] for line in out.stdout.splitlines() if line.startswith("share")]
    notes = {"compile_anew": "in the second after a coat was added", "bake": "in the first second of a bake"}
    return [
        entry(
            f"window's turns, {name}",
            float(busy),
            "turns a second",
            float(idle),
            1.25,
            f"{notes[name]}; floor: the same window at rest; the ratio is rest to work",
            float(idle) / float(busy),
        )
        for name, idle, busy in found
    ]
