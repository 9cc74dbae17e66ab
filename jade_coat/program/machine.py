"""Compiles LLVM instructions to functions for this processor (llvmlite), and runs chains of them block by block."""

from __future__ import annotations

import ctypes
import threading
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np

from jade_coat.program.types import Array

BLOCK = 512
"""Points that a chain of steps works on at once: what they hand to each other stays in the processor's caches."""
PITCH = BLOCK + 16
"""Floats from one row of a block to the next, so that rows do not compete for the same lines of the cache."""

_compiling = threading.Lock()


def _target() -> Any:
    """A new description of this processor: an engine takes its own over."""
    import llvmlite.binding as llvm

    llvm.initialize_native_target()
    llvm.initialize_native_asmprinter()
    target = llvm.Target.from_default_triple()
    features = llvm.get_host_cpu_features().flatten()
    return target.create_target_machine(cpu=llvm.get_host_cpu_name(), features=features, opt=2)


class Compiled:
    """A function of machine code; it lives as long as this object. Calling it lets other threads run meanwhile."""

    def __init__(self, text: str, name: str, *arguments: type) -> None:
        import llvmlite.binding as llvm

        with _compiling:
            module = llvm.parse_assembly(text)
            target = _target()
            builder = llvm.create_pass_builder(target, llvm.create_pipeline_tuning_options(speed_level=1))
            builder.getModulePassManager().run(module, builder)
            del builder  # before the engine owns the target
            self._engine = llvm.create_mcjit_compiler(module, target)
            self._engine.finalize_object()
            self.address = int(self._engine.get_function_address(name))
        self._call: Callable[..., None] = ctypes.CFUNCTYPE(None, *arguments)(self.address)

    def __call__(self, *arguments: Any) -> None:
        """Run it; pointers are whole numbers (`address`) or arrays of ctypes."""
        self._call(*arguments)


def step_function(text: str, name: str) -> Compiled:
    """A function `void name(ptr arguments, i64 start, i64 count)` that can be a step of a chain."""
    return Compiled(text, name, ctypes.c_void_p, ctypes.c_int64, ctypes.c_int64)


@dataclass(frozen=True)
class BlockCall:
    """A call that a chain makes for each block: its arguments lie in memory as addresses and whole numbers.

    `keeps` holds the arrays that those addresses belong to.
    """

    function: Compiled
    arguments: Sequence[int]
    keeps: Sequence[object] = ()

    def run(self, start: int, count: int) -> None:
        """Call it once."""
        packed = np.array(self.arguments, np.int64)
        self.function(address(packed), start, count)


def run_chain(steps: Sequence[BlockCall], start: int, count: int) -> None:
    """Run all steps in turn for each block of the points from `start` on. Other threads run meanwhile."""
    packed = [np.array(s.arguments, np.int64) for s in steps]
    table = np.array([(s.function.address, address(p)) for s, p in zip(steps, packed, strict=True)], np.int64)
    _driver()(address(table), len(steps), start, count)


@cache
def _driver() -> Compiled:
    whole = ctypes.c_int64
    return Compiled(_DRIVER, "drive", ctypes.c_void_p, whole, whole, whole)


_DRIVER = f"""
define void @drive(ptr %table, i64 %steps, i64 %first, i64 %count) {{
entry:
  %end = add i64 %first, %count
  br label %block
block:
  %start = phi i64 [ %first, %entry ], [ %next, %after ]
  %left = sub i64 %end, %start
  %enough = icmp sgt i64 %left, 0
  br i1 %enough, label %inside, label %done
inside:
  %short = icmp slt i64 %left, {BLOCK}
  %points = select i1 %short, i64 %left, i64 {BLOCK}
  br label %step
step:
  %i = phi i64 [ 0, %inside ], [ %j, %call ]
  %more = icmp slt i64 %i, %steps
  br i1 %more, label %call, label %after
call:
  %at = mul i64 %i, 2
  %fp = getelementptr i64, ptr %table, i64 %at
  %f = load ptr, ptr %fp
  %ap = getelementptr i64, ptr %fp, i64 1
  %a = load ptr, ptr %ap
  call void %f(ptr %a, i64 %start, i64 %points)
  %j = add i64 %i, 1
  br label %step
after:
  %next = add i64 %start, {BLOCK}
  br label %block
done:
  ret void
}}
"""


def address(array: Array) -> int:
    """Where an array's first element lies."""
    return int(array.__array_interface__["data"][0])


def rows(array: Array) -> list[int]:
    """Where each row of a two-dimensional array lies; a row must be in one piece."""
    start, step = address(array), array.strides[0]
    return [start + i * step for i in range(array.shape[0])]
