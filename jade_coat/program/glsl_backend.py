"""Turns programs into GLSL 3.30: a vertex part, a pixel part, and the varyings that join them."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from enum import Enum
from functools import lru_cache

from jade_coat.program import passes
from jade_coat.program.layout import DialLayout
from jade_coat.program.ops import OPS
from jade_coat.program.ops.record import SHADERS
from jade_coat.program.samplers import PROMISED, Samplers, TooManySamplers
from jade_coat.program.stages import Stages
from jade_coat.program.value import TextureRef, Value, walk

VARYING_BUDGET = 14
"""How many vec4 varyings a material may use; OpenGL 3.3 promises 16, the frame keeps two for itself."""


class FetchMode(Enum):
    """How textures are read: by the hardware with mipmaps, or exactly, texel by texel, from level 0.

    Exact reads decode sRGB themselves, so colour textures must then be bound undecoded.
    """

    HARDWARE = "hardware"
    MANUAL = "manual"


class DialAccess(Enum):
    """How dials are read: from the prop's row of the dial table, or as uniforms of their own."""

    ROW = "row"
    UNIFORM = "uniform"


@dataclass(frozen=True)
class GlslProgram:
    """Emitted text and what must be bound to run it.

    `vertex_body` runs where the frame has set `attribute_NAME` and `instance_NAME`, and leaves what was asked for at
    the vertices in `vertex_name(NAME)`; `pixel_body` leaves each output in the variable `output_name(NAME)`. Dials are
    read from `row_table` at `row_at`.
    """

    helpers: str
    uniforms: str
    vertex_body: str
    pixel_body: str
    textures: tuple[TextureRef, ...]
    samplers: Samplers
    """What each sampler `mapN` reads: one texture, or the layers of an array."""
    attributes: tuple[str, ...]
    instance: tuple[str, ...]
    shared: tuple[str, ...]
    layout: DialLayout
    spilled: Mapping[str, Value]
    varying_names: tuple[str, ...]
    """The varyings, all of four floats: `smoothN`, or `flatN` where they are the same all over an instance."""
    at_vertices: tuple[str, ...] = ()
    """The names of what was asked for at the vertices."""
    given: tuple[tuple[str, str], ...] = ()
    """What the frame hands in at each pixel: names and GLSL types. `given_NAME` holds it."""

    @property
    def vertex_interface(self) -> str:
        """The varyings as the vertex stage declares them."""
        return "\n".join(f"{name.rstrip('0123456789')} out vec4 {name};" for name in self.varying_names)

    @property
    def pixel_interface(self) -> str:
        """The varyings as the pixel stage declares them."""
        return "\n".join(f"{name.rstrip('0123456789')} in vec4 {name};" for name in self.varying_names)

    @property
    def varyings(self) -> int:
        """How many varyings there are."""
        return len(self.varying_names)

    @property
    def key(self) -> tuple[str, ...]:
        """What tells this program from others: its text."""
        return (self.helpers, self.uniforms, self.vertex_interface, self.vertex_body, self.pixel_body)


def output_name(name: str) -> str:
    """The GLSL variable that holds an output: `where:moss` becomes `out_where_moss`."""
    return "out_" + re.sub(r"[^A-Za-z0-9]+", "_", name)


def vertex_name(name: str) -> str:
    """The GLSL variable of the vertex stage that holds what was asked for there."""
    return "vertex_" + re.sub(r"[^A-Za-z0-9]+", "_", name)


def uniform_name(dial: str) -> str:
    """The GLSL uniform of a dial: `moss.seam.softness` becomes `dial_moss_seam_softness`."""
    return "dial_" + re.sub(r"[^A-Za-z0-9]+", "_", dial)


def shared_uniform(name: str) -> str:
    """The GLSL uniform of a shared value, whatever its name holds."""
    return "shared_" + re.sub(r"[^A-Za-z0-9]+", lambda m: "_" if m[0] == "_" else f"_x{m[0].encode().hex()}_", name)


@lru_cache(maxsize=1)
def helper_sources() -> dict[str, str]:
    """The GLSL functions emitted code may call, by name."""
    parts = re.split(r"^//! (\w+)\n", (SHADERS / "helpers.glsl").read_text(), flags=re.M)
    return dict(zip(parts[1::2], parts[2::2], strict=True))


