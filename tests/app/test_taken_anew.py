"""What is taken from files anew is matched, shown and can be mended: slots, the alpha of a file, maps of a set."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from jade_coat.app.build.map_review import MapReview
from jade_coat.app.dialogs.slot_match import SlotMatch
from jade_coat.maps.images import png_bytes
from jade_coat.maps.mapset import MapSet
from jade_coat.material.surface import Role
from jade_coat.stage.remesh import matched_slots
from tests.app.conftest import Hand


@pytest.mark.parametrize(("old", "new", "expected"), [
    (("Body", "Neck"), ("Neck", "Body"), {"Neck": "Neck", "Body": "Body"}),
    (("Body", "Neck"), ("body.001", "NECK"), {"body.001": "Body", "NECK": "Neck"}),
    (("surface",), ("Stone",), {"Stone": "surface"}),
    (("a", "b"), ("a", "c", "d"), {"a": "a", "c": "c", "d": "d"}),
])  # fmt: skip
def test_slots_of_a_mesh_imported_anew_are_matched_by_name(old, new, expected) -> None:
    assert matched_slots(old, new) == expected


def test_the_match_of_slots_is_shown_and_can_be_mended(hand: Hand) -> None:
    ask = SlotMatch(hand.window, ("Body", "Neck"), {"body": "Body", "Rim": "Rim"})
    assert ask.match() == {"body": "Body", "Rim": "Rim"}
    assert "Neck" in ask._warning.text()
    box = ask.choices["Rim"]
    box.setCurrentIndex(box.findData("Body"))
    box.activated.emit(box.currentIndex())
    assert not ask.keep.isEnabled()
    box.setCurrentIndex(box.findData("Neck"))
    box.activated.emit(box.currentIndex())
    assert ask.keep.isEnabled()
    assert ask.match() == {"body": "Body", "Rim": "Neck"}
    ask.deleteLater()


def test_the_alpha_of_a_file_means_what_is_chosen_and_a_map_is_added_to_a_set_later(hand: Hand, tmp_path: Path) -> None:
    picture = np.full((8, 8, 4), 200, np.uint8)
    picture[:4, :, 3] = 0
    (tmp_path / "leaf_albedo.png").write_bytes(png_bytes(picture))
    (tmp_path / "leaf_rough.png").write_bytes(png_bytes(picture[..., :1]))
    library = hand.session.library
    entries = library.read_map(tmp_path / "leaf_albedo.png")
    review = MapReview(hand.window, MapSet(id="s", name="S", maps=tuple(entries)), [], library)
    assert review.cards[0].alpha.currentData() == ""
    for meaning in ("opacity", "mask"):
        review.cards[0].alpha_meant.emit(meaning)
        assert [(m.role.value, m.channels) for m in review.map_set().maps] == [("base_color", "rgb"), (meaning, "a")]
    review.cards[0].alpha_meant.emit("")
    review.add_file(tmp_path / "leaf_rough.png")
    review.add_file(tmp_path / "leaf_rough.png")  # its role is taken now
    assert [m.role for m in review.map_set().maps] == [Role.BASE_COLOR, Role.ROUGHNESS]
    assert len(review.cards) == 3
    review.deleteLater()
