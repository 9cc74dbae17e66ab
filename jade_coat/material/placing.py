"""How a material moves the vertices of what wears it: moves, one after the other, and the normal that follows."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated, Any, ClassVar, Literal, get_args

from pydantic import Field

from jade_coat.material.around import Around
from jade_coat.material.fields import Frozen, field, option, setting
from jade_coat.material.recipes import recipe_value
from jade_coat.material.shared import CAMERA, EYE_KNOWN, SUN_TURN, TIME, WIND_DIRECTION, WIND_STRENGTH
from jade_coat.program import FLOAT, VEC2, VEC3, VEC4, Value, combine, const, lib, passes

PREFIX = "moves:"
"""What the paths of a move's fields begin with, before its id."""
MAX_METRES = 100.0
Along = Literal["normal", "x", "y", "z", "own x", "own y", "own z", "wind"]
ALONG_LABELS: dict[Along, str] = {
    "normal": "away from the surface", "x": "the world's x", "y": "upwards", "z": "the world's z",
    "own x": "the prop's x", "own y": "the prop's y", "own z": "the prop's z", "wind": "with the wind",
}  # fmt: skip


@dataclass(frozen=True)
class MoveInputs:
    """What a move's meaning is worked out from: its numeric fields as values, and the whole material around it."""

    fields: Any
    around: Around

    @property
    def height(self) -> Value:
        """The material's height."""
        assert self.around.height is not None
        return self.around.height


class Move(Frozen):
    """One way in which vertices move, by `amount` metres at the most."""

    label: ClassVar[str] = ""
    by_eye: ClassVar[bool] = False
    """Whether it depends on where the picture is seen from."""
    id: str

    def offset(self, given: MoveInputs) -> Value:
        """How far and whereto a point moves, a vec3 in metres."""
        raise NotImplementedError(f"no meaning for a move of kind {type(self).__name__}")

    @property
    def recipes(self) -> tuple[str, ...]:
        """The ids of the recipes it runs."""
        return ()


class DirectedMove(Move):
    """A move along a direction, by what it says times its amount in metres."""

    along: Along = option("normal", "Direction", "choice", ALONG_LABELS)
    amount: float = field(
        0.02, "Amount", unit="m", low=-MAX_METRES, high=MAX_METRES, soft=(-0.2, 0.2), hint="How far at the most"
    )

    def share(self, given: MoveInputs) -> Value:
        """How much of the amount a point moves by, −1 to 1."""
        raise NotImplementedError(f"no meaning for a move of kind {type(self).__name__}")

    def offset(self, given: MoveInputs) -> Value:
        """The share of the amount, along the direction."""
        return _direction(self.along) * (lib.clamp(self.share(given), -1.0, 1.0) * given.fields.amount)


class HeightMove(DirectedMove):
    """Lifted by the material's own height."""

    label: ClassVar[str] = "By its height"
    kind: Literal["height"] = "height"
    middle: float = field(0.5, "Stays", hint="The height that stays where it is")

    def share(self, given: MoveInputs) -> Value:
        """The height above the one that stays."""
        return given.height - given.fields.middle


class RecipeMove(DirectedMove):
    """Moved by what a recipe comes to."""

    label: ClassVar[str] = "By a recipe"
    kind: Literal["recipe"] = "recipe"
    recipe: str = setting("", "Recipe", "recipe", hint="Ctrl+R makes and edits recipes")
    inputs: dict[str, float] = setting(dict, "Inputs", "inputs")

    def share(self, given: MoveInputs) -> Value:
        """The recipe's outcome; nothing while none is chosen."""
        if not self.recipe:
            return const(0.0)
        recipe = given.around.lookup.recipe(self.recipe)
        if recipe is None:
            raise ValueError(f"there is no recipe {self.recipe!r}")
        return recipe_value(recipe, given.around, self.inputs)

    @property
    def recipes(self) -> tuple[str, ...]:
        """The ids of the recipes it runs."""
        return (self.recipe,) if self.recipe else ()


