"""Fills the pages of grounds, tile by tile while the view stands still, and draws their far parts from them.

Only tiles whose heights, weights or looks are others are filled again. Until a part's tiles are there it is drawn live;
so are cliffs. What moves of a part, such as rings of rain, is made of what pages hold as it is seen.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import moderngl
import numpy as np

from jade_coat.maps.packing import PackedLookup
from jade_coat.material.paged import PAGED_DEPTH, PAGES, PagedMaterial, paged, paged_for, reach
from jade_coat.material.splitting import KEPT_PAGE
from jade_coat.material.stacking import StackedMaterial
from jade_coat.program.types import Array
from jade_coat.stage.draws import Draw
from jade_coat.stage.grounds import PAGE_TILE
from jade_coat.view.attachments import ATTACHMENTS
from jade_coat.view.culling import seen_order
from jade_coat.view.drawing import Drawer, depth_tested
from jade_coat.view.frame import Frame
from jade_coat.view.gpu_scenes import instance_data
from jade_coat.view.passes.land import above
from jade_coat.view.programs import Compiled
from jade_coat.view.requests import Eye

ROUNDS = 5
"""In about so many samples of a still picture all pages are filled."""
FEWEST = 2
"""Tiles that are filled in a sample at the least."""
STEEPEST = 1.2
"""A part that reaches higher than so many times its width stays live: pages are of what is seen from above."""
FLAT = [0, 2]
"""The axes along which the land lies."""


@dataclass
class Pages:
    """The pages of one ground: a texture an attachment, and which of their tiles `(n, n)` are as the ground is."""

    textures: dict[str, Any]
    target: Any
    """What they are filled through."""
    also: Any
    """The same with the page of what moves beside, once a part needs it."""
    side: int
    low: Array
    high: Array
    fresh: Array
    paged: PagedMaterial
    follows: object = None
    """What all of them follow from, beside heights and weights, and the state of all else when that was looked at."""
    state: object = None
    waiting: int = 0
    """How many tiles were stale when filling them began."""
    worn: dict[str, PagedMaterial | None] = field(default_factory=dict)
    """By material, what is worn in its place where it is drawn from pages; None for what stays live."""

    @property
    def span(self) -> Array:
        """How large a tile is along x and z, metres, `(2,)`."""
        return np.asarray((self.high - self.low)[FLAT] * PAGE_TILE / self.side)

    def release(self) -> None:
        """Free the textures."""
        for held in (*self.textures.values(), self.target, self.also):
            if held is not None:
                held.release()


class BakedPass:
    """Keeps the pages of all grounds of a scene."""

    reads = ()
    writes = ("pages",)

    def __init__(self, drawer: Drawer) -> None:
        self._drawer = drawer
        self._far: dict[str, list[tuple[Draw, Array]]] = {}
        """By ground, the parts that are to be drawn from its pages, by their draws."""

    def draw(self, frame: Frame) -> None:
        """Bring the pages of the scene's grounds up to date, as far as this sample goes."""
        found, drawer = frame.scene, self._drawer
        drawer.pages = found.pages
        grounds: dict[str, list[int]] = {}
        for i, draw in enumerate(found.scene.draws):
            if draw.grid is not None and draw.grid.baked_beyond > 0 and draw.mesh in drawer.assets.meshes:
                grounds.setdefault(draw.paint, []).append(i)
        for gone in found.pages.keys() - grounds.keys():
            found.pages.pop(gone).release()
        if frame.part is not None or frame.detailed:
            return
        for ground, draws in grounds.items():
            self._bring_up(frame, ground, draws)

    def _bring_up(self, frame: Frame, ground: str, draws: list[int]) -> None:
        scene, drawer = frame.scene.scene, self._drawer
        grid, material = scene.draws[draws[0]].grid, drawer.assets.material(scene.draws[draws[0]].material)
        if grid is None or not isinstance(material, StackedMaterial):
            return
        pages = self._pages(frame, ground, grid.baked_side, material)
        state = (frame.scene.serial, drawer.assets.version, drawer.changes)
        if pages.state != state:
            pages.state, follows = state, self._follows(frame, draws)
            if pages.follows != follows:
                pages.follows, pages.worn = follows, {}
                pages.fresh[:] = False
        for x0, z0, x1, z1 in drawer.assets.touched.take(ground):
            left, top, right, bottom = (int(np.floor(v * pages.side / PAGE_TILE)) for v in (x0, z0, x1, z1))
            pages.fresh[max(top, 0) : bottom + 1, max(left, 0) : right + 1] = False
        stale = np.argwhere(~pages.fresh)
        if not len(stale) or frame.sample == 0:
            pages.waiting = max(pages.waiting, len(stale)) if len(stale) else 0
            return
        pages.waiting = max(pages.waiting, len(stale))
        middles = (stale[:, ::-1] + 0.5) * pages.span + pages.low[FLAT]
        order = np.argsort(np.hypot(*(middles - frame.eye.position[FLAT]).T))
        for row, column in stale[order[: max(-(-pages.waiting // ROUNDS), FEWEST)]]:
            self._fill(frame, pages, draws, int(row), int(column))
            pages.fresh[row, column] = True
        for name in (*PAGES, KEPT_PAGE):
            if name in pages.textures:
                pages.textures[name].build_mipmaps()
        frame.begins = True

    def _pages(self, frame: Frame, ground: str, side: int, material: StackedMaterial) -> Pages:
        """The pages of a ground, new ones where it lies elsewhere or they are of another size."""
        x, z, across, along = material.extent
        bottom, top = reach(material)
        low, high = np.array([x, bottom, z]), np.array([x + across, top, z + along])
        held = frame.scene.pages.get(ground)
        lies = held is not None and np.array_equal(held.low, low) and np.array_equal(held.high, high)
        if held is not None and lies and held.side == side:
            return held
        if held is not None:
            held.release()
        context = self._drawer.context
        textures = {a.name: self._page(side, a.format) for a in ATTACHMENTS if a.name in PAGES}
        depth = context.depth_texture((side, side))
        depth.compare_func, depth.filter = "", (moderngl.LINEAR, moderngl.LINEAR)
        depth.repeat_x = depth.repeat_y = False
        target = context.framebuffer(list(textures.values()), depth)
        textures[PAGED_DEPTH] = depth
        count = -(-side // PAGE_TILE)
        fresh = np.zeros((count, count), bool)
        frame.scene.pages[ground] = Pages(textures, target, None, side, low, high, fresh, paged(material))
        return frame.scene.pages[ground]

    def _page(self, side: int, form: str) -> Any:
        made = self._drawer.context.texture((side, side), 4, dtype=form)
        made.build_mipmaps()
        made.filter = (moderngl.LINEAR_MIPMAP_LINEAR, moderngl.LINEAR)
        made.repeat_x = made.repeat_y = False
        return made

    def _with_kept(self, pages: Pages) -> Any:
        """What pages are filled through with the page of what moves."""
        if pages.also is None:
            pages.textures[KEPT_PAGE] = self._page(pages.side, "f2")
            held = [pages.textures[name] for name in (*PAGES, KEPT_PAGE)]
            pages.also = self._drawer.context.framebuffer(held, pages.textures[PAGED_DEPTH])
        return pages.also

    def _follows(self, frame: Frame, draws: list[int]) -> object:
        """What all of the pages follow from, beside heights and weights."""
        scene = frame.scene.scene
        return tuple(self._drawer.worn(scene, scene.draws[i]) for i in draws)

    def _fill(self, frame: Frame, pages: Pages, draws: list[int], row: int, column: int) -> None:
        """Draw one tile of the pages from above."""
        drawer, span = self._drawer, pages.span
        low, high = pages.low.copy(), pages.high.copy()
        low[FLAT] = pages.low[FLAT] + span * (column, row)
        high[FLAT] = np.minimum(low[FLAT] + span, pages.high[FLAT])
        left, bottom = column * PAGE_TILE, row * PAGE_TILE
        wide, deep = min(PAGE_TILE, pages.side - left), min(PAGE_TILE, pages.side - bottom)
        eye = above(low, high)
        part = Frame(frame.scene, frame.buffers, eye, eye.projection)
        moving = [i for i in draws if self._moves(pages, frame.scene.scene.draws[i])]
        widest = self._with_kept(pages) if moving or pages.also is not None else pages.target
        for target in dict.fromkeys((pages.target, widest)):
            target.viewport = target.scissor = (left, bottom, wide, deep)
        widest.use()
        widest.clear(0, 0, 0, 0, depth=1.0)
        depth_tested(drawer.context)
        angle, drawer.pixel_angle = drawer.pixel_angle, float(span[0] / PAGE_TILE)
        for i in moving:
            drawer.still(part, i)
        pages.target.use()
        for i in draws:
            if i not in moving:
                drawer.surface(part, i, None)
        drawer.pixel_angle = angle
        pages.target.scissor = widest.scissor = None

    # Drawing from them

    def surface(self, frame: Frame, index: int, fallback: Any) -> None:
        """Draw one draw: of a ground those parts that its pages are not there for; the others wait for `far`."""
        draw, drawer = frame.scene.scene.draws[index], self._drawer
        pages, mesh = frame.scene.pages.get(draw.paint), drawer.assets.meshes.get(draw.mesh)
        if draw.grid is None or pages is None or mesh is None or frame.detailed or self._worn(pages, draw) is None:
            drawer.surface(frame, index, fallback)
            return
        order, _ = seen_order(draw, frame.scene.standing(index, mesh.bounds), frame.eye)
        far = self._from_pages(pages, draw, order, frame.eye)
        if not far.any():
            drawer.surface(frame, index, fallback)
            return
        self._far.setdefault(draw.paint, []).append((draw, order[far]))
        near, live = order[~far], drawer.compiled(draw, drawer.surface_program(frame))
        program = live.program if live is not None else fallback
        if len(near) and program is not None:
            if live is not None:
                drawer.bind(live, frame.scene, draw, mesh, frame.eye.position, frame.sample)
            self._run(frame, program, draw, instance_data(draw, near))

    def far(self, frame: Frame) -> None:
        """Draw all parts that wait for it from pages, of each ground at once: they wear the same."""
        drawer = self._drawer
        for ground, waiting in self._far.items():
            pages = frame.scene.pages[ground]
            alike: dict[int, list[tuple[Draw, Array, Compiled]]] = {}
            for draw, some in waiting:
                compiled = self._compiled(pages, draw)
                if compiled is not None:
                    alike.setdefault(compiled.program.glo, []).append((draw, some, compiled))
            for parts in alike.values():
                draw, _, compiled = parts[0]
                mesh = drawer.assets.meshes[draw.mesh]
                drawer.bind(compiled, frame.scene, draw, mesh, frame.eye.position, frame.sample)
                data = [instance_data(d, some) for d, some, _ in parts]
                self._run(frame, compiled.program, draw, np.concatenate(data))
        self._far = {}

    def _run(self, frame: Frame, program: Any, draw: Draw, data: Array) -> None:
        instances = self._drawer.context.buffer(data.tobytes())
        self._drawer.run_once(program, draw, instances, frame.view_projection, len(data))
        instances.release()

    def _worn(self, pages: Pages, draw: Draw) -> PagedMaterial | None:
        """What a draw wears from pages; None where it is cut, or more of it moves than pages can hold."""
        if draw.material not in pages.worn:
            material, lookup = self._drawer.assets.materials[draw.material]
            found = None
            if isinstance(material, StackedMaterial) and not self._drawer.assets.surface_kind(draw.material).cut:
                found = paged_for(material, lookup, pages.paged)
            pages.worn[draw.material] = found
            if found is not None and self._compiled(pages, draw) is None:
                pages.worn[draw.material] = None
        return pages.worn[draw.material]

    def _moves(self, pages: Pages, draw: Draw) -> bool:
        """Whether some of what a draw wears from pages moves."""
        worn = self._worn(pages, draw)
        return worn is not None and worn.of is not None

    def _compiled(self, pages: Pages, draw: Draw) -> Compiled | None:
        """The program of what a draw wears from pages."""
        worn = pages.worn[draw.material]
        if worn is None or worn.of is None:
            return self._drawer.shop.view(pages.paged, PackedLookup(())) if worn is not None else None
        return self._drawer.compiled(draw, lambda _, lookup, **more: self._drawer.shop.view(worn, lookup), False)

    def _from_pages(self, pages: Pages, draw: Draw, numbers: Array, eye: Eye) -> Array:
        """Which of some parts are far enough, not too steep, and all of whose tiles are there, `(k,) bool`."""
        assert draw.grid is not None
        matrices = draw.matrices[numbers].astype(np.float64)
        sizes, corners = matrices[:, FLAT, FLAT], matrices[:, FLAT, 3]
        flat = corners + sizes / 2
        middles = np.stack([flat[:, 0], matrices[:, 1, 3], flat[:, 1]], axis=1)
        away = np.linalg.norm(middles - eye.position, axis=1) - sizes.max(axis=1, initial=0.0) / 2
        count = len(pages.fresh)
        # What lies on the border of a tile is read from its neighbour too.
        first = np.clip(np.floor((corners - pages.low[FLAT]) / pages.span - 1e-2).astype(int), 0, count - 1)
        last = np.clip(np.ceil((corners + sizes - pages.low[FLAT]) / pages.span + 1e-2).astype(int), 1, count)
        sums = np.pad((~pages.fresh).cumsum(axis=0).cumsum(axis=1), ((1, 0), (1, 0)))
        stale = (sums[last[:, 1], last[:, 0]] - sums[first[:, 1], last[:, 0]]
                 - sums[last[:, 1], first[:, 0]] + sums[first[:, 1], first[:, 0]])  # fmt: skip
        steep = matrices[:, 1, 1] > STEEPEST * sizes.max(axis=1, initial=0.0)
        return np.asarray((away > draw.grid.baked_beyond) & (stale == 0) & ~steep)
