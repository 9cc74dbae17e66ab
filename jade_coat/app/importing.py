"""Bringing meshes and maps in, and making materials of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from jade_coat.app.beginning import use_maps, uses_of
from jade_coat.app.build.map_review import MapReview
from jade_coat.app.build.texture_size import TextureSize
from jade_coat.app.controls.basics import counted
from jade_coat.app.dialogs.common import ProgressDialog
from jade_coat.app.dialogs.import_size import ImportSize
from jade_coat.app.dialogs.slot_match import SlotMatch
from jade_coat.files.file_looks import look_of, notes_of
from jade_coat.files.gltf_lights import FileLight, lamps_of, read_lights
from jade_coat.files.gltf_materials import FileMaterial, FileVariant, read_materials, read_variants
from jade_coat.files.library import MapFolder
from jade_coat.formats import named
from jade_coat.jobs.job import Job
from jade_coat.jobs.reading import read_mesh_apart
from jade_coat.jobs.words import told
from jade_coat.maps.images import PICTURES, as_float, read_image
from jade_coat.maps.mapset import Guess, MapSet, guess, map_files, set_name
from jade_coat.maps.picture import BadImage
from jade_coat.material.surface import Role
from jade_coat.mesh.data import BadMesh, MeshData
from jade_coat.mesh.units import is_odd, scaled
from jade_coat.stage import edits
from jade_coat.stage.decals import Decal
from jade_coat.stage.looks import finish_on, reach_of_map_set
from jade_coat.stage.making import beside, file_looks, picture_stamp, placed_mesh
from jade_coat.stage.naming import free_id, free_name
from jade_coat.stage.remesh import Exchange, imported_anew, matched_slots, wearers, with_slots_named

if TYPE_CHECKING:
    from jade_coat.app.project_window import ProjectWindow
    from jade_coat.app.session import Session


def bring_meshes(window: ProjectWindow, paths: Sequence[Path]) -> ProgressDialog:
    """Read meshes in the background and place each as a prop; a file that cannot be read keeps no other from it."""
    what = paths[0].name if len(paths) == 1 else counted(len(paths), "mesh")
    dialog = ProgressDialog(window, f"Import {what}")

    def read(job: Job) -> tuple[list[tuple[Path, MeshData]], list[str]]:
        found, lost = [], []
        for i, path in enumerate(paths):
            job.part(i / len(paths), (i + 1) / len(paths))
            try:
                found.append((path, read_mesh_apart(path, job)))
            except (BadMesh, OSError) as error:
                lost.append(told(error))
        return found, lost

    def place(read: tuple[list[tuple[Path, MeshData]], list[str]]) -> None:
        found, lost = read
        placed = [path for path, mesh in found if _place_sized(window, path, mesh)]
        if lost:
            some = f"{counted(len(lost), 'mesh')} of {len(paths)} were not imported"
            window._tell("The mesh was not imported" if len(paths) == 1 else some, lost)
        elif len(placed) > 1:
            window.say(f"{counted(len(placed), 'mesh')} imported")

    dialog.run(
        window.session, read, place, lambda error: window._tell("The mesh was not imported", [told(error)]),
    )  # fmt: skip
    return dialog


def _place_sized(window: ProjectWindow, path: Path, mesh: MeshData) -> bool:
    """Place a mesh that was read, with what its file brings; asks for its unit where its size is odd."""
    if is_odd(mesh) and mesh.motion is None:
        ask = ImportSize(window, mesh, path.name)
        window.ask = ask  # type: ignore[attr-defined]
        if not ask.exec():
            return False
        mesh = scaled(mesh, ask.factor)
    place_mesh(window, mesh, path.stem)
    bring_looks(window, path, window.session.prop_id)
    return True


@dataclass(frozen=True)
class _Brought:
    """What a mesh's file holds beside the mesh."""

    materials: list[FileMaterial]
    variants: list[FileVariant]
    lights: list[FileLight]


