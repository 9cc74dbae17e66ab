"""What grows and lies on the chosen layer: its scatters with pictures and counts, and the numbers of the chosen one."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout

from jade_coat.app.build.number_rows import NumberRows
from jade_coat.app.controls.basics import Sheet, button, choice, clear, counted, label, row, show_or_hide
from jade_coat.app.controls.fields import Field
from jade_coat.app.controls.focus import focus_kept
from jade_coat.app.controls.settings import field_for
from jade_coat.app.ground.scatter_tiles import ModelTile, ScatterTile
from jade_coat.app.ground.state import GroundState, Plucking
from jade_coat.app.model_pictures import ModelPictures
from jade_coat.app.session import Session
from jade_coat.ground.scatter import MOST, Scatter, most_of
from jade_coat.material.fields import Setting, Spec
from jade_coat.material.rows import dial_spec
from jade_coat.stage import edits
from jade_coat.stage.grounds import Ground
from jade_coat.stage.looks import dial_values, dress_of, material_of
from jade_coat.stage.naming import free_id, free_name
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.strewing import counted as pieces_of

WIDTH = 128
ACROSS = 4
PIECE_BYTES = 2 * 65
"""What a piece takes here and in the renderer."""


class ScatterSheet(Sheet):
    """The scatters of the chosen layer."""

    def __init__(self, session: Session, state: GroundState) -> None:
        super().__init__()
        self._session, self._state = session, state
        self.pictures = ModelPictures(session, self, "strewn")
        self.tiles: dict[str, ScatterTile] = {}
        self.models: dict[str, ModelTile] = {}
        self.numbers: NumberRows | None = None
        self.values: dict[str, Field] = {}
        self.choosing = False
        """Whether a model to strew is being chosen."""
        self._key: object = None
        self._told = label("", "quiet", wrap=True)
        self._rows = QVBoxLayout()
        self._rows.setSpacing(3)
        self._box.addLayout(self._rows)
        self._box.addStretch(1)
        self.pictures.arrived.connect(lambda _: self._show_pictures())
        session.changed.connect(self.refresh)
        session.grown.connect(self.refresh)
        state.changed.connect(self.refresh)

    def showEvent(self, event: object) -> None:
        self.refresh()

    def hideEvent(self, event: object) -> None:
        self.pictures.let_go()

    @property
    def waiting(self) -> bool:
        """Whether pictures are still to come."""
        return self.isVisible() and self.pictures.waiting

    def refresh(self) -> None:
        """Follow the project and what is chosen."""
        if not self.isVisible():
            return
        ground, layer = self._state.ground, self._state.layer
        if ground is None or layer is None:
            return
        project, chosen = self._session.project, self._state.scatter
        here = [s for s in ground.scatter if s.layer == layer.id]
        dials = _dials(project, chosen) if chosen is not None else []
        key = (ground.id, layer.id, layer.name, tuple((s.id, s.name) for s in here), self.choosing,
               chosen and (chosen.id, chosen.mesh, chosen.dial), tuple(dials),
               tuple((m.id, m.name) for m in project.meshes), tuple((s.id, s.name) for s in ground.layers))  # fmt: skip
        if key != self._key:
            self._key = key
            with focus_kept(self):
                self._build(ground, here, chosen)
        for scatter in here:
            self._show_tile(ground, scatter, scatter is chosen)
        if chosen is not None and self.numbers is not None:
            self._follow(chosen)
        wanted = {s.id: _alone(s.mesh, s.variant) for s in here}
        if self.choosing:
            wanted |= {f"model {m.id}": _alone(m.id) for m in project.meshes}
        self.pictures.show(wanted)
        self._show_pictures()

    def _show_tile(self, ground: Ground, scatter: Scatter, current: bool) -> None:
        tile = self.tiles[scatter.id]
        count = pieces_of(self._session.link.pieces(ground.id, scatter.id))
        stands = self._session.link.stands(ground.id, scatter.id)
        come_to = counted(count, "piece") if stands else f"up to {most_of(scatter, ground.heights.size):,} pieces…"
        words = f"{scatter.density:.3g} /m² · {come_to}" if scatter.visible else "hidden"
        if (tile.words, tile.current, tile.hidden) != (words, current, not scatter.visible):
            tile.words, tile.current, tile.hidden = words, current, not scatter.visible
            tile.update()
        if current:
            told = _told_of(self._session.project, ground, scatter, count)
            self._told.setText(told)
            show_or_hide(self._told, bool(told))

    def _show_pictures(self) -> None:
        shown: dict[str, ScatterTile | ModelTile] = {**self.tiles, **{f"model {m}": t for m, t in self.models.items()}}
        for name, tile in shown.items():
            image = self.pictures.image(name)
            if image is not tile.image:
                tile.image = image
                tile.update()

    # What is shown

    def _build(self, ground: Ground, here: list[Scatter], chosen: Scatter | None) -> None:
        clear(self._rows)
        self.tiles, self.models, self.values, self.numbers = {}, {}, {}, None
        layer = self._state.layer
        assert layer is not None
        self.add = button("+ scatter", self._ask, "add", f"Let something grow or lie on {layer.name}")
        self._rows.addLayout(row(label("GROWS HERE", "head"), 1, self.add))
        if self.choosing:
            self._build_models()
        elif not here:
            none = f"Nothing yet. Models of the project can be strewn over {layer.name}: tufts, stones, shards…"
            self._rows.addWidget(label(none, "quiet", wrap=True))
        for scatter in here:
            tile = self.tiles[scatter.id] = ScatterTile(scatter.name)
            tile.pressed.connect(partial(self._press, scatter.id))
            self._rows.addWidget(tile)
        if chosen is not None:
            self._build_chosen(ground, chosen)

    def _build_models(self) -> None:
        self._rows.addWidget(label("What is to be strewn?", "name"))
        grid = QGridLayout()
        grid.setSpacing(3)
        for i, mesh in enumerate(self._session.project.meshes):
            tile = self.models[mesh.id] = ModelTile(mesh.name)
            tile.pressed.connect(partial(self.strew, mesh.id))
            grid.addWidget(tile, i // ACROSS, i % ACROSS)
        grid.setColumnStretch(ACROSS, 1)
        self._rows.addLayout(grid)
        if not self.models:
            self._rows.addWidget(label("The project has no models yet: place one in Stage.", "quiet", wrap=True))

    def _build_chosen(self, ground: Ground, scatter: Scatter) -> None:
        project = self._session.project
        self.name = QLineEdit(scatter.name)
        self.name.setAccessibleName("Name of the scatter")
        self.name.editingFinished.connect(self._rename)
        self.shown = QCheckBox("shown")
        self.shown.toggled.connect(lambda on: self._set("visible", bool(on)))
        self._rows.addLayout(row(self.name, self.shown))
        self._told = label("", "quiet", wrap=True)
        self._rows.addWidget(self._told)
        self._build_hands()
        self.numbers = NumberRows(scatter, self._set)
        self.numbers.inset(0)
        self._rows.addWidget(self.numbers)
        models = [(m.id, m.name) for m in project.meshes]
        self._rows.addLayout(self._chosen_row("Model", models, scatter.mesh, self._set_model))
        mesh = project.mesh(scatter.mesh)
        if len(mesh.variants) > 1:
            variants = [("", mesh.variants[0].name), *((v.id, v.name) for v in mesh.variants[1:])]
            self._rows.addLayout(self._chosen_row("Variant", variants, scatter.variant, partial(self._set, "variant")))
        layers = [("", "nowhere"), *((s.id, s.name) for s in ground.layers if s.id != scatter.layer)]
        self._rows.addLayout(self._chosen_row("None of it on", layers, scatter.cut_out, partial(self._set, "cut_out")))
        self._build_dial(project, scatter)
        drop = button(f"Remove {scatter.name}", self._remove, "plain", names=True)
        self._rows.addLayout(row(1, drop))

    def _chosen_row(
        self, name: str, options: list[tuple[str, str]], current: str, chosen: Callable[[str], object]
    ) -> QHBoxLayout:
        box = choice(options, current, chosen, name)
        box.setAccessibleName(name)
        box.setFixedWidth(WIDTH)
        return row(label(name), 1, box)

    def _build_hands(self) -> None:
        """What hands do with single pieces."""
        tips: dict[Plucking, tuple[str, str]] = {
            "out": ("Take out", "The brush takes pieces out where it goes; Esc ends it"),
            "prop": ("Make a prop", "A press makes a prop of the piece there, which then stands for itself"),
        }
        self.hands = {}
        for how, (words, tip) in tips.items():
            made = self.hands[how] = button(words, partial(self._pluck, how), "tab", tip)
            made.setCheckable(True)
        self.back = button("Put back", self._put_back, "plain", "Let all pieces stand again that hands took out")
        self._rows.addLayout(row(*self.hands.values(), 1, self.back, gap=4))

    def _build_dial(self, project: Project, scatter: Scatter) -> None:
        """A dial of which each piece has a value of its own, and both ends of it."""
        dials = [("", "none"), *((d, n) for d, n, _ in _dials(project, scatter))]
        self._rows.addLayout(self._chosen_row("Dial", dials, scatter.dial, self._set_dial))
        spec = next((s for d, _, s in _dials(project, scatter) if d == scatter.dial), None)
        if spec is None:
            return
        for name, words in (("low", "From"), ("high", "To")):
            field = self.values[name] = field_for(spec, getattr(scatter, name))
            field.changed.connect(partial(self._set, name))
            field.setFixedWidth(WIDTH)
            field.setAccessibleName(f"{words} of the dial")
            self._rows.addLayout(row(label(words), 1, field))

    def _follow(self, scatter: Scatter) -> None:
        assert self.numbers is not None
        self.numbers.follow(scatter)
        self.shown.blockSignals(True)
        self.shown.setChecked(scatter.visible)
        self.shown.blockSignals(False)
        for name, field in self.values.items():
            field.show_value(getattr(scatter, name))
        for how, made in self.hands.items():
            made.setChecked(self._state.plucking == how)
        show_or_hide(self.back, bool(scatter.gone))
        self.back.setText(f"Put {len(scatter.gone):,} back")

    # Hands

    def _ask(self) -> None:
        self.choosing = not self.choosing
        self.refresh()

    def _press(self, scatter: str) -> None:
        self._state.choose_scatter("" if self._state.scatter_id == scatter else scatter)

    def strew(self, mesh: str) -> None:
        """Let a model grow on the chosen layer."""
        ground, layer, project = self._state.ground, self._state.layer, self._session.project
        if ground is None or layer is None:
            return
        self.choosing = False
        asset = project.mesh(mesh)
        name = free_name(asset.name, {s.name for s in ground.scatter})
        low, high = self._session.link.mesh_data(mesh).bounds
        wide = max(float(max(high[0] - low[0], high[2] - low[2])), 0.02)
        density = float(min(max(0.08 / wide**2, 0.0005), 8.0))
        made = Scatter(id=free_id(name, {s.id for s in ground.scatter}), name=name, layer=layer.id, mesh=mesh,
                       density=float(f"{density:.2g}"), far=float(f"{min(max(wide * 90, 15), 400):.2g}"))  # fmt: skip
        if self._session.do(edits.add_scatter(ground=ground.id, scatter=made).called(f"Strew {name.lower()}")):
            self._state.choose_scatter(made.id)

    def _set(self, name: str, value: Setting | bool) -> None:
        ground, scatter = self._state.ground, self._state.scatter
        if ground is None or scatter is None or getattr(scatter, name) == value:
            return
        made = edits.set_scatter(ground=ground.id, scatter=scatter.id, **{name: value})
        self._session.do(made.called(f"Change {scatter.name}"), merge=("scatter", ground.id, scatter.id, name))

    def _set_model(self, mesh: str) -> None:
        self._change(mesh=mesh, variant="", dial="")

    def _set_dial(self, dial: str) -> None:
        scatter = self._state.scatter
        if scatter is None:
            return
        value = _value_of(self._session.project, scatter, dial) if dial else 0.0
        self._change(dial=dial, low=value, high=value)

    def _change(self, **changes: Setting) -> None:
        ground, scatter = self._state.ground, self._state.scatter
        if ground is not None and scatter is not None:
            made = edits.set_scatter(ground=ground.id, scatter=scatter.id, **changes)
            self._session.do(made.called(f"Change {scatter.name}"))

    def _rename(self) -> None:
        name = self.name.text().strip()
        if name:
            self._set("name", name)

    def _pluck(self, how: Plucking) -> None:
        self._state.pluck("" if self._state.plucking == how else how)

    def _put_back(self) -> None:
        self._set("gone", ())

    def _remove(self) -> None:
        ground, scatter = self._state.ground, self._state.scatter
        if ground is not None and scatter is not None:
            made = edits.remove_scatter(ground=ground.id, scatter=scatter.id).called(f"Remove {scatter.name}")
            self._session.do(made)


def _alone(mesh: str, variant: str = "") -> Prop:
    """A model to be pictured."""
    return Prop(id=f"strewn {mesh}", name="", mesh=mesh, variant=variant)


def _dials(project: Project, scatter: Scatter) -> list[tuple[str, str, Spec]]:
    """The dials of what a scatter's mesh wears that hold numbers: id, name and what they hold."""
    found: dict[str, tuple[str, str, Spec]] = {}
    for finish in dict.fromkeys(dress_of(project, scatter.mesh, scatter.variant).values()):
        if not finish:
            continue
        material = material_of(project, finish)
        for dial in material.dials:
            spec = dial_spec(material, dial)
            if not spec.shapes_program:
                found.setdefault(dial.id, (dial.id, dial.name, spec))
    return list(found.values())


def _value_of(project: Project, scatter: Scatter, dial: str) -> Setting:
    """The value of a dial that pieces of a scatter wear without one of their own."""
    for finish in dress_of(project, scatter.mesh, scatter.variant).values():
        if finish and any(d.id == dial for d in material_of(project, finish).dials):
            return dial_values(project, finish)[dial]
    return 0.0


def _told_of(project: Project, ground: Ground, scatter: Scatter, count: int) -> str:
    """What a scatter comes to: what its pieces take, how often the picture is drawn for them, and what is thinned."""
    across, along = ground.heights.size
    thinned = ""
    if scatter.density * across * along > MOST:
        thinned = f" All over the ground it would be more than {MOST:,}: it is thinned to as many."
    if not count:
        return thinned.strip()
    draws = sum(len(project.mesh(mesh).slots) for mesh, _, _ in project.spans(scatter.mesh))
    taken = max(count * PIECE_BYTES / 1e6, 0.1)
    return f"{taken:.1f} MB, {counted(draws, 'draw')} a picture at the most.{thinned}"
