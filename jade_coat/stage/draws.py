"""What a renderer is given: instanced draws and the rows of the dial tables, and how both are changed in parts."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from jade_coat.ground.pieces import Cell, Pieces
from jade_coat.material.paint_source import MapSource
from jade_coat.program.types import Array
from jade_coat.stage.grid import Grid
from jade_coat.stage.lamps import BARE, Surroundings

ANY_DISTANCE = (0.0, math.inf)


@dataclass(frozen=True)
class Draw:
    """One instanced draw: a run of a mesh's triangles, one material, and an entry per instance.

    `paint` names the prop whose painted map is read, or the ground that it is part of; `matrices` `(n, 4, 4)`;
    `rows` `(n,)` index the material's table; `seeds` `(n,) float32` are the things' random numbers. `on_map` says how
    materials read a painted map.
    """

    mesh: str
    paint: str
    start: int
    count: int
    material: str
    matrices: Array
    rows: Array
    seeds: Array
    on_map: MapSource | None = None
    span: tuple[float, float] = ANY_DISTANCE
    """From and up to which distance of the eye its instances are seen, metres, for those of size 1."""
    grid: Grid | None = None
    """How its instances lie, where they are parts of a ground, coarse over fine; their seeds are their sizes."""
    strewn: str = ""
    """The scatter whose pieces are its instances: those that an eye sees are chosen for each picture."""
    paints: dict[int, str] = field(default_factory=dict)
    """By instance the prop whose own paint on vertices it shows; the others show the mesh's."""
    owners: Array = field(default_factory=lambda: np.zeros(0, np.int32))
    """The same as the renderer's numbers for those props, `(n,)`, 0 for the mesh's; none at all where it has none."""

    @property
    def is_near(self) -> bool:
        """Whether it is what is seen from near: that throws the shadows, and is counted."""
        return self.span[0] <= 0.0


@dataclass(frozen=True)
class DecalDraw:
    """A decal as it is drawn: a material's row laid onto what is in a box.

    `matrix` `(4, 4)` takes the unit cube round the origin to the box in the world. `shares` are how much of colour,
    normal, surface, height and glow is taken, opacity among it; `angle` two cosines, from which it shows and from which
    fully; `fade` a share of the depth; `far` two distances in metres; `cell` u, v, width and height in the atlas.
    `only` `(n,)` are the random numbers of the props that alone receive it, None for all.
    """

    material: str
    row: int
    matrix: Array
    seed: float
    shares: tuple[float, float, float, float, float]
    angle: tuple[float, float]
    fade: float
    far: tuple[float, float]
    order: int
    cell: tuple[float, float, float, float]
    only: Array | None = None


NO_DRAW = Draw(
    "", "", 0, 0, "", np.zeros((0, 4, 4), np.float32), np.zeros(0, np.int32), np.zeros(0, np.float32)
)  # fmt: skip
"""What is in the place of a draw that nothing is left of."""


@dataclass(frozen=True)
class StrewnPatch:
    """What becomes of the pieces of a scatter.

    `rows` gives by draw the row that a piece of each step wears, `far` from how far pieces are seen, metres. `cells`
    are those that are others, None for one that is empty now; `whole` says that there are no others.
    """

    rows: Mapping[int, Array]
    far: float
    cells: Mapping[Cell, Pieces | None]
    whole: bool = False


@dataclass
class Strewn:
    """All pieces of a scatter by cell, as `StrewnPatch` tells them."""

    rows: Mapping[int, Array] = field(default_factory=dict)
    far: float = math.inf
    cells: dict[Cell, Pieces] = field(default_factory=dict)

    def apply(self, patch: StrewnPatch) -> None:
        """Change them by a patch."""
        self.rows, self.far = patch.rows, patch.far
        if patch.whole:
            self.cells = {}
        for cell, pieces in patch.cells.items():
            if pieces is None or not len(pieces):
                self.cells.pop(cell, None)
            else:
                self.cells[cell] = pieces


@dataclass
class Scene:
    """All draws, and for each material its table of rows `(n, floats)`. Draws keep their places while others go."""

    draws: list[Draw] = field(default_factory=list)
    rows: dict[str, Array] = field(default_factory=dict)
    decals: dict[str, DecalDraw] = field(default_factory=dict)
    surroundings: Surroundings = BARE
    strewn: dict[str, Strewn] = field(default_factory=dict)

    @property
    def drawn(self) -> list[Draw]:
        """The draws that have an instance, or may have one where an eye sees some."""
        return [d for d in self.draws if len(d.rows) or d.strewn]

    def copy(self) -> Scene:
        """A scene of its own, with the same in it."""
        return Scene(
            [_copied(d) for d in self.draws],
            {name: rows.copy() for name, rows in self.rows.items()}, dict(self.decals),
            self.surroundings, {n: Strewn(s.rows, s.far, dict(s.cells)) for n, s in self.strewn.items()},
        )  # fmt: skip