def bring_looks(window: ProjectWindow, path: Path, prop: str) -> None:
    """Look for materials and lights in a mesh's file, and take them into the project if that is wanted."""
    if path.suffix.lower() not in (".glb", ".gltf"):
        return
    session = window.session
    assets = session.library.assets

    def work() -> _Brought:
        data = path.read_bytes()
        materials = read_materials(
            data, path.name, path.parent, lambda file, content: assets.put("maps", file, content)
        )
        folder = path.parent
        return _Brought(materials, read_variants(data, path.name, folder), read_lights(data, path.name, folder))

    def done(read: _Brought) -> None:
        _take_looks(window, path, prop, read)
        _take_lights(window, path, prop, read.lights)

    def failed(error: Exception) -> None:
        window.say(f"The materials of {path.name} were not read: {told(error)}", True)

    session.work(work, done, failed)


def _take_looks(window: ProjectWindow, path: Path, prop: str, read: _Brought) -> None:
    session, found, variants = window.session, read.materials, read.variants
    worn = session.project.props.get(prop)
    if not found or worn is None:
        return
    files = {m.asset for one in found for m in one.maps}
    what = f"{path.name} brings {counted(len(found), 'material')}"
    what += f" of {counted(len(files), 'picture')}" if files else ""
    what += f" in {counted(len(variants), 'variant')}" if variants else ""
    lines = [one.name for one in found]
    if not session.offer(f"{what}. Take them as materials, and dress {worn.name} in them?", lines):
        return
    dressed = [(v.name, v.worn) for v in variants]
    steps = file_looks(session.project, prop, [look_of(one) for one in found], dressed)
    if session.do_all(f"Materials of {path.name}", steps):
        notes = [line for one in found for line in notes_of(one)]
        if notes:
            window.tell(f"{counted(len(found), 'material')} taken, but not all of them", notes, problem=False)
        else:
            window.say(f"{counted(len(found), 'material')} of {path.name} taken")


def _take_lights(window: ProjectWindow, path: Path, prop: str, lights: list[FileLight]) -> None:
    """Offer the lamps of a file; its sun is named, and the project keeps its own."""
    session = window.session
    place = session.project.props.get(prop)
    shining = [light for light in lights if light.kind != "directional"]
    suns = [f"{m.name} is a sun: the project keeps its own" for m in lights if m.kind == "directional"]
    if not shining or place is None:
        if suns:
            window.say(f"{path.name}: {'; '.join(suns)}")
        return
    lines = [light.name for light in shining] + suns
    what = f"{path.name} brings {counted(len(shining), 'lamp')}. Place them where they stand beside {place.name}?"
    if session.offer(what, lines):
        made = lamps_of(shining, session.project, place.position)
        session.do(edits.add_things(things=made).called(f"Lamps of {path.name}"))


def place_mesh(window: ProjectWindow, mesh: MeshData, name: str) -> None:
    """Add a mesh and a prop of it, beside what is there, and look at it."""
    session = window.session
    made = placed_mesh(
        session.project,
        session.library.add_mesh,
        mesh,
        name,
        (beside(session.project, session.link.mesh_data, mesh), 0.0, 0.0),
    )
    prop, asset = made.prop, made.asset
    session.do_all("Import a mesh", made.steps)
    session.choose_prop(prop.id, asset.slots[0])
    window.view.frame()
    moves = f", moves by {' or '.join(asset.clips)} (choose under Shared dials)" if asset.clips else ""
    slots = counted(len(mesh.slots), "slot")
    window.say(f"{prop.name}: {mesh.vertex_count:,} vertices, {len(mesh.triangles):,} triangles, {slots}{moves}")


