"""Surface kinds and moves in the window: what is cut is pointed through, what is lifted is painted where it is seen."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QCheckBox, QLineEdit

from jade_coat.maps.images import png_bytes
from jade_coat.maps.mapset import MapFile, MapSet
from jade_coat.material.material import Coat, Material
from jade_coat.material.recipes import Recipe, Step
from jade_coat.material.surface import Role, Surface
from jade_coat.material.tones import LINKS
from jade_coat.mesh import shapes
from jade_coat.stage import edits
from jade_coat.stage.project import Prop
from tests.app.conftest import Hand
from tests.app.wall import shown


def hang_screen(hand: Hand, kind: str = "opaque") -> list[QPointF]:
    """Hang a grille of opacity in front of the wall and choose it; returns places across it in the view."""
    session = hand.session
    grille = np.zeros((32, 32, 1), np.uint8)
    grille[:, :16] = 255
    asset = session.library.assets.put("maps", "grille.png", png_bytes(grille))
    entry = MapFile(role=Role.OPACITY, asset=asset, file="grille.png", channels="r")
    session.do(edits.add_map_set(map_set=MapSet(id="grille", name="Grille", maps=(entry,))))
    wall = session.project.prop("kiln_wall_prop")
    mesh = session.library.add_mesh(shapes.wall_piece(), "Screen", set())
    surface = Surface(map_set="grille", tile_size=0.4, color=(0.9, 0.1, 0.1))
    session.do(edits.add_mesh(mesh=mesh))
    session.do(
        edits.add_material(
            material=Material(id="screen", name="Screen", kind=kind, coats=(Coat(id="c", name="C", surface=surface),))
        )
    )
    forward = np.array(wall.position) + np.array([0.0, 1.2, 1.6])
    session.do(edits.add_prop(prop=Prop(id="screen", name="Screen", mesh=mesh.id, finishes={mesh.slots[0]: "screen"},
                                     position=tuple(float(v) for v in forward))))  # fmt: skip
    session.choose_prop("screen", mesh.slots[0])
    session.choose_finish("screen")
    view = hand.window.view
    view.frame()
    hand.settle()
    return [QPointF(view.width() * (0.3 + 0.04 * i), view.height() / 2) for i in range(11)]


def test_a_surface_kind_is_chosen_and_holes_are_seen_looked_at_and_pointed_through(hand) -> None:
    """A grille of opacity in front of the wall: opaque first, then cut out."""
    session, window, view = hand.session, hand.window, hand.window.view
    places = hang_screen(hand)
    before = shown(hand)
    assert {view.pick(p).prop.id for p in places} == {"screen"}
    kind = window.bench.coat_panel.kind
    assert kind is not None
    kind.parent().parent().unfold()
    assert "opacity" in {look for look, _ in window.bench.looks.looks()}
    kind.kind.setFocus()
    kind.kind.setCurrentIndex(kind.kind.findData("masked"))
    kind.kind.activated.emit(kind.kind.currentIndex())
    hand.settle()
    assert session.project.material("screen").kind == "masked"
    assert "cut" in kind.fields
    changed = (np.abs(shown(hand).astype(int) - before.astype(int)).max(axis=2) > 24).mean()
    assert 0.02 < changed < 0.7
    found = [view.pick(p) for p in places]
    assert {"screen", "kiln_wall_prop"} <= {h.prop.id for h in found if h is not None}
    window.undo()
    assert session.project.material("screen").kind == "opaque"


def test_holes_that_move_with_the_clock_are_pointed_through_where_they_are_now(hand: Hand) -> None:
    session, view = hand.session, hand.window.view
    places = hang_screen(hand, "masked")

    def pattern() -> list[str]:
        return [found.prop.id if (found := view.pick(p)) is not None else "" for p in places]

    still = pattern()
    session.do(edits.set_field(material="screen", path="c.surface.offset", value=(0.5, 0.0)))
    aside = pattern()
    assert aside != still
    session.do(edits.add_shared(name="Slide", keys=((0.0, 0.0), (1.0, 1.0)), length=2.0))
    slide = session.project.shared[-1].id
    session.do(
        edits.link_field(material="screen", path="c.surface.offset", shared=slide, low=(0.0, 0.0), high=(0.5, 0.0))
    )
    assert pattern() == still
    session.seek(1.0)
    assert pattern() == aside


def test_a_recipe_without_meaning_leaves_its_thing_where_it_is_and_whole_to_point_at(hand: Hand) -> None:
    session, view = hand.session, hand.window.view
    places = hang_screen(hand, "masked")
    step = Step(id="along", kind="multiply", args=("1", "x1/0"))
    session.do(edits.add_recipe(recipe=Recipe(id="askew", name="Askew", steps=(step,))))
    session.do(edits.link_field(material="screen", path="c.surface.offset", recipe="askew", low=(0, 0), high=(1, 1)))
    session.do(edits.add_move(material="screen", kind="recipe"))
    move = session.project.material("screen").moves[0].id
    session.do(edits.set_field(material="screen", path=f"moves:{move}.recipe", value="askew"))
    hand.settle()
    assert "x1/0" in " ".join(session.faults.values())
    assert {hit.prop.id for p in places if (hit := view.pick(p)) is not None} == {"screen"}


def test_a_material_lifts_its_mesh_which_is_picked_and_painted_where_it_is_seen(hand) -> None:
    session, window = hand.session, hand.window
    session.choose_prop("kiln_wall_prop", "surface")
    view = window.view
    view.set_camera(session.camera.with_(target=(0.0, 1.0, -2.4), yaw=0.9, pitch=0.1, distance=2.2))
    hand.settle()
    before, start = shown(hand), session.project
    at = QPointF(view.width() * 0.5, view.height() * 0.5)
    rest = view.pick(at)
    panel = window.bench.coat_panel.moves
    assert panel is not None
    panel.add("height")
    field = panel.rows.fields["moves:height.amount"]
    window.bench.coat_panel.moves.parent().parent().unfold()
    field.setFocus()
    hand.key(field, Qt.Key.Key_Return)
    QTest.keyClicks(field.findChild(QLineEdit), "0.4")
    hand.key(field.findChild(QLineEdit), Qt.Key.Key_Return)
    assert session.project.material("kiln_wall").moves[0].amount == pytest.approx(0.4)
    hand.settle()
    assert not session.faults
    assert (np.abs(shown(hand).astype(int) - before).max(axis=2) > 16).mean() > 0.15
    hit = view.pick(at)
    assert hit is not None
    assert hit.placed is not None
    assert np.linalg.norm(hit.hit.point - rest.hit.point) > 0.01
    point, _ = hit.local
    owner = hit.mesh.positions[hit.mesh.triangles[hit.hit.triangle]].astype(float)
    facing = np.cross(owner[1] - owner[0], owner[2] - owner[0])
    assert abs((point - owner[0]) @ facing / np.linalg.norm(facing)) < 1e-6  # it lies on the mesh at rest
    window.show_workspace("Brush")
    hand.settle()
    paint = session.project.prop("kiln_wall_prop").paint
    at = QPointF(view.width() * 0.5, view.height() * 0.5)  # the view has more room in Brush
    hand.drag(view, at.toPoint(), at.toPoint() + QPoint(40, 0))
    hand.until(lambda: session.project.prop("kiln_wall_prop").paint is not paint)
    rows = np.flatnonzero((session.project.prop("kiln_wall_prop").paint.whole() != paint.whole()).any(axis=1))
    near = np.linalg.norm(hit.mesh.positions[rows] - point, axis=1)
    assert near.min() < 0.1
    while session.document.undo():
        pass
    assert session.project == start
    hand.settle()


def test_the_wind_moves_what_follows_it_and_the_clock_can_be_scrubbed(hand) -> None:
    session, window = hand.session, hand.window
    sway = Recipe(id="sway", name="Sway", steps=(
        Step(id="when", kind="time"), Step(id="wave", kind="wave", args=("when",)), Step(id="wind", kind="wind"),
        Step(id="out", kind="multiply", args=("wave", "wind")),
    ))  # fmt: skip
    for dial in session.project.shared:
        session.do(edits.set_shared(shared=dial.id, keys=()))
    session.do(edits.add_recipe(recipe=sway))
    session.do(edits.add_move(material="jar_glaze", kind="recipe"))
    session.do(edits.set_move(material="jar_glaze", move="recipe", recipe="sway", along="wind"))
    session.do(edits.set_field(material="jar_glaze", path="moves:recipe.amount", value=0.6))
    panel = window.bench.shared
    session.do(edits.set_wind(strength=0.0))
    hand.settle()
    still = shown(hand)
    session.seek(0.25)
    hand.settle()
    assert np.array_equal(shown(hand), still) or np.abs(shown(hand).astype(int) - still).mean() < 0.3  # no wind at all
    panel.wind["strength"]._put(1.0)
    panel.time._put(0.0)
    hand.settle()
    first = shown(hand)
    panel.time._put(0.25)
    hand.settle()
    assert (np.abs(shown(hand).astype(int) - first).max(axis=2) > 16).mean() > 0.02
    assert not session.faults


def test_strands_have_a_light_of_their_own_that_is_turned_made_a_dial_and_drawn_at_once(hand: Hand) -> None:
    session, panel = hand.session, hand.window.bench.coat_panel
    hang_screen(hand)
    smooth = shown(hand)
    session.do(edits.set_material(material="screen", kind="strands"))
    hand.settle()
    assert not session.faults
    assert (np.abs(shown(hand).astype(int) - smooth).max(axis=2) > 12).mean() > 0.02
    kind = panel.kind
    kind.parent().parent().unfold()
    tip = kind.rows.fields["light:strands.tip"]
    before = shown(hand)
    tip.changed.emit((0.02, 0.3, 0.9))
    tip.settled.emit()
    hand.settle()
    assert session.project.material("screen").strands.tip == (0.02, 0.3, 0.9)
    after = shown(hand).astype(int)
    assert (np.abs(after - before).max(axis=2) > 24).mean() > 0.02
    hand.click(kind.rows.dots["light:strands.skin"])
    hand.click(kind.rows.dots["light:strands.core"])
    assert [d.name for d in session.project.material("screen").dials] == [
        "Strands first highlight strength", "Strands second highlight strength",
    ]  # fmt: skip
    for _ in range(4):
        hand.window.undo()
    hand.settle()
    assert session.project.material("screen").kind == "opaque"
    assert np.abs(shown(hand).astype(int) - smooth).mean() < 0.5


def test_two_tones_show_their_chain_among_the_looks_and_their_outline_follows_a_dial(hand: Hand) -> None:
    session, window = hand.session, hand.window
    session.choose_prop("tall_jar", "Body")
    window.view.frame()
    hand.settle()
    smooth = shown(hand)
    looks = window.bench.looks
    assert not any(look.startswith("link:") for look, _ in looks.looks())
    window.bench.coat_panel.kind.parent().parent().unfold()
    kind = window.bench.coat_panel.kind
    kind.kind.setCurrentIndex(kind.kind.findData("toned"))
    kind.kind.activated.emit(kind.kind.currentIndex())
    hand.settle()
    assert not session.faults
    assert [look for look, _ in looks.looks()][1:9] == [f"link:{link}" for link in LINKS if link != "ramp"]
    plain = shown(hand)
    assert (np.abs(plain.astype(int) - smooth).max(axis=2) > 16).mean() > 0.1
    kind.rows.fields["light:tones.outline"].changed.emit(3.0)
    hand.settle()
    outlined = shown(hand).astype(int)
    dark = (outlined[..., :3].max(axis=2) < 40) & (plain[..., :3].max(axis=2) >= 40)
    assert 0.002 < dark.mean() < 0.2
    window.view.set_look("link:threshold")
    hand.settle()
    threshold = shown(hand).astype(int)
    assert not session.faults
    grey = np.ptp(threshold[..., :3], axis=2) < 6
    assert ((threshold[..., 0] > 235) & grey).mean() > 0.03
    window.view.set_look("lit")
    for _ in range(2):
        window.undo()
    hand.settle()
    assert np.abs(shown(hand).astype(int) - smooth).mean() < 0.5


def test_ways_of_letting_through_are_judged_side_by_side_and_one_press_takes_one(hand: Hand) -> None:
    session, panel = hand.session, hand.window.bench.coat_panel
    hang_screen(hand)
    panel.kind.parent().parent().unfold()
    sheet = panel.kind.compare()
    hand.until(lambda: sheet.ready, 240)
    assert not session.faults
    faults = {kind: tile.faults for kind, tile in sheet.tiles.items()}
    assert all(f.layers == pytest.approx(1.0, abs=0.2) for f in faults.values())  # one sheet of a grille
    assert faults["blended"].wrong < 0.2  # a lone sheet is sorted rightly; its edges are smoothed in what is right
    assert faults["additive"].wrong > faults["blended"].wrong + 0.2
    assert "takes no light · throws no shadow" in sheet.tiles["additive"].words()[1]
    assert not any(tile.current for tile in sheet.tiles.values())
    hand.click(sheet.tiles["ordered"])
    taken = session.project.material("screen")
    assert (taken.kind, taken.dither.pattern) == ("dithered", "ordered")
    hand.until(lambda: sheet.ready and sheet.tiles["ordered"].current, 240)
    assert not sheet.tiles["dithered"].current
    assert panel.kind.compare() is sheet
    sheet._sides.button(3).click()
    hand.until(lambda: sheet.ready, 240)
    sheet.moving.click()
    before = sheet.tiles["masked"].image
    hand.until(lambda: sheet.tiles["masked"].image is not before and sheet._turned > 0.1)
    sheet.close()
    hand.settle()
    assert not any(name.startswith("ways:") for name in session.client._streams)
    hand.window.undo()
    assert session.project.material("screen").kind == "opaque"


def test_flow_lines_of_strands_are_shown_over_the_prop_and_gone_again(hand: Hand) -> None:
    session, panel = hand.session, hand.window.bench.coat_panel
    session.choose_prop("gate_post", "Shaft")
    material = session.material.id
    session.do(edits.set_material(material=material, kind="strands"))
    hand.settle()
    view, flow = hand.window.view, hand.window.bench.flow
    bare = view.grab().toImage()
    panel.kind.parentWidget().parentWidget().unfold()
    hand.click(panel.kind.flow_button)
    hand.until(lambda: not flow.waiting and len(flow.flow.lines) > 100)
    hand.settle()
    lined = view.grab().toImage()
    assert lined != bare
    session.do(edits.set_material(material=material, kind="opaque"))
    hand.until(lambda: not flow.waiting and len(flow.flow.lines) == 0)
    session.document.undo()
    hand.until(lambda: not flow.waiting and len(flow.flow.lines) > 100)
    hand.settle()
    hand.click(panel.kind.flow_button)
    assert not session.flow_shown
    assert len(flow.flow.lines) == 0


def test_a_ramp_of_two_tones_is_drawn_in_the_hand_without_the_panel_being_built_anew(hand: Hand) -> None:
    session, panel = hand.session, hand.window.bench.coat_panel
    session.choose_prop("gate_post", "Shaft")
    material = session.material.id
    session.do(edits.set_material(material=material, kind="toned"))
    hand.settle()
    before = shown(hand)
    path = "light:tones.ramp"
    assert path not in panel.kind.rows.gradients
    next(b for b in panel.kind.findChildren(QCheckBox) if b.text() == "ramp").click()
    hand.settle()
    bar = panel.kind.rows.gradients[path]
    assert "light:tones.ramp_b" in panel.kind.rows.chosen  # a second one can be had now
    stops = session.material.tones.ramp
    for level in (0.3, 0.6):
        bar.changed.emit(((0.0, (level, 0.0, 0.0)), *stops[1:]))
    bar.settled.emit()
    assert panel.kind.rows.gradients[path] is bar
    assert session.material.tones.ramp[0] == (0.0, (0.6, 0.0, 0.0))
    hand.settle()
    assert not session.faults
    assert np.abs(shown(hand) - before).max() > 20
    session.document.undo()
    assert session.material.tones.ramp == stops
    assert bar.stops == stops
