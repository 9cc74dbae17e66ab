"""Fixtures shared by all tests: private home folders, one small demo project, one OpenGL context."""

from __future__ import annotations

import gc
import os
import shutil
import tempfile
from pathlib import Path

# Before anything of Qt or Jade Coat is imported: no screen, and no file of the user's is touched.
if "JADE_COAT_XVFB" not in os.environ:
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
os.environ.setdefault("GALLIVM_PERF", "nopt")  # software GL: programs are compiled far more often here than run
_HOME = tempfile.mkdtemp(prefix="jade-coat-tests-")
os.environ["XDG_DATA_HOME"] = str(Path(_HOME) / "data")
os.environ["XDG_CACHE_HOME"] = str(Path(_HOME) / "cache")
os.environ["XDG_CONFIG_HOME"] = str(Path(_HOME) / "config")
# What software GL made of programs is shared by all processes of tests, and kept for the next run: most are the same.
os.environ.setdefault("MESA_SHADER_CACHE_DIR", str(Path(tempfile.gettempdir()) / f"jade-coat-programs-{os.getuid()}"))
os.environ.setdefault("MESA_SHADER_CACHE_MAX_SIZE", "256M")

import pytest

from jade_coat.demo.terrace import build
from jade_coat.files.library import Library
from jade_coat.files.project_folder import open_project
from tests.support import Demo, stage_renderer


def pytest_unconfigure(config: pytest.Config) -> None:
    shutil.rmtree(_HOME, ignore_errors=True)


@pytest.fixture(scope="session")
def demo_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    if "JADE_COAT_DEMO" in os.environ:  # made by the run that started this one
        return Path(os.environ["JADE_COAT_DEMO"])
    folder = tmp_path_factory.mktemp("demo") / "terrace"
    build(folder, side=256, grain=2.0, corner=True)
    return folder


@pytest.fixture(scope="session")
def demo(demo_folder: Path) -> Demo:
    opened = open_project(demo_folder)
    assert opened.problems == []
    return Demo(opened.project, Library(opened.assets), demo_folder)


@pytest.fixture
def demo_copy(demo_folder: Path, tmp_path: Path) -> Path:
    folder = tmp_path / "terrace"
    shutil.copytree(demo_folder, folder)
    return folder


@pytest.fixture(scope="session")
def gl():
    from jade_coat.view.context import create_context

    context = create_context()
    context.gc_mode = "context_gc"  # what a test leaves behind is freed once it is over, see `renderer`
    return context


@pytest.fixture
def renderer(gl, demo: Demo):
    yield stage_renderer(gl, demo)
    gc.collect()
    while gl.objects:
        thing = gl.objects.popleft()
        if hasattr(thing, "release"):  # the library's own `gc` stumbles over what was released already
            thing.release()
