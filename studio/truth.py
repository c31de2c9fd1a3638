"""What really happened, and what a coach would have clicked."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from studio.body import Body
from studio.chain import Lifter
from studio.lifts import Squatter
from studio.scene import Pinhole

Array = NDArray[np.float64]
JOINTS = ("ear", "shoulder", "elbow", "wrist", "hip", "knee", "ankle", "heel", "toe")
SIDES = ("left", "right")
BOUNDLESS = (1e9, 1e9)  # films that are not drawn by lot show the whole client


def between(a: Array, b: Array, c: Array) -> Array:
    """Angle abc in degrees, rows of points."""
    u, v = a - b, c - b
    cos = (u * v).sum(-1) / np.linalg.norm(u, axis=-1) / np.linalg.norm(v, axis=-1)
    return np.degrees(np.arccos(np.clip(cos, -1, 1)))


def angles(lm: dict[str, Array]) -> dict[str, Array]:
    """Three-dimensional angles per frame (degrees) from landmark paths (T, 3) in metres."""
    out: dict[str, Array] = {}
    trunk = (lm["shoulder_left"] + lm["shoulder_right"] - lm["hip_left"] - lm["hip_right"]) / 2
    out["trunk_lean"] = np.degrees(np.arctan2(-trunk[:, 1], trunk[:, 2]))
    for s in SIDES:
        hip, knee, ankle = lm[f"hip_{s}"], lm[f"knee_{s}"], lm[f"ankle_{s}"]
        out[f"knee_flexion_{s}"] = 180 - between(hip, knee, ankle)
        front = np.cross(trunk, hip - knee)[:, 0] < 0
        bend = 180 - between(lm[f"shoulder_{s}"], hip, knee)
        out[f"hip_flexion_{s}"] = np.where(front, bend, -bend)
        sole = lm[f"toe_{s}"] - lm[f"heel_{s}"]
        out[f"ankle_dorsiflexion_{s}"] = 90 - between(knee, ankle, ankle + sole)
        thigh = hip - knee
        out[f"thigh_from_horizontal_{s}"] = np.degrees(np.arctan2(thigh[:, 2], np.hypot(thigh[:, 0], thigh[:, 1])))
        sign = 1 if s == "left" else -1
        a = np.arctan2(sign * (hip - knee)[:, 0], (hip - knee)[:, 2])
        b = np.arctan2(sign * (knee - ankle)[:, 0], (knee - ankle)[:, 2])
        out[f"fppa_{s}"] = np.degrees(a - b)
        axis = ankle - hip
        u = ((knee - hip)[:, 2]) / axis[:, 2]
        out[f"knee_medial_cm_{s}"] = -sign * (knee[:, 0] - (hip[:, 0] + u * axis[:, 0])) * 100
    return out


def rep_measures(ang: dict[str, Array], lm: dict[str, Array], near: str | None, window: NDArray[np.bool_]) -> dict[str, float]:
    out: dict[str, float] = {}
    for s in SIDES:
        for key in ("knee_flexion", "hip_flexion"):
            out[f"{key}_max_deg_{s}"] = ang[f"{key}_{s}"][window].max()
            out[f"{key}_min_deg_{s}"] = ang[f"{key}_{s}"][window].min()
        out[f"thigh_from_horizontal_min_deg_{s}"] = ang[f"thigh_from_horizontal_{s}"][window].min()
        out[f"dorsiflexion_max_deg_{s}"] = ang[f"ankle_dorsiflexion_{s}"][window].max()
        out[f"fppa_max_deg_{s}"] = ang[f"fppa_{s}"][window].max()
        out[f"knee_medial_cm_max_{s}"] = ang[f"knee_medial_cm_{s}"][window].max()
    s = near or "left"
    out["knee_flexion_max_deg"], out["knee_flexion_min_deg"] = out[f"knee_flexion_max_deg_{s}"], out[f"knee_flexion_min_deg_{s}"]
    out["trunk_lean_max_deg"] = ang["trunk_lean"][window].max()
    knees = np.abs(lm["knee_left"][:, 0] - lm["knee_right"][:, 0])
    ankles = np.abs(lm["ankle_left"][:, 0] - lm["ankle_right"][:, 0])
    out["knee_ankle_separation_ratio_min"] = (knees / ankles)[window].min()
    return {k: round(float(v), 2) for k, v in out.items()}


def segments_cm(body: Body) -> dict[str, float]:
    j = body.joints
    mid = lambda n: (j[f"{n}_left"] + j[f"{n}_right"]) / 2
    return {
        k: round(100 * float(v), 2)
        for k, v in {
            "thigh": body.length("hip_left", "knee_left"),
            "shank": body.length("knee_left", "ankle_left"),
            "foot": body.length("heel_left", "toe_left"),
            "trunk": np.linalg.norm(mid("shoulder") - mid("hip")),
            "biacromial": body.length("shoulder_left", "shoulder_right"),
            "hip_breadth": body.length("hip_left", "hip_right"),
        }.items()
    }


def describe(
    film: dict[str, Any],
    body: Body,
    cameras: Sequence[Pinhole],
    times: Array,
    marks: list[dict[str, float]],
    lm: dict[str, Array],
    lifter: Any,
    first: str,
) -> dict[str, Any]:
    """The truth file of one film; landmark paths (T, 3) in metres."""
    ang, view = angles(lm), film["view"]
    near = view.split("-")[1] if view.startswith("side") else None
    reps = []
    for rep, m in zip(film["reps"], marks, strict=True):
        window = (times >= m["start_s"] - 1e-9) & (times <= m["end_s"] + 1e-9)
        phases = {"eccentric": rep[0], "bottom": rep[1], "concentric": rep[2], "top": rep[3]}
        measures = rep_measures(ang, lm, near, window)
        fault = float(rep[5]) if len(rep) > 5 else 0.0
        if isinstance(lifter, Lifter) and (lifter.posture.anchor == "knee" or lifter.posture.fault == "curl"):
            measures["hip_lift_cm"] = fault
        if isinstance(lifter, Squatter) or (isinstance(lifter, Lifter) and lifter.posture.sole_deg is not None):
            measures["heel_rise_cm"] = 0.0
        if isinstance(lifter, Lifter) and lifter.posture.fault == "round":
            bend = 180 - between(lm[f"shoulder_{near}"], lm["mid_back"], lm[f"hip_{near}"])
            measures["spine_flexion_deg"] = round(float(bend[window].max() - bend[0]), 2)
        reps.append(
            {
                **{k: round(v, 4) for k, v in m.items()},
                "bottom_s": round((m["turn_start_s"] + m["turn_end_s"]) / 2, 4),
                "phases_s": phases,
                "measures": measures,
            }
        )
    project = lambda v: np.array([c.project(p) for c, p in zip(cameras, v, strict=True)])
    truth: dict[str, Any] = {
        "name": film["name"],
        "fps": film["fps"],
        "frames": len(times),
        "movement": film["movement"],
        "view": view,
        "near_side": near,
        "first_phase": first,
        "client": {**film["client"], "segments_cm": segments_cm(body)},
        "camera": {"P": cameras[0].matrix().tolist(), "yaw_off_perpendicular_deg": film.get("yaw_deg", 0.0)},
        "landmarks_px": {k: np.round(project(v), 2).tolist() for k, v in lm.items()},
        "angles_deg": {k: np.round(v, 2).tolist() for k, v in ang.items()},
        "angles_2d_near_deg": {},
        "reps": reps,
        "measures": clip_measures(body, lifter) | pivot_truth(film, lm, marks, times, near),
        "faults": film["faults"],
        "tolerated": film.get("tolerated", []),
    }
    return truth


def clip_measures(body: Body, lifter: Any) -> dict[str, float]:
    """What holds for the whole film."""
    if not isinstance(lifter, Squatter):
        return {}
    stance, toe_out = lifter.style.stance_cm, lifter.style.toe_out_deg
    return {
        "stance_width_cm": stance,
        "stance_to_shoulder_ratio": round(stance / segments_cm(body)["biacromial"], 3),
        "toe_out_left_deg": toe_out[0],
        "toe_out_right_deg": toe_out[1],
    }


def pivot_truth(
    film: dict[str, Any], lm: dict[str, Array], marks: list[dict[str, float]], times: Array, near: str | None
) -> dict[str, float]:
    """Mean distance (cm) of the knee's centre from the machine's pivot over the reps, in the side plane."""
    if "pivot_m" not in film:
        return {}
    knee = lm[f"knee_{near}"]
    inside = np.any([(times >= m["start_s"]) & (times <= m["end_s"]) for m in marks], axis=0)
    away = np.array([-knee[inside, 1], knee[inside, 2]]).mean(axis=1) - np.array(film["pivot_m"])
    return {"pivot_misalignment_cm": round(float(100 * np.hypot(*away)), 2)}


def machine_marks(truth: dict[str, Any], film: dict[str, Any], camera: Pinhole) -> dict[str, Any]:
    """The machine's marks as the camera sees them; side films: points forward and up from the origin (m), near side.

    platform_m: [width, depth, height, forward] of a flat platform, corners given nearest left on the screen first, clockwise.
    """
    sign = 1 if truth["near_side"] == "left" else -1
    out: dict[str, Any] = {}
    for key, name in (("pad_m", "pad_line"), ("back_m", "back_pad"), ("edge_m", "bench_edge")):
        if key in film:
            points = np.array([[sign * 0.25, -f, up] for f, up in np.atleast_2d(film[key])])
            pixels = np.round(camera.project(points), 1).tolist()
            out[name] = pixels if len(pixels) > 1 else pixels[0]
    if "pivot_m" in film:
        forward, up = film["pivot_m"]
        out["pivot"] = np.round(camera.project(np.array([[sign * 0.12, -forward, up]]))[0], 1).tolist()
    if "platform_m" in film:
        width, depth, height, forward = film["platform_m"]
        corners = np.array([[x * width / 2, -forward - y * depth / 2, height] for x, y in ((-1, -1), (1, -1), (1, 1), (-1, 1))])
        out["platform"] = np.round(camera.project(corners), 1).tolist()
        out["platform_cm"] = [100 * width, 100 * depth]
    return out


def brief(film: dict[str, Any], truth: dict[str, Any], camera: Pinhole, scale_ends_m: Array, seed: int, first: int = 0) -> dict[str, Any]:
    """A coach's brief: clicks on one frame with 2 px noise, and the plinth as the known length."""
    rng = np.random.default_rng(seed)
    near = truth["near_side"]
    seeds = {}
    for joint in JOINTS:
        for side in [near] if near else SIDES:
            if near is None and joint == "ear":
                continue
            name = joint if near else f"{joint}_{side}"
            xy = np.array(truth["landmarks_px"][f"{joint}_{side}"][first]) + rng.normal(0, 2, 2)
            if np.all(xy >= 0) and np.all(xy <= np.array(truth.get("size", BOUNDLESS)) - 1):  # nobody clicks beside the picture
                seeds[name] = [round(float(v), 1) for v in xy]
    later: dict[str, list[float]] = {}  # points that are hidden at first are clicked on the first far turn-round
    frame = round(truth["reps"][0]["bottom_s"] * film["fps"]) if film.get("clicked_deep") else 0
    for name in film.get("clicked", []):
        spot = [round(float(v), 1) for v in np.array(truth["landmarks_px"][name][frame]) + rng.normal(0, 2, 2)]
        (later if frame else seeds)[name] = spot
    ends = camera.project(scale_ends_m) + rng.normal(0, 1, (2, 2))
    return {
        "movement": film["movement"],
        "view": film["view"],
        "client": truth["client"],
        "load_kg": film["load_kg"],
        "tempo": film["tempo"],
        "scale": {
            "points_px": np.round(ends, 1).tolist(),
            "length_cm": round(float(np.linalg.norm(np.diff(scale_ends_m, axis=0))) * 100, 1),
        },
        "marks": machine_marks(truth, film, camera),
        "seeds": [{"frame": first, "points_px": seeds}, *([{"frame": frame, "points_px": later}] if later else [])],
    }
