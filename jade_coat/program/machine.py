"""Compiles LLVM instructions to functions for this processor (llvmlite)."""

from __future__ import annotations

import ctypes
import threading
from collections.abc import Callable
from typing import Any

from jade_coat.program.types import Array

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
            address = self._engine.get_function_address(name)
        self._call: Callable[..., None] = ctypes.CFUNCTYPE(None, *arguments)(address)

    def __call__(self, *arguments: Any) -> None:
        """Run it; pointers are whole numbers (`address`) or arrays of ctypes."""
        self._call(*arguments)


def address(array: Array) -> int:
    """Where an array's first element lies."""
    return int(array.__array_interface__["data"][0])
