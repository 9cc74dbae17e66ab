"""What a program draws into, and the pixel shader round it."""

from __future__ import annotations

from dataclasses import dataclass

from jade_coat.maps.color import LUMINANCE
from jade_coat.material.kinds import LEAST_LIGHT, Cut
from jade_coat.material.shading import KIND_PARTS
from jade_coat.program.glsl_backend import GlslProgram, output_name
from jade_coat.view.context import HEADER, shader, shading_source
from jade_coat.view.vertex import LEAVE, SEE, SIGHT, crowd_head, crowd_prologue


@dataclass(frozen=True)
class Targets:
    """What a frame draws into: GLSL expressions by attachment, with the outputs they need.

    `cut` leaves points out by their opacity (`material.kinds`), `turned` turns the normals of what is seen from behind.
    `filling` is for pages that hold what is still (`material.splitting`), `marked` for marks over the picture.
    `sighted` gives, before the expressions, which triangle of which instance it is. `crowd` draws the pixels that were
    sighted of a crowd, and no vertices.
    `lying` draws what a decal makes of the pixels that are there, `hull` the hull of an outline, `inner` the fill under
    what is cut. `lit` puts the light of `light.glsl` before the expressions, which may name it `light`, as what a
    `shading` sends of it; with `opened` it knows how open the sky is, with `meets` what is behind a glow. `drawn` is
    GLSL before that of the shading. `taken` are the samplers that these take.
    """

    expressions: tuple[str, ...]
    outputs: tuple[str, ...]
    cut: Cut = ""
    turned: bool = False
    lit: bool = False
    shading: str = "standard"
    taken: int = 0
    sighted: bool = False
    crowd: bool = False
    lying: bool = False
    hull: bool = False
    inner: bool = False
    opened: bool = False
    meets: bool = False
    filling: bool = False
    marked: bool = False
    drawn: str = ""


_LIGHT = """
Surface surface = Surface(
    out_base_color, normalize(out_normal), out_roughness, out_metallic, out_occlusion, out_specular, out_transmission);
vec3 light = light_here(surface) + out_emissive;"""
_LIT = ("light.glsl", "lamps.glsl", "mist.glsl", "forward.glsl")
_LUMINANCE = f"vec3({', '.join(f'{float(part):.4f}' for part in LUMINANCE)})"
_CUTS = {
    "": [], "threshold": ["if (out_opacity < cut) discard;"],
    "noise": ["if (out_opacity <= pixel_noise(gl_FragCoord.xy)) discard;"],
    "light": [f"if (dot(out_base_color + out_emissive, {_LUMINANCE}) * out_opacity < {LEAST_LIGHT}) discard;"],
}  # fmt: skip


def fragment_source(glsl: GlslProgram, targets: Targets) -> str:
    """The whole fragment shader around an emitted program."""
    outs = [f"layout(location = {i}) out vec4 target{i};" for i in range(len(targets.expressions))]
    fades = "fade" in targets.outputs
    own = [shader("sample.glsl")] if targets.cut or fades or targets.sighted else []
    if targets.lit:
        own += ["#define OPENED", shader("opened.glsl")] if targets.opened else []
        own += [
            *(shader(name) for name in _LIT[:2]),
            targets.drawn,
            shading_source(targets.shading),
            *(shader(n) for n in _LIT[2:]),
        ]
    if targets.meets:
        own.append(shader("meets.glsl"))
    if targets.crowd:
        head, first = [crowd_head(glsl)], [crowd_prologue(glsl)]
    else:
        head = [glsl.uniforms, "flat in ivec2 pixel_row_at;", "uniform sampler2D row_table;", glsl.pixel_interface,
                glsl.helpers]  # fmt: skip
        first = ["ivec2 row_at = pixel_row_at;", "bool front = gl_FrontFacing;"]
    before = list(_CUTS[targets.cut])
    if targets.cut and "dither" in targets.outputs:
        before = ["if (out_opacity <= dithered(out_dither, gl_FragCoord.xy)) discard;"]
    if fades:
        before.append("if (out_fade <= pixel_noise(gl_FragCoord.xy)) discard;")
    if targets.turned and "normal" in targets.outputs:
        before.append("if (!front) out_normal = -out_normal;")
    if "normal" in targets.outputs and targets.lit:
        given = KIND_PARTS[targets.shading].outputs if targets.shading in KIND_PARTS else ()
        before += [*(f"{name} = {output_name(name)};" for name, _ in given), _LIGHT]
    if targets.lit:
        before.append("vec4 veil = mist_here();")
    writes = [f"target{i} = {e};" for i, e in enumerate(targets.expressions)]
    if targets.sighted:
        head.append(SIGHT)
        before.append(LEAVE)
        writes.append(SEE)
    return "\n".join([HEADER, *head, *outs, *own, "void main() {", *first, glsl.pixel_body, *before, *writes, "}"])
