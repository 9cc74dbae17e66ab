"""How every vertex on the stage is placed, whatever its pixels become, and the two kinds of shaders that do it.

A vertex shader places the vertices of what it draws. A crowd's pixel shader places the three that its pixel lies
between, once it is known which triangle of which instance is seen there (`passes.crowd`).

Vertices come as attributes, or are read from a table of the mesh (`crowd_tables`): by pixels, where a vertex stands for
its triangle, and where programs read more of a vertex than there is room for in attributes.
"""

from __future__ import annotations

from dataclasses import dataclass

from jade_coat.mesh.attributes import COLOR_STREAMS, STREAMS, attributes_of, mesh_number_type, streams_of
from jade_coat.program.glsl_backend import GlslProgram, vertex_name
from jade_coat.view.context import HEADER, shader
from jade_coat.view.crowd_tables import BESIDE, HOLD

_SIGHTED = """in int in_vertex;  // the vertex of the mesh; by its own number it stands for a triangle
flat out uint pixel_member;
flat out uint pixel_triangle;
flat out float pixel_left;"""
_SIGHT = "pixel_member = uint(in_entry.z); pixel_triangle = uint(gl_VertexID); pixel_left = left_of(in_row);"
_INSTANCE = "in mat3x4 in_rows;\nin ivec4 in_entry;"
"""Of an instance: the rows of its matrix, and in whole numbers its row of looks, the number of the prop whose paint it
shows, its own number, and its seed bit for bit."""
MOST_STREAMS = 16 - 4 - 1
"""So many streams fit the attributes that OpenGL 3.3 promises, beside an instance and the streams of a mark."""
_MARKED = """in float in_edge;
uniform float nearer;
uniform float dot_size;
out float edge;"""
_MARK = "edge = in_edge; gl_Position.z -= nearer * gl_Position.w; gl_PointSize = dot_size;"
SIGHT = """#define TRIANGLE int(pixel_triangle)
flat in uint pixel_member;
flat in uint pixel_triangle;
flat in float pixel_left;
uniform uint crowd_number;
layout(location = 0) out uvec2 sight;"""
LEAVE = "if (pixel_left < 1.0 && instance_noise(gl_FragCoord.xy, pixel_member) >= pixel_left) discard;"
SEE = "sight = uvec2(pixel_member, crowd_number << 24 | pixel_triangle);"
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
    def reads_table(self) -> bool:
        """Whether it reads more of a vertex than there is room for in attributes."""
        return len(self.streams) > MOST_STREAMS

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

    `sighted` hands on which triangle of which instance it is: each has a vertex of its own that stands for it, for an
    own number of a triangle costs far more (`crowd_tables.provoked`).
    """
    if sighted:
        interface, handed = f"{interface}\n{_SIGHTED}", f"{handed}\n{_SIGHT}"
    from_table = sighted or part.reads_table
    return "\n".join([
        HEADER, *part.head, _INSTANCE, "flat out ivec2 pixel_row_at;", interface, shader("placed.glsl"),
        _table_head(part) if from_table else _attribute_head(part), "void main() {",
        f"int vertex = {'in_vertex' if sighted else 'gl_VertexID'};",
        "mat4 in_matrix = transpose(mat4(in_rows[0], in_rows[1], in_rows[2], vec4(0, 0, 0, 1)));",
        "int in_row = in_entry.x, in_owner = in_entry.y;", "float in_seed = intBitsToFloat(in_entry.w);",
        *(_from_table(part) if from_table else _paint_read(part)), *part.statements,
        "gl_Position = view_projection * world;", "pixel_row_at = row_at;", handed, "}",
    ])  # fmt: skip


def _attribute_head(part: VertexPart) -> str:
    """GLSL that declares the streams of a vertex as attributes."""
    declared = [f"in {STREAMS[s].kind} {attribute_name(s)};" for s in part.streams]
    return "\n".join([*declared, *([shader("paint.glsl")] if _painted(part) else ())])


def _paint_read(part: VertexPart) -> list[str]:
    """Statements that leave the paint of a `vertex` whose streams are attributes."""
    return [f"uvec4 in_{s} = {_own(s, attribute_name(s))};" for s in _painted(part)]


def _table_head(part: VertexPart) -> str:
    """GLSL that declares what reads the streams of a vertex from the table of its mesh."""
    read = {*part.streams, *(HOLD if BESIDE in part.streams else ())} - {BESIDE}
    places = [f"uniform int at_{s};" for s in sorted(read)]
    return "\n".join([shader("corners.glsl"), *([shader("paint.glsl")] if _painted(part) else ()), *places])


def _from_table(part: VertexPart) -> list[str]:
    """Statements that leave the streams of a `vertex`, by its number, from the table of its mesh."""
    lines = []
    for name in part.streams:
        kind = STREAMS[name].kind
        of_mesh = f"{kind}(stream(vertex, at_{name}))"
        if name == BESIDE:
            of_mesh = f"{kind}({', '.join(f'stream(vertex, at_{held}).w' for held in HOLD)})"
        lines.append(f"{kind} in_{name} = {_own(name, of_mesh) if name in COLOR_STREAMS else of_mesh};")
    return lines


def _painted(part: VertexPart) -> list[str]:
    """The colour sets that it reads."""
    return [s for s in part.streams if s in COLOR_STREAMS]


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
        *part.head, shader("placed.glsl"), _table_head(part), shader("crowd.glsl"),
        "mat4 in_matrix;\nint in_row;\nfloat in_seed;\nint in_owner;\nvec4 clip;",
        *(f"vec4 {name};" for name in glsl.varying_names),
        "void corner(int vertex) {", *_from_table(part), *part.statements, "clip = view_projection * world;", "}",
    ])  # fmt: skip


def attribute_name(stream: str) -> str:
    """What a vertex shader calls a stream of the mesh; of paint, the mesh's is not what is seen of all."""
    return f"mesh_{stream}" if stream in COLOR_STREAMS else f"in_{stream}"


def _own(stream: str, of_mesh: str) -> str:
    """GLSL for a colour set of a `vertex`: the prop's own, or what the mesh has."""
    return f"own_paint(in_owner, vertex, {COLOR_STREAMS.index(stream)}, {of_mesh})"


def crowd_prologue(glsl: GlslProgram) -> str:
    """Statements that leave the varyings of a program at a pixel and beside it, `row_at`, and `front`."""
    smooth = [n for n in glsl.varying_names if n.startswith("smooth")]
    lines = [
        "uvec2 sight = texelFetch(sighted, ivec2(gl_FragCoord.xy), 0).xy;",
        "int member = int(sight.x);",
        "mat4 rows = mat4(own_texel(member, 0), own_texel(member, 1), own_texel(member, 2), vec4(0, 0, 0, 1));",
        "in_matrix = transpose(rows);",
        "vec4 own = own_texel(member, 3);", "in_row = int(own.x);", "in_seed = own.y;", "in_owner = int(own.z);",
        "ivec2 row_at = row_place(in_row);", "ivec3 vertices = triangle(int(sight.y & 0xffffffu));",
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
