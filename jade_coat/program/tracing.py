"""Writes down what the NumPy meaning of an op does, as instructions of a loop."""

from __future__ import annotations

import struct
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from numpy.lib.mixins import NDArrayOperatorsMixin

from jade_coat.program.ops import OPS
from jade_coat.program.value import Value

WIDTH = 16
"""Points a step of the loop takes."""


_LLVM = {"f": f"<{WIDTH} x float>", "i": f"<{WIDTH} x i32>", "u": f"<{WIDTH} x i32>", "b": f"<{WIDTH} x i1>"}


_SCALAR = {"f": "float", "i": "i32", "u": "i32", "b": "i1"}


_KIND = {np.dtype(np.float32): "f", np.dtype(np.int32): "i", np.dtype(np.uint32): "u", np.dtype(np.bool_): "b"}


_DTYPE = {kind: dtype for dtype, kind in _KIND.items()}


_FLOAT_OPS = {"add": "fadd", "subtract": "fsub", "multiply": "fmul", "divide": "fdiv"}


_WHOLE_OPS = {"add": "add", "subtract": "sub", "multiply": "mul"}


_BIT_OPS = {"bitwise_xor": "xor", "bitwise_and": "and", "bitwise_or": "or", "logical_and": "and", "logical_or": "or",
            "left_shift": "shl", "right_shift": "lshr"}  # fmt: skip


_COMPARE = {"less": "lt", "less_equal": "le", "greater": "gt", "greater_equal": "ge", "equal": "eq", "not_equal": "ne"}


_INTRINSIC = {"floor": "floor", "ceil": "ceil", "trunc": "trunc", "rint": "rint", "sqrt": "sqrt", "absolute": "fabs"}


class _Untraceable(Exception):
    """The op does something that has no place in a loop of arithmetic."""


class _Code:
    """The instructions of one loop, each written once."""

    def __init__(self) -> None:
        self.lines: list[str] = []
        self._names: dict[str, str] = {}
        self.intrinsics: set[str] = set()

    def put(self, text: str) -> str:
        """The name of the result of an instruction."""
        if text not in self._names:
            self._names[text] = f"%v{len(self._names)}"
            self.lines.append(f"  {self._names[text]} = {text}")
        return self._names[text]

    def call(self, name: str, argument: str) -> str:
        """The result of a floating-point intrinsic."""
        self.intrinsics.add(name)
        return self.put(f"call {_LLVM['f']} @llvm.{name}.v{WIDTH}f32({_LLVM['f']} {argument})")


def _literal(value: Any, kind: str) -> str:
    if kind == "f":
        bits = struct.unpack(">Q", struct.pack(">d", float(value)))[0]
        return f"splat (float 0x{bits:016X})"
    if kind == "b":
        return f"splat (i1 {int(bool(value))})"
    return f"splat (i32 {int(value)})"


