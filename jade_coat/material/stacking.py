"""Many materials laid on a ground at once: how much of each shows at a point, and what all of them come to.

Three ways: layers that share a place out among them, layers that lie over what is below, and layers that are read as
they were painted.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import fields as dataclass_fields
from dataclasses import replace
from typing import Any, Literal, Protocol

from jade_coat.material.damp import CALM, flooded, soaked, standing
from jade_coat.material.fields import Bounded, Color, field, option
from jade_coat.material.layers import Layer, blended
from jade_coat.material.material import LAYER, Material
from jade_coat.material.rain import rings
from jade_coat.material.seam import Seam, weight
from jade_coat.material.shared import shared_name
from jade_coat.program import TextureRef, Value, const, lib

Way = Literal["shared", "over", "absolute"]
WAY_LABELS: dict[Way, str] = {
    "shared": "shares out", "over": "lies over", "absolute": "as painted",
}  # fmt: skip
Role = Literal["mask", "damp", "gap"]
ROLE_LABELS: dict[Role, str] = {
    "mask": "a mask for others", "damp": "damp", "gap": "a gap in the ground",
}  # fmt: skip
Sides = Literal["above", "three"]
SIDES_LABELS: dict[Sides, str] = {"above": "from above", "three": "from three sides"}
Afar = Literal["same", "larger"]
AFAR_LABELS: dict[Afar, str] = {"same": "the same", "larger": "laid larger"}
GLINT_NEAR, GLINT_FAR = 5.0, 60.0
"""Between which distances what a layer mirrors at a slant gives way to what it mirrors afar, metres."""
MID_GREY = 0.18
"""How much light a mid grey gives back: the grey card of photography."""
Rain = Literal["none", "rings"]
RAIN_LABELS: dict[Rain, str] = {"none": "none", "rings": "rings on the water"}
LEAST = 8.0 / 255.0
"""Where all weights come to less than this, what is at the bottom of the sharing fills in."""
SOFT = 0.15
"""Within how much below the highest a layer still shows, in heights."""


class GroundLayer(Bounded):
    """One layer of a ground: what it is made of, and how it gets on with the others."""

    id: str
    name: str
    finish: str = ""
    """The finish, or the material, that it is made of; a layer that is read as painted needs none."""
    follows: str = ""
    """The shared dial that what was painted of it is multiplied by, if any: the weather moves it."""
    way: Way = option("shared", "Gets on", "choice", WAY_LABELS)
    role: Role = option("mask", "Is", "choice", ROLE_LABELS, when=("way", ("absolute",)))
    sides: Sides = option(
        "above", "Laid", "choice", SIDES_LABELS, when=("way", ("shared", "over")),
        hint="From three sides nothing is stretched on steep ground; it reads its maps three times",
    )  # fmt: skip
    lead: float = field(0.6, "Heights lead", when=("way", ("shared",)), hint="0 mixes evenly, 1 fills low places first")
    soft: float = field(0.15, "Edge", low=0.01, high=1.0, when=("way", ("over",)), hint="How soft its edge is")
    stands: float = field(
        0.6, "Water stands from", when=("role", ("damp",)), hint="Above this much damp, water stands in low places"
    )
    water: Color = field((0.05, 0.045, 0.03), "Water", kind="color", when=("role", ("damp",)))
    murk: float = field(0.35, "Cloudy", when=("role", ("damp",)), hint="How soon its colour hides the ground")
    rain: Rain = option("none", "Rain", "choice", RAIN_LABELS, when=("role", ("damp",)), hint="Rings of drops on water")
    drops: float = field(0.7, "Rings", when=("rain", ("rings",)), hint="How strong they are")
    rain_follows: str = ""
    """The shared dial that the rings are multiplied by, if any."""
    far: Afar = option(
        "same", "From afar", "choice", AFAR_LABELS, when=("way", ("shared", "over")),
        hint="Laid larger far away its maps repeat less; both are read everywhere",
    )  # fmt: skip
    far_size: float = field(5.0, "Larger by", low=1.0, high=50.0, soft=(2.0, 12.0), when=("far", ("larger",)))
    far_from: tuple[float, float] = field(
        (12.0, 40.0), "Between", kind="range", unit="m", high=100000.0, soft=(0.0, 120.0), when=("far", ("larger",)),
        hint="From where the larger one comes in, and from where it is alone",
    )  # fmt: skip
    glint: float = field(
        1.0, "Mirrors afar", when=("way", ("shared", "over")),
        hint="How much of its grazing shine is left far away; less of it keeps hills from looking wet",
    )  # fmt: skip
    dull: float = field(
        0.0, "Dull where dark", when=("way", ("shared", "over")),
        hint="What is darker than mid grey mirrors less, as gaps between grains and blades do",
    )  # fmt: skip
    lift: float = field(
        0.0, "Lifts the ground", unit="m", low=-10.0, high=10.0, soft=(-0.3, 0.3), when=("way", ("shared", "over")),
        hint="By its own height, where it shows",
    )  # fmt: skip


class StackedMaterial(Material):
    """What a ground wears where some of its layers are: the coats of all of them, under ids of their own.

    `layers` are in order, the first is the one that is there where nothing is painted. It is made from a project and
    never kept in a file.
    """

    layers: tuple[GroundLayer, ...]
    members: dict[str, tuple[str, ...]]
    """The ids of the coats of each layer that is made of anything, from the bottom up."""
    weights: dict[str, int]
    """By layer, which number of the ground's weights it is."""
    extent: tuple[float, float, float, float]
    """Where the ground begins in the world along x and z, and how large it is, metres."""
    samples: tuple[int, int]
    """Columns and rows of the heights."""
    weight_cells: tuple[int, int]
    """Columns and rows of the weights."""
    pool_cells: tuple[int, int] = (2, 2)
    """Columns and rows of what says how water may stand."""
    foot: float = 0.0
    """What is added to all heights, metres."""
    lowest: float = 0.0
    highest: float = 0.0
    """Between which heights the ground was when this was made; only how fine it is drawn follows from it."""

    def holders(self) -> list[tuple[str, Any]]:
        """Parts with fields beside the coats, and the paths to them."""
        return [(f"{LAYER}{layer.id}", layer) for layer in self.layers]