# Long: the steps of one import, each called back by the one before.
def bring_mesh_anew(window: ProjectWindow, path: Path) -> ProgressDialog | None:
    """Read a file in place of the chosen prop's mesh; own paint is carried over, and a report says how."""
    session = window.session
    prop, project = session.prop, session.project
    if prop is None:
        window.say("Choose the prop whose mesh is to be imported anew first.", True)
        return None
    asset, old = project.mesh(prop.mesh), session.link.mesh_data(prop.mesh)
    dialog = ProgressDialog(window, f"Import {path.name} anew")

    def read(new: MeshData) -> None:
        match = matched_slots(asset.slots, tuple(s.name for s in new.slots))
        if set(match.values()) != set(match) or len(match) != len(asset.slots):
            ask = SlotMatch(window, asset.slots, match)
            window.ask = ask  # type: ignore[attr-defined]
            if not ask.exec():
                return
            match = ask.match()
        named = with_slots_named(new, match)
        again = ProgressDialog(window, f"Import {path.name} anew")
        again.run(session, lambda job: carry(job, named), lambda made: done(made, match), failed)

    def carry(job: Job, new: MeshData) -> Exchange:
        made = imported_anew(project, asset.id, old, new, job.step)
        job.step(1.0, "Done")
        return made

    def done(made: Exchange, match: dict[str, str]) -> None:
        mesh = session.library.exchanged(asset, made.mesh)
        steps = [edits.exchange_mesh(mesh=mesh, paint=made.paint, maps=made.maps)]
        session.do_all("Import a mesh anew", steps)
        ruled = [p.name for p in wearers(session.project, asset.id) if p.rules]
        again = [f"Kept rules can be run again: {', '.join(ruled)}."] if ruled else []
        renamed = [f"{new} goes on as {old}" for new, old in match.items() if new != old]
        lines = [*made.report, *([f"Slots: {'; '.join(renamed)}."] if renamed else []), *again]
        window.tell(f"{asset.name} was imported anew", lines, problem=False)

    def failed(error: Exception) -> None:
        window._tell("The mesh was not imported", [told(error)])

    dialog.run(session, lambda job: read_mesh_apart(path, job), read, failed)
    return dialog


def bring_maps(window: ProjectWindow, folder: Path) -> ProgressDialog:
    """Read a folder of maps in the background, guess their roles, and let them be corrected."""
    dialog = ProgressDialog(window, f"Import maps from {folder.name}")
    library = window.session.library

    dialog.run(
        window.session, lambda job: library.read_map_folder(folder, job.step),
        lambda found: _review(window, folder, found),
        lambda error: window._tell("The maps were not imported", [told(error)]),
    )  # fmt: skip
    return dialog


def _review(window: ProjectWindow, folder: Path, found: MapFolder) -> None:
    groups, unknown = found.sets, found.left_out
    if not groups and not unknown:
        lines = [
            f"{folder} holds no {named(PICTURES)} file that can be read. Choose another folder.",
            *found.notes,
        ]
        window._tell("No maps found", lines)
        return
    project = window.session.project
    taken, names = {s.id for s in project.map_sets}, {s.name for s in project.map_sets}
    for i, entries in enumerate(groups or [[]]):
        name = free_name(set_name(entries, folder), names)
        names.add(name)
        suggestion = MapSet(id=free_id(name, taken), name=name, maps=tuple(entries))
        taken.add(suggestion.id)
        last = i == len(groups or [[]]) - 1
        review = MapReview(
            window, suggestion, unknown if last else [], window.session.library, found.notes if last else ()
        )
        window.review = review  # type: ignore[attr-defined]
        review.offer(uses_of(window.session))
        if review.exec():
            taken_in = review.map_set()
            if window.session.do(edits.add_map_set(map_set=taken_in)):
                use_maps(window, taken_in, review.use)


def _chosen_maps(window: ProjectWindow) -> MapSet | None:
    """The map set of the chosen coat; says so when there is none."""
    session, material = window.session, window.session.material
    coat = material.coat(session.coat_id) if material and session.coat_id else None
    if coat is None or not coat.surface.map_set:
        window.say("Choose a coat that is made of maps first.", True)
        return None
    return session.project.map_set(coat.surface.map_set)