class _Rows(NDArrayOperatorsMixin):
    """Stands for an array `(k, n)` (or one row of it) while an op's NumPy meaning is written down."""

    def __init__(self, code: _Code, rows: Sequence[str], kind: str, wide: bool, flat: bool = False) -> None:
        self.code, self.rows, self.kind, self.wide, self.flat = code, list(rows), kind, wide, flat

    @property
    def shape(self) -> tuple[int, ...]:
        """As an array of a step's points, or of one that stands for all."""
        points = WIDTH if self.wide else 1
        return (points,) if self.flat else (len(self.rows), points)

    @property
    def ndim(self) -> int:
        """1 for a single row picked out, else 2."""
        return len(self.shape)

    @property
    def dtype(self) -> np.dtype[Any]:
        """The element type."""
        return _DTYPE[self.kind]

    def _made(self, rows: Sequence[str], kind: str | None = None, like: Sequence[_Rows] = ()) -> _Rows:
        parts = like or (self,)
        return _Rows(
            self.code, rows, kind or self.kind, any(p.wide for p in parts),
            all(p.flat for p in parts) and len(rows) == 1,
        )  # fmt: skip

    def __getitem__(self, index: Any) -> _Rows:
        if self.flat:
            raise _Untraceable("points of a row")
        if isinstance(index, tuple) and len(index) == 2 and index[1] == slice(None):
            index = index[0]
        if index is None or isinstance(index, tuple):
            raise _Untraceable("an index")
        if isinstance(index, (int, np.integer)):
            return _Rows(self.code, [self.rows[index]], self.kind, self.wide, flat=True)
        picked = self.rows[index] if isinstance(index, slice) else [self.rows[i] for i in index]
        return _Rows(self.code, picked, self.kind, self.wide)

    def __iter__(self) -> Any:
        return (self[i] for i in range(len(self.rows)))

    def __len__(self) -> int:
        return len(self.rows)

    def astype(self, dtype: Any, copy: bool = True) -> _Rows:
        """Convert between floats, whole numbers and truth values."""
        to = _KIND[np.dtype(dtype)]
        if to == self.kind or {to, self.kind} == {"i", "u"}:
            return self._made(self.rows, to)
        if to == "b":
            return _ufunc(self.code, "not_equal", [self, _rows_of(self.code, _DTYPE[self.kind].type(0))])
        how = {("f", "i"): "fptosi", ("f", "u"): "fptoui", ("i", "f"): "sitofp", ("u", "f"): "uitofp",
               ("b", "f"): "uitofp", ("b", "i"): "zext", ("b", "u"): "zext"}[self.kind, to]  # fmt: skip
        return self._made([self.code.put(f"{how} {_LLVM[self.kind]} {r} to {_LLVM[to]}") for r in self.rows], to)

    def view(self, dtype: Any) -> _Rows:
        """The same bits as another type of whole number."""
        to = _KIND[np.dtype(dtype)]
        if {to, self.kind} - {"i", "u"}:
            raise _Untraceable("the bits of a float")
        return self._made(self.rows, to)

    def __array_ufunc__(self, ufunc: np.ufunc, method: str, *inputs: Any, out: Any = None, **other: Any) -> _Rows:
        if method != "__call__" or other:
            raise _Untraceable(f"{ufunc.__name__}.{method}")
        return _ufunc(self.code, ufunc.__name__, [_rows_of(self.code, i) for i in inputs])

    def __array_function__(self, function: Any, types: Any, args: Any, kwargs: Any) -> _Rows:
        if function.__name__ not in _FUNCTIONS or set(kwargs) - {"axis"}:
            raise _Untraceable(function.__name__)
        return _FUNCTIONS[function.__name__](self.code, *args, **kwargs)


def _rows_of(code: _Code, given: Any) -> _Rows:
    if isinstance(given, _Rows):
        return given
    array = np.asarray(given)
    if isinstance(given, (bool, int, float)):
        array = array.astype(np.float32) if isinstance(given, float) else array
    if array.dtype == np.int64 and array.ndim == 0:  # a plain whole number takes the type of what it meets
        return _Rows(code, [str(int(array))], "?", False)
    if array.dtype not in _KIND or array.ndim not in (0, 2) or (array.ndim == 2 and array.shape[1] != 1):
        raise _Untraceable(f"an array {array.dtype} {array.shape}")
    kind = _KIND[array.dtype]
    return _Rows(code, [_literal(v, kind) for v in array.ravel()], kind, False)


def _matched(parts: Sequence[_Rows]) -> tuple[list[_Rows], int]:
    """Plain numbers given a type, and the number of rows that all spread to."""
    kinds = {p.kind for p in parts} - {"?"}
    if len(kinds) != 1:
        raise _Untraceable(f"mixed types {kinds}")
    (kind,) = kinds
    typed = [p if p.kind != "?" else _Rows(p.code, [_literal(p.rows[0], kind)], kind, False) for p in parts]
    return typed, max(len(p.rows) for p in parts)


def _row(part: _Rows, i: int) -> str:
    return part.rows[i if len(part.rows) > 1 else 0]


