"""The bench: the page that Build and Brush share: panel, view, look-at strip, coat stack, dial sheet, finish rail."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QSplitter, QStackedWidget, QWidget

from jade_coat.app.brush.channel_views import ChannelViews
from jade_coat.app.brush.mirror_line import MirrorLine
from jade_coat.app.brush.state import BrushState
from jade_coat.app.brush.tool import BrushTool
from jade_coat.app.build.coat_panel import CoatPanel
from jade_coat.app.build.coat_stack import CoatStack
from jade_coat.app.build.dial_sheet import DialSheet
from jade_coat.app.build.finish_rail import FinishRail
from jade_coat.app.build.flow_lines import FlowLines
from jade_coat.app.build.prop_panel import PropMenu
from jade_coat.app.build.section_line import SectionLine
from jade_coat.app.build.shared_panel import SharedPanel
from jade_coat.app.build.swatches import Swatches
from jade_coat.app.controls.basics import column, holder
from jade_coat.app.ground.path_tool import PathTool
from jade_coat.app.ground.state import GroundState
from jade_coat.app.ground.tool import GroundTool
from jade_coat.app.session import Session
from jade_coat.app.stage.chosen_marks import ChoosingFrame, ChosenMarks, toggle
from jade_coat.app.stage.deeds import Deeds
from jade_coat.app.stage.hand import StageHand
from jade_coat.app.stage.pins import Aim, Pins
from jade_coat.app.stage.stamp_tool import StampTool
from jade_coat.app.stage.wheel import Wheel
from jade_coat.app.view.dropper import Dropper
from jade_coat.app.view.light_dome import LightDome
from jade_coat.app.view.look_strip import LookStrip
from jade_coat.app.view.repeat_mark import RepeatMark
from jade_coat.app.view.split_line import SplitLine
from jade_coat.app.view.view import View
from jade_coat.app.view.view_bar import ViewBar
from jade_coat.app.workspaces.panes import Pane, Panes
from jade_coat.app.workspaces.room import FixedRoom, Room

if TYPE_CHECKING:
    from jade_coat.app.brush.panel import BrushPanel


class Bench(QWidget):
    """Everything of Build; in Brush the left panel and the view's tool are the brush's."""

    stage_menu_wanted = pyqtSignal(QPoint)
    """The menu of the things chosen on the stage is asked for."""

    # Long: makes every part of the page and joins them, a line each.
    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.brush = BrushState()
        self.swatches = Swatches(session, self)
        self.view = View(session)
        self.brush_tool = BrushTool(self.view, self.brush)
        session.hand_busy = lambda: self.brush_tool.painting
        self.looks = LookStrip(session, self.view)
        self.section = SectionLine(self.view)
        self.repeat = RepeatMark(self.view)
        self.dome = LightDome(self.view)
        self.flow = FlowLines(self.view)
        self.channels = ChannelViews(self.view, self.brush)
        self.view.overlays += [
            self.brush_tool, self.channels, self.section, self.flow, SplitLine(self.view), self.dome,
        ]  # fmt: skip
        self.view.inset_overlays.append(self.repeat)
        self.dropper = Dropper(self.view)
        self.view_bar = ViewBar(session, self.view)
        self.view_bar.looks = self.looks.looks
        self.stack = CoatStack(session, self.swatches, self.section)
        self.coat_panel = CoatPanel(session)
        self.view.overlays += [MirrorLine(self.view, self.brush), self.dropper]
        self.stage_hand = StageHand()
        self.deeds = Deeds(session, self.view, self.stage_hand)
        self.wheel, self.frame = Wheel(self.view, self.stage_hand), ChoosingFrame(self.view)
        self.view.overlays += [ChosenMarks(self.view), self.wheel, self.frame]
        self.stamp_tool = StampTool(self.view, self.stage_hand)
        self.ground = GroundState(session)
        self.ground_tool = GroundTool(self.view, self.ground)
        self.path_tool = PathTool(self.view, self.ground, self.ground_tool)
        self.aim = Aim(self.view)
        self.view.overlays += [Pins(self.view), self.aim, self.stamp_tool, self.ground_tool, self.path_tool]
        session.selection_changed.connect(self._follow_chosen)
        self.dials = DialSheet(session)
        self.rail = FinishRail(session, self.swatches)
        self.view.clicked.connect(self._on_click)
        self.view.menu_wanted.connect(self._prop_menu)
        self.looks.pictured.connect(self.coat_panel.show_picture)
        self.looks.also = self.coat_panel.pictures_wanted
        self.left = QStackedWidget()
        left = holder(column(self.left), "left")
        self.shared = SharedPanel(session)
        self.right = QStackedWidget()
        self.aside = _split(Qt.Orientation.Vertical, (self.right, self.shared))
        right = holder(column(self.aside), "right")
        self.reference = self.view_bar.reference
        self.view.overlays.insert(0, self.reference)
        self._beside = _split(Qt.Orientation.Horizontal, (self.view, self.reference.pane))
        upper = column(self._beside, self.looks, gap=0)
        upper.setStretch(0, 1)
        self.below = QStackedWidget()
        self.middle = _split(Qt.Orientation.Vertical, (holder(upper), self.below))
        self.across = _split(Qt.Orientation.Horizontal, (left, self.middle, right))
        for i, stretch in enumerate((0, 1, 0)):
            self.across.setStretchFactor(i, stretch)
        self.middle.setStretchFactor(0, 1)
        self.middle.setStretchFactor(1, 0)
        left.setMinimumWidth(277)
        right.setMinimumWidth(277)
        self.panes = Panes(
            {
                "panel": Pane("Panel", left, "The coat, or the brush"),
                "looks": Pane("Looks", self.looks, "Little pictures of every quantity"),
                "section": Pane("Section", self.below, "Coats along a line; in Stage the line-up, in Ground the meter"),
                "finishes": Pane("Finishes", self.rail, "All finishes of the project"),
                "dials": Pane("Dials", right, "The finish's dials, and the shared ones"),
            },
            {"across": self.across, "middle": self.middle, "aside": self.aside}, self.view,
        )  # fmt: skip
        self.panes.arranged.connect(lambda: self.section.read("section" not in self.panes.shut))
        layout = column(self.across, self.rail, gap=0)
        layout.setStretch(0, 1)
        self.setLayout(layout)
        self.rooms: dict[str, Room] = {}
        """The rooms that were entered, by the view's tool."""
        self.makers: dict[str, Callable[[], Room]] = {
            "look": lambda: FixedRoom(self.coat_panel, self.stack, self.dials),
            "brush": lambda: FixedRoom(self.brush_panel, self.stack, self.dials),
        }
        """What makes the room of a tool; workspaces add theirs."""
        self.room("look")

    def arrange(self) -> None:
        """Share the room out as it is at first; the style must be known, which says how little each part needs."""
        self.aside.setSizes([430, 180])
        self._beside.setSizes([500, 300])
        self.middle.setSizes([484, 184])
        self.across.setSizes([277, 724, 277])

    @cached_property
    def brush_panel(self) -> BrushPanel:
        """The brush's panel, made when it is first asked for."""
        from jade_coat.app.brush.fill_handles import FillHandles  # the window need not wait for them
        from jade_coat.app.brush.panel import BrushPanel

        made = BrushPanel(self._session, self.brush, self.brush_tool)
        self.view.overlays.insert(self.view.overlays.index(self.dropper), FillHandles(self.view, made.fill))
        return made

    def give_back_fill(self) -> bool:
        """Take a fill back that is on trial; whether there was one."""
        if "brush_panel" not in vars(self) or not self.brush_panel.fill.live:
            return False
        self.brush_panel.fill.take_back()
        return True

    def room(self, tool: str) -> Room:
        """What the workspace with a tool has round the view; made when it is first asked for."""
        if tool not in self.rooms:
            made = self.rooms[tool] = self.makers[tool]()
            parts = [(self.left, made.left), (self.below, made.below), *((self.right, s) for s in made.sheets)]
            for stack, part in parts:
                if stack.indexOf(part) < 0:
                    stack.addWidget(part)
            if self.isVisible():
                self._session.tell_panels()  # it knows nothing yet
        return self.rooms[tool]

    def _on_click(self, prop: str, slot: str, keys: Qt.KeyboardModifier) -> None:
        """A press in the view chooses what is there; in Stage with Shift it adds it, and on nothing chooses nothing."""
        stage = self.view.tool == "stage"
        if prop and stage and keys & Qt.KeyboardModifier.ShiftModifier:
            toggle(self.view, prop)
        elif prop:
            self._session.choose_prop(prop, slot)
        elif stage and not self.view.shape:
            self._session.choose_things(())

    def _follow_chosen(self) -> None:
        """Show at the right what belongs to what was chosen last."""
        self.right.setCurrentWidget(self.room(self.view.tool).sheet())

    def give_up(self) -> bool:
        """Give up what a hand is doing in the view just now; whether it was doing anything."""
        hands = (
            self.dropper, self.brush_tool, self.wheel, self.aim, self.stamp_tool, self.path_tool, self.ground_tool,
        )  # fmt: skip
        return any(hand.give_up() for hand in hands)

    def _prop_menu(self, prop: str, slot: str, at: QPoint) -> None:
        if self.view.tool == "stage":
            if prop not in self._session.chosen:
                self._session.choose_prop(prop, slot)
            self.stage_menu_wanted.emit(at)
            return
        self.menu = PropMenu(self, self._session, self._session.project.prop(prop), slot)
        self.menu.ask(at)

    @property
    def at_rest(self) -> bool:
        """Whether swatches, look-at pictures and coverage are all up to date."""
        working = self.swatches.waiting or self.looks.waiting or self.stack.measuring or self.repeat.waiting
        return not (working or any(room.waiting for room in self.rooms.values()))

    def set_tool(self, tool: str) -> None:
        """Take up the tool `look`, `brush`, `stage` or `ground`."""
        self.view.let_go()
        self.view.tool = tool
        self.rail.tries = tool == "stage"
        room = self.room(tool)
        self._session.edits_coats(tool == "look")
        if tool == "brush":
            self.brush_tool.warm()
        self.section.follow()
        self.looks.follow_tool()
        self.left.setCurrentWidget(room.left)
        self._follow_chosen()
        self.below.setCurrentWidget(room.below)
        self.panes.buttons["section"].setText(room.word)
        cursor = Qt.CursorShape.CrossCursor if tool in ("brush", "ground") else Qt.CursorShape.ArrowCursor
        self.view.setCursor(cursor)
        self.view.update()


def _split(way: Qt.Orientation, parts: tuple[QWidget, ...]) -> QSplitter:
    splitter = QSplitter(way)
    splitter.setHandleWidth(1)
    splitter.setChildrenCollapsible(False)
    for part in parts:
        splitter.addWidget(part)
    return splitter
