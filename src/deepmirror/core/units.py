"""Lengths and masses as people write them, and back."""

from __future__ import annotations

import re

from deepmirror.words import in_language, say

CM_PER_INCH = 2.54  # exact: international yard and pound agreement, 1959
KG_PER_LB = 0.45359237  # exact: the same
_NUMBER = r"(\d+(?:[.,]\d+)?)"
_FEET = re.compile(rf"^{_NUMBER}\s*(?:ft|feet|foot|')\s*(?:{_NUMBER}\s*(?:in|inch|inches|\"|'')?)?$")
_PLAIN = re.compile(rf"^{_NUMBER}\s*([a-z\"]*)$")
_LENGTHS = {"": 1.0, "cm": 1.0, "m": 100.0, "mm": 0.1, "in": CM_PER_INCH, "inch": CM_PER_INCH, "inches": CM_PER_INCH, '"': CM_PER_INCH}
_MASSES = {"": 1.0, "kg": 1.0, "lb": KG_PER_LB, "lbs": KG_PER_LB, "pounds": KG_PER_LB, "st": 14 * KG_PER_LB}


def parse_length_cm(text: str, low: float, high: float, what: str) -> float:
    """Centimetres from "172", "172 cm", "1.72 m", "5 ft 9", "67.5 in". Raises ValueError with a sentence."""
    clean = text.strip().lower().replace("’", "'").replace("”", '"')
    if found := _FEET.match(clean):
        value = (_float(found[1]) * 12 + _float(found[2] or "0")) * CM_PER_INCH
    else:
        value = _plain(clean, _LENGTHS, say("{what} can be written like 172 cm, 1.72 m or 5 ft 9, not “{text}”.", what=what, text=text))
    return _inside(value, low, high, what, "cm")


def parse_mass_kg(text: str, low: float, high: float, what: str) -> float:
    """Kilograms from "70", "70 kg", "154 lb", "11 st". Raises ValueError with a sentence."""
    value = _plain(text.strip().lower(), _MASSES, say("{what} can be written like 70 kg or 154 lb, not “{text}”.", what=what, text=text))
    return _inside(value, low, high, what, "kg")


def _plain(clean: str, units: dict[str, float], sentence: str) -> float:
    found = _PLAIN.match(clean)
    if not found or found[2] not in units:
        raise ValueError(sentence)
    return _float(found[1]) * units[found[2]]


def _float(text: str) -> float:
    return float(text.replace(",", "."))


def _inside(value: float, low: float, high: float, what: str, unit: str) -> float:
    if not low <= value <= high:
        raise ValueError(
            say(
                "{what} of {value:.1f} {unit} cannot be right: it should lie between {low:g} and {high:g} {unit}.",
                what=what,
                value=value,
                unit=unit,
                low=low,
                high=high,
            )
        )
    return round(value, 2)


def length_words(cm: float, imperial: bool) -> str:
    """A length as this client reads it: centimetres, or inches (feet and inches from three feet on)."""
    if not imperial:
        return say("{cm:.1f} cm", cm=cm)
    inches = cm / CM_PER_INCH
    if inches < 36:
        return say("{inches:.1f} in", inches=inches)
    feet, rest = divmod(round(inches * 2) / 2, 12)
    return say("{feet:.0f} ft {rest:g}", feet=feet, rest=rest)


_AMOUNT = re.compile(r"(\d+(?:\.\d+)?)((?:\s*(?:±|to|–|and)\s*\d+(?:\.\d+)?)*)\s*(cm|kg)\b")
_MORE = re.compile(r"\d+(?:\.\d+)?")
LB_FROM_KG, INCH_FROM_CM = 1 / KG_PER_LB, 1 / CM_PER_INCH  # the same agreement, the other way


def in_their_units(text: str, imperial: bool) -> str:
    """A sentence with its centimetres and kilograms as this client reads them, which is in their language from then on:
    "3.6 ± 0.6 cm" -> "1.4 ± 0.2 in"."""
    if not imperial:
        return text

    def said(found: re.Match[str]) -> str:
        factor, places, unit = (LB_FROM_KG, 0, "lb") if found[3] == "kg" else (INCH_FROM_CM, 1, "in")
        numbers = _MORE.sub(lambda n: f"{float(n[0]) * factor:.{places}f}", found[1] + found[2])
        return f"{numbers} {unit}"

    return _AMOUNT.sub(said, in_language(text))