# Long: a table of translations, a line or two each.
def _ufunc(code: _Code, name: str, inputs: list[_Rows]) -> _Rows:
    parts, count = _matched(inputs)
    kind = parts[0].kind
    vector = _LLVM[kind]

    def each(text: Callable[..., str], to: str | None = None) -> _Rows:
        rows = [text(*(_row(p, i) for p in parts)) for i in range(count)]
        return parts[0]._made(rows, to or kind, [p for p in parts if p.wide] or parts)

    if name in _COMPARE:
        word = _COMPARE[name]
        if kind == "f":
            test = "fcmp " + ("une" if word == "ne" else "o" + word)
        else:
            test = "icmp " + (word if word in ("eq", "ne") else ("s" if kind == "i" else "u") + word)
        return each(lambda a, b: code.put(f"{test} {vector} {a}, {b}"), "b")
    if name in ("maximum", "minimum"):
        test = ("fcmp o" if kind == "f" else "icmp s" if kind == "i" else "icmp u") + (
            "gt" if name == "maximum" else "lt"
        )
        return each(lambda a, b: _selected(code, code.put(f"{test} {vector} {a}, {b}"), a, b, kind))
    if kind == "f" and name in _FLOAT_OPS:
        return each(lambda a, b: code.put(f"{_FLOAT_OPS[name]} {vector} {a}, {b}"))
    if kind in "iu" and name in _WHOLE_OPS:
        return each(lambda a, b: code.put(f"{_WHOLE_OPS[name]} {vector} {a}, {b}"))
    if kind in "iub" and name in _BIT_OPS and not (kind == "i" and name == "right_shift"):
        return each(lambda a, b: code.put(f"{_BIT_OPS[name]} {vector} {a}, {b}"))
    if name in ("logical_not", "invert") and kind == "b":
        return each(lambda a: code.put(f"xor {vector} {a}, {_literal(True, 'b')}"))
    if kind == "f" and name in _INTRINSIC:
        return each(lambda a: code.call(_INTRINSIC[name], a))
    if kind == "f" and name == "negative":
        return each(lambda a: code.put(f"fneg {vector} {a}"))
    if kind == "f" and name == "sign":
        zero, one = _literal(0, "f"), _literal(1, "f")

        def sign(a: str) -> str:
            up, down = code.put(f"fcmp ogt {vector} {a}, {zero}"), code.put(f"fcmp olt {vector} {a}, {zero}")
            return _selected(code, up, one, _selected(code, down, _literal(-1, "f"), zero, "f"), "f")

        return each(sign)
    raise _Untraceable(f"{name} of {kind}")


def _selected(code: _Code, test: str, a: str, b: str, kind: str) -> str:
    return code.put(f"select {_LLVM['b']} {test}, {_LLVM[kind]} {a}, {_LLVM[kind]} {b}")


def _where(code: _Code, test: Any, a: Any, b: Any) -> _Rows:
    chooser = _rows_of(code, test)
    (first, second), count = _matched([_rows_of(code, a), _rows_of(code, b)])
    count = max(count, len(chooser.rows))
    rows = [_selected(code, _row(chooser, i), _row(first, i), _row(second, i), first.kind) for i in range(count)]
    return first._made(rows, first.kind, [p for p in (chooser, first, second) if p.wide] or [first])


def _joined(code: _Code, parts: Sequence[Any], axis: int = 0) -> _Rows:
    rows = [_rows_of(code, p) for p in parts]
    if axis != 0 or len({p.kind for p in rows}) != 1:
        raise _Untraceable("joining")
    return _Rows(code, [r for p in rows for r in p.rows], rows[0].kind, any(p.wide for p in rows))


def _broadcast(code: _Code, part: Any, shape: tuple[int, ...]) -> _Rows:
    rows = _rows_of(code, part)
    wide = rows.wide or shape[-1] != 1
    return _Rows(code, [_row(rows, i) for i in range(shape[0])], rows.kind, wide)


def _clip(code: _Code, part: Any, low: Any, high: Any) -> _Rows:
    kept = _ufunc(code, "maximum", [_rows_of(code, part), _rows_of(code, low)])
    return _ufunc(code, "minimum", [kept, _rows_of(code, high)])


_FUNCTIONS: dict[str, Callable[..., _Rows]] = {
    "where": _where, "concatenate": _joined, "stack": _joined, "broadcast_to": _broadcast, "clip": _clip,
}  # fmt: skip


def _input(code: _Code, node: Value, position: int, group: str) -> _Rows:
    kind = _KIND[np.dtype(node.type.dtype)]
    rows = [f"%{group}_{position}_{i}" for i in range(node.type.size)]
    if kind == "b":
        rows = [code.put(f"icmp ne {_LLVM['u']} {r}, {_literal(0, 'u')}") for r in rows]
    return _Rows(code, rows, kind, wide=group == "in")


def _traced(node: Value, arguments: list[_Rows]) -> _Rows:
    numpy = OPS[node.op].numpy
    assert numpy is not None
    with np.errstate(all="ignore"):
        found = numpy(node.static, *arguments)
    if not isinstance(found, _Rows) or len(found.rows) != node.type.size or found.dtype != node.type.dtype:
        raise _Untraceable(f"{node.op} gave something else")
    return found


def traceable(node: Value) -> bool:
    """Whether the op can be part of a loop: its NumPy meaning is tried on stand-ins."""
    if OPS[node.op].reads_outside or node.op == "const":
        return False
    code = _Code()
    try:
        _traced(node, [_input(code, a, i, "in") for i, a in enumerate(node.args)])
    except (_Untraceable, KeyError, TypeError, AttributeError, ValueError):
        return False
    return True
