"""Builds the GPU programs of materials: the compiled material in a frame that fills the G-buffer."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import moderngl

from jade_coat.material.compile import compile_material, dithers, fades, live_fields, moved_vertices, placed, structure
from jade_coat.material.compile_stacked import compile_still
from jade_coat.material.fill import filled_in
from jade_coat.material.kinds import CUT_BY, Cut, kind_of
from jade_coat.material.lying import handed_in, lying_program
from jade_coat.material.material import Material
from jade_coat.material.paint_source import MapSource, is_own, painted_by_map
from jade_coat.material.quantity import OUTPUTS, stored
from jade_coat.material.rows import layout
from jade_coat.material.shading import KIND_PARTS
from jade_coat.material.splitting import KEPT_PAGE
from jade_coat.material.stacking import StackedMaterial
from jade_coat.material.surface import MapLookup
from jade_coat.program import VEC3, Value, lib
from jade_coat.program.glsl_backend import FetchMode, GlslProgram, emit, output_name
from jade_coat.program.passes import reads, textures
from jade_coat.program.samplers import PROMISED, Kind, Samplers, shared_samplers
from jade_coat.program.value import TextureRef
from jade_coat.view.attachments import ATTACHMENTS
from jade_coat.view.context import HEADER, numbered, shader
from jade_coat.view.looks import A_LAYER, MAX_PROBES
from jade_coat.view.lying import lying_source
from jade_coat.view.probes import KindOf, of_the_mesh, probed
from jade_coat.view.targets import Targets, fragment_source
from jade_coat.view.vertex import program_part, program_vertex_source

VIEW_OUTPUTS = tuple(stored(a.name) for a in ATTACHMENTS if a.of_surface)
"""What the first attachments of the G-buffer hold."""


KEPT = 320
"""How many structures of materials a shop keeps."""


ROOM = PROMISED - 1
"""Samplers for textures: the table of rows takes one of those that are promised."""
LIGHT_SAMPLERS = 5
"""Samplers of `light.glsl` and `lamps.glsl`: three depth maps, the reflections and the split sum."""
CROWD_SAMPLERS = 4
"""Samplers of `crowd.glsl`: what was sighted, the instances, the vertices and their paint."""
DECAL_SAMPLERS = len(VIEW_OUTPUTS) + 2
"""Samplers of a decal: the surface's attachments as they were, the depth, and who receives it."""


def unknown_kind(texture: TextureRef) -> Kind | None:
    """No texture is there yet."""
    return None


class ProgramFault(Exception):
    """A material whose program does not compile; the message says why, with the numbered source."""


@dataclass
class Compiled:
    """A material's GPU program and how to bind it."""

    glsl: GlslProgram
    program: Any

    @property
    def streams(self) -> list[str]:
        """The vertex buffers that it reads."""
        return program_part(self.glsl).streams