WATER = ":water"
"""What the share of a damp layer's water ends with."""
WEIGHTS = "own weights"
"""What the textures of weights are called: four layers each, by number."""


def weights_texture(number: int) -> TextureRef:
    """The texture that holds the weight of a layer by its number."""
    return TextureRef(f"{WEIGHTS} {number // 4}")


def painted_weight(number: int, at: Value) -> Value:
    """How much of a layer was painted at a place of the weights, 0–1."""
    read: Value = getattr(lib.texture(weights_texture(number), at), "xyzw"[number % 4])
    return read


def shares_of(weights: Sequence[Value], heights: Sequence[Value], leads: Sequence[Value]) -> list[Value]:
    """How much each of some layers shows, 0–1, together 1, whatever their order.

    `weights` are what was painted, 0–1, `heights` the layers' own, 0–1, `leads` how strongly heights lead, 0–1. A layer
    painted 0 has no share, one alone has all; every share is continuous in every weight. Where next to nothing is
    painted the first fills in.
    """
    total = weights[0]
    for w in weights[1:]:
        total = total + w
    lack = lib.clamp(LEAST - total, 0.0, LEAST)
    filled = [weights[0] + lack, *weights[1:]]
    if len(filled) == 1:
        return [const(1.0)]
    most, reach = _largest(filled), _largest(leads)
    # As in an interlocking seam a weight lifts the layer by more than all heights can, so that 0 shows none of it.
    tops = [
        (h - 0.5) * lead + (w / most) * (reach + SOFT) for w, h, lead in zip(filled, heights, leads, strict=True)
    ]  # fmt: skip
    ground = _largest(tops) - SOFT
    over = [lib.maximum(top - ground, 0.0) for top in tops]
    sum_of = over[0]
    for part in over[1:]:
        sum_of = sum_of + part
    return [part / sum_of for part in over]


def _largest(values: Sequence[Value]) -> Value:
    found = values[0]
    for value in values[1:]:
        found = lib.maximum(found, value)
    return found


def mixed(layers: Sequence[Layer], shares: Sequence[Value]) -> Layer:
    """Layers mixed by their shares, which come to 1."""
    if len(layers) == 1:
        return layers[0]
    made: dict[str, Value] = {}
    for part in dataclass_fields(Layer):
        values = [getattr(layer, part.name) for layer in layers]
        if all(v is values[0] for v in values):
            made[part.name] = values[0]
            continue
        total = values[0] * shares[0]
        for value, share in zip(values[1:], shares[1:], strict=True):
            total = total + value * share
        made[part.name] = total
    return Layer(**made)


class Land(Protocol):
    """What layers ask of the ground that they lie on."""

    def place(self) -> Value:
        """Where a place is along x and z, metres."""

    def away(self) -> Value:
        """How far it is from the eye, metres."""

    def slanting(self) -> Value:
        """How much at a slant it is seen, 0–1: 0 from straight above it."""

    def in_world(self, way: Value) -> Value:
        """A way in tangent space as one in the world."""

    def on_level(self) -> Value:
        """How level a place is, 0–1."""

    def pool_depth(self, layer: GroundLayer, weather: Value, stands: Value, height: Value, lift: Value) -> Value:
        """How deep water stands in a hollow, in heights; `lift` is how far the layers lift the place, metres."""