@dataclass(frozen=True)
class DrawPatch:
    """What becomes of one draw: `made` is another draw in its place, else it has `count` instances from now on.

    Those at `places` `(k,)` have these matrices, rows and seeds, and by their places in that list these `paints`.
    """

    made: Draw | None = None
    count: int = 0
    places: Array = field(default_factory=lambda: np.zeros(0, np.int64))
    matrices: Array = field(default_factory=lambda: np.zeros((0, 4, 4), np.float32))
    rows: Array = field(default_factory=lambda: np.zeros(0, np.int32))
    seeds: Array = field(default_factory=lambda: np.zeros(0, np.float32))
    paints: Mapping[int, str] = field(default_factory=dict)


@dataclass(frozen=True)
class ScenePatch:
    """What becomes of a scene: its draws by number, whole tables (None for one that goes), and some rows of others."""

    draws: Mapping[int, DrawPatch] = field(default_factory=dict)
    tables: Mapping[str, Array | None] = field(default_factory=dict)
    rows: Mapping[str, tuple[Array, Array]] = field(default_factory=dict)
    """For each material the numbers of rows `(k,)` and what they hold `(k, floats)`."""
    decals: Mapping[str, DecalDraw | None] = field(default_factory=dict)
    """Decals that are others now, by id; None for one that goes."""
    surroundings: Surroundings | None = None
    """What lights and veils it from now on, where that is another."""
    strewn: Mapping[str, StrewnPatch | None] = field(default_factory=dict)
    """What becomes of scatters, by name; None for one that goes."""

    def __bool__(self) -> bool:
        told = (self.draws, self.tables, self.rows, self.decals, self.strewn)
        return any(told) or self.surroundings is not None

    def moves(self, scene: Scene) -> bool:
        """Whether it changes, in a scene that it was not applied to yet, where anything stands or what is drawn."""
        for number, patch in self.draws.items():
            held = scene.draws[number] if number < len(scene.draws) else NO_DRAW
            if patch.made is not None or patch.count != len(held.rows):
                return True
            if not np.array_equal(held.matrices[patch.places], patch.matrices):
                return True
        return False

    def apply(self, scene: Scene) -> None:
        """Change a scene by it."""
        for number, patch in self.draws.items():
            scene.draws += [NO_DRAW] * (number + 1 - len(scene.draws))
            scene.draws[number] = _patched(scene.draws[number], patch)
        for material, table in self.tables.items():
            if table is None:
                scene.rows.pop(material, None)
            else:
                scene.rows[material] = table.copy()
        for material, (numbers, values) in self.rows.items():
            scene.rows[material][numbers] = values
        for name, decal in self.decals.items():
            if decal is None:
                scene.decals.pop(name, None)
            else:
                scene.decals[name] = decal
        if self.surroundings is not None:
            scene.surroundings = self.surroundings
        for name, strewn in self.strewn.items():
            if strewn is None:
                scene.strewn.pop(name, None)
            else:
                scene.strewn.setdefault(name, Strewn()).apply(strewn)


def _patched(draw: Draw, patch: DrawPatch) -> Draw:
    if patch.made is not None:
        return _copied(patch.made)
    if patch.count != len(draw.rows):
        for gone in range(patch.count, len(draw.rows)):
            draw.paints.pop(gone, None)
        draw = replace(
            draw, matrices=_sized(draw.matrices, patch.count), rows=_sized(draw.rows, patch.count),
            seeds=_sized(draw.seeds, patch.count),
        )  # fmt: skip
    draw.matrices[patch.places], draw.rows[patch.places] = patch.matrices, patch.rows
    draw.seeds[patch.places] = patch.seeds
    if draw.paints or patch.paints:
        for i, place in enumerate(patch.places.tolist()):
            draw.paints.pop(place, None)
            if i in patch.paints:
                draw.paints[place] = patch.paints[i]
    return draw


def _copied(draw: Draw) -> Draw:
    """A draw whose arrays are its own."""
    return replace(
        draw, matrices=draw.matrices.copy(), rows=draw.rows.copy(), seeds=draw.seeds.copy(), paints=dict(draw.paints)
    )


def _sized(array: Array, count: int) -> Array:
    """An array with more or fewer entries; new ones are 0."""
    made = np.zeros((count, *array.shape[1:]), array.dtype)
    kept = min(count, len(array))
    made[:kept] = array[:kept]
    return made
