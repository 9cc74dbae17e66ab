"""Draws docs/screenshots anew from the demo: `./run shots [NAME …]`, through the real window, offscreen."""

from __future__ import annotations

import math
import os
import shutil
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ["QT_QPA_PLATFORM"] = "offscreen"
HOME = tempfile.mkdtemp(prefix="jade-coat-home-")
for _name in ("XDG_CONFIG_HOME", "XDG_DATA_HOME"):  # neither read nor change what people set
    os.environ[_name] = HOME

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, QSize, Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QApplication, QLabel, QScrollArea, QWidget

from jade_coat.app import theme
from jade_coat.app.beginning import place_shape
from jade_coat.app.brush.pen import draw
from jade_coat.app.build.coat_panel import CoatPanel
from jade_coat.app.build.map_review import MapReview
from jade_coat.app.build.shared_panel import SharedPanel
from jade_coat.app.importing import _chosen_maps
from jade_coat.app.main import make_application
from jade_coat.app.session import Session
from jade_coat.app.shot import wait_until_ready
from jade_coat.app.start_page import PICTURES
from jade_coat.app.view.pictures import Split
from jade_coat.app.window import Window
from jade_coat.demo.terrace import build
from jade_coat.files.project_folder import data_folder
from jade_coat.material.recipes import Recipe, Step
from jade_coat.mesh.warm import warm_up
from jade_coat.stage import edits
from jade_coat.stage.desk import Camera
from jade_coat.stage.edits import new_coat
from jade_coat.stage.looks import reach_of_map_set
from jade_coat.view.link import SHAPE_LABELS

OUT = Path(__file__).parents[1] / "docs" / "screenshots"


def build_view(window: Window) -> QWidget:
    return window


def section(window: Window) -> QWidget:
    """The strip drawn large, over plaster, tile and moss."""
    window.session.choose_coat("lime")
    _low(window, 294)
    QApplication.processEvents()
    wait_until_ready(QApplication.instance(), window, 120)
    line, view = window.bench.section, window.view
    line.draw_next()
    drag(view, QPoint(round(view.width() * 0.22), round(view.height() * 0.42)),
         QPoint(round(view.width() * 0.6), round(view.height() * 0.62)))  # fmt: skip
    return window


def _kind_in_sight(window: Window) -> None:
    """Unfold the fields of the kind of surface and roll to them."""
    kind = window.bench.coat_panel.kind
    fold = kind.parentWidget().parentWidget()
    fold.unfold()
    QApplication.processEvents()
    area = next(a for a in window.findChildren(QScrollArea) if a.isAncestorOf(kind))
    area.verticalScrollBar().setValue(fold.mapTo(area.widget(), QPoint(0, 0)).y())


def two_tone(window: Window) -> QWidget:
    """A guardian, the fields of its light, and the links by which its look comes about."""
    session = window.session
    session.choose_prop("guardian_1", "Robe")
    _low(window, 196)
    window.view.set_camera(Camera(target=(-1.32, 0.68, 2.3), yaw=0.3, pitch=0.12, distance=2.9, field_of_view=0.62))
    wait_until_ready(QApplication.instance(), window, 120)
    _kind_in_sight(window)
    return window


def near_far(window: Window) -> QWidget:
    """A repeat found from afar, and broken at the other side of the split."""
    session = window.session
    session.choose_prop("floor", "surface")
    for path in ("clay.surface.tile_size", "clay.surface.tile_break"):
        session.do(edits.expose(material="terrace_floor", path=path))
    dials = {d.path: d.id for d in session.project.material("terrace_floor").dials}
    session.do(edits.set_dial(finish="trodden_clay", dial=dials["clay.surface.tile_size"], value=0.45))
    session.do(edits.set_field(material="terrace_floor", path="moss.amount", value=0.0))
    session.do(edits.set_field(material="terrace_floor", path="lichen.amount", value=0.0))
    session.do(edits.add_finish(parent="trodden_clay", name="Broken by hexagons"))
    broken = session.project.finishes[-1].id
    session.do(edits.set_dial(finish=broken, dial=dials["clay.surface.tile_break"], value="hex"))
    window.view.set_camera(session.camera.with_(target=(0.0, 0.0, -0.2), pitch=0.62, distance=5.6))
    window.view.show_split(Split(finish=broken, name="Broken by hexagons"))
    return window


