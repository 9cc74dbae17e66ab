"""The shader that lays a decal's program onto what the G-buffer holds."""

from __future__ import annotations

from jade_coat.material.lying import BELOW, SHOWN
from jade_coat.material.quantity import QUANTITIES
from jade_coat.program.glsl_backend import GlslProgram
from jade_coat.view.attachments import ATTACHMENTS
from jade_coat.view.context import HEADER, shader

UNDER = tuple(a.name for a in ATTACHMENTS if a.of_surface)
"""The attachments that a decal reads as they were, and writes."""
_PLACES = {
    "world_position": ("vec3", "{p}"), "position": ("vec3", "in_box({p}) * box_size"),
    "uv": ("vec2", "box_picture(in_box({p}))"),
}  # fmt: skip
"""What differs from pixel to pixel, by the place in the world: GLSL types and expressions."""
_FIXED = {
    "normal": "normal", "shading_normal": "normal", "tangent": "vec4(across, 1.0)", "along": "across",
    "shading_tangent": "vec4(across, 1.0)", "object_normal": "normal * box_turn",
    "object_tangent": "vec4(across * box_turn, 1.0)",
    **{f"own_{axis}": f"box_turn[{i}]" for i, axis in enumerate("xyz")},
}  # fmt: skip
SHARES = ("color", "normal", "surface", "height", "glow")


def attachments_read(names: tuple[str, ...]) -> str:
    """GLSL that reads every quantity back from the attachments of these names."""
    lines = [f"uniform sampler2D {name};" for name in names]
    for quantity in QUANTITIES.values():
        kind, place = quantity.type.name, quantity.place
        kept = f"{kind} kept = texture({place.attachment}, at).{place.channels};"
        lines.append(f"{kind} read_{quantity.name}() {{ {kept} return {place.read.format('kept')}; }}")
    return "\n".join(lines)


def _handed(name: str, kind: str) -> list[str]:
    """Statements that set what a program is given under a name, here and a pixel further along x and y."""
    key = "uv" if name.startswith("uv") else name
    if key in _PLACES:
        _, text = _PLACES[key]
        places = (("", "world"), ("_x", "world_x"), ("_y", "world_y"))
        return [f"{kind} given_{name}{ending} = {text.format(p=place)};" for ending, place in places]
    if name.startswith(BELOW):
        value = f"read_{name.removeprefix(BELOW)}()"
    elif name.startswith(SHOWN):
        value = f"box_shares[{SHARES.index(name.removeprefix(SHOWN))}] * shown"
    else:
        value = _FIXED.get(name, f"{kind}(0.0)")  # a box has no paint
    return [f"{kind} given_{name} = {value};", *(f"{kind} given_{name}{e} = given_{name};" for e in ("_x", "_y"))]


def lying_source(glsl: GlslProgram, expressions: tuple[str, ...]) -> str:
    """The whole fragment shader of a decal; the expressions go to the surface's attachments in order."""
    outs = [f"layout(location = {i}) out vec4 target{i};" for i in range(len(expressions))]
    first = [
        "float depth_here = texture(depth, at).r;", "if (depth_here >= 1.0) discard;",
        "vec3 world = box_unprojected(at, depth_here);", "vec3 local = in_box(world);",
        "if (any(greaterThan(abs(local), vec3(0.5)))) discard;",
        "if (box_chooses && texture(box_receivers, at).r < 0.5) discard;",
        "vec3 normal = read_normal();", "float facing = dot(normal, box_turn[1]);",
        "float shown = smoothstep(box_shows.x, box_shows.y, facing);",
        "if (box_shows.z > 0.0) shown *= clamp((0.5 - abs(local.y)) / box_shows.z, 0.0, 1.0);",
        "if (box_far.y > 0.0) shown *= 1.0 - smoothstep(box_far.x, max(box_far.y, box_far.x + 1e-4),"
        " distance(world, box_eye));",
        "if (shown <= 0.0) discard;",
        "vec3 across = box_turn[0] - normal * dot(box_turn[0], normal);",
        "across = dot(across, across) > 1e-8 ? normalize(across) : box_turn[2];",
        "vec3 world_x = box_beside(at + vec2(box_pixel.x, 0.0), world, normal);",
        "vec3 world_y = box_beside(at + vec2(0.0, box_pixel.y), world, normal);",
        "ivec2 row_at = row_place(box_row);",
        *(line for name, kind in glsl.given for line in _handed(name, kind)),
        *(f"{_instance_type(n)} instance_{n} = {_instance(n)};" for n in glsl.instance),
        *(f"vec4 {name};" for name in glsl.varying_names), glsl.vertex_body,
    ]  # fmt: skip
    writes = [f"target{i} = {e};" for i, e in enumerate(expressions)]
    head = ["in vec2 at;", attachments_read(UNDER), "uniform sampler2D depth;", shader("decal.glsl"), glsl.uniforms,
            _ROWS, glsl.helpers]  # fmt: skip
    return "\n".join([HEADER, *head, *outs, "void main() {", *first, glsl.pixel_body, *writes, "}"])


_ROWS = shader("placed.glsl").replace("uniform mat4 view_projection;", "")


def _instance_type(name: str) -> str:
    return "float" if name == "seed" else "vec2"


def _instance(name: str) -> str:
    return "box_seed" if name == "seed" else "box_size.xz / box_cell.zw"
