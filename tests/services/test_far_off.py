"""A film whose camera stands far off must say that it cannot tell, never a wrong verdict with a narrow band."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from deepmirror.core.measures.context import CannotTell
from deepmirror.core.measures.table import MEASURES
from deepmirror.core.motion.reps import find_reps, with_uncertainty
from deepmirror.core.motion.tempo import parse_tempo
from deepmirror.core.skeleton import SIDES
from deepmirror.core.trajectories import UNKNOWN_U, Series, Track
from deepmirror.exchange.brief import check_brief
from deepmirror.media.film import Film, FilmFacts
from deepmirror.movements.loader import load_catalogue
from deepmirror.pose.evidence import Evidence
from deepmirror.services.films.analysis import Analysis, conclude
from deepmirror.services.films.repetitions import LEAPS, UNSEEN, bridged, leaping, repetitions
from tests.conftest import DEMO, truth_of
from tests.core.test_measures import squat_side

DATA = Path(__file__).parent.parent / "data"


@pytest.fixture(scope="module")
def askew() -> Analysis:
    """A leg extension filmed 42° off the side, as it came from a phone: no click, no mark."""
    known = json.loads((DEMO / "nuru_leg_extension_side.brief.json").read_text())
    brief = check_brief({k: known[k] for k in ("movement", "view", "tempo", "client")})
    with Film(DEMO / "arrivals" / "nuru_leg_extension_askew.mp4") as film:
        return conclude(film.facts, brief, load_catalogue(), Evidence.load(DATA / "nuru_leg_extension_askew.npz"))


def test_nothing_is_judged_that_cannot_be_seen(askew: Analysis) -> None:
    assert askew.judgement.findings == () and len(askew.scene.reps) == 3  # reps show from anywhere, angles do not
    assert not leaping(askew.signal)  # lengths that do not fit may not tear the skeleton
    doubted = {u.measure for u in askew.judgement.unmeasurable}
    assert {"knee_flexion_min_deg", "trunk_swing_deg"} <= doubted
    plane = askew.scene.plane
    assert plane is not None and abs(abs(plane.yaw.value) - 42) <= plane.yaw.u + 1  # the camera's own place, as the studio set it
    hip, seat = askew.scene.angles["hip_flexion_left"], truth_of("nuru_leg_extension_side")["angles_deg"]["hip_flexion_left"]
    off = abs(float(np.median(hip.values) - np.median(seat)))
    assert off < 15 and off < np.median(hip.u), "another set in the same seat: the band reaches over to its angle"


def test_films_from_the_side_are_not_refused(analyses: dict[str, Analysis]) -> None:
    for name, analysis in analyses.items():
        plane = analysis.scene.plane
        assert not leaping(analysis.signal) and (plane is None or not plane.strained), name


def test_a_leap_is_more_than_any_joint_can_turn_in_a_frame() -> None:
    times = np.arange(0, 2, 1 / 30)
    quick = 60 * np.sin(2 * np.pi * 1.5 * times)  # one and a half full swings a second: 565 °/s at its fastest
    assert not leaping(Series(times, quick, np.ones_like(times)))
    assert leaping(Series(times, np.where(times > 1, 50.0, 0.0), np.ones_like(times)))
    gap = np.concatenate([times[:20], times[20:] + 5])  # a film with a hole in it
    assert not leaping(Series(gap, np.where(gap > 4, 50.0, 0.0), np.ones_like(gap)))


@pytest.mark.parametrize("off_deg", [14, 30])
def test_a_turned_front_film_is_not_called_caving_knees_or_uneven_feet(off_deg: int) -> None:
    """A clean squat seen from 14° and 30° off the front (our rendered films): before the turn was estimated both were called."""
    brief = check_brief(json.loads((DATA / f"front_off_{off_deg}.brief.json").read_text()))
    evidence = Evidence.load(DATA / f"front_off_{off_deg}.npz")
    facts = FilmFacts(len(evidence.times), 30.0, len(evidence.times) / 30, 1280, 720, 0, "h264")
    analysis = conclude(facts, brief, load_catalogue(), evidence)
    yaw = analysis.measured.film["camera_yaw_deg"]
    assert abs(yaw.value - off_deg) <= yaw.u < 12
    assert len(analysis.scene.reps) == 3 and analysis.judgement.findings == ()
    assert any("knee" in u.title.lower() for u in analysis.judgement.unmeasurable)


def test_what_is_guessed_before_the_first_look_and_after_the_last_is_no_movement() -> None:
    """A set filmed live is summed up from few looks: the points run off where nobody was seen, and the rep must end where it ended."""
    times = np.arange(0, 8, 1 / 15)
    values = np.where((times > 2.5) & (times < 6), 60 - 55 * np.cos(2 * np.pi * (times - 2.5) / 3.5), 5.0)
    guessed = (times < 1.5) | (times > 6.8)
    running_off = np.where(times < 1.5, 120 - 70 * times, 5 - 60 * np.maximum(times - 6.8, 0))
    signal = Series(times, np.where(guessed, running_off, values), np.where(guessed, 150.0, 6.0))
    assert find_reps(times, signal.values, "eccentric", 25.0)[0].end_s > 7, "as it stood, the rep lasted as long as the points ran"
    kept = bridged(signal)
    (rep,) = find_reps(times, kept.values, "eccentric", 25.0)
    assert abs(rep.start_s - 2.5) < 0.4 and abs(rep.end_s - 6.0) < 0.4
    assert (kept.u[guessed] == UNKNOWN_U).all() and (kept.u[(times > 2) & (times < 6)] == 6.0).all()


def test_a_signal_lost_for_a_moment_is_bridged_and_accuses_of_nothing() -> None:
    """Somebody walks past during the second of four reps: four are counted, and the torn one is not taken for the largest."""
    times = np.arange(0, 12, 1 / 30)
    values = 50 - 45 * np.cos(2 * np.pi * times / 3)
    u = np.full(len(times), 4.0)
    lost = (times > 3.9) & (times < 5.1)
    torn = Series(times, np.where(lost, 170.0 * np.sin(20 * times), values), np.where(lost, 120.0, u))
    assert leaping(torn)
    signal = bridged(torn)
    assert not leaping(signal) and (signal.u[lost] == UNKNOWN_U).all() and np.array_equal(signal.u[times > 6], torn.u[times > 6])
    reps = with_uncertainty(find_reps(times, signal.values, "eccentric", 25.0), times, signal.u)
    assert len(reps) == 4 and max(reps[1].unsure.values()) > 0.5 > max(reps[2].unsure.values())
    tempo = MEASURES["eccentric_share_pct"]
    timed = replace(squat_side(), reps=reps, tempo=parse_tempo("2-0-1-0"))
    with pytest.raises(CannotTell, match="lost"):
        tempo.value(timed, reps[1])
    assert tempo.value(timed, reps[3]).u < 20
    stretched = [replace(r, range=1.6 * r.range) if r.number == 2 else r for r in reps]
    loss = MEASURES["range_loss_pct"].value(replace(squat_side(), reps=stretched))
    assert abs(loss.value) < loss.u + 3
    whole = Series(times, values, np.full(len(times), 90.0))
    assert bridged(whole) is whole


def test_noise_of_legs_that_nobody_saw_is_no_repetition() -> None:
    """Legs behind head and trunk, small in the picture: nothing is known of the knees, and what they seem to do is not judged."""
    times = np.arange(0, 12, 1 / 30)
    bends = 50 - 45 * np.cos(2 * np.pi * times / 3)
    squat, track = load_catalogue().movement("back_squat"), Track(times, (), np.empty((len(times), 0, 2)), np.empty((len(times), 0, 0)))

    def counted(u: np.ndarray, values: np.ndarray = bends) -> tuple[int, str]:
        found = repetitions({f"knee_flexion_{s}": Series(times, values, u) for s in SIDES}, track, squat, "front", None)
        return len(found.reps), found.refused

    assert counted(np.full(len(times), 4.0)) == (4, "")
    assert counted(np.full(len(times), UNKNOWN_U)) == (0, UNSEEN)
    assert counted(np.where(times % 3 < 0.8, 4.0, UNKNOWN_U)) == (4, ""), "behind a plate most of the time, and seen between"
    assert counted(np.where(times > 6, UNKNOWN_U, 4.0)) == (2, ""), "what was seen counts by itself"
    assert counted(np.full(len(times), 90.0)) == (4, ""), "a camera far off the side: unsure throughout, and still up and down"
    assert counted(np.full(len(times), 4.0), np.where(times > 6, 120.0, 0.0)) == (0, LEAPS)