def emit(
    outputs: Mapping[str, Value],
    layout: DialLayout,
    fetch: FetchMode = FetchMode.HARDWARE,
    budget: int = VARYING_BUDGET,
    dials: DialAccess = DialAccess.ROW,
    samplers: Samplers | None = None,
    vertex: Mapping[str, Value] | None = None,
    apart: bool = False,
) -> GlslProgram:
    """Emit a folded program; row-rate values that find no varying are spilled to columns behind `layout`.

    `outputs` are for the pixel stage, `vertex` for the vertex stage; textures there are read by level
    (`lib.per_vertex`).

    `apart` is for pixels whose neighbours may lie on other triangles: there the varyings are also at hand as they are a
    pixel further along x and y (`smoothN_x`, `smoothN_y`), so is what is given (`given_NAME_x`), and textures are read
    by what differs.

    With dials as uniforms nothing is spilled: what finds no varying is worked out in the pixel stage. `samplers` says
    which textures share one (`program.samplers`); left out, each has its own. Raises TooManySamplers when they are more
    than OpenGL promises, and ValueError when the attributes alone exceed the varying budget.
    """
    vertex = dict(vertex or {})
    stages = Stages(outputs, budget, may_spill=dials is DialAccess.ROW)
    spilled = {f"spilled{i}": node for i, node in enumerate(stages.spilled)}
    full = layout.extended((name, node.type) for name, node in spilled.items())
    read = tuple(passes.textures((*outputs.values(), *vertex.values())))
    taken = samplers if samplers is not None else tuple((t,) for t in read)
    room = PROMISED - (dials is DialAccess.ROW)  # the table of rows takes one
    if len(taken) > room:
        raise TooManySamplers(f"it reads {len(taken)} textures at once, and {room} can be had")
    return _Writer(outputs, vertex, stages, full, fetch, dials, taken, apart).program(spilled)