Weight = Literal["height", "R", "G", "B", "A"]
_CHANNELS = {"R": "painted channel R", "G": "painted channel G", "B": "painted channel B", "A": "painted channel A"}
WEIGHT_LABELS = {"height": "by height", **_CHANNELS}
Phase = Literal["none", "R", "G", "B", "A"]
PHASE_LABELS = {"none": "the prop", **_CHANNELS}


class SwayMove(DirectedMove):
    """Bent and shaken by the wind, as trunks, twigs, leaves and cloth are; without wind exactly still.

    The wind leans it and shakes it by two sines, gusts travel with the wind, and each prop, or each card by a painted
    channel, has a phase of its own. Two of them make a plant: a slow one with the wind by height, a fast one away from
    the surface by a channel of the leaves.
    """

    label: ClassVar[str] = "By the wind, swaying"
    kind: Literal["sway"] = "sway"
    along: Along = option("wind", "Direction", "choice", ALONG_LABELS)
    amount: float = field(
        0.15,
        "Amount",
        unit="m",
        low=-MAX_METRES,
        high=MAX_METRES,
        soft=(0.0, 1.0),
        hint="How far in the strongest wind",
    )
    weight: Weight = option("height", "Gives way", "choice", WEIGHT_LABELS, hint="What says how much a point gives way")
    foot: float = field(
        0.0, "Stands at", unit="m", low=-100.0, high=100.0, soft=(-2.0, 2.0), when=("weight", ("height",)),
        hint="The height of the mesh that stays; that of what hangs is above its tip",
    )  # fmt: skip
    tip: float = field(
        1.0, "Tip at", unit="m", low=-100.0, high=100.0, soft=(-2.0, 2.0), when=("weight", ("height",)),
        hint="The height of the mesh that gives way most",
    )  # fmt: skip
    bend: float = field(
        2.0, "Bend", low=0.25, high=6.0, soft=(1.0, 4.0), hint="1 leans straight, more bends to the tip"
    )
    lean: float = field(0.4, "Lean", hint="The share that only leans and does not shake")
    rate: float = field(
        0.5, "Rate", unit="/s", low=0.01, high=20.0, soft=(0.1, 5.0), logarithmic=True, hint="How often it shakes"
    )
    gusts: float = field(0.5, "Gusts", hint="How much the shaking comes and goes")
    reach: float = field(
        6.0, "Gust length", unit="m", low=0.1, high=1000.0, soft=(1.0, 30.0), logarithmic=True,
        hint="From one gust to the next, along the wind",
    )  # fmt: skip
    phase: Phase = option("none", "Own time for", "choice", PHASE_LABELS, hint="What shakes in a time of its own")

    def share(self, given: MoveInputs) -> Value:
        """How far it is bent now, by the clock and the wind."""
        fields, tau = given.fields, 2 * math.pi
        time = lib.shared(TIME, FLOAT) * fields.rate
        along = lib.dot(lib.attribute("world_position", VEC3), lib.shared(WIND_DIRECTION, VEC3)) / fields.reach
        own = lib.instance("seed", FLOAT)
        if self.phase != "none":
            own = own + _channel(self.phase)
        wave = 0.7 * lib.unary("sin", (time - along + own) * tau)
        wave = wave + 0.3 * lib.unary("sin", (time * 2.37 - along * 1.61 + own * 5.3) * tau)
        gust = 0.5 + 0.5 * lib.unary("sin", (time * 0.19 - along * 0.43) * tau)
        shaken = wave * (1.0 - fields.gusts * gust)
        bent = fields.lean + (1.0 - fields.lean) * shaken
        return (
            lib.shared(WIND_STRENGTH, FLOAT) * lib.power(lib.maximum(self._gives_way(fields), 1e-6), fields.bend) * bent
        )

    def _gives_way(self, fields: Any) -> Value:
        if self.weight != "height":
            return _channel(self.weight)
        height = lib.attribute("position", VEC3).y
        span = fields.tip - fields.foot
        return lib.clamp((height - fields.foot) * span / lib.maximum(span * span, 1e-8))


About = Literal["whole", "own x", "own y", "own z"]
ABOUT_LABELS: dict[About, str] = {
    "whole": "wholly", "own x": "about the prop's x", "own y": "about the prop's y", "own z": "about the prop's z",
}  # fmt: skip


