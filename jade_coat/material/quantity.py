"""The quantities a material gives at a point: one record each, from which all lists of them are made."""

from __future__ import annotations

from dataclasses import dataclass

from jade_coat.program.types import FLOAT_BY_SIZE, Type


@dataclass(frozen=True)
class Place:
    """Where a quantity lies in the G-buffer: an attachment and its channels.

    `store` is GLSL that makes of the value (`{}`) what is kept there, between 0 and 1 in an attachment of bytes; `read`
    makes the value again of what was kept.
    """

    attachment: str
    channels: str
    store: str = "{}"
    read: str = "{}"


@dataclass(frozen=True)
class File:
    """Where a bake puts a quantity: a file by name, and its channels there. `bits` a channel, 8 or 16."""

    name: str
    channels: str
    bits: int = 8


@dataclass(frozen=True)
class Quantity:
    """One of the numbers a material gives.

    `span` is what a value lies between, `default` what it is where nothing says otherwise. `shown` is GLSL that makes a
    display colour of the value for the look of this name, and `label` what people read under it; `always` tells that
    the look is on offer for every material.
    """

    name: str
    label: str
    size: int
    default: tuple[float, ...]
    place: Place
    file: File
    span: tuple[float, float] = (0.0, 1.0)
    is_color: bool = False
    shown: str = "vec3({})"
    always: bool = True

    @property
    def type(self) -> Type:
        """Its type in a program."""
        return FLOAT_BY_SIZE[self.size]


QUANTITIES: dict[str, Quantity] = {
    q.name: q
    for q in (
        Quantity(
            "base_color", "Colour", 3, (0.5, 0.5, 0.5), Place("base", "rgb", "sqrt({})", "({0} * {0})"),
            File("base_color", "rgb"), is_color=True, shown="to_srgb({})",
        ),
        Quantity("roughness", "Rough", 1, (0.5,), Place("finish", "r"), File("packed", "g")),
        Quantity("metallic", "Metal", 1, (0.0,), Place("finish", "g"), File("packed", "b")),
        Quantity(
            "normal", "Normal", 3, (0.0, 0.0, 1.0), Place("shape", "rgb", read="normalize({})"), File("normal", "rgb"),
            span=(-1.0, 1.0), shown="({} * 0.5 + 0.5)",
        ),
        Quantity("height", "Height", 1, (0.5,), Place("shape", "a"), File("height", "r", 16)),
        Quantity("occlusion", "Occlusion", 1, (1.0,), Place("base", "a"), File("packed", "r")),
        Quantity(
            "emissive", "Glow", 3, (0.0, 0.0, 0.0), Place("extra", "rgb"), File("emissive", "rgb"),
            span=(0.0, 65504.0), is_color=True, shown="to_srgb(tone_map({}))", always=False,
        ),
        Quantity(
            "specular", "Specular", 1, (1.0,), Place("extra", "a"), File("specular", "r"), always=False,
        ),  # of KHR_materials_specular: 1 mirrors 4 % head on
        Quantity(
            "transmission", "Lets through", 1, (0.0,), Place("finish", "a"), File("transmission", "r"), always=False,
        ),  # of light that falls on the other side, as of leaves and cloth
        Quantity("opacity", "Opacity", 1, (1.0,), Place("finish", "b"), File("opacity", "r"), always=False),
    )
}  # fmt: skip
"""All quantities by name, in the order in which people see them."""

OUTPUTS = tuple(QUANTITIES)
"""The outputs of a program that are quantities."""


def stored(attachment: str) -> str:
    """The GLSL of what one attachment of the G-buffer holds; 0 in channels that no quantity has."""
    channels = {"r": "0.0", "g": "0.0", "b": "0.0", "a": "0.0"}
    taken: set[str] = set()
    for quantity in QUANTITIES.values():
        place = quantity.place
        if place.attachment == attachment:
            channels[place.channels[0]] = place.store.format(f"out_{quantity.name}")
            taken.update(place.channels[1:])
    parts = [text for channel, text in channels.items() if channel not in taken]
    return f"vec4({', '.join(parts)})"