class ProgramShop:
    """Compiles material programs and keeps them by structure, so that a change of numbers compiles nothing.

    `KEPT` structures are kept, those asked for last; what falls out is freed.
    """

    def __init__(self, context: Any, kept: int = KEPT) -> None:
        self._context, self._kept = context, kept
        self._values: OrderedDict[object, dict[str, Value]] = OrderedDict()
        self._by_structure: OrderedDict[object, Compiled] = OrderedDict()
        self._by_text: dict[object, Any] = {}
        self._failed: OrderedDict[tuple[str, str], str] = OrderedDict()
        self._reads: OrderedDict[object, tuple[TextureRef, ...]] = OrderedDict()
        self._shared: OrderedDict[object, tuple[str, ...]] = OrderedDict()
        self.compiles = 0
        self._doomed: list[Any] = []

    def outputs(self, material: Material, lookup: MapLookup, on_map: MapSource | None = None) -> dict[str, Value]:
        """The material's folded program, built once per structure; with what can be looked at on all.

        `on_map` names a map that is read instead of the vertices' paint.
        """
        key = (structure(material), getattr(lookup, "key", None), on_map)
        if key not in self._values:
            made = {**placed(compile_material(material, lookup, live_fields(material))), **of_the_mesh()}
            self._values[key] = painted_by_map(made, on_map) if on_map is not None else made
            while len(self._values) > self._kept:
                self._values.popitem(last=False)
        self._values.move_to_end(key)
        return self._values[key]

    def view(
        self, material: Material, lookup: MapLookup, on_map: MapSource | None = None, kind: KindOf = unknown_kind,
        crowd: bool = False, inner: bool = False,
    ) -> Compiled:  # fmt: skip
        """The program that fills the G-buffer; `kind` tells what kind textures are of, where some must share.

        `inner` is what lies under the surface, where it has a fill.
        """
        targets = _for_surface(material, VIEW_OUTPUTS, _needed(VIEW_OUTPUTS), crowd, inner)
        return self._get(material, lookup, targets, FetchMode.HARDWARE, on_map, kind)

    def filling(
        self, material: Material, lookup: MapLookup, on_map: MapSource | None = None, kind: KindOf = unknown_kind
    ) -> Compiled:
        """The program that fills the pages of a ground whose look moves: with what of it is still."""
        targets = Targets((*VIEW_OUTPUTS, output_name(KEPT_PAGE)), (*_needed(VIEW_OUTPUTS), KEPT_PAGE), filling=True)
        return self._get(material, lookup, targets, FetchMode.HARDWARE, on_map, kind)

    def sight(
        self, material: Material, lookup: MapLookup, on_map: MapSource | None = None, kind: KindOf = unknown_kind
    ) -> Compiled:
        """The program that gives which triangle of which instance is seen, of a material that is cut or moved."""
        cut = kind_of(material.kind).cut_as_surface
        targets = Targets((), (*CUT_BY[cut], *_leaving(material)), cut, sighted=True)
        return self._get(material, lookup, targets, FetchMode.HARDWARE, on_map, kind)

    def sheet(
        self, material: Material, lookup: MapLookup, probes: tuple[str, ...], on_map: MapSource | None = None,
        kind: KindOf = unknown_kind, crowd: bool = False, inner: bool = False,
    ) -> Compiled:  # fmt: skip
        """The program that also gives paint, coverage, and up to four outputs of one float by name."""
        outputs = self.outputs(material, lookup, on_map)
        seen = [probed(p, outputs, kind) for p in probes]
        values = [value for value, _ in seen]
        values += ["0.0"] * (MAX_PROBES - len(values))
        expressions = (*VIEW_OUTPUTS, "out_paint", f"vec4({', '.join(values)})", "vec4(out_coverage, 1.0)")
        names = (*_needed(VIEW_OUTPUTS), "paint", "coverage", *dict.fromkeys(name for _, name in seen if name))
        targets = _for_surface(material, expressions, names, crowd, inner)
        return self._get(material, lookup, targets, FetchMode.HARDWARE, on_map, kind)

    def shadow(
        self, material: Material, lookup: MapLookup, on_map: MapSource | None = None, kind: KindOf = unknown_kind,
        inner: bool = False,
    ) -> Compiled:  # fmt: skip
        """The program that gives depth alone, of what does not all throw a shadow or whose vertices are moved."""
        casts = kind_of(material.kind).casts
        if inner:
            targets = Targets((), (), inner=True)
        elif casts in ("threshold", "noise"):
            targets = Targets((), ("opacity",), cut="threshold" if casts == "threshold" else "noise")
        else:
            targets = Targets((), ())
        return self._get(material, lookup, targets, FetchMode.HARDWARE, on_map, kind)

    def shared_read(self, material: Material, lookup: MapLookup, on_map: MapSource | None = None) -> tuple[str, ...]:
        """The names of the shared values that what fills the G-buffer reads, in a stable order; nothing is compiled."""
        key = (structure(material), getattr(lookup, "key", None), on_map)
        if key not in self._shared:
            outputs = self.outputs(material, lookup, on_map)
            drawn = {n: outputs[n] for n in (*_needed(VIEW_OUTPUTS), *_leaving(material))} | moved_vertices(outputs)
            self._shared[key] = tuple(sorted(reads(drawn, "shared")))
            while len(self._shared) > self._kept:
                self._shared.popitem(last=False)
        self._shared.move_to_end(key)
        return self._shared[key]

    def is_solid(self, material: Material, lookup: MapLookup) -> bool:
        """Whether a material's opacity is 1 everywhere, whatever its dials are."""
        return lib.is_const(self.outputs(material, lookup)["opacity"], 1.0)

    def forward(
        self, material: Material, lookup: MapLookup, on_map: MapSource | None = None, kind: KindOf = unknown_kind
    ) -> Compiled:
        """The program of a material that blends: its light, to be laid over what is behind."""
        if kind_of(material.kind).lit:
            written, names = "vec4((light * veil.a + veil.rgb) * out_opacity, out_opacity)", OUTPUTS
        else:
            part = material.kind_part
            left = "meeting(out_glow_meets, veil.a)" if part is not None else "veil.a"
            names = (*_UNLIT, *(name for name, _ in part.outputs)) if part is not None else _UNLIT
            written = f"vec4((out_base_color + out_emissive) * out_opacity * {left}, 0.0)"
        meets = "glow_meets" in names
        targets = Targets(
            (written,), names, turned=material.two_sided, lit=True, taken=LIGHT_SAMPLERS + meets, meets=meets
        )  # fmt: skip
        return self._get(material, lookup, targets, FetchMode.HARDWARE, on_map, kind)

    def own_light(
        self, material: Material, lookup: MapLookup, on_map: MapSource | None = None, kind: KindOf = unknown_kind
    ) -> Compiled:
        """The program of a material whose kind has a light of its own: that light."""
        surface_kind = kind_of(material.kind)
        shading = surface_kind.shading
        names = (*OUTPUTS, *(name for name, _ in KIND_PARTS[shading].outputs))
        targets = Targets(
            ("vec4(light, 1.0)",), (*names, *_leaving(material)), surface_kind.cut, material.two_sided, lit=True,
            shading=shading, taken=LIGHT_SAMPLERS + 1, opened=True, drawn=_drawn(material),
        )  # fmt: skip
        return self._get(material, lookup, targets, FetchMode.HARDWARE, on_map, kind)

    def layers(
        self, material: Material, lookup: MapLookup, on_map: MapSource | None = None, kind: KindOf = unknown_kind
    ) -> Compiled:
        """The program that adds one layer wherever there is a triangle."""
        targets = Targets((f"vec4({A_LAYER}.0 / 255.0)",), ())
        return self._get(material, lookup, targets, FetchMode.HARDWARE, on_map, kind)

    def hull(
        self, material: Material, lookup: MapLookup, on_map: MapSource | None = None, kind: KindOf = unknown_kind
    ) -> Compiled:
        """The program of the outline round a material whose kind has one: the surface, pushed out and in ink."""
        targets = Targets(
            ("vec4(out_base_color * out_tone_ink.rgb * page_light(1.0), 1.0)",), ("base_color", "tone_ink"),
            lit=True, shading="tones", taken=LIGHT_SAMPLERS, hull=True, drawn=_drawn(material),
        )  # fmt: skip
        return self._get(material, lookup, targets, FetchMode.HARDWARE, on_map, kind)

    def marks(
        self, material: Material, lookup: MapLookup, on_map: MapSource | None = None, kind: KindOf = unknown_kind
    ) -> Compiled:
        """The program of marks over a mesh, placed as the material moves it."""
        return self._get(material, lookup, Targets((), (), marked=True), FetchMode.HARDWARE, on_map, kind)

    def decal(
        self, material: Material, lookup: MapLookup, on_map: MapSource | None = None, kind: KindOf = unknown_kind
    ) -> Compiled:  # fmt: skip
        """The program that lays a material onto what the G-buffer holds."""
        targets = Targets(VIEW_OUTPUTS, OUTPUTS, taken=DECAL_SAMPLERS, crowd=True, lying=True)
        return self._get(material, lookup, targets, FetchMode.HARDWARE, None, kind)

    def measured(
        self, material: Material, lookup: MapLookup, targets: Targets, fetch: FetchMode, kind: KindOf = unknown_kind
    ) -> Compiled:
        """A program with targets of the caller's choice, for parity tests and benchmarks."""
        return self._get(material, lookup, targets, fetch, None, kind)

    def _get(
        self, material: Material, lookup: MapLookup, targets: Targets, fetch: FetchMode, on_map: MapSource | None,
        kind: KindOf,
    ) -> Compiled:  # fmt: skip
        text = (structure(material), getattr(lookup, "key", None), targets, fetch, on_map)
        samplers = self._samplers(text, material, lookup, on_map, kind)
        key = (text, samplers)
        if key not in self._by_structure:
            outputs = self._meant(material, lookup, on_map, targets)
            wanted = {name: outputs[name] for name in targets.outputs}
            glsl = emit(
                wanted, layout(material), fetch, samplers=samplers, vertex=moved_vertices(outputs), apart=targets.crowd
            )
            self._by_structure[key] = Compiled(glsl, self._build(glsl, targets))
            while len(self._by_structure) > self._kept:
                self._free(self._by_structure.popitem(last=False)[1])
        self._by_structure.move_to_end(key)
        return self._by_structure[key]

    def _meant(
        self, material: Material, lookup: MapLookup, on_map: MapSource | None, targets: Targets
    ) -> dict[str, Value]:
        """The values that a program with these targets is made of."""
        if targets.hull:
            return pushed_out(self.outputs(material, lookup, on_map), material.vertex_level)
        if targets.inner:
            return filled_in(self.outputs(material, lookup, on_map), material.vertex_level)
        if not targets.lying and not targets.filling:
            return self.outputs(material, lookup, on_map)
        key = (structure(material), getattr(lookup, "key", None), "lying" if targets.lying else "filling")
        if key not in self._values:
            reader = live_fields(material)
            if isinstance(material, StackedMaterial) and targets.filling:
                self._values[key] = compile_still(material, lookup, reader)
            else:
                self._values[key] = handed_in(lying_program(material, lookup, reader))
            while len(self._values) > self._kept:
                self._values.popitem(last=False)
        self._values.move_to_end(key)
        return self._values[key]

    def _samplers(
        self, text: tuple[Any, ...], material: Material, lookup: MapLookup, on_map: MapSource | None, kind: KindOf
    ) -> Samplers | None:
        """Which textures share a sampler; None while each can have its own, whatever they are."""
        if text not in self._reads:
            outputs = self._meant(material, lookup, on_map, text[2])
            drawn = (*(outputs[name] for name in text[2].outputs), *moved_vertices(outputs).values())
            self._reads[text] = tuple(textures(drawn))
            while len(self._reads) > self._kept:
                self._reads.popitem(last=False)
        read = self._reads[text]
        room = ROOM - text[2].taken
        if len(read) <= room:
            return None
        own = tuple(t for t in read if is_own(t))  # another for each thing, so never part of an array
        shared = shared_samplers([t for t in read if not is_own(t)], kind, room - len(own))
        return (*((t,) for t in own), *shared)

    def _free(self, gone: Compiled) -> None:
        """Free a program that no kept structure shares."""
        if any(c.program is gone.program for c in self._by_structure.values()):
            return
        self._by_text = {text: p for text, p in self._by_text.items() if p is not gone.program}
        self._doomed.append(gone.program)

    def freed(self) -> list[Any]:
        """The programs that fell out since this was last asked; the caller releases them and what is joined to them."""
        gone, self._doomed = self._doomed, []
        return gone

    def _build(self, glsl: GlslProgram, targets: Targets) -> Any:
        vertex = program_vertex_source(glsl, targets.lit, targets.sighted, targets.marked)
        if targets.crowd:
            vertex = HEADER + shader("screen.vert")
        if targets.marked:
            fragment = HEADER + shader("marks.frag")
        else:
            fragment = lying_source(glsl, targets.expressions) if targets.lying else fragment_source(glsl, targets)
        if (vertex, fragment) not in self._by_text:
            self._by_text[vertex, fragment] = self._compile(vertex, fragment)
        return self._by_text[vertex, fragment]

    def _compile(self, vertex: str, fragment: str) -> Any:
        if (vertex, fragment) in self._failed:  # it would fail again, with every picture
            raise ProgramFault(self._failed[vertex, fragment])
        self.compiles += 1
        try:
            return self._context.program(vertex_shader=vertex, fragment_shader=fragment)
        except moderngl.Error as error:
            self._failed[vertex, fragment] = reason = f"{error}\n{numbered(fragment)}"
            while len(self._failed) > self._kept:
                self._failed.popitem(last=False)
            raise ProgramFault(reason) from None


