"""What glows: embers over the kiln, the light of lanterns, and the haze of the evening over the terraces."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from jade_coat.maps.motes import Motes
from jade_coat.material.glow import Glow
from jade_coat.material.material import Coat, Dial, Finish, Material
from jade_coat.material.placing import AnyMove, FaceMove, SwayMove
from jade_coat.material.surface import Surface
from jade_coat.mesh.makers import CardField
from jade_coat.stage.mesh_assets import Category
from jade_coat.stage.project import Prop
from jade_coat.stage.turns import turn_of

CATEGORIES = (
    Category(id="embers", name="Embers", finish="kiln_embers"),
    Category(id="lantern", name="Lantern light", finish="lantern_light"),
    Category(id="haze", name="Haze", finish="evening_haze"),
)
SLOTS: dict[str, dict[str, str]] = {
    "Ember field": {"surface": "embers"}, "Lantern card": {"surface": "lantern"}, "Haze sheets": {"surface": "haze"},
}  # fmt: skip
LANTERNS = ((-2.25, 1.95, 0.3), (2.25, 1.95, 0.3), (0.1, 1.35, 2.5), (-2.6, 0.1, 4.9))
"""Where the lanterns' lamps are."""


def motes(side: int) -> Motes:
    """The map of all that glows: embers in four densities, two noises for haze, stars."""
    return Motes(side=max(side, 64), most=18, least=1, soft=2.6, scale=(2.5, 4.0), contrast=0.8, seed=5)


def fields(grain: float) -> dict[str, CardField]:
    """What the meshes are made from."""
    return {
        "Ember field": CardField(
            over="dome", radii=(0.95, 1.5, 0.55), foot=0.05, count=round(140 / grain), size=(0.14, 0.14), spread=0.5,
            columns=2, rows=2, first=1, last=4, lean=0.4, seed=3,
        ),
        "Lantern card": CardField(
            over="box", radii=(0.0, 0.0, 0.0), count=1, size=(0.7, 0.7), spread=0.0, facing="ahead", roll=0.0
        ),
        "Haze sheets": CardField(
            over="box", radii=(3.4, 0.2, 1.8), count=max(round(16 / grain), 6), size=(2.6, 0.8), spread=0.3,
            facing="ahead", roll=0.02, seed=8,
        ),
    }  # fmt: skip


def _material(id: str, name: str, glow: Glow, moves: tuple[AnyMove, ...] = ()) -> Material:
    dials = (("tint", "Tint"), ("boost", "Boost"), ("flicker", "Flicker"), ("by_day", "By day"))
    return Material(
        id=id, name=name, kind="glow", two_sided=True, glow=glow, moves=moves,
        coats=(Coat(id="base", name="Dark", surface=Surface(color=(0.0, 0.0, 0.0))),),
        dials=tuple(Dial(id=field, path=f"light:glow.{field}", name=words, group="Glow") for field, words in dials),
    )  # fmt: skip


def materials() -> tuple[Material, ...]:
    """Embers that flash and drift, lanterns that face the eye, and haze that is softest where it meets things."""
    ember = ((0.0, (0.0, 0.0, 0.0)), (0.35, (0.75, 0.09, 0.01)), (0.75, (1.0, 0.42, 0.08)), (1.0, (1.0, 0.86, 0.55)))
    return (
        _material("embers", "Embers", Glow(
            shape="sheet", sheet="motes", gradient=ember, boost=2.2, flicker=0.75, wave="flame", rate=0.9,
            near=(0.15, 0.6), edge="B", by_day=0.8, soft=0.08,
        ), (
            FaceMove(id="face", amount=0.5),
            SwayMove(id="sway", along="y", amount=0.25, foot=-0.2, tip=1.4, lean=0.0, rate=0.25, phase="G"),
        )),
        _material("lanterns", "Lantern light", Glow(
            shape="beacon", tint=(1.0, 0.62, 0.28), boost=2.4, core=0.42, cross=0.55, cross_size=0.95, cross_width=0.02,
            flicker=0.18, rate=0.5, by_day=0.25, soft=0.15,
        ), (FaceMove(id="face", kept=0.25, from_away=5.0),)),
        _material("haze", "Evening haze", Glow(
            shape="haze", sheet="motes", channel="G", other="B", tint=(0.86, 0.78, 0.7), boost=0.5, repeats=(0.9, 0.3),
            rim=0.8, drift=0.012, by_day=0.0, soft=0.5, near=(0.4, 1.6),
        )),
    )  # fmt: skip


def finishes() -> tuple[Finish, ...]:
    """One of each, and a moonlit haze."""
    return (
        Finish(id="kiln_embers", name="Kiln embers", parent="embers"),
        Finish(id="lantern_light", name="Lantern light", parent="lanterns"),
        Finish(id="evening_haze", name="Evening haze", parent="haze"),
        Finish(id="moon_haze", name="Moonlit haze", parent="haze", values={"tint": (0.6, 0.72, 0.9)}),
    )


def props(ids: Mapping[str, str]) -> Iterator[Prop]:
    """Embers before the kiln's fire, a light at every lantern, haze over each terrace."""

    def prop(id: str, name: str, mesh: str, at: tuple[float, float, float], turned: float = 0.0) -> Prop:
        return Prop(
            id=id, name=name, mesh=ids[mesh], position=at, turn=turn_of(0.0, turned, 0.0), parent="lights"
        )  # fmt: skip

    yield prop("kiln_embers", "Kiln embers", "Ember field", (-0.25, 0.1, -1.0))
    for i, at in enumerate(LANTERNS):
        yield prop(f"lantern_light_{i + 1}", f"Lantern light {i + 1}", "Lantern card", at)
    for i in range(3):
        yield prop(
            f"haze_{i + 1}", f"Haze {i + 1}", "Haze sheets", (0.0, -0.15 - 0.5 * i, 2.3 + 1.3 * i), 0.1 * (i - 1)
        )
