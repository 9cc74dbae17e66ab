"""How every vertex on the stage is placed, whatever its pixels become, and the two kinds of shaders that do it.

A vertex shader places the vertices of what it draws. A crowd's pixel shader places the three that its pixel lies
between, once it is known which triangle of which instance is seen there (`passes.crowd`).
"""

from __future__ import annotations

from dataclasses import dataclass

from jade_coat.mesh.attributes import COLOR_STREAMS, STREAMS, attributes_of, mesh_number_type, streams_of
from jade_coat.program.glsl_backend import GlslProgram, vertex_name
from jade_coat.view.context import HEADER, shader

_SIGHTED = """flat out uint pixel_member;
flat out float pixel_left;"""
_ENTRY = "in ivec3 in_entry;"
"""The row of looks of an instance, the number of the prop whose paint it shows, its own number: in one attribute, of
which OpenGL 3.3 promises sixteen."""
_MARKED = """in float in_edge;
uniform float nearer;
uniform float dot_size;
out float edge;"""
_MARK = "edge = in_edge; gl_Position.z -= nearer * gl_Position.w; gl_PointSize = dot_size;"
SIGHT = """flat in uint pixel_member;
flat in float pixel_left;
uniform uint crowd_number;
layout(location = 0) out uvec2 sight;"""
LEAVE = "if (pixel_left < 1.0 && instance_noise(gl_FragCoord.xy, pixel_member) >= pixel_left) discard;"
SEE = "sight = uvec2(pixel_member, crowd_number << 24 | uint(gl_PrimitiveID) & 0xffffffu);"
"""What the pixel shader of a sighting declares, how it leaves points out of what goes from afar (with `sample.glsl`),
and how it says which triangle of which instance is seen."""


@dataclass(frozen=True)
class VertexPart:
    """What is done at a vertex: `body` runs once it is placed and `attribute_NAME` is set for each of `attributes`.

    `head` holds declarations that `body` needs.
    """

    attributes: tuple[str, ...] = ()
    head: tuple[str, ...] = ()
    body: str = ""

    @property
    def streams(self) -> list[str]:
        """The vertex buffers that it reads: those of the attributes, and what placing needs."""
        return sorted({"position", *streams_of(self.attributes)})

    @property
    def statements(self) -> list[str]:
        """Statements that place the vertex, `world`, where `in_STREAM` and the instance's `in_` values are there."""
        return [
            "vec4 world = in_matrix * vec4(in_position, 1.0);", "ivec2 row_at = row_place(in_row);",
            *(a.vertex_line("in_matrix") for a in attributes_of(self.attributes)), self.body,
        ]  # fmt: skip


def program_part(glsl: GlslProgram) -> VertexPart:
    """What an emitted program does at a vertex; it leaves its varyings."""
    head = [glsl.uniforms, glsl.helpers]
    head += [f"uniform {mesh_number_type(n).name} instance_{n};" for n in glsl.instance if n != "seed"]
    lines = ["float instance_seed = in_seed;"] if "seed" in glsl.instance else []
    lines.append(glsl.vertex_body)
    if "placed_position" in glsl.at_vertices:
        lines.append(f"world = vec4({vertex_name('placed_position')}, 1.0);")
    return VertexPart(glsl.attributes, tuple(head), "\n".join(lines))


def vertex_source(part: VertexPart, interface: str = "", handed: str = "", sighted: bool = False) -> str:
    """A vertex shader; `handed` fills what `interface` hands on besides the varyings of the part.

    `sighted` hands on which instance it is.
    """
    if sighted:
        interface, handed = (
            f"{interface}\n{_SIGHTED}",
            f"{handed}\npixel_member = uint(in_entry.z); pixel_left = left_of(in_row);",
        )
    colors = [s for s in part.streams if s in COLOR_STREAMS]
    return "\n".join([
        HEADER, *part.head, *(f"in {STREAMS[s].kind} {attribute_name(s)};" for s in part.streams),
        "in mat4 in_matrix;", _ENTRY, "in float in_seed;", *([shader("paint.glsl")] if colors else ()),
        "flat out ivec2 pixel_row_at;", interface, shader("placed.glsl"),
        "void main() {", "int in_row = in_entry.x;", *(["int in_owner = in_entry.y;"] if colors else ()),
        *(f"uvec4 in_{s} = {_own(s, 'gl_VertexID', attribute_name(s))};" for s in colors),
        *part.statements, "gl_Position = view_projection * world;", "pixel_row_at = row_at;", handed,
        "}",
    ])  # fmt: skip