class FaceMove(Move):
    """Cards turned to the eye, wholly or about an axis; their size in the picture can be kept.

    A card's middle and how far a point lies from it, across and along in metres of the mesh, are read from the third UV
    set, as card fields have it; what has no such set stays as it is.
    """

    label: ClassVar[str] = "Cards to the eye"
    by_eye: ClassVar[bool] = True
    kind: Literal["face"] = "face"
    about: About = option("whole", "Turned", "choice", ABOUT_LABELS)
    kept: float = field(0.0, "Size kept", hint="1 keeps its size in the picture, however far it is")
    from_away: float = field(
        5.0, "True size at", unit="m", low=0.01, high=10000.0, soft=(0.5, 50.0), logarithmic=True,
        hint="From this far it is as large as it was made",
    )  # fmt: skip
    amount: float = field(
        2.0, "At most", unit="m", low=0.0, high=MAX_METRES, soft=(0.1, 10.0), hint="No point moves farther than this"
    )

    def offset(self, given: MoveInputs) -> Value:
        """From where a point is to where it lies on the turned card."""
        place = lib.attribute(f"uv{CARD_SET}", VEC2)
        along, across = lib.attribute("along", VEC3), lib.attribute("across", VEC3)
        world = lib.attribute("world_position", VEC3)
        middle = world - along * place.x - across * place.y
        wide, high = lib.length(along) * place.x, lib.length(across) * place.y
        seen = lib.shared(CAMERA, VEC3) - middle
        away = lib.maximum(lib.length(seen), 1e-4)
        if self.about == "whole":
            side = lib.normalize(lib.cross(const(0.0, 1.0, 0.0), seen) + const(1e-6, 0.0, 0.0))
            up = lib.cross(seen / away, side)
        else:
            up = lib.attribute(f"own_{self.about[-1]}", VEC3)
            side = lib.normalize(lib.cross(up, seen) + const(1e-6, 0.0, 1e-6))
        size = lib.lerp(1.0, away / given.fields.from_away, given.fields.kept)
        moved = middle + (side * wide + up * high) * size - world
        most = given.fields.amount / lib.maximum(lib.length(moved), 1e-6)
        return moved * (lib.minimum(most, 1.0) * lib.shared(EYE_KNOWN, FLOAT))


class RoundMove(Move):
    """Fields that turn about the prop's own axis, by the clock or with the sun, and that can stay round the eye."""

    label: ClassVar[str] = "Turning round"
    by_eye: ClassVar[bool] = True
    kind: Literal["round"] = "round"
    spin: float = field(
        0.0, "Spin", unit="/min", low=-600.0, high=600.0, soft=(-10.0, 10.0), hint="Turns a minute about the prop's y"
    )
    with_sun: float = field(0.0, "With the sun", hint="1 turns with the way the sun stands")
    round_eye: float = field(
        0.0, "Round the eye", hint="1 keeps the prop's middle where the eye is, as if it were far away"
    )
    amount: float = field(
        10.0, "At most", unit="m", low=0.0, high=100_000.0, soft=(1.0, 1000.0), logarithmic=True,
        hint="No point moves farther than this",
    )  # fmt: skip

    def offset(self, given: MoveInputs) -> Value:
        """From where a point is to where it is turned to, about a middle that goes with the eye."""
        fields, origin = given.fields, lib.attribute("own_origin", VEC3)
        axis, arm = lib.attribute("own_y", VEC3), lib.attribute("world_position", VEC3) - origin
        turn = lib.shared(TIME, FLOAT) * fields.spin * (2 * math.pi / 60.0)
        turn = turn + lib.shared(SUN_TURN, FLOAT) * fields.with_sun
        cos, sin = lib.unary("cos", turn), lib.unary("sin", turn)
        spun = arm * cos + lib.cross(axis, arm) * sin + axis * (lib.dot(axis, arm) * (1.0 - cos))
        away = (lib.shared(CAMERA, VEC3) - origin) * (fields.round_eye * lib.shared(EYE_KNOWN, FLOAT))
        moved = spun - arm + away
        return moved * lib.minimum(fields.amount / lib.maximum(lib.length(moved), 1e-6), 1.0)


