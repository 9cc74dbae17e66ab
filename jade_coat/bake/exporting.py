"""Writes baked props out: one GLB, or a folder of PNG files."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from jade_coat.bake.scene_bake import SceneBaker
from jade_coat.files.atomic import write_all, write_atomic
from jade_coat.files.gltf_writer import scene_glb
from jade_coat.files.library import Library
from jade_coat.files.names import file_name
from jade_coat.jobs.job import Job
from jade_coat.stage.looks import finishes_on, material_of
from jade_coat.stage.project import Project, Prop


@dataclass(frozen=True)
class Written:
    """A file that was written: its size in bytes; what in it is not as it should be, and what is worth knowing."""

    nbytes: int
    notes: tuple[str, ...]
    told: tuple[str, ...] = ()


def export_glb(
    project: Project, library: Library, path: Path, side: int, job: Job, props: Sequence[Prop] = (),
    variants: bool = False,
) -> Written:  # fmt: skip
    """Bake props (all of them if none is named) and write one GLB, with the variants of their models if asked.

    Raises Cancelled (nothing is written), WriteFailed, and what reading meshes and maps raises.
    """
    chosen = list(props or (p for p in project.props if project.shows(p)))
    if not chosen:
        raise ValueError(f"{project.name} has no props to export. Import a mesh first, or show what is hidden.")
    baker = SceneBaker(project, library, side, job)
    hidden = len(project.props) - len(chosen)
    if hidden and not props:
        baker.told.append(f"{hidden} hidden prop{'s are' if hidden > 1 else ' is'} left out.")
    whole = not props
    lamps = [m for m in project.lamps if project.shows(m)] if whole else []
    data = scene_glb(baker.props(chosen, variants), lamps, project.light if whole else None)
    if lamps:
        baker.told.append("The sun and lamps are written in the stage's own unit, as lux and candela.")
    if whole and any(project.shows(m) for m in project.mists):
        baker.told.append("glTF has no mist: it is left out.")
    if whole and any(project.shows(g) for g in project.grounds):
        baker.told.append("Grounds are left out: Hand over the ground… in Ground writes their files.")
    job.part(0.95, 1.0)
    job.step(0.5, f"Writing {path.name}")
    write_atomic(path, data)
    return Written(len(data), tuple(baker.notes), tuple(dict.fromkeys(baker.told)))


def export_some(
    project: Project, library: Library, path: Path, side: int, props: Sequence[Prop], variants: bool, job: Job
) -> Written:
    """`export_glb` with its job last, as work in a process of its own is called."""
    return export_glb(project, library, path, side, job, props, variants)


def bake_to_folder(
    project: Project, library: Library, finish: str, prop: Prop, side: int, folder: Path, job: Job
) -> list[Path]:
    """Bake a finish on every slot of a prop that wears it (or all, if none does) into PNG files.

    Nothing is written unless everything could be baked. Raises Cancelled, WriteFailed, KeyError.
    """
    project.prop(prop.id)
    material_of(project, finish)
    slots = [s for s, f in finishes_on(project, prop).items() if f == finish] or list(project.mesh(prop.mesh).slots)
    baker = SceneBaker(project, library, side, job)
    ready: dict[str, bytes] = {}
    taken: set[str] = set()
    for i, slot in enumerate(slots):
        job.part(i / len(slots), (i + 1) / len(slots))
        for name, data in baker.maps(prop, slot, finish).png_files().items():
            name = {"packed": "occlusion_roughness_metallic"}.get(name, name)
            file = file_name(finish, prop.id, slot.lower(), name, suffix=".png", taken=taken)
            ready[file] = data
    return write_all(folder, ready)
