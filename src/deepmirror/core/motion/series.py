"""The angle series by name: how each is called and counted, and which films show it."""

from __future__ import annotations

from dataclasses import dataclass

from deepmirror.core.skeleton import SIDES
from deepmirror.words import say


@dataclass(frozen=True)
class SeriesSpec:
    """One series over the frames of a film. front_only: no side film shows it."""

    title: str
    unit: str = "°"
    front_only: bool = False


SERIES: dict[str, SeriesSpec] = {
    "knee_flexion": SeriesSpec("knee bend"),
    "hip_flexion": SeriesSpec("hip bend"),
    "ankle_dorsiflexion": SeriesSpec("ankle bend"),
    "trunk_lean": SeriesSpec("trunk lean"),
    "thigh_from_horizontal": SeriesSpec("thigh above level"),
    "shank_from_vertical": SeriesSpec("shin from upright"),
    "elbow_flexion": SeriesSpec("elbow bend"),
    "fppa": SeriesSpec("knee inward", front_only=True),
    "knee_medial": SeriesSpec("knee off its line", "% of the shank", front_only=True),
    "knee_to_foot": SeriesSpec("knee inside the foot's line", "% of the shank", front_only=True),
    "thigh_seen": SeriesSpec("thigh off the camera's axis", "", front_only=True),
    "leg_spread": SeriesSpec("legs apart", front_only=True),
    "knee_ankle_separation_ratio": SeriesSpec("knee gap over ankle gap", "", front_only=True),
}
"""By the name in measures.json without its side."""


def series_spec(name: str) -> SeriesSpec:
    """What is known of a series, by its name with or without its side. Raises KeyError."""
    side = next((s for s in SIDES if name.endswith(f"_{s}")), None)
    return SERIES[name.removesuffix(f"_{side}") if side else name]


def series_title(name: str) -> str:
    """A series as a coach calls it, with its side where its name has one: "knee bend, left". A name that is none stays as it is."""
    side = next((s for s in SIDES if name.endswith(f"_{s}")), None)
    spec = SERIES.get(name.removesuffix(f"_{side}") if side else name)
    return name.replace("_", " ") if spec is None else say("{title}, {side}", title=spec.title, side=side) if side else spec.title
