"""The word kiln: the same bytes for the same words, maps that tile, normals that follow heights, providers that fail."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jade_coat.cli import main
from jade_coat.files.assets import Assets
from jade_coat.files.library import Library
from jade_coat.files.project_folder import open_project
from jade_coat.jobs.job import Cancelled, Job
from jade_coat.kiln.brief import DIRECTIONS, LIMITS, Brief
from jade_coat.kiln.firing import fire
from jade_coat.kiln.keeping import keeping, map_set_of, wearing
from jade_coat.kiln.pictures import lit_tile
from jade_coat.kiln.provider import MIDDLE, Ask, BadCandidate, SimulatedKiln, brief_of, checked
from jade_coat.kiln.stuffs import PATTERNS, STUFFS, nested_noise
from jade_coat.kiln.vocabulary import BY_WORD, WORDS, read_words
from jade_coat.maps.color import to_linear
from jade_coat.maps.images import as_float, png_bytes, read_image
from jade_coat.material.surface import Role
from jade_coat.mesh import shapes
from jade_coat.stage.document import Document
from jade_coat.stage.looks import finish_on
from jade_coat.stage.making import placed_mesh
from jade_coat.stage.project import Project

ROOT = Path(__file__).parents[2]
WORDY = "old mossy red clay bricks, slightly cracked, sooty"


def decoded(files, role: str) -> np.ndarray:
    return as_float(read_image(files[role], f"{role}.png"))


def test_the_same_words_and_seed_give_the_same_bytes_and_another_seed_others() -> None:
    kiln = SimulatedKiln()
    first, again = (list(kiln.candidates(Ask(WORDY), 64, Job())) for _ in range(2))
    assert [(c.way, c.files, c.size) for c in first] == [(c.way, c.files, c.size) for c in again]
    assert {c.way for c in first} == {MIDDLE, *DIRECTIONS}
    assert len({(c.size, *c.files.values()) for c in first}) == len(first)
    other = kiln.full(Ask(WORDY, seed=2), 64, Job())
    assert other.files["height"] != first[0].files["height"]


@pytest.mark.parametrize("pattern", sorted(PATTERNS))
@pytest.mark.parametrize("growth", ["moss", "lichen", "algae"])
def test_every_map_tiles(pattern: str, growth: str) -> None:
    """Across the edge of a tile, neighbours differ no more than neighbours inside do."""
    stuff = sorted(STUFFS)[sorted(PATTERNS).index(pattern)]
    brief = Brief(stuff, pattern, growth, grown=0.4, broken=0.5, aged=0.5, dusty=0.3, sooty=0.4)
    for name, data in fire(brief, 5, 128).files().items():
        values = decoded({name: data}, name)
        for axis in (0, 1):
            turned = np.moveaxis(values, axis, 0)
            inside = np.abs(np.diff(turned, axis=0)).mean(axis=tuple(range(1, turned.ndim)))
            seam = np.abs(turned[0] - turned[-1]).mean()
            assert seam <= inside.max() * 1.05 + 2 / 255, (name, axis)


@settings(max_examples=12, deadline=None)
@given(
    st.sampled_from(sorted(STUFFS)),
    st.sampled_from(sorted(PATTERNS)),
    st.integers(0, 99),
    st.floats(0, 1),
    st.floats(-2, 2),
)
def test_normals_agree_with_heights_and_all_maps_are_sound(stuff, pattern, seed, much, coarse) -> None:
    """Tangent-space normals of a height field: (−∂h/∂x, ∂h/∂y, 1), normalised, green up; derivatives by NumPy."""
    fired = fire(Brief(stuff, pattern, coarse=coarse, grown=much, broken=much, aged=much, warm=much), seed, 64)
    files = fired.files()
    assert fired.size == pytest.approx(STUFFS[stuff].size * 2**coarse, abs=1e-3)
    height = decoded(files, "height")[..., 0].astype(np.float64)
    padded = np.pad(height, 1, mode="wrap") * fired.depth * 64
    dy, dx = (d[1:-1, 1:-1] for d in np.gradient(padded))
    expected = np.stack([-dx, dy, np.ones_like(dx)], axis=2)
    expected /= np.linalg.norm(expected, axis=2, keepdims=True)
    normal = decoded(files, "normal") * 2 - 1
    assert (normal * expected).sum(axis=2).min() > 0.999
    for role, data in files.items():
        values = decoded({role: data}, role)
        assert np.isfinite(values).all()
        assert values.shape[:2] == (64, 64)
    assert ("metallic" in files) == (STUFFS[stuff].metallic > 0)


def test_a_small_tile_is_the_large_one_seen_from_further_away() -> None:
    small, large = (nested_noise(side, 9, 6, 1.8) for side in (64, 512))
    seen = large.reshape(64, 8, 64, 8).mean(axis=(1, 3))
    assert np.corrcoef(small.ravel(), seen.ravel())[0, 1] > 0.97
    assert large.std() == pytest.approx(1.0, abs=0.25)
    assert abs(float(large.mean())) < 1e-3
    for brief in (Brief("stone", "pebbles", grown=0.5), Brief("glaze", "tiles")):
        few, many = (fire(brief, 3, side) for side in (128, 512))
        near = many.color.reshape(128, 4, 128, 4, 3).mean(axis=(1, 3))
        assert np.corrcoef(few.color.ravel(), near.ravel())[0, 1] > 0.9


def test_words_are_understood_by_their_meaning_and_the_rest_are_named() -> None:
    reading = read_words("Mossy, very weathered CLAY bricks of the baroque without cracks & 12 frobnicated")
    assert reading.unknown == ("baroque", "frobnicated")
    assert reading.understood == ("mossy", "very", "weathered", "clay", "bricks", "without", "cracks")
    brief = reading.brief
    assert (brief.stuff, brief.pattern, brief.growth) == ("clay", "bricks", "moss")
    assert (brief.grown, brief.aged, brief.broken) == (0.5, pytest.approx(0.8), 0.0)
    assert read_words("slightly mossy stone").brief.grown < read_words("mossy stone").brief.grown
    assert read_words("fine cracks").brief.coarse == 0
    assert read_words("fine cracks").brief.broken < read_words("coarse cracks").brief.broken
    assert read_words("fine sand").brief.coarse < 0
    assert read_words("linen").brief.pattern == "weave"
    assert read_words("plain linen").brief.pattern == "plain"
    assert read_words("").brief == Brief()
    assert read_words("moss " * 5000).brief.grown <= 1


def test_every_word_does_something_and_is_documented() -> None:
    told = (ROOT / "docs" / "word-kiln.md").read_text()
    assert len(BY_WORD) == sum(len(w.words) for w in WORDS)
    for word in WORDS:
        for text in word.words:
            assert text in told
        if word.strength is None:
            start = "mossy cracked dusty stone pebbles " if any(v < 0 for _, v in word.adds) else ""
            if ("pattern", "plain") in word.sets or ("stuff", "clay") in word.sets:
                start = "stone pebbles "
            assert read_words(f"{start}{word.words[0]}").brief != read_words(start).brief, word.words[0]
    for direction in DIRECTIONS.values():
        assert direction.label in told


@settings(max_examples=40, deadline=None)
@given(
    st.lists(st.sampled_from(sorted(DIRECTIONS)), max_size=12), st.lists(st.sampled_from(sorted(BY_WORD)), max_size=8)
)
def test_however_far_people_walk_a_brief_stays_within_its_limits(ways, words) -> None:
    brief = brief_of(Ask(" ".join(words), 1, tuple(ways)))
    for name, (low, high) in LIMITS.items():
        assert low <= getattr(brief, name) <= high


def test_walking_goes_where_its_name_says() -> None:
    """More grown is greener, older greyer or duller, warmer redder, glossier less rough, coarser of more metres."""
    start = Ask("clay", 4)

    def fired(*ways: str):
        return fire(brief_of(Ask(start.words, 4, ways)), 4, 64)

    plain = fired()
    green = [(f.color[..., 1] / f.color.sum(axis=2)).mean() for f in (plain, fired("grown", "grown"))]
    assert green[1] > green[0] + 0.02
    warm, cool = (fired(w).color.mean(axis=(0, 1)) for w in ("warm", "cool"))
    assert warm[0] / warm[2] > 1.2 * cool[0] / cool[2]
    assert fired("glossy").roughness.mean() < plain.roughness.mean() - 0.02 < fired("dull").roughness.mean()
    assert fired("coarse").size > 1.4 * plain.size > 2 * fired("fine").size * 0.98
    assert np.abs(fired("broken", "broken").normal() - [0, 0, 1]).mean() > np.abs(plain.normal() - [0, 0, 1]).mean()


def candidate():
    return SimulatedKiln().full(Ask("stone"), 64, Job())


@pytest.mark.parametrize(("harm", "says"), [
    ({"normal": None}, "no normal map"), ({"height": b"no picture"}, "its height map cannot be read"),
    ({"base_color": png_bytes(np.zeros((32, 64, 3), np.uint8))}, "64 × 32, not 64 × 64"),
    ({"../../x": b""}, "is no kind of map"), ({"roughness": b""}, "cannot be read"),
])  # fmt: skip
def test_what_a_provider_returns_is_looked_at_before_it_is_used(harm, says) -> None:
    good = candidate()
    assert checked(good, 64) is good
    files = {k: v for k, v in {**good.files, **harm}.items() if v is not None}
    with pytest.raises(BadCandidate, match=says):
        checked(replace(good, files=files), 64)
    with pytest.raises(BadCandidate, match="size"):
        checked(replace(good, size=float("nan")), 64)


def test_firing_stops_when_it_is_told_to() -> None:
    job, seen = Job(), []

    def fired() -> None:
        for made in SimulatedKiln().candidates(Ask("stone"), 64, job):
            seen.append(made)
            job.cancel()

    with pytest.raises(Cancelled):
        fired()
    assert len(seen) == 1


def test_a_kept_candidate_is_an_ordinary_map_set_that_can_be_worn() -> None:
    library = Library(Assets())
    document = Document(Project())
    placed = placed_mesh(document.project, library.add_mesh, shapes.box(1, 1, 1), "Box")
    document.do_all("Import", placed.steps)
    made = SimulatedKiln().full(Ask("worn copper"), 64, Job())
    map_set = map_set_of(made, document.project, library.assets.put)
    (slot,) = placed.asset.slots
    document.do_all("Wear", wearing(document.project, map_set, [placed.prop], slot))
    project = document.project
    kept = project.map_sets[-1]
    assert kept.tile_size == made.size
    assert {m.role for m in kept.maps} >= {Role.BASE_COLOR, Role.NORMAL, Role.METALLIC, Role.HEIGHT}
    worn = finish_on(project, project.props.first, slot)
    assert project.finish(worn).name == kept.name == made.name
    texture = next(t for t in library.textures(kept) if t.is_color)
    shown = to_linear(decoded(made.files, "base_color")).mean(axis=(0, 1))
    assert texture.mean[:3] == pytest.approx(shown, abs=5e-3)
    document.do_all("Keep", keeping(map_set_of(made, project, library.assets.put)))
    assert [s.name for s in document.project.map_sets[-2:]] == [made.name, f"{made.name} 2"]
    assert lit_tile(made.files).shape == (64, 64, 3)


def test_the_command_line_fires_words(tmp_path: Path, capsys, demo_copy: Path) -> None:
    out = tmp_path / "maps"
    words = ["kiln", "blorby moss", "--size", "64", "--out", str(out), "--project", str(demo_copy)]
    assert main(words) == 0
    said = capsys.readouterr().out
    assert "not understood: blorby" in said
    assert {p.name for p in out.iterdir()} >= {"mossy_clay_base_color.png", "mossy_clay_normal.png"}
    assert open_project(demo_copy).project.map_set("mossy_clay").maps
    assert main(["kiln", "moss", "--walk", "sideways", "--out", str(out)]) != 0
    assert "there are bare, grown" in capsys.readouterr().err
    assert main(["kiln", "moss"]) != 0
    assert main(["kiln", "moss", "--size", "100", "--out", str(out)]) != 0
    assert "not 100" in capsys.readouterr().err