def placing(window: Window) -> QWidget:
    """The wall's vertices raised by its height, and the wind that blows everywhere."""
    session = window.session
    session.choose_prop("kiln_wall_prop", "surface")
    session.do(edits.add_move(material="kiln_wall", kind="height"))
    session.do(edits.set_field(material="kiln_wall", path="moves:height.amount", value=0.12))
    panel, shared = window.findChild(CoatPanel), window.findChild(SharedPanel)
    assert panel is not None
    assert shared is not None
    panel._folded["Placing"] = False
    panel._key = None
    panel.refresh()
    window.view.set_camera(session.camera.with_(yaw=1.1, distance=2.0, pitch=0.2))
    wait_until_ready(QApplication.instance(), window, 60)
    for area in (*panel.findChildren(QScrollArea), *shared.findChildren(QScrollArea)):
        bar = area.verticalScrollBar()
        assert bar is not None
        bar.setValue(bar.maximum())
    return window


def steps(window: Window) -> QWidget:
    sheet = window.workspaces["Build"].show_recipes()
    sheet.chosen = "dust_on_top"
    sheet.refresh()
    return sheet


def maps(window: Window) -> QWidget:
    window.session.choose_coat("tile")
    chosen = _chosen_maps(window)
    assert chosen is not None
    review = MapReview(window, chosen, [], window.session.library)
    review.show_reach(window.session.project, reach_of_map_set(window.session.project, chosen.id), "Kiln wall")
    review.show()
    return review


def sooty(window: Window) -> None:
    """Give the wall a coat of soot on channel R and rougher glaze on B, so that several channels have a meaning."""
    session = window.session
    session.choose_prop("kiln_wall_prop", "surface")
    session.do(edits.add_coat(material="kiln_wall", coat=new_coat("Kiln soot")))
    coat = session.project.material("kiln_wall").coats[-1].id
    session.do(edits.set_field(material="kiln_wall", path=f"{coat}.surface.color", value=(0.012, 0.011, 0.01)))
    session.do(edits.set_seam(material="kiln_wall", coat=coat, kind="soft"))
    worn = Step(id="worn", kind="paint", args=(), pick="B")
    session.do(edits.add_recipe(recipe=Recipe(id="scuffs", name="Scuffs", steps=(worn,))))
    session.do(
        edits.link_field(material="kiln_wall", path="tile.surface.saturation", recipe="scuffs", low=1.0, high=0.25)
    )


def brush(window: Window) -> QWidget:
    """A stroke of moss drawn with the pen, and the ring and the preview of the next dab."""
    window.show_workspace("Brush")
    window.session.choose_prop("kiln_wall_prop", "surface")
    window.bench.brush.set(radius=0.26, strength=1.0)
    view = window.view
    draw(view, [(180 + i * 8, 118 + 20 * math.sin(i / 6), 0.35 + 0.65 * abs(math.sin(i / 11))) for i in range(40)])
    wait_until_ready(QApplication.instance(), window, 60)
    hover(view, QPoint(560, 150))
    return window


def kinds(window: Window) -> QWidget:
    """The ways of letting through, judged on a tea bush with the light aside."""
    session = window.session
    session.choose_prop("tea_bush_2", "surface")
    window.view.frame()
    window.view.set_camera(session.camera.with_(distance=session.camera.distance * 0.8, pitch=0.2))
    wait_until_ready(QApplication.instance(), window, 120)
    sheet = window.bench.coat_panel.kind.compare()
    while not sheet.ready:
        QApplication.processEvents()
    return sheet


def foliage(window: Window) -> QWidget:
    """Tea and ferns by the wall, and a bush that is being made over them, of cards cut out of the atlas."""
    session = window.session
    session.choose_prop("tea_bush_9", "surface")
    window.bench.panes.view_alone()
    window.view.set_camera(Camera(target=(0.42, 0.22, -1.6), yaw=0.05, pitch=0.16, distance=2.2, field_of_view=0.62))
    maker = window.workspaces["Build"].new_bush()
    for name, value in (
        ("atlas", "leaves"), ("corners", 6), ("last", 2), ("count", 190), ("radii", (0.42, 0.42, 0.42)), ("foot", 0.2),
        ("fill", 0.6),
    ):  # fmt: skip
        maker.turn(name, value)
    wait_for(lambda: maker.ready)
    wait_until_ready(QApplication.instance(), window, 120)
    time.sleep(0.4)
    wait_until_ready(QApplication.instance(), window, 120)
    return over(window, maker, QPoint(1280 - maker.width() - 12, 800 - maker.height() - 34))


