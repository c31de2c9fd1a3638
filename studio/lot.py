"""Draws a client's film from a seed: who lifts what, before which camera, in which light, with what in the way and which faults.

Only numbers are drawn here; `client_film.py` makes the film. Seeds below 1000 are for work; 1000 to 1099 are sealed: rendered
and scored once, at the end, and reported whatever they say.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

SEALED = range(1000, 1100)

# movement and view, and how often each is drawn
SETS: tuple[tuple[str, str, float], ...] = (
    ("back_squat", "side", 0.20),
    ("back_squat", "front", 0.12),
    ("back_squat", "rear", 0.05),
    ("belt_squat", "front", 0.05),
    ("romanian_deadlift", "side", 0.12),
    ("split_squat", "side", 0.08),
    ("leg_press", "side", 0.14),
    ("leg_press", "rear", 0.05),
    ("lying_leg_curl", "side", 0.08),
    ("seated_leg_curl", "side", 0.03),
    ("leg_extension", "side", 0.05),
    ("standing_calf_raise", "side", 0.03),
)
POSTURE = {
    "romanian_deadlift": "romanian",
    "leg_press": "leg_press",
    "lying_leg_curl": "lying_curl",
    "seated_leg_curl": "seated_curl",
    "leg_extension": "leg_extension",
    "standing_calf_raise": "calf_raise",
}
STANDING = ("back_squat", "belt_squat", "romanian_deadlift", "split_squat")
LIFT_FIRST = ("lying_leg_curl", "seated_leg_curl", "leg_extension", "standing_calf_raise")
# where the middle of the picture looks, forward and up of the origin, m, by movement
AIM = {"leg_press": (0.15, 0.75), "lying_leg_curl": (-0.1, 0.6), "romanian_deadlift": (0.05, 0.85), "split_squat": (0.0, 0.8)}
RATES, RATE_SHARES = (24, 25, 30, 50, 60), (0.16, 0.22, 0.58, 0.02, 0.02)  # frames a second, and how often
PASTELS = ((206, 196, 180), (120, 150, 160), (160, 120, 90), (90, 110, 96), (190, 150, 110))


@dataclass(frozen=True)
class Drawn:
    """One film as drawn; lengths m, times s, angles degrees."""

    seed: int
    movement: str
    view: str
    client: dict[str, Any]
    lengths_given: bool
    phenotype: dict[str, float]
    clothes: dict[str, Any]
    camera: dict[str, Any]
    light: dict[str, Any]
    way: dict[str, Any]
    reps: list[list[float]]
    lead_s: float
    tail_s: float
    walk_s: tuple[float, float]
    fidgets: list[tuple[float, float]]
    style: dict[str, Any]
    faults: list[dict[str, Any]]
    tolerated: list[dict[str, Any]]
    cave_sides: tuple[float, float] = (1.0, 1.0)
    tempo: str = "2-0-1-0"
    looks: dict[str, Any] = field(default_factory=dict)


def draw(seed: int) -> Drawn:
    """The film of a seed; the same numbers always."""
    rng = np.random.default_rng(seed)
    weights = np.array([w for *_, w in SETS])
    movement, kind, _ = SETS[int(rng.choice(len(SETS), p=weights / weights.sum()))]
    view = kind if kind != "side" else str(rng.choice(["side-left", "side-right"]))
    client, phenotype = _client(rng)
    reps, faults, tolerated, sides = _set(rng, movement, kind)
    walks = movement in STANDING and movement != "split_squat" and rng.random() < 0.3
    walk = (float(rng.uniform(1.5, 3.5)), float(rng.uniform(1.0, 2.0)) if rng.random() < 0.6 else 0.0) if walks else (0.0, 0.0)
    fidgets = [(float(rng.uniform(0.0, 1.0)), float(rng.uniform(0.02, 0.07))) for _ in range(int(rng.integers(0, 4)))]
    return Drawn(
        seed, movement, view, client, bool(rng.random() < 0.7), phenotype, _clothes(rng), _camera(rng, movement, kind), _light(rng),
        _in_the_way(rng, movement, kind), reps, float(rng.uniform(0.4, 1.2)), float(rng.uniform(0.3, 0.9)), walk, fidgets,
        _style(rng, movement, kind), faults, tolerated, sides, looks=_room(rng),
    )  # fmt: skip


def _client(rng: np.random.Generator) -> tuple[dict[str, Any], dict[str, float]]:
    female = bool(rng.random() < 0.5)
    stature = float(rng.normal(166, 6.5) if female else rng.normal(179, 7))
    weight, muscle = float(rng.uniform(0.35, 0.75)), float(rng.uniform(0.4, 0.75))
    bmi = 19 + 14 * (weight - 0.3) + 4 * (muscle - 0.4)
    phenotype = {
        "gender": 1.0 if female else 0.0, "age": float(rng.uniform(0.5, 0.8)), "muscle": muscle, "weight": weight,
        "height": float(rng.uniform(0.3, 0.7)), "proportions": float(rng.uniform(0.35, 0.65)),
    }  # fmt: skip
    mass = bmi * (stature / 100) ** 2
    return {"stature_cm": round(stature, 1), "mass_kg": round(mass, 1), "sex": "female" if female else "male"}, phenotype


def _colour(rng: np.random.Generator, low: int, high: int) -> list[int]:
    return [int(v) for v in rng.integers(low, high, 3)]


def _clothes(rng: np.random.Generator) -> dict[str, Any]:
    dark = bool(rng.random() < 0.35)
    cloth = (lambda: _colour(rng, 14, 46)) if dark else (lambda: _colour(rng, 40, 235))
    skins = [[228, 190, 160], [206, 160, 128], [168, 122, 92], [122, 84, 60], [84, 58, 44]]
    shirt, shorts = cloth(), cloth()
    plain = bool(rng.random() < 0.5)
    return {
        "skin": skins[int(rng.integers(len(skins)))], "shirt": shirt, "shorts": shorts, "shoes": _colour(rng, 30, 240),
        "sole": _colour(rng, 30, 240), "hair": _colour(rng, 15, 120), "stripe": shirt if plain else _colour(rng, 30, 235),
        "hem": [int(rng.choice([-90, 20, 30, 40]))],  # per cent of the thigh left bare; -90: trousers to the ankle
        "lift": float(rng.choice([1.0, 1.0, 1.6, 3.0])),  # baggy cloth stands off that many times as far
        "pattern": float(rng.choice([0.0, 0.0, 0.25])),
    }  # fmt: skip


def _camera(rng: np.random.Generator, movement: str, kind: str) -> dict[str, Any]:
    portrait = bool(rng.random() < 0.35)
    long, short = (1280, 720) if rng.random() < 0.55 else (960, 540)  # as a messenger passes them on
    size = (short, long) if portrait else (long, short)
    angle = float(rng.uniform(45, 80))  # of the longer side
    focal = max(size) / 2 / np.tan(np.radians(angle / 2))
    forward, up = AIM.get(movement, (0.0, 0.88))
    # far enough for the body to be in the picture: standing people need height, lying ones breadth
    need = 2.1 if movement in STANDING or kind == "front" else 2.2
    side_px = size[1] if movement in STANDING or kind != "side" else size[0]
    distance = max(float(rng.uniform(1.8, 5.0)), need * focal / side_px * 1.02)
    distance = min(distance, 5.0) if distance < 5.0 else distance
    if kind == "side":
        yaw = float(rng.normal(0, 4)) if rng.random() < 0.65 else float(rng.uniform(-35, 35))
    else:
        yaw = float(rng.normal(0, 4)) if rng.random() < 0.8 else float(rng.uniform(-14, 14))
    height = float(rng.uniform(0.2, 1.8)) if kind != "rear" or movement != "leg_press" else float(rng.uniform(1.9, 2.4))
    hold = str(rng.choice(["tripod", "tripod", "leant", "hand", "pan"], p=[0.3, 0.3, 0.15, 0.18, 0.07]))
    roll = rng.normal(0, 1.3)
    aim = (forward + float(rng.normal(0, 0.05)), up + float(rng.normal(0, 0.04)))
    return {
        "size": size, "focal_px": float(focal), "distance_m": distance, "height_m": height, "yaw_deg": yaw,
        "roll_deg": float(np.clip(roll, -4, 4)), "aim": aim, "k1": float(rng.uniform(-0.05, 0.01)), "hold": hold,
        "sway_m": float(rng.uniform(0.008, 0.03)), "pan_m": float(rng.uniform(-0.3, 0.3)), "fps": int(rng.choice(RATES, p=RATE_SHARES)),
        "uneven": float(rng.choice([0.0, 0.0, 0.0, 0.25])), "crf": int(rng.integers(23, 31)),
    }  # fmt: skip


def _light(rng: np.random.Generator) -> dict[str, Any]:
    kind = str(rng.choice(["day", "day", "lamps", "dusk", "window"]))
    strength = {"day": (90, 150), "lamps": (70, 120), "dusk": (25, 50), "window": (35, 70)}[kind]
    noise = float(rng.uniform(1, 3)) if kind in ("day", "lamps") else float(rng.uniform(3, 7))
    return {"kind": kind, "light": float(rng.uniform(*strength)), "noise": noise}


def _room(rng: np.random.Generator) -> dict[str, list[int]]:
    dark = bool(rng.random() < 0.25)
    wall = _colour(rng, 25, 60) if dark else list(PASTELS[int(rng.integers(len(PASTELS)))])
    names = ("floor", "wall_low", "wall_high", "jackets", "jackets_b", "locker", "post", "bench")
    drawn = {n: _colour(rng, 40, 210) for n in names}
    return drawn | {"wall_low": [int(0.75 * v) for v in wall], "wall_high": wall}


def _in_the_way(rng: np.random.Generator, movement: str, kind: str) -> dict[str, Any]:
    """Things that stand or move before the client, and people and mirrors beside her."""
    out: dict[str, Any] = {}
    if kind == "side" and movement in ("leg_press", "lying_leg_curl", "leg_extension", "seated_leg_curl") and rng.random() < 0.5:
        out["hand_at_hip"] = True
    if kind == "side" and rng.random() < 0.3:
        out["upright_m"] = float(rng.uniform(-0.15, 0.4) if movement != "lying_leg_curl" else rng.uniform(-0.4, 0.1))
    if kind == "side" and movement in ("leg_press", "back_squat") and rng.random() < 0.3:
        out["rail_m"] = float(rng.uniform(0.15, 0.45))
    if movement in ("back_squat", "romanian_deadlift"):
        out["plate_m"] = float(rng.choice([0.14, 0.175, 0.225]))
    if movement == "split_squat" and rng.random() < 0.6:
        out["dumbbells"] = True
    if rng.random() < 0.15:
        out["passes_s"] = (float(rng.uniform(0.2, 0.8)), float(rng.choice([-1.3, 1.3], p=[0.75, 0.25])))  # when, and behind or before
    if rng.random() < 0.12:
        out["stands_m"] = float(rng.uniform(-1.5, 1.5))
    if rng.random() < 0.12:
        out["mirror"] = True
    return out


def _set(
    rng: np.random.Generator, movement: str, kind: str
) -> tuple[list[list[float]], list[dict[str, Any]], list[dict[str, Any]], tuple[float, float]]:
    """Reps [eccentric, bottom, concentric, top, depth, fault], what is wrong with them, and which knees cave."""
    quick = bool(rng.random() < 0.12)
    count = int(rng.integers(8, 13)) if quick else int(rng.choice([3, 3, 3, 4, 6]))
    slow, fast = (0.75, 0.55) if quick else (2.0, 1.0)
    reps = [
        [
            slow * float(rng.normal(1, 0.05)),
            float(rng.uniform(0.08, 0.3)),
            fast * float(rng.normal(1, 0.06)),
            float(rng.uniform(0.1, 0.7)),
            1.0,
            0.0,
        ]
        for _ in range(count)
    ]
    if rng.random() < 0.15:
        reps[count // 2][3] = float(rng.uniform(2.5, 4.0))  # rest-pause
    faults: list[dict[str, Any]] = []
    tolerated: list[dict[str, Any]] = [{"code": c} for c in ("speed_loss", "range_loss", "tempo_off", "short_pause")]
    sides = (1.0, 1.0)
    if quick:
        tolerated += [{"code": "tempo_fast_eccentric"}, {"code": "bounce_at_bottom"}, {"code": "launch"}]
    which = sorted(int(k) for k in rng.choice(count, size=int(rng.integers(1, max(2, count // 2 + 1))), replace=False))
    named = [k + 1 for k in which]
    if rng.random() < 0.55:
        own = str(rng.choice(_possible(movement, kind)))
        sides = _plant(rng, own, movement, reps, which, quick)
        faults = _named(own, named, sides)
        if own == "short" and movement in ("leg_extension", "seated_leg_curl", "lying_leg_curl"):
            tolerated.append({"code": "short_of_straight"})
    return reps, faults, tolerated, sides


def _possible(movement: str, kind: str) -> list[str]:
    out = ["short", "fast"]
    if kind in ("front", "rear") and movement in ("back_squat", "belt_squat"):
        out += ["cave"] * 4
    if kind == "side" and movement == "leg_press":
        out += ["curl"] * 4
    if movement == "lying_leg_curl":
        out += ["lift"] * 3
    if movement == "romanian_deadlift":
        out += ["round"] * 2
    return out


def _plant(
    rng: np.random.Generator, own: str, movement: str, reps: list[list[float]], which: list[int], quick: bool
) -> tuple[float, float]:
    sides = (1.0, 1.0)
    if own == "cave":
        sides = ((1.0, 1.0), (1.0, 0.0), (0.0, 1.0))[int(rng.integers(3))]
    size = {"cave": rng.uniform(4, 9), "curl": rng.uniform(2, 5), "lift": rng.uniform(2, 5), "round": rng.uniform(15, 32)}.get(own, 0.0)
    for k in which:
        if own == "short":
            reps[k][4] = float(rng.uniform(0.6, 0.75))
        elif own == "fast":
            reps[k][0] = float(rng.uniform(0.45, 0.6) if quick else rng.uniform(0.55, 0.8))
        else:
            reps[k][5] = float(size * rng.uniform(0.85, 1.15))
    return sides


def _named(own: str, reps: list[int], sides: tuple[float, float]) -> list[dict[str, Any]]:
    both = ["knee_valgus", "knee_valgus_left", "knee_valgus_right"]
    cave = both if sides == (1.0, 1.0) else ["knee_valgus", "knee_valgus_left" if sides[0] else "knee_valgus_right"]
    table = {
        "short": ["shallow_depth", "partial_rep", "short_of_straight"],
        "fast": ["tempo_fast_eccentric"],
        "cave": cave,
        "curl": ["pelvis_tuck", "seat_lift_off", "hip_lift_off"],
        "lift": ["hip_lift_off"],
        "round": ["back_rounding"],
    }
    first, *others = table[own]
    return [{"code": first, "reps": reps, "accept_also": others}]


def _style(rng: np.random.Generator, movement: str, kind: str) -> dict[str, Any]:
    """What the posture parameters of this movement are for this client."""
    between = lambda low, high: float(rng.uniform(low, high))
    style: dict[str, Any] = {}
    if movement in ("back_squat", "belt_squat"):
        deep, out = ((100, 114) if kind in ("front", "rear") else (108, 126)), between(8, 26)
        style = {"knee_bottom_deg": between(*deep), "dorsi_bottom_deg": between(24, 33), "stance_cm": between(30, 48)}
        style |= {"toe_out_deg": (out + float(rng.normal(0, 2)), out + float(rng.normal(0, 2))), "bar_back_cm": between(5, 9)}
    elif movement == "split_squat":
        style = {"step_cm": between(62, 80), "lean_deg": (between(2, 8), between(8, 22))}
    elif movement == "romanian_deadlift":
        style = {"hip_deg": (6.0, between(85, 105)), "knee_deg": (8.0, between(15, 28)), "fault": "round"}
    elif movement == "leg_press":
        lean, far_hip = between(-60, -38), between(98, 116)
        style = {"lean_deg": (lean, lean), "hip_deg": (between(60, 74), far_hip), "knee_deg": (between(10, 18), between(92, 110))}
        style |= {"sole_deg": between(45, 65), "fault": "curl", "seat_deg": between(6, 18)}
    elif movement == "lying_leg_curl":
        style = {"knee_deg": (between(5, 12), between(100, 118))}
    elif movement == "leg_extension":
        style = {"knee_deg": (between(86, 100), between(3, 10))}
    return style