CARD_SET = 2
"""The UV set that says how far from the middle of its card a point lies, metres."""


def _channel(letter: str) -> Value:
    """A painted channel of the first colour set."""
    value: Value = getattr(lib.attribute("color0", VEC4), "xyzw"["RGBA".index(letter)])
    return value


AnyMove = Annotated[HeightMove | RecipeMove | SwayMove | FaceMove | RoundMove, Field(discriminator="kind")]
MOVE_KINDS: dict[str, type[Move]] = {kind.model_fields["kind"].default: kind for kind in get_args(get_args(AnyMove)[0])}
"""All kinds of moves by the name that files use."""


def move_path(move: str, name: str) -> str:
    """The path of a move's field."""
    return f"{PREFIX}{move}.{name}"


def largest(moves: tuple[AnyMove, ...], amounts: Callable[[str, float], float]) -> float:
    """How far any vertex can be moved at the most, metres; `amounts` gives the most of an amount by path and value."""
    return sum(amounts(move_path(m.id, "amount"), m.amount) for m in moves)


def compile_moves(
    moves: tuple[Move, ...], around: Around, fields: Callable[[Move], Any], level: int
) -> dict[str, Value]:
    """The placed position, normal (world, unit) and tangent of a vertex, by the names of `PLACED`.

    All are worked out at the vertices, where textures are read from `level`. The normal follows from central
    differences of the offset over half an edge along the surface: the cross product of the moved tangents, as bump
    mapping (Blinn 1978) has it, but for real.
    """

    middle = offset(moves, around, fields)
    away = lib.instance("spacing", FLOAT) * 0.5

    def side(name: str) -> Value:
        """The tangent of the moved surface, twice `away` long."""
        ahead, behind = (
            passes.rebuilt({"offset": middle}, _shifted(name, by))["offset"] for by in (away, -away)
        )  # fmt: skip
        return lib.attribute(name, VEC3) * (away * 2.0) + (ahead - behind)

    along, across, sign = side("along"), side("across"), lib.attribute("tangent", VEC4).w
    made = {
        "placed_position": lib.attribute("world_position", VEC3) + middle,
        "placed_normal": lib.normalize(lib.cross(along, across) * sign),
        "placed_tangent": combine(lib.normalize(along), sign),
    }
    return {name: lib.per_vertex(value, level) for name, value in made.items()}


PLACED = ("placed_position", "placed_normal", "placed_tangent")


def offset(moves: tuple[Move, ...], around: Around, fields: Callable[[Move], Any]) -> Value:
    """How far and whereto a point is moved in the world, a vec3 in metres."""
    total: Value = const(0.0, 0.0, 0.0)
    for move in moves:
        total = total + move.offset(MoveInputs(fields(move), around))
    return total


def _direction(along: Along) -> Value:
    if along == "normal":
        return lib.attribute("outward", VEC3)
    if along == "wind":
        return lib.shared(WIND_DIRECTION, VEC3)
    if along.startswith("own "):
        return lib.attribute(f"own_{along[-1]}", VEC3)
    return const(*(1.0 if axis == along else 0.0 for axis in "xyz"))


def _shifted(side: str, away: Value) -> Callable[[Value], Value]:
    """What makes a program that of a point a way off along the surface: `along` its tangent, or `across` it.

    Positions move, and the first UV set, whose axes those are; what else lies on the vertices is the same there.
    """
    place, world, uv = (
        lib.attribute("position", VEC3),
        lib.attribute("world_position", VEC3),
        lib.attribute("uv0", VEC2),
    )
    metres = lib.instance("metres0", VEC2)
    # v runs downward in files, while the second axis of a tangent frame runs upward.
    turned = combine(away / metres.x, const(0.0)) if side == "along" else combine(const(0.0), -away / metres.y)
    moved = {
        place: place + lib.attribute(f"object_{side}", VEC3) * away,
        world: world + lib.attribute(side, VEC3) * away,
        uv: uv + turned,
    }
    return lambda node: moved.get(node, node)
