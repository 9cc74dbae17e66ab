"""The tree as a newcomer finds it: no import in a circle, files and functions that can be taken in."""

from __future__ import annotations

import ast
import subprocess
import sys
from collections.abc import Iterator
from graphlib import CycleError, TopologicalSorter
from pathlib import Path

import jade_coat

PACKAGE = Path(jade_coat.__file__).parent
LONGEST_FILE, LONGEST_FUNCTION = 400, 40
REASON = "# Long: "
"""What stands above a function that is longer, before the reason."""


def modules() -> dict[str, Path]:
    found = {".".join(p.relative_to(PACKAGE.parent).with_suffix("").parts): p for p in PACKAGE.rglob("*.py")}
    return {name.removesuffix(".__init__"): path for name, path in found.items()}


def imports(path: Path, known: dict[str, Path]) -> Iterator[str]:
    """Every module that a module names, wherever in it: in functions, and for types alone, too."""
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ImportFrom) and node.module:
            for alias in node.names:
                inner = f"{node.module}.{alias.name}"
                yield from (m for m in (inner if inner in known else node.module,) if m in known)
        elif isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names if alias.name in known)


def test_no_module_imports_itself_by_way_of_others() -> None:
    known = modules()
    graph = {name: set(imports(path, known)) - {name} for name, path in known.items()}
    try:
        TopologicalSorter(graph).prepare()
    except CycleError as error:
        raise AssertionError(" -> ".join(error.args[1])) from None


def test_files_and_functions_can_be_taken_in_or_say_why_not() -> None:
    """A reason is a comment in the line above a long function; tables of text are data, and count as one line."""
    long = []
    for path in PACKAGE.rglob("*.py"):
        text = path.read_text()
        lines = text.splitlines()
        if len(lines) > LONGEST_FILE:
            long.append(f"{path.name}: {len(lines)} lines")
        for node in ast.walk(ast.parse(text)):
            if isinstance(node, ast.FunctionDef):
                doc = ast.get_docstring(node, clean=False)
                count = node.end_lineno - node.lineno + 1 - (len(doc.splitlines()) if doc else 0)
                first = min([node.lineno, *(d.lineno for d in node.decorator_list)])
                if count > LONGEST_FUNCTION and REASON not in lines[first - 2]:
                    long.append(f"{path.name}: {node.name} has {count} lines")
    assert long == []


def test_a_start_waits_for_nothing_that_is_slow_to_import() -> None:
    """Each of these takes a tenth of a second or more in each of the two processes, and few projects need it at once."""
    slow = ["scipy", "numba", "llvmlite", "pygltflib", "rasterio", "skimage", "matplotlib", "pandas", "MaterialX"]
    for parts in (["jade_coat.view.client", "jade_coat.app.main", "jade_coat.app.window"], ["jade_coat.view.process"]):
        code = f"import sys, {', '.join(parts)}; print(*(n for n in {slow!r} if n in sys.modules))"
        found = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
        assert found.stdout.split() == [], f"{parts} imports it"
