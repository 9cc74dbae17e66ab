"""The one vertex shader of everything that is drawn on the stage, whatever its pixels become."""

from __future__ import annotations

from collections.abc import Iterable

from jade_coat.mesh.attributes import attributes_of, mesh_number_type, vertex_declarations
from jade_coat.program.glsl_backend import GlslProgram, vertex_name
from jade_coat.view.context import HEADER, shader


def vertex_source(attributes: Iterable[str] = (), interface: str = "", body: str = "", head: Iterable[str] = ()) -> str:
    """A vertex shader: `body` runs once the vertex is placed and `attribute_NAME` is set for each of `attributes`.

    `head` holds declarations that `body` needs, `interface` what it hands on.
    """
    wanted = {*attributes, "position"}
    return "\n".join([
        HEADER, *head, *vertex_declarations(wanted), interface, shader("placed.vert"),
        *(a.vertex_line("in_matrix") for a in attributes_of(wanted)), body, "}",
    ])  # fmt: skip


def program_vertex_source(glsl: GlslProgram, lit: bool = False) -> str:
    """The vertex shader around an emitted program; `lit` hands on the place in the world too."""
    head = [glsl.uniforms, glsl.helpers]
    head += [f"uniform {mesh_number_type(n).name} instance_{n};" for n in glsl.instance if n != "seed"]
    body = glsl.vertex_body
    if "placed_position" in glsl.at_vertices:
        placed = vertex_name("placed_position")
        body += f"\nworld = vec4({placed}, 1.0);\ngl_Position = view_projection * world;"
    if "seed" in glsl.instance:
        head.append("in float in_seed;")
        body = f"float instance_seed = in_seed;\n{body}"
    interface = glsl.vertex_interface
    if lit:
        interface, body = f"{interface}\nout vec3 pixel_world;", f"{body}\npixel_world = world.xyz;"
    return vertex_source(glsl.attributes, interface, body, head)
