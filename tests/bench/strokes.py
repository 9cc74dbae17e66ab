"""From a mouse event to the picture, in the real window, while a mesh of a million vertices or a large map is painted."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

from tests.bench.common import entry

RUN = """
import os, sys, time, json, statistics
os.environ["QT_QPA_PLATFORM"] = "offscreen"
from pathlib import Path
def main():
    from PyQt6.QtCore import QEvent, QPointF, Qt
    from PyQt6.QtGui import QMouseEvent
    from PyQt6.QtWidgets import QApplication
    from jade_coat.app.main import make_application
    from jade_coat.app.session import Session
    from jade_coat.app.window import Window
    from jade_coat.mesh import shapes
    from jade_coat.mesh.painting import PaintMap
    from jade_coat.stage import edits
    from jade_coat.stage.desk import Camera
    from jade_coat.stage.project import Prop
    app = make_application()
    session = Session()
    window = Window(session)
    window.resize(1280, 800)
    window.show()
    window.open_folder(Path(sys.argv[1]))
    made = shapes.plane(10.0, 10.0, 0.01)
    mesh = made.with_(uvs=(made.uvs[0], (made.uvs[0] / 10).astype("float32")))
    asset = session.library.add_mesh(mesh, "Plane", set())
    for p in session.project.props:
        session.do(edits.remove_prop(prop=p.id))
    session.do(edits.add_mesh(mesh=asset))
    session.do(edits.add_prop(prop=Prop(id="plane", name="Plane", mesh=asset.id, finishes={"surface": "celadon_wall"})))
    session.camera = Camera(target=(0, 0, 0), pitch=0.9, distance=8.0)
    window.show_workspace("Brush")
    window.bench.looks.hide()
    view, tool = window.view, window.bench.brush_tool
    window.bench.brush.set(radius=0.15, strength=0.5)
    arrived = []
    other_side = lambda: view.split is not None and view.split_at < 0.1
    seen_on = lambda: "split" if other_side() else "main"
    session.picture.connect(lambda p, i: arrived.append(p.tag.generation) if p.stream == seen_on() else None)
    def until(holds, seconds=120):
        end = time.monotonic() + seconds
        while not holds():
            app.processEvents()
            if time.monotonic() > end:
                raise SystemExit("it did not come")
    def mouse(kind, at, button, held):
        event = QMouseEvent(kind, at, QPointF(view.mapToGlobal(at.toPoint())), button, held, Qt.KeyboardModifier.NoModifier)
        QApplication.sendEvent(view, event)
    left, none = Qt.MouseButton.LeftButton, Qt.MouseButton.NoButton
    def place(i):
        return QPointF(160 + (i % 60) * 6, 140 + (i // 60) * 9)
    def seen(do):
        start = time.perf_counter()
        do()
        wanted = view.generation
        until(lambda: arrived and arrived[-1] >= wanted)
        return (time.perf_counter() - start) * 1000
    def calm():  # the repetition score of a million vertices takes its time, and draws nothing
        return not view._rest.isActive() and session.client.idle
    def measure():
        prop = session.project.prop("plane")
        mouse(QEvent.Type.MouseMove, place(0), none, none)
        until(lambda: tool._ready(session.project.prop("plane"), mesh))
        until(calm)
        mouse(QEvent.Type.MouseButtonPress, place(0), left, left)
        for i in range(4):
            seen(lambda: mouse(QEvent.Type.MouseMove, place(i), none, left))
        dabs, floors = [], []
        for i in range(20):
            dabs.append(seen(lambda: mouse(QEvent.Type.MouseMove, place(4 + i), none, left)))
            floors.append(seen(view.refresh))
        mouse(QEvent.Type.MouseButtonRelease, place(24), left, none)
        firsts = []
        for i in range(3):
            until(calm)
            firsts.append(seen(lambda: mouse(QEvent.Type.MouseButtonPress, place(40 + i), left, left)))
            mouse(QEvent.Type.MouseButtonRelease, place(40 + i), left, none)
        until(calm)
        return statistics.median(dabs), statistics.median(floors), statistics.median(firsts)
    found = {"vertices": measure()}
    session.do(edits.paint_map(prop="plane", paint_map=PaintMap.even(4096, 16, 1)))
    until(calm)
    found["map"] = measure()
    print("found", json.dumps(found), flush=True)
    session.document.mark_saved()
    window.close()
if __name__ == "__main__":
    main()
"""

DABS = (
    RUN[: RUN.index("    made = shapes.plane")]
    + """
    from jade_coat.app.view.pictures import Split
    window.show_workspace("Brush")
    session.choose_prop("kiln_wall_prop", "surface")
    for dial in session.project.shared[:1]:
        session.do(edits.set_shared(shared=dial.id, keys=((0.0, 0.0), (40.0, 1.0))))
"""
    + RUN[RUN.index("    view, tool = window.view") : RUN.index("    def measure")]
    + """
    state = window.bench.brush
    def compare(line):
        view.show_split(Split(finish="plain_wall", name="Plain"))
        view.set_split_at(line)
    def measure():
        until(lambda: window.ready() or session.playing)
        mouse(QEvent.Type.MouseMove, place(0), none, none)
        prop = session.project.prop("kiln_wall_prop")
        until(lambda: tool._ready(prop, session.link.mesh_data(prop.mesh)))
        mouse(QEvent.Type.MouseButtonPress, place(0), left, left)
        for i in range(4):
            seen(lambda: mouse(QEvent.Type.MouseMove, place(i), none, left))
        dabs = [seen(lambda: mouse(QEvent.Type.MouseMove, place(4 + i), none, left)) for i in range(24)]
        mouse(QEvent.Type.MouseButtonRelease, place(28), left, none)
        window.undo()
        return statistics.median(dabs)
    ways = {
        "plain": (lambda: None, lambda: None),
        "four channels": (lambda: state.show(channels=True), lambda: state.show(channels=False)),
        "edges": (lambda: state.show(edges=True), lambda: state.show(edges=False)),
        "what it holds": (lambda: state.show(held=True), lambda: state.show(held=False)),
        "Compare": (lambda: compare(0.9), lambda: view.show_split(None)),
        "Compare, on the other side": (lambda: compare(0.05), lambda: view.show_split(None)),
        "playing": (lambda: session.play(True), lambda: session.play(False)),
    }
    found = {name: [] for name in ways}
    for _ in range(3):
        for name, (on, off) in ways.items():
            on()
            found[name].append(measure())
            off()
    print("found", json.dumps({n: statistics.median(v[1:]) for n, v in found.items()}), flush=True)
    session.document.mark_saved()
    window.close()
if __name__ == "__main__":
    main()
"""
)


def _found(folder: Path, text: str) -> dict:
    script = folder.parent / "strokes_run.py"
    script.write_text(text)
    done = subprocess.run(
        [sys.executable, str(script), str(folder)], capture_output=True, text=True, timeout=590,
        env={**os.environ, "PYTHONPATH": os.getcwd()}, check=False,
    )  # fmt: skip
    lines = [line for line in done.stdout.splitlines() if line.startswith("found ")]
    if not lines:
        raise SystemExit(done.stderr[-2000:])
    return dict(json.loads(lines[0].removeprefix("found ")))


def bench_dabs(folder: Path) -> list[dict]:
    """A dab while more is shown than the surface, against a plain one."""
    found = _found(folder, DABS)
    plain = found.pop("plain")
    note = "a stroke's mouse move on the demo's wall until its picture is in; floor: the same without"
    return [entry(f"a dab with {name}" if name != "playing" else "a dab while shared dials play", value, "ms", plain, 1.5, note)
            for name, value in found.items()]  # fmt: skip


def bench_strokes(folder: Path) -> list[dict]:
    found = _found(folder, RUN)
    names = {"vertices": "mouse to picture, a million vertices", "map": "mouse to picture, a large map"}
    note = "a stroke's mouse move in the window until its picture is in; floor: the whole picture drawn again"
    lines = []
    for k, (value, floor, first) in found.items():
        lines.append(entry(names[k], value, "ms", floor, 0.2, note))
        text = "the first dab of a stroke, after the picture has come to rest; the same floor"
        lines.append(entry(f"{names[k]}: first dab", first, "ms", floor, 0.3, text))
    return lines
