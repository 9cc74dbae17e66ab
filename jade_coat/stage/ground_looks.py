"""What the parts of a ground wear: the coats of the layers that are there, as one material, and its numbers."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

from jade_coat.ground.water import pool_cells
from jade_coat.material.fields import Number, specs
from jade_coat.material.material import LAYER, Coat, Dial, Link, Material
from jade_coat.material.rows import field_values
from jade_coat.material.stacking import GroundLayer, StackedMaterial
from jade_coat.material.surface import Surface
from jade_coat.stage.bare import BARE
from jade_coat.stage.grounds import Ground
from jade_coat.stage.looks import field_row, lineage, material_of, worn
from jade_coat.stage.project import Project

COSTLY = {name: GroundLayer.model_fields[name].default for name in ("glint", "dull")}
"""Fields of layers that cost nothing at these values."""
MARK = "~"
"""Between a layer's id and that of what is its own in the material of a ground."""
STEPS = 8
"""In how many steps the span of a ground's heights is told: what is drawn by it need not follow every stroke."""


def ground_material_id(ground: str, layers: Iterable[str]) -> str:
    """The id of the material that parts of a ground wear where some layers are."""
    return f"ground:{ground}:{'+'.join(layers)}"


def layer_material(project: Project, layer: GroundLayer) -> Material:
    """What a layer is made of; plain grey for one that is made of nothing, or of what is gone."""
    return worn(project, layer.finish) if _is_there(project, layer.finish) else BARE


def _is_there(project: Project, finish: str) -> bool:
    return bool(finish) and (
        any(f.id == finish for f in project.finishes) or any(m.id == finish for m in project.materials)
    )


def layer_basis(project: Project, layer: GroundLayer) -> tuple[object, ...]:
    """What a layer's look follows from."""
    if not _is_there(project, layer.finish):
        return (layer,)
    return (layer, material_of(project, layer.finish), *lineage(project, layer.finish))


def ground_basis(project: Project, ground: Ground, shown: frozenset[str]) -> tuple[object, ...]:
    """What the look of a ground's parts follows from, where some of its layers are."""
    layers = [layer for i, layer in enumerate(ground.layers) if i == 0 or layer.id in shown]
    return (lies(ground), *(part for layer in layers for part in layer_basis(project, layer)))


def same(a: tuple[object, ...], b: tuple[object, ...]) -> bool:
    """Whether two bases are of the same things."""
    return len(a) == len(b) and all(x is y for x, y in zip(a, b, strict=True))


@dataclass(frozen=True)
class _Placed:
    corner: tuple[float, float]
    size: tuple[float, float]
    foot: float
    samples: tuple[int, int]
    cells: tuple[int, int]
    span: tuple[float, float]
    order: tuple[str, ...]


def lies(ground: Ground) -> object:
    """Where a ground lies and how fine it is: the same object for the same, so that it can be told by identity."""
    pages = ground.heights.pages
    return _one(_Placed(
        ground.corner, ground.heights.size, ground.foot, (pages.columns, pages.rows), ground.weight_cells,
        span_of(ground), tuple(layer.id for layer in ground.layers),
    ))  # fmt: skip


@lru_cache(maxsize=64)
def _one(placed: _Placed) -> _Placed:
    return placed


def span_of(ground: Ground) -> tuple[float, float]:
    """Heights below and above the ground, in steps."""
    low, high = ground.heights.low, ground.heights.high
    step = 2.0 ** _power(max(high - low, 0.5)) / STEPS
    return (low // step) * step, (high // step + 1) * step


def _power(value: float) -> int:
    power = 0
    while 2.0**power < value:
        power += 1
    return power


def ground_material(project: Project, ground: Ground, shown: frozenset[str]) -> StackedMaterial:
    """The material of a ground's parts where some of its layers are, by their ids; the first is everywhere."""
    there = [layer for i, layer in enumerate(ground.layers) if i == 0 or layer.id in shown]
    coats: list[Coat] = []
    dials: list[Dial] = []
    links: list[Link] = []
    members: dict[str, tuple[str, ...]] = {}
    for layer in there:
        # What costs something only where it is turned is read from the row from then on.
        read = (n for n in specs(GroundLayer) if n not in COSTLY or getattr(layer, n) != COSTLY[n])
        dials += [_dial(f"{LAYER}{layer.id}.{name}") for name in read]
        if layer.way == "absolute":
            continue
        material = layer_material(project, layer)
        own = [_laid(c, layer) for c in material.coats]
        members[layer.id] = tuple(c.id for c in own)
        coats += own
        ids = {c.id for c in material.coats}
        dials += [_dial(_path(layer.id, d.path)) for d in material.dials if d.path.split(".", 1)[0] in ids]
        links += [k.with_(path=_path(layer.id, k.path)) for k in material.links if k.path.split(".", 1)[0] in ids]
    low, high = span_of(ground)
    made = StackedMaterial(
        id=ground_material_id(ground.id, (layer.id for layer in there)), name=ground.name, coats=tuple(coats),
        dials=tuple({d.path: d for d in dials}.values()), links=tuple(links), layers=tuple(there), members=members,
        weights={layer.id: i for i, layer in enumerate(ground.layers) if layer in there},
        extent=(*ground.corner, *ground.heights.size),
        samples=(ground.heights.pages.columns, ground.heights.pages.rows), weight_cells=ground.weight_cells,
        pool_cells=pool_cells(ground.heights.pages.rows, ground.heights.pages.columns)[::-1],
        lowest=ground.foot + low, highest=ground.foot + high, foot=ground.foot,
        kind="masked" if any(layer.role == "gap" and layer.way == "absolute" for layer in there) else "opaque",
    )  # fmt: skip
    return made


def ground_values(project: Project, ground: Ground, material: StackedMaterial) -> dict[str, Number]:
    """The value of every numeric field of such a material, by path."""
    values = field_values(material)
    for layer in material.layers:
        if layer.way != "absolute" and _is_there(project, layer.finish):
            own = ((_path(layer.id, path), value) for path, value in field_row(project, layer.finish).items())
            values |= {path: value for path, value in own if path in values}
    return values


def _path(layer: str, path: str) -> str:
    return f"{layer}{MARK}{path}"


def _dial(path: str) -> Dial:
    return Dial(id=path, path=path, name=path)


def _laid(coat: Coat, layer: GroundLayer) -> Coat:
    """A coat laid by world metres."""
    surface = coat.surface
    by_side = surface.placement == "triplanar" or layer.sides == "three"
    laid: Surface = surface.with_(placement="triplanar" if by_side else "planar", space="world")
    made: Coat = coat.with_(id=_path(layer.id, coat.id), surface=laid)
    return made