def stacked(
    material: StackedMaterial, layers: Mapping[str, Layer], fields: Mapping[str, Any], at: Value, land: Land
) -> tuple[Layer, dict[str, Value], Value]:
    """What the layers of a ground come to at a place of its weights, `share:LAYER` of each, and how far they lift it.

    `layers` gives what each is made of, `fields` the numbers of each as values.
    """
    weather = {
        s.id: lib.clamp(lib.shared(shared_name(s.follows))) if s.follows and s.way != "shared" else const(1.0)
        for s in material.layers
    }
    painted = {s.id: painted_weight(material.weights[s.id], at) * weather[s.id] for s in material.layers}
    sharing = [s for s in material.layers if s.way == "shared" and s.id in layers]
    shares = shares_of(
        [painted[s.id] for s in sharing], [layers[s.id].height for s in sharing], [fields[s.id].lead for s in sharing]
    )
    layers = {s.id: _dark_dulled(layers[s.id], fields[s.id].dull) for s in material.layers if s.id in layers}
    below = mixed([layers[s.id] for s in sharing], shares)
    shown = {s.id: share for s, share in zip(sharing, shares, strict=True)}
    for layer in material.layers:
        if layer.way == "over" and layer.id in layers:
            own = layers[layer.id]
            w = weight(Seam(kind="interlock"), painted[layer.id], own.height, below.height, fields[layer.id].soft,
                       const(0.0))  # fmt: skip
            below = blended(below, own, w)
            shown = {name: share * (1.0 - w) for name, share in shown.items()} | {layer.id: w}
    lift = lifted(material, shown, layers, fields)
    for layer in material.layers:
        if layer.way == "absolute":
            shown[layer.id] = painted[layer.id]
            if layer.role == "damp":
                by = weather[layer.id], painted[layer.id], lift
                below, shown[f"{layer.id}{WATER}"] = _wet(below, layer, fields[layer.id], *by, land)
            elif layer.role == "gap":
                below = replace(below, opacity=below.opacity * (1.0 - painted[layer.id]))
    return below, {f"share:{name}": share for name, share in shown.items()}, lift


def _wet(
    below: Layer, layer: GroundLayer, own: Any, weather: Value, damp: Value, lift: Value, land: Land
) -> tuple[Layer, Value]:  # fmt: skip
    """What lies there as one damp layer wets it, and how much of it is under water, 0–1."""
    puddle = standing(damp * land.on_level(), own.stands, below.height)
    pool = land.pool_depth(layer, weather, own.stands, below.height, lift)
    return flooded(soaked(below, lib.clamp(damp)), lib.maximum(puddle, pool), own.water, own.murk)


def rained_on(
    material: StackedMaterial, fields: Mapping[str, Any], shown: Mapping[str, Value], normal: Value, land: Land
) -> Value:
    """The world's normal with the rings that rain draws on the water of damp layers; the same where it rains on none.

    It comes after all else, so that all but the rings is still. `shown` is how much there is of each layer.
    """
    tilt: Value | None = None
    for layer in material.layers:
        if layer.way != "absolute" or layer.role != "damp":
            continue
        water = shown[f"share:{layer.id}{WATER}"]
        tilt = tilt * (1.0 - water) if tilt is not None else None  # later water lies over it
        if layer.rain == "rings":
            rain = lib.clamp(lib.shared(shared_name(layer.rain_follows))) if layer.rain_follows else const(1.0)
            ring = (rings(land.place(), fields[layer.id].drops * rain) - CALM) * water
            tilt = ring if tilt is None else tilt + ring
    return lib.normalize(normal + land.in_world(tilt)) if tilt is not None else normal


def seen_afar(
    material: StackedMaterial, fields: Mapping[str, Any], shown: Mapping[str, Value], specular: Value, land: Land
) -> Value:
    """The specular, less where the ground is far away and seen at a slant: relief that a pixel holds much of does so.

    The share that is left goes by Schlick's fifth power of the slant (1994), as what is mirrored does, as far as the
    layers that show say; water mirrors as ever. It comes after all else, so that all but this is still.
    """
    laid = [s for s in material.layers if s.way != "absolute" and f"share:{s.id}" in shown]
    if all(lib.is_const(fields[s.id].glint, 1.0) for s in laid):
        return specular
    lost: Value = const(0.0)
    for layer in laid:
        lost = lost + shown[f"share:{layer.id}"] * (1.0 - fields[layer.id].glint)
    for name, share in shown.items():
        if name.endswith(WATER):
            lost = lost * (1.0 - share)
    far = lib.clamp((land.away() - GLINT_NEAR) / (GLINT_FAR - GLINT_NEAR))
    slant = land.slanting()
    squared = slant * slant
    return specular * (1.0 - lost * (far * squared * squared * slant))


def _dark_dulled(layer: Layer, dull: Value) -> Layer:
    """A layer whose specular follows its base colour where that is darker than mid grey (common practice, no source):
    little light comes out of gaps, so little is mirrored there."""
    if lib.is_const(dull, 0.0):
        return layer
    bright = lib.clamp(lib.luminance(layer.base_color) / MID_GREY)
    return replace(layer, specular=layer.specular * (1.0 - dull * (1.0 - bright)))


def lifted(material: StackedMaterial, shown: Mapping[str, Value], layers: Mapping[str, Layer],
           fields: Mapping[str, Any]) -> Value:  # fmt: skip
    """How far the layers lift the ground, metres, by how much of each is shown."""
    total: Value = const(0.0)
    for layer in material.layers:
        if layer.id in layers and not lib.is_const(fields[layer.id].lift, 0.0):
            total = total + shown[layer.id] * layers[layer.id].height * fields[layer.id].lift
    return total
