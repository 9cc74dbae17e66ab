"""Builds the GPU programs of materials: the compiled material in a frame that fills the G-buffer."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import moderngl

from jade_coat.material.compile import compile_material, live_fields, structure
from jade_coat.material.material import Material, layout
from jade_coat.material.paint_source import MapSource, painted_by_map
from jade_coat.material.surface import MapLookup
from jade_coat.mesh.data import MAX_COLOR_SETS
from jade_coat.program import VEC4, Value, lib
from jade_coat.program.glsl_backend import FetchMode, GlslProgram, emit, output_name
from jade_coat.view.context import HEADER, numbered, shader

VIEW_OUTPUTS = (
    "vec4(sqrt(out_base_color), out_occlusion)",
    "vec4(out_normal, out_height)",
    "vec4(out_roughness, out_metallic, 0.0, 1.0)",
    "vec4(out_emissive, 1.0)",
)
"""What the first four attachments of the G-buffer hold."""
MAX_PROBES = 4


@dataclass(frozen=True)
class Stream:
    """A vertex stream beside position, normal and tangent: its GLSL type, buffer format, and what materials see."""

    kind: str
    format: str
    value: str


ATTRIBUTES: Mapping[str, Stream] = {
    **{f"uv{i}": Stream("vec2", "2f4", f"vec2 attribute_uv{i} = in_uv{i};") for i in range(8)},
    "curvature": Stream("float", "1f4", "float attribute_curvature = in_curvature;"),
    **{
        f"color{i}": Stream("uvec4", "4u2", f"vec4 attribute_color{i} = vec4(in_color{i}) / 65535.0;") for i in range(4)
    },
}
"""The streams by the name that materials use."""


class ProgramFault(Exception):
    """A material whose program does not compile; the message says why, with the numbered source."""


@dataclass(frozen=True)
class Targets:
    """What a frame draws into: GLSL expressions by attachment, with the outputs they need."""

    expressions: tuple[str, ...]
    outputs: tuple[str, ...]


@dataclass
class Compiled:
    """A material's GPU program and how to bind it."""

    glsl: GlslProgram
    program: Any


class ProgramShop:
    """Compiles material programs and keeps them by structure, so that a change of numbers compiles nothing."""

    def __init__(self, context: Any) -> None:
        self._context = context
        self._values: dict[object, dict[str, Value]] = {}
        self._by_structure: dict[object, Compiled] = {}
        self._by_text: dict[object, Any] = {}
        self.compiles = 0

    def outputs(self, material: Material, lookup: MapLookup, on_map: MapSource | None = None) -> dict[str, Value]:
        """The material's folded program, built once per structure; with the painted channels as `channel:N`.

        `on_map` names a map that is read instead of the vertices' paint.
        """
        key = (structure(material), getattr(lookup, "key", None), on_map)
        if key not in self._values:
            if len(self._values) > 64:
                self._values.clear()
            made = {**compile_material(material, lookup, live_fields(material)), **_painted_channels()}
            self._values[key] = painted_by_map(made, on_map) if on_map is not None else made
        return self._values[key]

    def view(self, material: Material, lookup: MapLookup, on_map: MapSource | None = None) -> Compiled:
        """The program for the lit view."""
        return self._get(material, lookup, Targets(VIEW_OUTPUTS, _needed(VIEW_OUTPUTS)), FetchMode.HARDWARE, on_map)

    def sheet(
        self, material: Material, lookup: MapLookup, probes: tuple[str, ...], on_map: MapSource | None = None
    ) -> Compiled:
        """The program that also gives paint, coverage, and up to four outputs of one float by name."""
        outputs = self.outputs(material, lookup, on_map)
        values = [output_name(p) if p in outputs else "0.0" for p in probes]
        values += ["0.0"] * (MAX_PROBES - len(values))
        expressions = (*VIEW_OUTPUTS, "out_paint", f"vec4({', '.join(values)})", "vec4(out_coverage, 1.0)")
        names = (*_needed(VIEW_OUTPUTS), "paint", "coverage", *(p for p in probes if p in outputs))
        return self._get(material, lookup, Targets(expressions, names), FetchMode.HARDWARE, on_map)

    def measured(self, material: Material, lookup: MapLookup, targets: Targets, fetch: FetchMode) -> Compiled:
        """A program with targets of the caller's choice, for parity tests and benchmarks."""
        return self._get(material, lookup, targets, fetch)

    def _get(
        self, material: Material, lookup: MapLookup, targets: Targets, fetch: FetchMode, on_map: MapSource | None = None
    ) -> Compiled:
        key = (structure(material), getattr(lookup, "key", None), targets, fetch, on_map)
        if key not in self._by_structure:
            outputs = self.outputs(material, lookup, on_map)
            glsl = emit({name: outputs[name] for name in targets.outputs}, layout(material), fetch)
            self._by_structure[key] = Compiled(glsl, self._build(glsl, targets))
        return self._by_structure[key]

    def _build(self, glsl: GlslProgram, targets: Targets) -> Any:
        vertex, fragment = vertex_source(glsl), fragment_source(glsl, targets)
        if (vertex, fragment) not in self._by_text:
            self._by_text[vertex, fragment] = self._compile(vertex, fragment)
        return self._by_text[vertex, fragment]

    def _compile(self, vertex: str, fragment: str) -> Any:
        self.compiles += 1
        try:
            return self._context.program(vertex_shader=vertex, fragment_shader=fragment)
        except moderngl.Error as error:
            raise ProgramFault(f"{error}\n{numbered(fragment)}") from None


def _painted_channels() -> dict[str, Value]:
    sets = [lib.attribute(f"color{i}", VEC4) for i in range(MAX_COLOR_SETS)]
    found = {f"channel:{4 * i + k}": getattr(s, letter) for i, s in enumerate(sets) for k, letter in enumerate("xyzw")}
    return {"paint": sets[0], **found}


def _needed(expressions: tuple[str, ...]) -> tuple[str, ...]:
    names = ("base_color", "normal", "roughness", "metallic", "occlusion", "height", "emissive")
    return tuple(n for n in names if any(output_name(n) in e for e in expressions))


def vertex_source(glsl: GlslProgram) -> str:
    """The whole vertex shader around an emitted program."""
    streams = [a for a in glsl.attributes if a in ATTRIBUTES]
    declared = [f"in {ATTRIBUTES[a].kind} in_{a};" for a in streams]
    declared += [f"uniform vec2 instance_{name};" for name in glsl.instance if name != "seed"]
    if "seed" in glsl.instance:
        declared.append("in float in_seed;")
    body = [ATTRIBUTES[a].value for a in streams]
    if "seed" in glsl.instance:
        body.append("float instance_seed = in_seed;")
    return "\n".join(
        [HEADER, glsl.uniforms, glsl.helpers, *declared, glsl.vertex_interface, shader("material.vert"), *body,
         glsl.vertex_body, "}"]
    )  # fmt: skip


def fragment_source(glsl: GlslProgram, targets: Targets) -> str:
    """The whole fragment shader around an emitted program."""
    outs = [f"layout(location = {i}) out vec4 target{i};" for i in range(len(targets.expressions))]
    interface = ["flat in ivec2 pixel_row_at;", "uniform sampler2D row_table;"]
    writes = [f"target{i} = {e};" for i, e in enumerate(targets.expressions)]
    return "\n".join(
        [HEADER, glsl.uniforms, *interface, glsl.pixel_interface, *outs, glsl.helpers,
         "void main() {", "ivec2 row_at = pixel_row_at;", glsl.pixel_body, *writes, "}"]
    )  # fmt: skip