def glow(window: Window) -> QWidget:
    """The kiln's embers at dusk, lanterns and haze, and what the embers glow by."""
    session = window.session
    session.do(edits.set_light(sky="evening", strength=0.2, elevation=0.02, azimuth=-2.4, exposure=1.0))
    session.choose_prop("kiln_embers", "surface")
    _low(window, 150)
    window.view.set_camera(Camera(target=(-0.5, 0.8, -1.0), yaw=0.22, pitch=0.1, distance=2.9, field_of_view=0.7))
    wait_until_ready(QApplication.instance(), window, 120)
    _kind_in_sight(window)
    return window


def wait_for(there: Callable[[], bool]) -> None:
    while not there():
        QApplication.processEvents()


def over(window: Window, sheet: QWidget, at: QPoint) -> QWidget:
    """The window with a sheet over it, as a screen shows both."""
    picture = window.grab()
    painter = QPainter(picture)
    painter.setPen(theme.color("line"))
    painter.drawRect(at.x() - 1, at.y() - 1, sheet.width() + 1, sheet.height() + 1)
    painter.drawPixmap(at, sheet.grab())
    painter.end()
    sheet.close()
    made = QLabel()
    made.setPixmap(picture)
    made.resize(picture.size())
    return made


def start(window: Window) -> QWidget:
    """The start page, after a few projects."""
    session = window.session
    place = session.folder.parent / "Studies"
    place.mkdir()
    (data_folder() / "recent.json").unlink()
    for name, prop, distance in (("Courtyard gate", "gate_post", 1.9), ("Jar study", "tall_jar", 1.5)):
        session.choose_prop(prop, session.project.mesh(session.project.prop(prop).mesh).slots[0])
        window.view.frame()
        window.view.set_camera(session.camera.with_(distance=distance))
        wait_until_ready(QApplication.instance(), window, 120)
        window._save_now(place / name)
    session.new()
    window.say("")
    return window


def _low(window: Window, height: int) -> None:
    """Give what lies below the view a height in pixels, whatever an earlier picture left."""
    window.bench.middle.setSizes([sum(window.bench.middle.sizes()) - height, height])


def stage(window: Window) -> QWidget:
    """The whole terrace, some jars on the wheel, and their dials."""
    session = window.session
    window.show_workspace("Stage")
    session.choose_things([f"storage_jar_{i}" for i in (4, 5, 6)], "Body")
    _low(window, 184)
    window.view.set_camera(Camera(target=(0.1, 0.0, 1.1), yaw=0.33, pitch=0.36, distance=10.5, field_of_view=0.62))
    return window


def lineup(window: Window) -> QWidget:
    """The variants of the storage jar."""
    session = window.session
    window.show_workspace("Stage")
    session.choose_things(("storage_jar_8",), "Body")
    window.view.set_camera(Camera(target=(0.45, -0.25, 3.1), yaw=0.25, pitch=0.28, distance=3.2, field_of_view=0.62))
    _low(window, 184)
    return window


def decals(window: Window) -> QWidget:
    """Marks on a curve, over several props and at joins, and the stamps they were laid with."""
    session = window.session
    window.show_workspace("Stage")
    window.bench.room("stage").below.show_page(1)
    _low(window, 264)
    session.choose_things(("mark_20",))
    window.view.set_camera(Camera(target=(0.45, 0.75, -1.2), yaw=0.16, pitch=0.16, distance=3.3, field_of_view=0.62))
    return window


def lamps(window: Window) -> QWidget:
    """The terrace at dusk by its lanterns, one of them chosen."""
    session = window.session
    window.show_workspace("Stage")
    session.do(edits.set_light(sky="evening", strength=0.25, elevation=0.1, azimuth=-2.4, exposure=1.2))
    session.choose_things(("left_lantern",))
    _low(window, 184)
    window.view.set_camera(Camera(target=(0.0, 0.3, 0.9), yaw=0.2, pitch=0.22, distance=7.5, field_of_view=0.62))
    return window


def pictures(window: Window) -> None:
    """The pictures that the start page shows: of the demo, and of every built-in shape in plain clay."""
    keep(window, "terrace", QSize(688, 380))
    for shape in SHAPE_LABELS:
        window.session.document.mark_saved()
        window.session.new()
        place_shape(window, shape)
        window.view.set_camera(window.session.camera.with_(distance=window.session.camera.distance * 0.9))
        wait_until_ready(QApplication.instance(), window, 120)
        time.sleep(0.4)
        wait_until_ready(QApplication.instance(), window, 120)
        keep(window, shape, QSize(220, 164))


