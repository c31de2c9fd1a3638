"""Every fault of every movement draws itself: what is drawn lies by the body, its number beside what it measures and over no face."""

from __future__ import annotations

import numpy as np
import pytest

from deepmirror.core.measures.table import MEASURES
from deepmirror.core.sketches.sketch import Arc, Bar, Map, place_tag, similarity, thinned
from deepmirror.core.sketches.table import DRAWERS, sketch_of
from deepmirror.movements.schema import Movement
from deepmirror.reply.draw import tag_box
from deepmirror.reply.frame_painter import bar_words
from deepmirror.services.films.analysis import Analysis
from tests.movements.drawing_cases import Case, cases_of, overlay_of, picture_of, side_cases
from tests.movements.rig import CATALOGUE, POSES

SIDE = [m for m in CATALOGUE.movements.values() if not POSES[m.id].spread]
TIMED = {"s", "%"}


def check(case: Case) -> None:
    """It is drawn, inside the body's surroundings, and its number hangs at what it measures."""
    assert not case.sketch.empty(), f"{case.code} draws nothing"
    film = case.scene.film_track
    low, high = film.positions.reshape(-1, 2).min(axis=0), film.positions.reshape(-1, 2).max(axis=0)
    room = 0.6 * float(np.linalg.norm(high - low))
    for p in case.sketch.points():
        assert (p >= low - room).all() and (p <= high + room).all(), f"{case.code}: {p} lies far from the body"
    here, tag, size = film.positions[case.frame], case.sketch.tag, float(np.linalg.norm(high - low))
    assert tag is not None and np.linalg.norm(here - tag, axis=1).min() < 0.35 * size, f"{case.code}: its tag is nowhere"
    joint = MEASURES[case.measure].focus.joints
    if joint and MEASURES[case.measure].unit not in TIMED:
        at = [here[i] for i, n in enumerate(film.names) if n.rsplit("_", 1)[0] in joint or n in joint or n == "bar"]
        assert min(float(np.linalg.norm(a - tag)) for a in at) < 0.4 * size, f"{case.code}: not by its joint"


@pytest.mark.parametrize("movement", SIDE, ids=lambda m: m.id)
def test_every_fault_draws_itself(movement: Movement) -> None:
    cases = side_cases(movement)
    assert cases
    for case in cases:
        check(case)


def test_every_fault_a_front_film_shows_draws_itself(analyses: dict[str, Analysis]) -> None:
    seen = set()
    for name in ("yuna_back_squat_front", "oren_belt_squat_front"):
        for case in cases_of(analyses[name].movement, analyses[name].scene):
            check(case)
            seen.add(case.measure)
    assert {"knee_inside_left_cm", "knee_inward_right_cm", "toe_out_asymmetry_deg", "stance_asymmetry_cm", "hip_shift_cm"} <= seen


def test_what_is_drawn_is_as_large_as_the_number_says(analyses: dict[str, Analysis]) -> None:
    """A gap in the picture over the scale is the gap in the table, an arc spans the angle in it."""
    seen = 0
    for name in ("ines_lying_curl_side", "bram_back_squat_side", "yuna_back_squat_front"):
        scene = analyses[name].scene
        assert scene.px_per_cm is not None
        for case in cases_of(analyses[name].movement, scene):
            shows = {"hip_lift_cm", "knee_inside_left_cm", "knee_past_toe_cm", "trunk_lean_max_deg", "knee_flexion_max_deg"}
            if case.measure in shows and case.value.value > 0:
                size = case.sketch.extent() / (scene.px_per_cm.value if case.measure.endswith("_cm") else 1.0)
                assert size == pytest.approx(case.value.value, abs=max(1.5 * case.value.u, 1.0)), case.measure
                seen += 1
    assert seen >= 4


def test_tags_keep_off_faces_and_inside_the_picture(analyses: dict[str, Analysis]) -> None:
    for name in ("bram_back_squat_side", "yuna_back_squat_front"):
        for case in cases_of(analyses[name].movement, analyses[name].scene):
            overlay = overlay_of(case, "12.3 cm", zoom=0.0)
            box = tag_box(overlay, (1280, 720))
            assert box[0] >= 0 and box[1] >= 0 and box[2] <= 1280 and box[3] <= 720
            for x, y, r in overlay.faces:
                nearest = np.clip(x, box[0], box[2]), np.clip(y, box[1], box[3])
                assert np.hypot(nearest[0] - x, nearest[1] - y) >= r, case.code


def test_a_tag_with_no_room_elsewhere_leaves_the_face_free() -> None:
    box = place_tag(np.array([100.0, 60.0]), (80.0, 30.0), (0.0, 0.0, 200.0, 200.0), ((150.0, 30.0, 40.0),), [], 1.0)
    nearest = np.clip(150.0, box[0], box[2]), np.clip(30.0, box[1], box[3])
    assert np.hypot(nearest[0] - 150, nearest[1] - 30) >= 40


def test_drawings_follow_a_camera_that_moves() -> None:
    rng = np.random.default_rng(4)
    points, turn = rng.uniform(0, 500, (8, 2)), np.radians(7)
    moved = points @ np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]]) * 1.1 + [12, -30]
    found = similarity(points, moved)
    assert np.allclose([found(p) for p in points], moved)
    assert np.allclose(Map()(points[0]), points[0])
    arc = Arc(np.zeros(2), np.array([100.0, 0.0]), np.array([0.0, 100.0]))
    assert arc.turn_deg() == pytest.approx(90) and arc.points(1.0)[0] == pytest.approx([62, 0])


def test_bars_are_painted_where_they_hide_nothing_and_say_their_numbers() -> None:
    case = next(c for c in side_cases(CATALOGUE.movements["back_squat"]) if c.measure == "eccentric_share_pct")
    chosen = next(b for b in case.sketch.bars if b.chosen)
    assert (chosen.label, chosen.asked) == ("lowering", 3.0) and bar_words(chosen) == f"{chosen.seen:.1f} of 3 s"
    assert bar_words(Bar("2", 87.4, "%")) == "87 %"
    plain, drawn = picture_of(case), picture_of(Case(**{**vars(case), "sketch": sketch_of(case.scene, None, case.frame)}))
    changed = (plain != drawn).any(axis=2)
    assert changed.sum() > 5000 and not changed[:, 400:800].any(), "a corner, not the body"


def test_the_rep_in_question_has_its_bar_in_a_long_set() -> None:
    bars = tuple(Bar(str(n), 1.0, "s", None, n == 17) for n in range(1, 31))
    shown = [b.label for b in thinned(bars, 10)]
    assert len(shown) <= 10 and {"1", "17", "30"} <= set(shown) and shown == sorted(shown, key=int)
    assert thinned(bars[:4], 10) == bars[:4]


def test_every_drawing_a_measure_asks_for_is_there() -> None:
    plain = {spec.name for spec in MEASURES.values() if spec.focus.drawing not in DRAWERS}
    assert plain == {"px_per_cm", "camera_pitch_deg", "camera_yaw_deg", "sole_slope_deg", "time_under_tension_s"}
