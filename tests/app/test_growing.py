"""One more of each kind goes where CONTRIBUTING says: a copy of the package is given one, and a window is opened on it.

Each addition is the text people would write, in one file (two at most); `grown.py` then looks for it where it has to
arrive by itself.
"""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

import jade_coat

PACKAGE = Path(jade_coat.__file__).parent
OP = """DECLARED = (
    Op("cube", same_floats(1), "Third power.", lambda _, a: a * a * a, "({0} * {0} * {0})"),"""
TERM = '''class RingTerm(Term):
    """Rings about the object's upright axis."""

    label: ClassVar[str] = "Rings"
    kind: Literal["ring"] = "ring"
    width: float = field(0.5, "Ring width", unit="m", low=0.01, high=10.0)

    def meaning(self, given: TermInputs) -> Value:
        """Rises across each ring."""
        at = lib.attribute("position", VEC3)
        return lib.clamp(lib.length(combine(at.x, at.z)) / given.fields.width)


AnyTerm = Annotated[
    RingTerm
    | '''
FIELD = """    grip: float = field(1.0, "Grip", hint="How much of the coat holds at its edge")
    points: tuple[Vec2, ...] = option("""
QUANTITY = """    for q in (
        Quantity("grain", "Grain", 1, (0.25,), Place("more", "r"), File("grain", "r")),"""
MESSAGE = '''

@dataclass(frozen=True)
class Knock(Message):
    """Says that it was there."""

    def take(self, renderer: Renderer, array: ReadArray) -> None:
        """Raise what the application is told of."""
        raise ValueError(f"knocked on {type(renderer).__name__}")
'''
PASS = '''"""Paints a corner of every picture."""

from jade_coat.view.frame import Frame


class CornerPass:
    """Fills nine pixels."""

    reads = ("picture",)
    writes = ("picture",)

    def draw(self, frame: Frame) -> None:
        """Write into the picture."""
        frame.buffers.output.color_attachments[0].write(bytes((255, 0, 255, 255)) * 9, viewport=(0, 0, 3, 3))
'''
FORMAT = """MESHES = (
    Format("One triangle", (".tri",), "one triangle", lambda data, name, _: _one_triangle(data, name)),"""
READER = """
def _one_triangle(data: bytes, name: str) -> MeshData:
    return build_mesh(np.frombuffer(data, np.float32).reshape(3, 3), np.arange(3)[None], name)


MESHES = ("""
WORKSPACE = '''"""Kiln: where things are fired."""

from jade_coat.app.commands import command
from jade_coat.app.workspaces.workspace import Workspace


class Kiln(Workspace):
    """Fires things."""

    name = "Kiln"
    fired = 0

    @command("View", "Ctrl+Alt+J")
    def fire(self) -> None:
        """Fire what is chosen."""
        self.fired += 1
'''
ADDED: dict[str, list[tuple[str, str, str]]] = {
    "op": [("program/ops/arithmetic.py", "DECLARED = (", OP)],
    "where-term": [("material/where.py", "AnyTerm = Annotated[\n    ", TERM)],
    "field": [
        ("material/seam.py", "    points: tuple[Vec2, ...] = option(", FIELD),
        ("material/laying.py", "    return _Edge(w, amount,", "    return _Edge(w * seam.grip, amount,"),
    ],
    "quantity": [
        ("material/quantity.py", "    for q in (", QUANTITY),
        ("material/layers.py", "    opacity: Value\n", "    opacity: Value\n    grain: Value = const(0.25)\n"),
    ],
    "message": [("view/messages.py", "\n\n@dataclass(frozen=True)\nclass PutMotion", MESSAGE + "\n\n@dataclass(frozen=True)\nclass PutMotion")],
    "pass": [
        ("view/passes/corner.py", "", PASS),
        ("view/renderer.py", " MarksPass(self.drawer),",
         " MarksPass(self.drawer), __import__('jade_coat.view.passes.corner', fromlist=['x']).CornerPass(),"),
    ],
    "format": [("files/mesh_files.py", "MESHES = (", READER + FORMAT.removeprefix("MESHES = ("))],
    "workspace": [
        ("app/workspaces/kiln.py", "", WORKSPACE),
        ("app/workspaces/known.py", "Deliver)", "Deliver, __import__('jade_coat.app.workspaces.kiln', fromlist=['x']).Kiln)"),
    ],
}  # fmt: skip


@pytest.fixture(scope="module")
def grown(tmp_path_factory: pytest.TempPathFactory, demo_folder: Path) -> dict[str, list[str]]:
    """What `grown.py` found missing of each addition, in a window on a copy of the package with all of them."""
    place = tmp_path_factory.mktemp("grown")
    shutil.copytree(PACKAGE, place / "jade_coat")  # with what is compiled of it: the loops alone take a minute
    for parts in ADDED.values():
        assert len({file for file, _, _ in parts}) <= 2
        for file, before, after in parts:
            path = place / "jade_coat" / file
            text = path.read_text() if before else ""
            assert not before or text.count(before) == 1, f"{file}: {before!r}"
            path.write_text(text.replace(before, after) if before else after)
    project = place / "terrace"
    shutil.copytree(demo_folder, project)
    paths = os.pathsep.join([str(place), str(PACKAGE.parent)])
    ran = subprocess.run(
        [sys.executable, Path(__file__).with_name("grown.py"), str(project), str(place / "jade_coat")],
        env={**os.environ, "PYTHONPATH": paths, "QT_QPA_PLATFORM": "offscreen", "XDG_CONFIG_HOME": str(place)},
        capture_output=True, text=True, timeout=500, check=False,
    )  # fmt: skip
    assert ran.returncode == 0, ran.stderr[-3000:]
    found: dict[str, list[str]] = json.loads(ran.stdout.splitlines()[-1])
    return found


@pytest.mark.parametrize("kind", ADDED)
def test_one_more_of_a_kind_is_everywhere(grown, kind: str) -> None:
    assert grown[kind] == []
