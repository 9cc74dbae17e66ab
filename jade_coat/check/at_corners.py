"""What a material saves by working things out at the corners of triangles, and how far off that is at the most."""

from __future__ import annotations

from dataclasses import dataclass

from jade_coat.looking.look_at import LookAt
from jade_coat.looking.vertex_error import vertex_error
from jade_coat.material.compile import compile_material, live_fields
from jade_coat.material.material import Material
from jade_coat.material.quantity import OUTPUTS
from jade_coat.material.surface import MapLookup
from jade_coat.program import Value, passes
from jade_coat.program.value import walk


@dataclass(frozen=True)
class Saving:
    """Operations a pixel with and without it, and the largest error of any such value on a mesh; None if unknown."""

    operations: int
    without: int
    error: float | None = None

    @property
    def sentence(self) -> str:
        """Both in words."""
        share = f"{self.without - self.operations:,} of {self.without:,} operations a pixel are saved at the corners"
        if self.error is None:
            return f"{share}."
        return f"{share}; {'no error' if self.error < 1e-5 else f'off by {self.error:.2g} at most'}."


def saving(material: Material, lookup: MapLookup) -> Saving | None:
    """What a material saves; None where it works nothing out at corners. Raises ValueError for what is not there."""
    outputs = compile_material(material, lookup, live_fields(material))
    read = {name: outputs[name] for name in OUTPUTS}
    if not _asked(read):
        return None
    exact = passes.rebuilt(read, lambda node: node.args[0] if node.op == "per_vertex" else node)
    return Saving(round(passes.cost(read).arithmetic), round(passes.cost(exact).arithmetic))


def saving_on(look: LookAt, lookup: MapLookup) -> Saving | None:
    """The same, with the largest error on what a look is worn by."""
    found = saving(look.material, lookup)
    if found is None:
        return None
    asked = _asked({name: look.outputs[name] for name in OUTPUTS})
    return Saving(found.operations, found.without, max((vertex_error(look, v, {}).most for v in asked), default=0.0))


def _asked(outputs: dict[str, Value]) -> list[Value]:
    return [node for node in walk(list(outputs.values())) if node.op == "per_vertex"]