def correct_maps(window: ProjectWindow) -> None:
    """Review the map set of the chosen coat again."""
    session, old = window.session, _chosen_maps(window)
    if old is None:
        return
    review = MapReview(window, old, [], session.library)
    prop = (
        session.prop
        if session.prop and finish_on(session.project, session.prop, session.slot) == session.finish_id
        else None
    )
    review.show_reach(session.project, reach_of_map_set(session.project, old.id), prop.name if prop else "")
    window.review = review  # type: ignore[attr-defined]
    if not review.exec():
        return
    new = review.map_set()
    if review.only_here:
        _keep_apart(session, new)
    else:
        session.do(edits.set_map_set(map_set=old.id, name=new.name, tile_size=new.tile_size, maps=new.maps))


def _keep_apart(session: Session, new: MapSet) -> None:
    """Keep corrected maps as a set of their own, worn by a child finish on the chosen prop alone."""
    material, merge = session.material, ("apart", id(session.project))
    assert material is not None
    name = free_name(new.name, {s.name for s in session.project.map_sets})
    own = new.with_(id=free_id(name, {s.id for s in session.project.map_sets}), name=name)
    path = f"{session.coat_id}.surface.map_set"
    session.do(edits.add_map_set(map_set=own), merge=merge)
    session.do(edits.expose(material=material.id, path=path), merge=merge)
    child = session.child_for_prop(merge)
    dial = session.project.material(material.id).dial_at(path)
    assert dial is not None
    session.do(edits.set_dial(finish=child, dial=dial.id, value=own.id), merge=merge)
    session.document.settle()
    session.choose_finish(child)


def bring_picture(window: ProjectWindow, path: Path) -> None:
    """Take one picture as a map set of its own: by its name's hint, or as a mask."""
    library, project = window.session.library, window.session.project
    try:
        data = path.read_bytes()
        read_image(data, path.name)
    except (OSError, BadImage) as error:
        window._tell("The picture was not imported", [told(error)])
        return
    asset = library.assets.put("maps", path.name, data)
    guesses = guess(path.name) or [Guess(role=Role.MASK, channels="r")]
    name = free_name(set_name(map_files(path.name, asset, guesses), path), {s.name for s in project.map_sets})
    suggestion = MapSet(
        id=free_id(name, {s.id for s in project.map_sets}), name=name,
        maps=tuple(map_files(path.name, asset, guesses, str(path))),
    )  # fmt: skip
    review = MapReview(window, suggestion, [], library)
    window.review = review  # type: ignore[attr-defined]
    if review.exec():
        window.session.do(edits.add_map_set(map_set=review.map_set()))
        window.say(f"{name} added. Use it in a coat, or as a mask in a where-term.")


def bring_stamp(window: ProjectWindow, path: Path) -> Decal | None:
    """Make a stamp of a picture, with its finish, and say what to do with it; None where it cannot be read."""
    library, project = window.session.library, window.session.project
    try:
        data = path.read_bytes()
        picture = read_image(data, path.name)
    except (OSError, BadImage) as error:
        window._tell("The picture was not imported", [told(error)])
        return None
    asset = library.assets.put("maps", path.name, data)
    pixels = as_float(picture)
    see_through = pixels.ndim == 3 and pixels.shape[2] in (2, 4)
    name = path.stem.replace("_", " ").strip().capitalize() or "Stamp"
    height, width = pixels.shape[:2]
    steps, decal = picture_stamp(project, name, asset, path.name, (height, width), see_through)
    if not window.session.do_all(f"Make a stamp of {path.name}", steps):
        return None
    return decal


def choose_texture_size(window: ProjectWindow) -> None:
    """Choose how large the textures of the chosen coat's maps may be."""
    session, chosen = window.session, _chosen_maps(window)
    if chosen is None:
        return
    try:
        ask = TextureSize(window, session, window.view, chosen)
    except (OSError, BadImage) as error:
        window._tell("The maps cannot be looked at", [told(error)])
        return
    window.ask = ask  # type: ignore[attr-defined]
    if ask.exec():
        session.do(edits.set_map_set(map_set=chosen.id, max_side=ask.side))
