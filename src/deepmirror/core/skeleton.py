"""Names of the body points and of the segments between them."""

from __future__ import annotations

JOINTS = ("ear", "shoulder", "elbow", "wrist", "hip", "knee", "ankle", "heel", "toe")
SIDES = ("left", "right")
# Segment -> (joint at the origin, joint at the end); the trunk runs up, the limbs run down.
SEGMENTS = {
    "trunk": ("hip", "shoulder"),
    "thigh": ("hip", "knee"),
    "shank": ("knee", "ankle"),
    "foot": ("heel", "toe"),
    "upper_arm": ("shoulder", "elbow"),
    "forearm": ("elbow", "wrist"),
}
# Segments whose direction turns a patch of skin or cloth around each joint: nearer the trunk first.
CARRIERS = {
    "ear": ("trunk",),
    "shoulder": ("trunk", "upper_arm"),
    "elbow": ("upper_arm", "forearm"),
    "wrist": ("forearm",),
    "hip": ("thigh", "trunk"),
    "knee": ("thigh", "shank"),
    "ankle": ("shank", "foot"),
    "heel": ("foot",),
    "toe": ("foot",),
}


def sided(joint: str, side: str) -> str:
    """`hip`, `left` -> `hip_left`."""
    return f"{joint}_{side}"


def split(name: str) -> tuple[str, str | None]:
    """`hip_left` -> (`hip`, `left`); a point without a side keeps None."""
    joint, _, side = name.rpartition("_")
    return (joint, side) if side in SIDES else (name, None)


def near_side(view: str) -> str | None:
    """The client's side that faces the camera, or None in front and rear views."""
    return view.split("-")[1] if view.startswith("side-") else None


ALL_POINTS = tuple(sided(j, s) for j in JOINTS for s in SIDES)


def points_for(view: str) -> list[str]:
    """Body points followed in a view: the near side alone from the side, both sides otherwise."""
    near = near_side(view)
    return [sided(j, s) for j in JOINTS for s in ((near,) if near else SIDES)]
