"""What a ground looks like at places of it: the NumPy meaning of the program that its parts are drawn by."""

from __future__ import annotations

from collections.abc import Iterable
from copy import copy

import numpy as np

from jade_coat.files.library import Library
from jade_coat.looking.levels import fitting_levels
from jade_coat.maps.packing import PackedLookup, Texture
from jade_coat.maps.sampling import reading
from jade_coat.material.compile import compile_material, fixed_fields, seen_by, seen_from_ahead, with_shared
from jade_coat.material.paint_source import is_own
from jade_coat.program import TextureRef
from jade_coat.program.numpy_backend import Environment, evaluate
from jade_coat.program.types import Array
from jade_coat.stage.ground_grids import own_grids
from jade_coat.stage.ground_looks import ground_material, ground_values
from jade_coat.stage.grounds import FULL, Ground
from jade_coat.stage.project import Project

CHUNK = 1 << 16
PROBES = 256


class GroundLook:
    """A ground of a project at rest with all its layers, seen from straight ahead, or by an eye `(3,)` in the world.

    Outputs are those of its program (`compile_stacked`): the quantities, `share:LAYER` of each layer and
    `share:LAYER:water` of each damp one. Raises what reading maps raises.
    """

    def __init__(
        self, project: Project, library: Library, ground: Ground, eye: tuple[float, float, float] | None = None
    ) -> None:  # fmt: skip
        self.ground = ground
        self._lookup = PackedLookup(project.map_sets, project.recipes)
        material = ground_material(project, ground, frozenset(layer.id for layer in ground.layers))
        fields = fixed_fields(ground_values(project, ground, material))
        outputs = compile_material(material, self._lookup, fields)
        still = with_shared(outputs, project.shared_at())
        self._outputs = seen_from_ahead(still) if eye is None else seen_by(still, eye)
        wanted = material.sets_read(self._lookup)
        self._textures: dict[str, Texture] = {
            t.name: t for s in project.map_sets if s.id in wanted for t in library.textures(s)
        }
        self._own = {t.name: grids for t, grids in own_grids(ground).items()}

    def on(self, ground: Ground) -> GroundLook:
        """The same look where other heights and other paint lie; what it is made of must be the same."""
        made = copy(self)
        made.ground, made._own = ground, {t.name: grids for t, grids in own_grids(ground).items()}
        return made

    @property
    def names(self) -> tuple[str, ...]:
        """What can be asked for."""
        return tuple(self._outputs)

    def at(self, places: Array, wanted: Iterable[str], step: float = 0.0) -> dict[str, Array]:
        """Outputs by name, each `(n, k) float32`, at places `(n, 2)`, metres from the ground's corner.

        `step` is how far it is from place to place, metres: maps are read as fine as that needs.
        """
        outputs = {name: self._outputs[name] for name in wanted}
        levels: dict[str, int] = {}
        if step > 0 and len(places):
            some = places[:: max(len(places) // PROBES, 1)]
            beside = some + np.array([step, 0.0])
            shared = {n: v for n, v in outputs.items() if not n.startswith("share:")} or outputs
            sides = (self._attributes(some), self._attributes(beside))
            levels = fitting_levels(shared, sides, _INSTANCE, self._textures, self._read_own)
        read = reading(self._textures, lambda t: levels.get(t.name, 0))

        def fetch(reference: TextureRef, uv: Array) -> Array:
            return self._read_own(reference, uv) if is_own(reference) else read["fetch"](reference, uv)

        def fetch_level(reference: TextureRef, level: int, uv: Array) -> Array:
            own = is_own(reference)
            return self._read_own(reference, uv) if own else read["fetch_level"](reference, level, uv)

        found: dict[str, list[Array]] = {name: [] for name in outputs}
        for start in range(0, len(places), CHUNK):
            part = places[start : start + CHUNK]
            environment = Environment(
                attributes=self._attributes(part), instance=_INSTANCE, fetch=fetch, mean=read["mean"],
                fetch_level=fetch_level,
            )  # fmt: skip
            for name, values in evaluate(outputs, environment).items():
                found[name].append(np.broadcast_to(values, (values.shape[0], len(part))).T)
        return {name: np.ascontiguousarray(np.concatenate(parts), np.float32) for name, parts in found.items()}

    def _attributes(self, places: Array) -> dict[str, Array]:
        count, (x, z) = len(places), self.ground.corner
        world = np.stack([places[:, 0] + x, np.zeros(count), places[:, 1] + z]).astype(np.float32)
        up = np.repeat(np.array([[0.0], [1.0], [0.0]], np.float32), count, axis=1)
        return {"world_position": world, "position": np.zeros((3, count), np.float32), "normal": up}

    def _read_own(self, reference: TextureRef, uv: Array) -> Array:
        """A texture of the ground's own, whose edges do not go on at the other side; what it has not reads as 0."""
        grids = self._own[reference.name]
        places = np.stack([uv[0] * grids[0].columns - 0.5, uv[1] * grids[0].rows - 0.5], axis=1).astype(np.float64)
        found = np.zeros((4, uv.shape[1]), np.float32)
        for i, grid in enumerate(grids):
            found[i] = grid.sampled(places) / (1.0 if grid.dtype == "float32" else FULL)
        return found


_INSTANCE = {"seed": np.ones((1, 1), np.float32)}