def program_vertex_source(glsl: GlslProgram, lit: bool = False, sighted: bool = False, marked: bool = False) -> str:
    """The vertex shader around an emitted program; `lit` hands on the place in the world too, `marked` is for marks."""
    interface, handed = glsl.vertex_interface, ""
    if marked:
        interface, handed = f"{interface}\n{_MARKED}", _MARK
    if lit:
        interface, handed = f"{interface}\nout vec3 pixel_world;", "pixel_world = world.xyz;"
    return vertex_source(program_part(glsl), interface, handed, sighted)


def crowd_head(glsl: GlslProgram) -> str:
    """The declarations of a crowd's pixel shader; `corner(VERTEX)` sets `clip` and the varyings of a program."""
    part = program_part(glsl)
    return "\n".join([
        *part.head, shader("placed.glsl"), shader("crowd.glsl"), shader("paint.glsl"),
        *(f"{STREAMS[s].kind} in_{s};\nuniform int at_{s};" for s in part.streams),
        "mat4 in_matrix;\nint in_row;\nfloat in_seed;\nint in_owner;\nvec4 clip;",
        *(f"vec4 {name};" for name in glsl.varying_names),
        "void corner(int vertex) {",
        *(f"in_{s} = {_from_table(s)};" for s in part.streams), *part.statements,
        "clip = view_projection * world;", "}",
    ])  # fmt: skip


def _from_table(name: str) -> str:
    """GLSL that reads a stream of a vertex from the tables of a crowd."""
    of_mesh = f"{STREAMS[name].kind}(stream(vertex, at_{name}))"
    return _own(name, "vertex", of_mesh) if name in COLOR_STREAMS else of_mesh


def attribute_name(stream: str) -> str:
    """What a vertex shader calls a stream of the mesh; of paint, the mesh's is not what is seen of all."""
    return f"mesh_{stream}" if stream in COLOR_STREAMS else f"in_{stream}"


def _own(stream: str, vertex: str, of_mesh: str) -> str:
    """GLSL for a colour set of a vertex: the prop's own, or what the mesh has."""
    return f"own_paint(in_owner, {vertex}, {COLOR_STREAMS.index(stream)}, {of_mesh})"


def crowd_prologue(glsl: GlslProgram) -> str:
    """Statements that leave the varyings of a program at a pixel and beside it, `row_at`, and `front`."""
    smooth = [n for n in glsl.varying_names if n.startswith("smooth")]
    lines = [
        "uvec2 sight = texelFetch(sighted, ivec2(gl_FragCoord.xy), 0).xy;",
        "int member = int(sight.x);",
        "mat4 rows = mat4(own_texel(member, 0), own_texel(member, 1), own_texel(member, 2), vec4(0, 0, 0, 1));",
        "in_matrix = transpose(rows);",
        "vec4 own = own_texel(member, 3);", "in_row = int(own.x);", "in_seed = own.y;", "in_owner = int(own.z);",
        "ivec2 row_at = row_place(in_row);", "ivec3 vertices = triangle(sight.y & 0xffffffu);",
        "vec2 at = gl_FragCoord.xy * pixel - 1.0;", "vec2 a, b, c;", "vec3 w;",
    ]  # fmt: skip
    for i, letter in enumerate("abc"):
        lines += [f"corner(vertices[{i}]);", f"{letter} = clip.xy - at * clip.w;", f"w[{i}] = clip.w;"]
        lines += [f"vec4 {name}_{letter} = {name};" for name in smooth]
    lines += [
        "vec3 share = shares(a, b, c);",
        "float whole = share.x + share.y + share.z;",
        "bool front = whole > 0.0;",
    ]
    for ending, step in (("", ""), ("_x", "vec2(pixel.x, 0.0)"), ("_y", "vec2(0.0, pixel.y)")):
        if step:
            beside = ", ".join(f"{letter} - {step} * w[{i}]" for i, letter in enumerate("abc"))
            lines += [f"share = shares({beside});", "whole = share.x + share.y + share.z;"]
        lines.append("share /= whole;")
        declared = "vec4 " if ending else ""
        lines += [
            f"{declared}{n}{ending} = {n}_a * share.x + {n}_b * share.y + {n}_c * share.z;" for n in smooth
        ]  # fmt: skip
    return "\n".join(lines)