def keep(window: Window, name: str, size: QSize) -> None:
    """Save the middle of what the view shows."""
    image = window.view.picture()
    assert image is not None
    wide = min(image.width(), round(image.height() * size.width() / size.height()))
    high = min(image.height(), round(image.width() * size.height() / size.width()))
    part = image.copy((image.width() - wide) // 2, (image.height() - high) // 2, wide, high)
    part.scaled(size, transformMode=Qt.TransformationMode.SmoothTransformation).save(str(PICTURES / f"{name}.png"))


def _on_ground(window: Window, camera: Camera, layer: str) -> None:
    """Ground, from a camera, with a layer chosen and the meter read at the middle of the view."""
    window.show_workspace("Ground")
    window.session.camera = camera
    window.view.set_camera(camera)
    bench = window.bench
    bench.ground.choose_layer(layer)
    QApplication.processEvents()
    at = QPointF(window.view.width() * 0.52, window.view.height() * 0.62)
    bench.ground_tool.hover(at)
    end = time.monotonic() + 120
    while bench.room("ground").meter.costs is None and time.monotonic() < end:
        QApplication.processEvents()
        time.sleep(0.02)


def ground(window: Window) -> QWidget:
    """The hillside round the pottery with what grows on it, and what is strewn on the turf."""
    _on_ground(
        window, Camera(target=(-2.2, -1.1, 5.2), yaw=0.42, pitch=0.19, distance=15.5, field_of_view=0.62), "turf"
    )
    sheet = window.bench.room("ground").layer_sheet
    sheet.tabs["Scatter"].click()
    window.bench.ground.choose_scatter("grass")
    QApplication.processEvents()
    return window


def layers(window: Window) -> QWidget:
    """Where gravel, leaves and turf meet, the path that the gravel follows in hand, and the rules that laid them."""
    _on_ground(window, Camera(target=(-7.4, -1.6, 8.0), yaw=0.85, pitch=0.4, distance=12.0, field_of_view=0.62), "path")
    panel = window.bench.room("ground").panel
    window.bench.ground.take_path("way")
    QApplication.processEvents()
    panel._area.verticalScrollBar().setValue(panel._area.verticalScrollBar().maximum())
    return window


def puddles(window: Window) -> QWidget:
    """A pool on a terrace after rain, its rings in the low sun."""
    session = window.session
    session.do(edits.set_light(azimuth=0.6, elevation=0.45))
    session.do(edits.set_shared(shared="damp", keys=(), value=0.8))
    land, (x, z) = session.project.grounds.first, (-9.0, 11.0)
    high = float(land.heights.at(np.array([[x - land.corner[0], z - land.corner[1]]]))[0])
    _on_ground(window, Camera(target=(x, high, z), yaw=3.8, pitch=0.27, distance=5.6, field_of_view=0.62), "damp")
    return window


SHOTS: dict[str, Callable[[Window], QWidget]] = {
    "build": build_view, "section": section, "near-far": near_far, "ground": ground,
    "layers": layers, "puddles": puddles,
    "foliage": foliage, "glow": glow, "steps": steps, "maps": maps, "brush": brush,
    "kinds": kinds, "placing": placing, "start": start, "two-tone": two_tone,
    "stage": stage, "lineup": lineup, "decals": decals, "lamps": lamps,
}  # fmt: skip


def drag(widget: QWidget, start: QPoint, end: QPoint) -> None:
    from tests.app.conftest import Hand

    Hand.drag(None, widget, start, end)  # type: ignore[arg-type]


def hover(widget: QWidget, at: QPoint) -> None:
    from tests.app.conftest import move

    move(widget, QPointF(at), Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier)


def main(wanted: list[str]) -> None:
    app = make_application()
    warm_up()
    with tempfile.TemporaryDirectory(prefix="jade-coat-shots-") as place:
        demo = Path(place) / "demo"
        build(demo)
        for name in wanted or SHOTS:
            # Each from its own copy: the desk remembers the camera and the choice of the shot before.
            folder = Path(place) / name
            shutil.copytree(demo, folder)
            window = Window(Session())
            window.resize(1280, 800)
            window.show()
            window.open_folder(folder)
            wait_until_ready(app, window, 120)
            if name == "pictures":
                pictures(window)
                window.session.document.mark_saved()
                window.close()
                continue
            shown = SHOTS[name](window)
            time.sleep(0.4)
            wait_until_ready(app, window, 120)
            shown.grab().save(str(OUT / f"{name}.png"), "PNG")
            print(name)
            window.session.document.mark_saved()
            shown.close()
            window.close()


if __name__ == "__main__":
    main(sys.argv[1:])