class _Writer:
    """Writes statements for both stages."""

    def __init__(
        self, outputs: Mapping[str, Value], roots: Mapping[str, Value], stages: Stages, layout: DialLayout,
        fetch: FetchMode, dials: DialAccess, samplers: Samplers, apart: bool,
    ) -> None:  # fmt: skip
        self.roots = roots
        self.outputs, self.stages, self.layout, self.fetch, self.dials = outputs, stages, layout, fetch, dials
        self.vertex: list[str] = []
        self.pixel: list[str] = []
        self.apart = apart
        self._beside: dict[str, dict[Value, str]] = {"x": {}, "y": {}}
        """What values are called that a pixel beside has."""
        self._slopes: dict[Value, tuple[str, ...]] = {}
        """How the place that a texture is read at differs from those beside."""
        self.helpers: dict[str, None] = {"fetch_manual": None} if fetch is FetchMode.MANUAL else {}
        self.textures = tuple(passes.textures((*outputs.values(), *roots.values())))
        self.samplers = samplers
        self._places = {t: (i, k, len(group) > 1) for i, group in enumerate(samplers) for k, t in enumerate(group)}
        if fetch is FetchMode.MANUAL and any(len(group) > 1 for group in samplers):
            self.helpers["fetch_manual_layer"] = None
        self._spill_names = {n: f"spilled{i}" for i, n in enumerate(stages.spilled)}

    def program(self, spilled: Mapping[str, Value]) -> GlslProgram:
        crossing = self.stages.crossing
        in_vertex = self._stage([*crossing, *self.roots.values()], self.vertex, pixel=False)
        for node, varying in crossing.items():
            self.vertex.append(f"{varying.name} = {in_vertex[node]};")
        for name, node in self.roots.items():
            self.vertex.append(f"{node.type.name} {vertex_name(name)} = {in_vertex[node]};")
        in_pixel = self._stage(list(self.outputs.values()), self.pixel, pixel=True)
        for name, node in self.outputs.items():
            self.pixel.append(f"{node.type.name} {output_name(name)} = {in_pixel[node]};")
        bins = sorted({(v.kind, v.index) for v in crossing.values()})
        sources = helper_sources()
        nodes = list(walk([*self.outputs.values(), *self.roots.values()]))
        return GlslProgram(
            helpers="\n".join(sources[name] for name in sources if name in self.helpers),
            uniforms=self._uniforms(nodes),
            vertex_body="\n".join(self.vertex),
            pixel_body="\n".join(self.pixel),
            textures=self.textures,
            samplers=self.samplers,
            attributes=_names(nodes, "attribute"),
            instance=_names(nodes, "instance"),
            shared=_names(nodes, "shared"),
            layout=self.layout,
            spilled=dict(spilled),
            varying_names=tuple(f"{kind}{index}" for kind, index in bins),
            at_vertices=tuple(self.roots),
            given=tuple(sorted({(n.static[0], n.static[1].name) for n in nodes if n.op == "given"})),
        )

    def _uniforms(self, nodes: list[Value]) -> str:
        lines = [f"uniform sampler2D{'Array' if len(g) > 1 else ''} map{i};" for i, g in enumerate(self.samplers)]
        means = sorted({self.textures.index(n.static) for n in nodes if n.op == "texture_mean"})
        lines += [f"uniform vec4 mean{i};" for i in means]
        shared = sorted({n.static for n in nodes if n.op == "shared"}, key=str)
        lines += [f"uniform {kind.name} {shared_uniform(name)};" for name, kind in shared]
        if self.dials is DialAccess.UNIFORM:
            read = sorted({n.static for n in nodes if n.op == "dial"}, key=str)
            lines += [f"uniform {kind.name} {uniform_name(name)};" for name, kind in read]
        return "\n".join(lines)

    def _stage(self, roots: list[Value], lines: list[str], pixel: bool) -> dict[Value, str]:
        """Write what the roots need in one stage; returns the expression that stands for each node."""
        names: dict[Value, str] = {}
        prefix = "p" if pixel else "v"
        for node in self._order(roots, pixel):
            source = self._brought_in(node) if pixel else None
            if node.op == "texture" and pixel and self.apart:
                self._slopes[node] = self._slope(node.args[-1], names, lines)
            expression = source or self._expression(node, [names[a] for a in node.args if a in names])
            if source or node.op in ("const", "shared", "texture_mean", "attribute", "instance", "given"):
                names[node] = expression
            else:
                names[node] = f"{prefix}{len(lines)}"
                lines.append(f"{node.type.name} {names[node]} = {expression};")
        return names

    def _order(self, roots: list[Value], pixel: bool) -> list[Value]:
        if not pixel:
            return list(walk(roots))
        seen: dict[Value, None] = {}

        def visit(node: Value) -> None:
            if node in seen:
                return
            if self._brought_in(node) is None:
                for argument in node.args:
                    visit(argument)
            seen[node] = None

        for root in roots:
            visit(root)
        return list(seen)

    def _brought_in(self, node: Value, ending: str = "") -> str | None:
        """The pixel-stage expression of a value that is not worked out there; `ending` asks for another pixel's."""
        if node in self._spill_names:
            return self._row_read(self._spill_names[node])
        varying = self.stages.crossing.get(node)
        return varying.named("" if varying.flat else ending) if varying else None

    def _slope(self, node: Value, names: Mapping[Value, str], lines: list[str]) -> tuple[str, ...]:
        """How a value differs from those of the pixels beside it; writes what they have of what it follows from."""
        for way, beside in self._beside.items():
            for part in self._order([node], pixel=True):
                if part in beside:
                    continue
                arguments = [beside[a] for a in part.args if a in beside]
                source = f"given_{part.static[0]}_{way}" if part.op == "given" else self._brought_in(part, f"_{way}")
                if source or arguments == [names[a] for a in part.args]:
                    beside[part] = source or names[part]
                    continue
                beside[part] = f"{way}{len(lines)}"
                lines.append(f"{part.type.name} {beside[part]} = {self._expression(part, arguments)};")
        return tuple(f"{beside[node]} - {names[node]}" for beside in self._beside.values())

    def _expression(self, node: Value, arguments: list[str]) -> str:
        if node.op == "texture":
            return self._texture_read(node.static, arguments, self._slopes.get(node))
        if node.op == "texture_level":
            texture, level = node.static
            return self._level_read(texture, level, arguments[0])
        if node.op == "texture_mean":
            return f"mean{self.textures.index(node.static)}"
        if node.op == "dial":
            return self._row_read(node.static[0])
        if node.op == "shared":
            return shared_uniform(node.static[0])
        if OPS[node.op].reads_outside:
            return f"{node.op}_{node.static[0]}"
        return render(node, arguments, self.helpers)

    def _texture_read(self, texture: TextureRef, arguments: list[str], slope: tuple[str, ...] | None) -> str:
        index, layer, in_array = self._places[texture]
        if self.fetch is FetchMode.MANUAL:
            color = "true" if texture.is_color else "false"
            name, more = ("fetch_manual_layer", f", {layer}") if in_array else ("fetch_manual", "")
            return f"{name}(map{index}, {arguments[0]}, {color}{more}, 0)"
        at = f"vec3({arguments[0]}, {layer}.0)" if in_array else arguments[0]
        if slope is not None:
            return f"textureGrad(map{index}, {at}, {slope[0]}, {slope[1]})"
        if len(arguments) == 2:
            smooth = arguments[1]
            return f"textureGrad(map{index}, {at}, dFdx({smooth}), dFdy({smooth}))"
        return f"texture(map{index}, {at})"

    def _level_read(self, texture: TextureRef, level: int, uv: str) -> str:
        index, layer, in_array = self._places[texture]
        if self.fetch is FetchMode.MANUAL:
            color = "true" if texture.is_color else "false"
            name, more = ("fetch_manual_layer", f", {layer}") if in_array else ("fetch_manual", "")
            return f"{name}(map{index}, {uv}, {color}{more}, {level})"
        at = f"vec3({uv}, {layer}.0)" if in_array else uv
        return f"textureLod(map{index}, {at}, {level}.0)"

    def _row_read(self, name: str) -> str:
        if self.dials is DialAccess.UNIFORM:
            return uniform_name(name)
        texel, at = self.layout.places[name]
        letters = "xyzw"[at : at + self.layout.types[name].size]
        return f"texelFetch(row_table, row_at + ivec2({texel}, 0), 0).{letters}"


def render(node: Value, arguments: list[str], helpers: dict[str, None]) -> str:
    """The GLSL expression of one node given its arguments' expressions; notes the helpers it calls."""
    op = OPS[node.op]
    helpers.update(dict.fromkeys(op.helpers))
    text = op.template(node.static).replace("{type}", node.type.name).replace("{all}", ", ".join(arguments))
    for i, argument in enumerate(arguments):
        text = text.replace(f"{{{i}}}", argument)
    return text


def _names(nodes: Iterable[Value], op: str) -> tuple[str, ...]:
    return tuple(sorted({n.static[0] for n in nodes if n.op == op}))
