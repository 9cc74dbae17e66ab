"""Names that people gave never lead out of a folder or into generated code, and what is written is written whole."""

from __future__ import annotations

import errno
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jade_coat.bake.exporting import bake_to_folder
from jade_coat.files import atomic
from jade_coat.files.atomic import WriteFailed, write_all
from jade_coat.files.glsl_bundle import bundle_files, write_bundle
from jade_coat.files.library import Library
from jade_coat.files.names import file_name, one_line
from jade_coat.files.project_folder import open_project, save_project
from jade_coat.jobs.job import Job
from jade_coat.stage.project import Project
from tests.support import every_kind_of_project

HOSTILE = (
    "../../out",
    "/etc/x",
    "a\nb",
    "x" * 300,
    "",
    "..",
    "a/b\\c",
    "name\x00",
    "стена\u2028",
    "; } void main() {",
    "~",
    " .",
)


@given(st.lists(st.text(max_size=400), min_size=1, max_size=4), st.sampled_from(["", ".png"]))
def test_a_file_name_is_one_name_short_enough_for_any_file_system(parts: list[str], suffix: str) -> None:
    made = file_name(*parts, suffix=suffix)
    assert made.endswith(suffix)
    assert Path(made).name == made
    assert not made.startswith(".")
    assert 0 < len(made.encode()) <= 255
    assert made.isprintable()


def test_two_names_stay_two() -> None:
    taken: set[str] = set()
    made = [file_name(n, suffix=".png", taken=taken) for n in ("a/b", "a_b", "A:B", "x" * 300, "x" * 301)]
    assert len({m.lower() for m in made}) == 5


@given(st.text())
def test_a_comment_is_one_line(text: str) -> None:
    made = one_line(text)
    assert len(made.splitlines()) <= 1
    assert not made.endswith("\\")


def renamed(project: Project, name: str) -> Project:
    """A small project whose ids and names are all hostile."""
    material = project.material("n")
    coats = tuple(c.with_(id=f"{name}{i}", name=name) for i, c in enumerate(material.coats))
    finish = project.finish("g0").with_(id=f"{name}f", name=name, parent=f"{name}m")
    shared = project.shared[0].with_(id=f"{name}s", name=name)
    made = material.with_(id=f"{name}m", name=name, coats=coats)
    link = {"path": f"{name}1.amount", "shared": shared.id, "low": 0.0, "high": 1.0}
    made = made.with_(links=(link,)) if "." not in name else made
    prop = project.prop("p2").with_(id=f"{name}p", name=name, finishes={"surface": finish.id})
    small: Project = project.with_(
        materials=(made,), finishes=(finish,), props=(prop,), shared=(shared,), recipes=(), map_sets=()
    )
    return small


@pytest.mark.parametrize("name", HOSTILE)
def test_nothing_is_written_outside_whatever_things_are_called(name: str, tmp_path: Path) -> None:
    project, assets = every_kind_of_project()
    hostile = renamed(project, name)
    inside = tmp_path / "in" / "deep" / "out"
    save_project(hostile, assets, tmp_path / "in" / "project")
    library = Library(open_project(tmp_path / "in" / "project").assets)
    paths = bake_to_folder(hostile, library, f"{name}f", hostile.props.first, 16, inside, Job())
    assert paths
    paths += write_bundle(hostile, library, hostile.materials[0], inside / "glsl")
    assert all(p.is_file() and p.resolve().is_relative_to(inside.resolve()) for p in paths)
    written = {p.parent for p in tmp_path.rglob("*") if p.is_file()}
    assert written <= {
        inside,
        inside / "glsl",
        *((tmp_path / "in" / "project") / d for d in ("", "maps", "meshes", "paint")),
    }


@pytest.mark.parametrize("name", HOSTILE)
def test_hostile_names_never_reach_generated_code(name: str, gl) -> None:
    """The bundle of a material with hostile names compiles as it stands."""
    project, assets = every_kind_of_project()
    hostile = renamed(project, name)
    files = bundle_files(hostile, Library(assets), hostile.materials[0])
    gl.program(vertex_shader=files["material.vert"].decode(), fragment_shader=files["material.frag"].decode())
    assert files["material.frag"].decode().count("void main()") == 1 + (
        "// ; } void main()" in files["material.frag"].decode()
    )


def test_several_files_are_written_all_or_none(tmp_path: Path, monkeypatch) -> None:
    (tmp_path / "a").write_bytes(b"old")
    real, left = atomic.os.fsync, [2]

    def full(handle: int) -> None:
        left[0] -= 1
        if left[0] < 0:
            raise OSError(errno.ENOSPC, "No space left on device")
        real(handle)

    monkeypatch.setattr(atomic.os, "fsync", full)
    with pytest.raises(WriteFailed, match="disk is full"):
        write_all(tmp_path, {"a": b"new", "b": b"new", "c": b"new"})
    assert [p.name for p in tmp_path.iterdir()] == ["a"]
    assert (tmp_path / "a").read_bytes() == b"old"
    monkeypatch.undo()
    (tmp_path / "b").mkdir()
    with pytest.raises(WriteFailed, match="is a folder"):
        write_all(tmp_path, {"a": b"new", "b": b"new"})
    assert (tmp_path / "a").read_bytes() == b"old"
