"""How long the application takes to come up."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from tests.bench.common import entry

START = """
import gc, os, sys, time
os.environ["QT_QPA_PLATFORM"] = "offscreen"
from pathlib import Path
def main():
    gc.disable()
    from jade_coat.view.early import start_early
    started = start_early()
    from PyQt6.QtCore import QTimer
    from jade_coat.view.client import RenderClient
    client = RenderClient(started)
    from jade_coat.app.main import make_application, open_early
    app = make_application()
    from jade_coat.app.session import Session
    session = Session(client)
    left = open_early(session, Path(sys.argv[1]))
    from jade_coat.app.window import Window
    window = Window(session)
    window.show()
    wanted, opened = {}, []
    def arrived(picture, image):
        if picture.stream != "main" or not opened:
            return
        if picture.tag.generation >= wanted.get("picture", picture.tag.generation + 1):
            print("picture", time.time(), flush=True)
            del wanted["picture"]
        if "textured" not in wanted and not session.link.unsent_sets(session.project):
            wanted["textured"] = window.view.generation  # a picture asked for with every map sent
        if picture.tag.generation >= wanted.get("textured", picture.tag.generation + 1):
            print("textured", time.time(), flush=True)
            session.picture.disconnect(arrived)
            QTimer.singleShot(int(sys.argv[2]), done)
    session.picture.connect(arrived)
    def done():
        window.close()
        app.quit()
    left(window)
    wanted["picture"] = window.view.generation
    opened.append(1)
    app.exec()
if __name__ == "__main__":
    main()
"""
START_FLOOR = """
import os
os.environ["QT_QPA_PLATFORM"] = "offscreen"
from PyQt6.QtWidgets import QApplication, QLabel
import numpy, scipy.spatial, cv2, pydantic
from jade_coat.view.context import create_context
app = QApplication([])
label = QLabel("x")
label.show()
app.processEvents()
c = create_context()
f = c.simple_framebuffer((1000, 600))
f.clear(0.1, 0.2, 0.3)
f.read()
"""


def bench_start(folder: Path) -> list[dict]:
    with tempfile.TemporaryDirectory() as home:
        environment = {**os.environ, "XDG_DATA_HOME": home, "XDG_CONFIG_HOME": home, "XDG_CACHE_HOME": home}
        script = Path(home) / "start.py"
        script.write_text(START)
        firsts, fulls, floors = [], [], []
        for stays in ("20000", "8000", "0", "0", "0"):
            # The first two are not counted and stay open a while: the driver writes what it made of programs by and by.
            start = time.time()
            out = subprocess.run(
                [sys.executable, str(script), str(folder), stays], env=environment, capture_output=True, text=True,
                check=True,
            )  # fmt: skip
            marks = dict(line.split() for line in out.stdout.splitlines() if line.startswith(("picture", "textured")))
            firsts.append((float(marks["picture"]) - start) * 1000)
            fulls.append((float(marks["textured"]) - start) * 1000)
            start = time.time()
            subprocess.run([sys.executable, "-c", START_FLOOR], env=environment, check=True)
            floors.append((time.time() - start) * 1000)
    floor = statistics.median(floors[2:])
    note = (
        "floor: a Python that imports Qt, NumPy, SciPy, OpenCV and pydantic, shows a label and clears one OpenGL frame"
    )
    return [
        entry("start to first picture", statistics.median(firsts[2:]), "ms", floor, 1.6, note),
        entry(
            "start to textured picture",
            statistics.median(fulls[2:]),
            "ms",
            floor,
            4.0,
            f"all maps decoded and packed; {note}",
        ),
    ]
