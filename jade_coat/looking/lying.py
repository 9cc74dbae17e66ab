"""What a decal makes of points in its box: the NumPy meaning of the program that the view runs."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import numpy as np

from jade_coat.files.library import Library
from jade_coat.maps.packing import PackedLookup
from jade_coat.maps.sampling import reading
from jade_coat.material.compile import fixed_fields, seen_from_ahead, with_shared
from jade_coat.material.lying import BELOW, SHOWN, lying_program
from jade_coat.material.quantity import OUTPUTS, QUANTITIES
from jade_coat.program import passes
from jade_coat.program.numpy_backend import Environment, evaluate
from jade_coat.program.types import Array
from jade_coat.stage.decal_draws import decal_draw
from jade_coat.stage.decals import Decal
from jade_coat.stage.looks import field_row, worn
from jade_coat.stage.project import Project

SHARES = ("color", "normal", "surface", "height", "glow")


def inside(decal: Decal, points: Array) -> tuple[Array, Array]:
    """Points `(n, 3)` of the world in the decal's unit cube, and which of them lie in it, `(n,)`."""
    inverse = np.linalg.inv(decal.matrix())
    local = points @ inverse[:3, :3].T + inverse[:3, 3]
    return local, np.asarray((np.abs(local) <= 0.5).all(axis=1))


def lain(
    project: Project, library: Library, decal: Decal, points: Array, normals: Array, below: Mapping[str, Array],
    time: float = 0.0,
) -> dict[str, Array]:  # fmt: skip
    """The quantities `(k, n)` at points `(n, 3)` with normals `(n, 3)` of the world once the decal lies on them.

    `below` are the quantities there, `(k, n)`, normals in world space; what lies outside the box stays what it was.
    Distance fades nothing here: what is baked does not know from where it is seen. Raises what reading maps raises.
    """
    local, within = inside(decal, points)
    made = {name: np.array(below[name], np.float32) for name in OUTPUTS}
    if not within.any():
        return made
    local, points, normals = local[within], points[within], normals[within]
    draw = decal_draw(project, decal, "", 0)
    turn = draw.matrix[:3, :3] / np.linalg.norm(draw.matrix[:3, :3], axis=0)
    facing = normals @ turn[:, 1]
    share = np.clip((facing - draw.angle[0]) / (draw.angle[1] - draw.angle[0]), 0, 1)
    shown = share * share * (3 - 2 * share)
    if draw.fade > 0:
        shown = shown * np.clip((0.5 - np.abs(local[:, 1])) / draw.fade, 0, 1)
    material, values = worn(project, decal.finish), field_row(project, decal.finish)
    lookup = PackedLookup(project.map_sets, project.recipes)
    outputs = lying_program(material, lookup, fixed_fields(values))
    outputs = seen_from_ahead(with_shared(outputs, project.shared_at(time)))
    shares = {SHOWN + name: (draw.shares[i] * shown)[None] for i, name in enumerate(SHARES)}
    under = {BELOW + name: np.asarray(below[name])[:, within] for name in OUTPUTS}
    places = _places(decal, turn, draw.cell, local, points, normals)
    attributes = _attributes(passes.reads(outputs, "attribute"), {**places, **under, **shares})
    size, (_, _, width, height) = decal.size, draw.cell
    metres = np.array([[size[0] / width], [size[2] / height]], np.float32)
    instance = {f"metres{i}": metres for i in range(8)} | {"seed": np.array([[decal.seed]], np.float32)}
    textures = {t.name: t for s in project.map_sets if s.id in material.sets_read(lookup) for t in library.textures(s)}
    environment = Environment(attributes=attributes, instance=instance, **reading(textures))
    found = evaluate(outputs, environment)
    for name in OUTPUTS:
        made[name][:, within] = found[name]
    return made


def _places(
    decal: Decal, turn: Array, cell: tuple[float, float, float, float], local: Array, points: Array, normals: Array
) -> dict[str, Array]:
    """What programs read of where points lie, `(k, n)`: in the world, in the box, and in its picture."""
    across = turn[:, 0] - normals * (normals @ turn[:, 0])[:, None]
    across /= np.maximum(np.linalg.norm(across, axis=1, keepdims=True), 1e-9)
    tangent = np.concatenate([across, np.ones((len(across), 1))], axis=1)
    u, v, width, height = cell
    return {
        "uv": (np.clip(local[:, [0, 2]] + 0.5, 0, 1) * (width, height) + (u, v)).T,
        "world_position": points.T, "position": (local * np.array(decal.size)).T, "normal": normals.T,
        "tangent": tangent.T, "object_normal": (normals @ turn).T,
        "object_tangent": np.concatenate([across @ turn, tangent[:, 3:]], axis=1).T, "along": across.T,
        **{f"own_{axis}": turn[:, i : i + 1] for i, axis in enumerate("xyz")},
    }  # fmt: skip


def _attributes(wanted: Iterable[str], known: Mapping[str, Array]) -> dict[str, Array]:
    """Attributes by name; what a box does not have is 0."""
    none = np.zeros((4, 1))
    return {name: np.asarray(known.get("uv" if name.startswith("uv") else name, none), np.float32) for name in wanted}


def laid_on(project: Project, library: Library, decal: Decal, side: int, tone: float) -> dict[str, Array]:
    """The quantities `(k, side²)` of an even surface of a grey once a decal lies on it, row by row of its picture."""
    flat: Decal = decal.with_(position=(0.0, 0.0, 0.0), turn=(0.0, 0.0, 0.0, 1.0), fade=0.0, only=())
    at = (np.arange(side) + 0.5) / side - 0.5
    x, z = np.meshgrid(at * decal.size[0], at * decal.size[2])
    points = np.stack([x.ravel(), np.zeros(side * side), z.ravel()], axis=1)
    normals = np.broadcast_to([0.0, 1.0, 0.0], points.shape)
    below = {n: np.repeat(np.array(q.default, np.float32)[:, None], len(points), 1) for n, q in QUANTITIES.items()}
    below["base_color"] = np.full((3, len(points)), tone, np.float32)
    below["normal"] = normals.T.astype(np.float32)
    return lain(project, library, flat, points, normals, below)


def decal_alone(project: Project, library: Library, decal: Decal, side: int) -> tuple[dict[str, Array], Array]:
    """What a decal lays as a picture: its quantities `(k, side²)` and how much shows `(side²,)`, 0 to 1.

    Colour and share follow from what becomes of a black and of a white surface (Smith & Blinn 1996, triangulation
    matting).
    """
    black, white = (laid_on(project, library, decal, side, tone) for tone in (0.0, 1.0))
    alpha = np.clip(1 - (white["base_color"] - black["base_color"]).mean(axis=0), 0, 1)
    return {**black, "base_color": black["base_color"] / np.maximum(alpha, 1e-3)}, alpha


def decal_colors(project: Project, library: Library, decal: Decal, side: int) -> tuple[Array, Array]:
    """What a decal lays as a picture: linear colours `(side, side, 3)` and how much shows `(side, side)`, 0 to 1."""
    made, alpha = decal_alone(project, library, decal, side)
    return made["base_color"].T.reshape(side, side, 3), alpha.reshape(side, side)
