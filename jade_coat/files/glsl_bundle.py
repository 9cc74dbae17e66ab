"""Hands a material over as GLSL 3.30: a vertex and a pixel shader, a parameter sheet, and the packed textures."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

from jade_coat.files.atomic import write_all
from jade_coat.files.library import Library
from jade_coat.files.names import file_name, one_line
from jade_coat.maps.images import png_bytes
from jade_coat.maps.packing import PackedLookup, Texture
from jade_coat.material.compile import compile_material, folded_fields, is_filled, moved_vertices, off_land, placed
from jade_coat.material.far import Far
from jade_coat.material.fill import Fill
from jade_coat.material.kinds import kind_of
from jade_coat.material.material import Material, options_of
from jade_coat.material.quantity import OUTPUTS
from jade_coat.material.rows import dial_spec, field_values, layout
from jade_coat.material.shading import light_of
from jade_coat.mesh.attributes import STREAMS, attributes_of, mesh_number_type, streams_of
from jade_coat.program import passes
from jade_coat.program.glsl_backend import (
    DialAccess,
    FetchMode,
    GlslProgram,
    emit,
    output_name,
    uniform_name,
    vertex_name,
)
from jade_coat.program.samplers import PROMISED, shared_samplers
from jade_coat.stage.project import Project

_NUMBERS = {"metres": "metres that one unit of the UV set spans", "spacing": "metres between neighbouring vertices"}
_TYPES = {1: "float", 2: "vec2", 3: "vec3", 4: "vec4"}


def bundle_files(project: Project, library: Library, material: Material) -> dict[str, bytes]:
    """The files of a bundle by name. Raises what reading maps raises, and TooManySamplers."""
    lookup = PackedLookup(project.map_sets, project.recipes)
    outputs = off_land(placed(compile_material(material, lookup, folded_fields(material))))
    shading = kind_of(material.kind).shading
    part = material.kind_part
    of_all = ((n, k) for shared in (Far, Fill) for n, k in shared.outputs if n in outputs)
    light = (*(part.outputs if part is not None else ()), *of_all)
    wanted = {name: outputs[name] for name in (*OUTPUTS, *(name for name, _ in light))}
    by_name = {t.name: t for s in project.map_sets for t in library.textures(s)}
    vertex = moved_vertices(outputs)
    samplers = shared_samplers(
        passes.textures((*wanted.values(), *vertex.values())), lambda t: by_name[t.name].kind, PROMISED
    )
    glsl = emit(
        wanted, layout(material), FetchMode.HARDWARE, dials=DialAccess.UNIFORM, samplers=samplers, vertex=vertex
    )
    textures = [by_name[reference.name] for reference in glsl.textures]
    files = {
        "material.vert": _vertex(glsl).encode(),
        "material.frag": _fragment(glsl, material, light).encode(),
        "parameters.json": json.dumps(_sheet(material, glsl, textures), indent=1).encode() + b"\n",
    }
    cost = passes.cost(wanted)
    files["README.txt"] = _readme(material, glsl, cost).encode()
    if shading:
        drawn = part.glsl if part is not None else ""
        files[f"{shading}.glsl"] = "\n".join(t for t in (drawn, light_of(shading)) if t).encode()
    for texture in textures:
        files[_texture_file(texture)] = png_bytes(texture.levels[0])
    return files


def write_bundle(project: Project, library: Library, material: Material, folder: Path) -> list[Path]:
    """Write a bundle into a folder; returns the files. Raises WriteFailed and what reading maps raises."""
    return write_all(folder, bundle_files(project, library, material))


def _texture_file(texture: Texture) -> str:
    return file_name(*texture.name.rsplit("/", 1), suffix=".png")


def _vertex(glsl: GlslProgram) -> str:
    read = [STREAMS[s] for s in streams_of(glsl.attributes)]
    given = sorted({"position", *(s.stands_in or s.name for s in read)})
    lines = ["#version 330", *(f"in {STREAMS[s].kind} in_{s};" for s in given)]
    lines += ["uniform mat4 model;", "uniform mat4 view_projection;"]
    lines += [
        f"uniform {mesh_number_type(n).name} instance_{n};  // {_NUMBERS[n.rstrip('0123456789')]}"
        for n in glsl.instance
        if n != "seed"
    ]
    if "seed" in glsl.instance:
        lines.append("uniform float instance_seed;  // a random number from 0 to 1 for each object")
    lines += [glsl.uniforms, glsl.helpers, glsl.vertex_interface, "void main() {"]
    lines += ["vec4 world = model * vec4(in_position, 1.0);", "gl_Position = view_projection * world;"]
    # Of a skinned mesh, these are the vertices before they are moved.
    lines += [f"{s.kind} in_{s.name} = in_{s.stands_in};" for s in read if s.stands_in]
    lines += [a.vertex_line("model") for a in attributes_of(glsl.attributes)]
    lines.append(glsl.vertex_body)
    if glsl.at_vertices:
        lines.append(f"gl_Position = view_projection * vec4({vertex_name('placed_position')}, 1.0);")
    return "\n".join([*lines, "}", ""])


def _fragment(glsl: GlslProgram, material: Material, light: tuple[tuple[str, int], ...]) -> str:
    base, normal = output_name("base_color"), output_name("normal")
    lines = ["#version 330", f"// {one_line(material.name)}, as compiled by Jade Coat. Colour is linear Rec. 709."]
    lines += [glsl.uniforms, glsl.pixel_interface]
    lines += [f"layout(location = {i}) out vec4 target{i};" for i in range(4)]
    lines += [glsl.helpers, "void main() {", glsl.pixel_body]
    lines += [
        f"target0 = vec4({base}, {output_name('opacity')});",
        f"target1 = vec4({normal}, {output_name('height')});  // world space",
        f"target2 = vec4({', '.join(output_name(n) for n in ('occlusion', 'roughness', 'metallic'))}, 1.0);",
        f"target3 = vec4({output_name('emissive')}, {output_name('specular')});",
    ]
    lines += [
        f"{_TYPES[size]} {name} = {output_name(name)};  // what its kind needs beside the quantities"
        for name, size in light
    ]
    return "\n".join([*lines, "}", ""])


# Long: the text of one file.
def _sheet(material: Material, glsl: GlslProgram, textures: list[Texture]) -> dict[str, Any]:
    values, there = field_values(material), set(re.findall(r"\w+", glsl.uniforms))
    dials: list[dict[str, Any]] = []
    for dial in material.dials:
        spec = dial_spec(material, dial)
        if spec.shapes_program:  # compiled into the text: another value is another bundle
            own = next(value for path, _, value in options_of(material) if path == dial.path)
            dials.append({
                "name": dial.name, "id": dial.id, "group": dial.group, "type": spec.kind, "compiled_in": own,
                "choices": [k for k, _ in spec.choices], "hint": dial.hint or spec.hint,
            })  # fmt: skip
            continue
        if uniform_name(dial.path) not in there:
            continue  # nothing reads it as the material is now: the program has no such uniform
        default = values[dial.path]
        dials.append(
            {
                "name": dial.name,
                "id": dial.id,
                "group": dial.group,
                "uniform": uniform_name(dial.path),
                "type": _TYPES[spec.size],
                "unit": "radians" if spec.kind == "angle" or spec.unit == "°" else spec.unit,
                "range": list(spec.span),
                "limits": [spec.low, spec.high],
                "default": list(default) if isinstance(default, tuple) else default,
                "hint": dial.hint or spec.hint,
            }
        )
    places = {t.name: (i, k, len(group) > 1) for i, group in enumerate(glsl.samplers) for k, t in enumerate(group)}
    maps = [
        {
            "uniform": f"map{places[t.name][0]}",
            **({"layer": places[t.name][1]} if places[t.name][2] else {}),
            "file": _texture_file(t),
            "encoding": "sRGB colour, linear alpha" if t.is_color else "linear",
            "wrap": "repeat",
            "mean": [round(float(v), 6) for v in t.mean],
        }
        for t in textures
    ]
    named = {d["id"] for d in dials}
    unread = [d.name for d in material.dials if d.id not in named]
    return {
        "material": material.name,
        "unread": unread,
        "dials": dials,
        "textures": maps,
        "metres": list(glsl.instance),
    }


def _arrays(glsl: GlslProgram) -> str:
    if not any(len(group) > 1 for group in glsl.samplers):
        return ""
    return "Textures with a layer belong into one array texture, with those of the same uniform, in that order.\n"


def _readme(material: Material, glsl: GlslProgram, cost: passes.Cost) -> str:
    return (
        f"{one_line(material.name)}\n\n"
        "material.vert and material.frag are GLSL 3.30. parameters.json lists every dial that\nthe program reads: its "
        f"uniform, type, unit, range and default. Textures repeat; those marked sRGB are decoded to linear when read.\n"
        f"{_arrays(glsl)}"
        f"Cost of a pixel: {cost.fetches} texture reads, {cost.arithmetic:.0f} units of arithmetic, "
        f"{glsl.varyings} varyings.\n{_light(material)}{_under(material)}"
    )


def _under(material: Material) -> str:
    """What is said of a fill."""
    if not is_filled(material):
        return ""
    return (
        "\nUnder what is cut out lies a fill: draw the mesh once more, uncut, moved by fill_offset (world space,\n"
        "metres) and in fill_color.\n"
    )


def _light(material: Material) -> str:
    kind = kind_of(material.kind)
    shading = kind.shading
    if kind.part == "glow":
        return (
            "\nIt is added to what is behind it, unlit: base colour and emissive, times opacity. glow_meets.x metres\n"
            "before other things it begins to fade, and mist veils it by glow_meets.y. shared_eye_known is 1.\n"
        )
    if not shading:
        return ""
    return (
        f"\nIts light is no plain surface's: {shading}.glsl gives what it sends of a light that comes along l,\n"
        "and of the sky, from the further numbers in material.frag.\n"
    )