def pushed_out(outputs: Mapping[str, Value], level: int) -> dict[str, Value]:
    """A program whose vertices lie on the hull of its outline; textures at vertices are read from a level."""
    place = outputs.get("placed_position", lib.attribute("world_position", VEC3))
    return {**outputs, "placed_position": lib.per_vertex(place + outputs["outline_offset"], level)}


def _needed(expressions: tuple[str, ...]) -> tuple[str, ...]:
    return tuple(n for n in OUTPUTS if any(output_name(n) in e for e in expressions))


_UNLIT = ("base_color", "emissive", "opacity")


def _drawn(material: Material) -> str:
    """GLSL that stands before the light of a material's kind."""
    part = material.kind_part
    return part.glsl if part is not None else ""


def _leaving(material: Material) -> tuple[str, ...]:
    """The outputs by which points are left out from afar, or by a pattern of their own."""
    return (*(("fade",) if fades(material) else ()), *(("dither",) if dithers(material) else ()))


def _for_surface(
    material: Material, expressions: tuple[str, ...], names: tuple[str, ...], crowd: bool, inner: bool
) -> Targets:
    """What a material is drawn into; of a crowd nothing is cut any more."""
    cut: Cut = "" if crowd or inner else kind_of(material.kind).cut_as_surface
    leaving = () if crowd else _leaving(material)
    wanted = (*names, *(name for name in CUT_BY[cut] if name not in names), *leaving)
    taken = CROWD_SAMPLERS if crowd else 0
    return Targets(expressions, wanted, cut, material.two_sided, taken=taken, crowd=crowd, inner=inner)
