"""The registry of operations: each declared once, in the module its kind belongs to."""

from __future__ import annotations

from jade_coat.program.ops import arithmetic, curves, hashing, inputs, noise, vectors
from jade_coat.program.ops.record import Op, Samples
from jade_coat.program.value import RESULTS


def _collect() -> dict[str, Op]:
    found: dict[str, Op] = {}
    for module in (inputs, arithmetic, vectors, hashing, noise, curves):
        for op in module.DECLARED:
            if op.name in found:
                raise ValueError(f"op {op.name!r} is declared twice")
            found[op.name] = op
    return found


OPS: dict[str, Op] = _collect()
RESULTS.update({name: op.result for name, op in OPS.items()})

__all__ = ["OPS", "Op", "Samples"]
