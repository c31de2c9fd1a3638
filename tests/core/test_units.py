"""Lengths and masses as people write them."""

from __future__ import annotations

import pytest

from deepmirror.core.units import length_words, parse_length_cm, parse_mass_kg


@pytest.mark.parametrize(
    ("text", "cm"),
    [
        ("172", 172),
        ("172 cm", 172),
        ("1.72 m", 172),
        ("1,72 m", 172),
        ("5 ft 9", 175.26),
        ("5'9\"", 175.26),
        ("5’ 9", 175.26),
        ("67.5 in", 171.45),
    ],
)
def test_a_stature_is_read_as_written(text: str, cm: float) -> None:
    # inch 2.54 cm exactly: international yard and pound agreement of 1959
    assert parse_length_cm(text, 50, 260, "A stature") == pytest.approx(cm, abs=0.01)


@pytest.mark.parametrize(("text", "kg"), [("70", 70), ("70.5 kg", 70.5), ("154 lb", 69.85), ("11 st", 69.85)])
def test_a_mass_is_read_as_written(text: str, kg: float) -> None:
    assert parse_mass_kg(text, 15, 400, "A body mass") == pytest.approx(kg, abs=0.01)


@pytest.mark.parametrize("text", ["tall", "5 foot nine", "17 cm", "9 m", "", "172 kg"])
def test_what_cannot_be_a_stature_is_refused_with_a_sentence(text: str) -> None:
    with pytest.raises(ValueError, match="A stature"):
        parse_length_cm(text, 50, 260, "A stature")


def test_lengths_are_written_the_clients_way() -> None:
    assert length_words(175.26, imperial=True) == "5 ft 9"
    assert length_words(43.18, imperial=True) == "17.0 in"
    assert length_words(43.18, imperial=False) == "43.2 cm"
    assert length_words(182.7, imperial=True) == "6 ft 0"
