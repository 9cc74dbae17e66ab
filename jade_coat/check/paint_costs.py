"""Paint or dial? What each way of making one prop look different costs in this scene, and what it can show."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from jade_coat.material.fields import Number
from jade_coat.material.material import Finish
from jade_coat.material.rows import field_values
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.painting import Paint, PaintMap, lies_in_square, shown_paint
from jade_coat.stage.looks import finish_on, material_of
from jade_coat.stage.naming import free_id
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.scene import build_scene

MeshOf = Callable[[str], MeshData]


@dataclass(frozen=True)
class Way:
    """One way: what it adds on the graphics card, in bytes and draws, for one prop and for all `many` of its mesh."""

    key: str
    name: str
    nbytes: int
    draws: int
    many_bytes: int
    many_draws: int
    can: str
    cannot: str


@dataclass(frozen=True)
class Total:
    """What a scene takes for looks and paint: bytes, and draws a frame."""

    nbytes: int
    draws: int


def total(project: Project, mesh_of: MeshOf) -> Total:
    """The dial rows, own paint and painted maps of a scene, and its draws."""
    scene = build_scene(project, mesh_of)
    own = sum(p.paint.nbytes for p in project.props if isinstance(p.paint, Paint) and p.paint_map is None)
    own += sum(p.paint_map.paint.nbytes for p in project.props if isinstance(p.paint_map, PaintMap))
    return Total(sum(r.nbytes for r in scene.rows.values()) + own, len(scene.draws))


def ways(project: Project, prop: Prop, slot: str, mesh_of: MeshOf, side: int = 512, bits: int = 8) -> tuple[Way, ...]:
    """All ways for a prop's slot, worked out by trying each on the scene without the prop's own paint and dials.

    `side` and `bits` are of the map that is compared. Raises KeyError for a slot without a finish.
    """
    finish = finish_on(project, prop, slot)
    group = [p for p in project.props if p.mesh == prop.mesh and finish_on(project, p, slot) == finish]
    bare = _changed(project, {p.id: _plain(p, slot) for p in group})
    base = total(bare, mesh_of)
    mesh = mesh_of(prop.mesh)
    edge, texel = mesh.spacing, _texel(mesh, side, prop.paint_map)
    made = (
        ("dial", "A dial on the prop", _with_dial(project, slot, finish),
         "one value over the whole slot", "places that differ from one another"),
        ("vertices", "Paint on its vertices", lambda p, i: _painted(p, mesh),
         f"places from {length(2 * edge * prop.scale)} up, by {mesh.vertex_count:,} vertices",
         "finer edges than its vertices hold"),
        ("map", "Paint on a map", lambda p, i: _mapped(p, side, bits),
         f"places from {length(2 * texel * prop.scale)} up, on {side} × {side} texels at {bits} bits",
         "one map for several props: each keeps its own, and equal props then draw apart"),
        ("finish", "A new finish", _with_finish(bare, slot, finish),
         "one more look, on any number of props", "places that differ from one another"),
    )  # fmt: skip
    found = []
    for key, name, change, can, cannot in made:
        one, many = (_tried(bare, some, change, mesh_of) for some in ([prop], group))
        found.append(
            Way(key, name, one.nbytes - base.nbytes, one.draws - base.draws, many.nbytes - base.nbytes,
                many.draws - base.draws, can, cannot)
        )  # fmt: skip
    return tuple(found)


Change = Callable[[Prop, int], tuple[Prop, tuple[Finish, ...]]]


def _tried(project: Project, props: list[Prop], change: Change, mesh_of: MeshOf) -> Total:
    """The scene with a change on some of its props."""
    changed, finishes = {}, list(project.finishes)
    for i, prop in enumerate(props):
        changed[prop.id], more = change(project.prop(prop.id), i)
        finishes += more
    return total(_changed(project.with_(finishes=tuple(finishes)), changed), mesh_of)


def _changed(project: Project, props: dict[str, Prop]) -> Project:
    return project.with_things("props", *props.values())


def _plain(prop: Prop, slot: str) -> Prop:
    values = {s: v for s, v in prop.values.items() if s != slot}
    made: Prop = prop.with_(paint=None, paint_map=None, values=values)
    return made


def _nudged(project: Project, finish: str, i: int) -> tuple[str, Number] | None:
    """A dial of a finish's material and a value that nobody has yet."""
    material = material_of(project, finish)
    fields = field_values(material)
    for dial in material.dials:
        value = fields.get(dial.path)
        if isinstance(value, (int, float)) and not isinstance(value, bool):
            return dial.id, float(value) + (i + 1) * 1e-4
    return None


def _with_dial(project: Project, slot: str, finish: str) -> Change:
    def change(prop: Prop, i: int) -> tuple[Prop, tuple[Finish, ...]]:
        nudged = _nudged(project, finish, i)
        values = {**prop.values, slot: {nudged[0]: nudged[1]}} if nudged else prop.values
        return prop.with_(values=values), ()

    return change


def _with_finish(project: Project, slot: str, finish: str) -> Change:
    """One new finish, shared by all that wear it."""
    taken = {f.id for f in project.finishes} | {m.id for m in project.materials}
    new = Finish(id=free_id("tried", taken), name="Tried", parent=finish)

    def change(prop: Prop, i: int) -> tuple[Prop, tuple[Finish, ...]]:
        return prop.with_(finishes={**prop.finishes, slot: new.id}), (new,) if i == 0 else ()

    return change


def _painted(prop: Prop, mesh: MeshData) -> tuple[Prop, tuple[Finish, ...]]:
    return prop.with_(paint=shown_paint(mesh, None)), ()


def _mapped(prop: Prop, side: int, bits: int) -> tuple[Prop, tuple[Finish, ...]]:
    return prop.with_(paint_map=PaintMap.even(side, bits, 0)), ()


def _texel(mesh: MeshData, side: int, now: object) -> float:
    """Metres across a texel of a map, by the UV set of the map there is, or by the set that lies in one square."""
    uv_set = now.uv_set if isinstance(now, PaintMap) else best_uv_set(mesh)
    uv = mesh.uv(uv_set)
    corners, flat = mesh.positions[mesh.triangles].astype(np.float64), uv[mesh.triangles].astype(np.float64)
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1).sum() / 2
    d1, d2 = flat[:, 1] - flat[:, 0], flat[:, 2] - flat[:, 0]
    laid = np.abs(d1[:, 0] * d2[:, 1] - d1[:, 1] * d2[:, 0]).sum() / 2
    return float(np.sqrt(area / max(laid, 1e-12)) / side)


def best_uv_set(mesh: MeshData) -> int:
    """The first UV set that lies within one square, which a map need not repeat over; 0 when none does."""
    return next((i for i in range(len(mesh.uvs)) if lies_in_square(mesh, i)), 0)


def length(metres: float) -> str:
    """A length in the unit that reads best."""
    if metres < 0.01:
        return f"{metres * 1000:.1f} mm"
    return f"{metres * 100:.1f} cm" if metres < 1 else f"{metres:.2f} m"


def size(nbytes: int) -> str:
    """Bytes in the unit that reads best."""
    if abs(nbytes) < 1000:
        return f"{nbytes} B"
    return f"{nbytes / 1000:.1f} kB" if abs(nbytes) < 1e6 else f"{nbytes / 1e6:.1f} MB"
