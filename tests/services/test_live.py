"""A set fed like a camera: reps as they end, the set's end, one cue; the same count as offline."""

from __future__ import annotations

import json
import shutil
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from deepmirror.core.skeleton import ALL_POINTS
from deepmirror.core.uncertain_value import Verdict
from deepmirror.errors import BadFilm
from deepmirror.exchange.brief import read_brief
from deepmirror.media.camera import FilmCamera, Shot
from deepmirror.media.film import Film
from deepmirror.movements.loader import load_catalogue
from deepmirror.pose.evidence import Evidence
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.live.counting import LiveCount
from deepmirror.services.live.live_command import live_command
from deepmirror.services.live.session import LiveSet, Looker, Newest, summary_of, the_one
from tests.conftest import DEMO, FILMS, MACHINES


@pytest.mark.parametrize("name", (*FILMS, *MACHINES))
def test_reps_are_counted_as_they_end_as_many_as_offline(analyses: dict[str, Analysis], name: str) -> None:
    """Fed look by look, with nothing of the future: each rep is told once, within half a second of its end as it is seen then."""
    analysis, seen = analyses[name], Evidence.load(DEMO / f"{name}.npz")
    file = analysis.brief.file
    count = LiveCount(load_catalogue().movement(file.movement), file.view, list(seen.names), file.pattern)
    late = []
    for k in np.flatnonzero(np.isfinite(seen.network[:, 0, 0])):
        late += [seen.times[k] - rep.end_s for rep in count.closed(seen.times[: k + 1], seen.network[: k + 1])]
    assert len(count.told) == len(analysis.scene.reps) and [r.number for r in count.told] == list(range(1, len(count.told) + 1))
    assert max(late) < 0.5
    for told, known in zip(count.told, analysis.scene.reps, strict=True):
        assert abs(told.bottom_s - known.bottom_s) < 0.7  # a hip the network loses in a hinge is seen a little elsewhere
    assert count.closed(seen.times, seen.network, over=True) == [], "nothing is told twice"


def test_nobody_in_the_picture_is_no_rep() -> None:
    count = LiveCount(load_catalogue().movement("back_squat"), "side-left", ["hip_left"])
    assert count.closed(np.arange(5) / 30, np.full((5, 1, 2), np.nan)) == []


def squatting(deepest_deg: float, ankle_lost_px: float = 0.0, walks_px: float = 0.0) -> int:
    """How many reps are told of one squat, 3 s long, of a client whose shank is 100 px long: her ankle is seen so far off before it, and
    she stands so far away after it."""
    times = np.arange(0, 6, 1 / 7.5)
    bend = np.radians(5 + (deepest_deg - 5) * (1 - np.cos(2 * np.pi * np.clip((times - 1.5) / 3, 0, 1))) / 2)
    ankle = np.stack([300 + np.where(times > 3, walks_px, 0.0), np.full(len(times), 400.0)], axis=1)
    knee = ankle + 100 * np.stack([np.sin(bend / 3), -np.cos(bend / 3)], axis=1)
    hip = knee + 100 * np.stack([-np.sin(2 * bend / 3), -np.cos(2 * bend / 3)], axis=1)
    network = np.full((len(times), len(ALL_POINTS), 2), 600.0)
    for joint, path in (("ankle", ankle), ("knee", knee), ("hip", hip), ("shoulder", hip - [0.0, 120.0])):
        network[:, ALL_POINTS.index(f"{joint}_right")] = path
    network[times < 1.7, ALL_POINTS.index("ankle_right"), 1] -= ankle_lost_px
    count = LiveCount(load_catalogue().movement("back_squat"), "side-right", list(ALL_POINTS))
    for k in range(1, len(times) + 1):
        count.closed(times[:k], network[:k])
    return len(count.told)


@pytest.mark.parametrize(
    ("seen", "told"),
    [({}, 1), ({"deepest_deg": 172.0}, 0), ({"ankle_lost_px": 60.0}, 1), ({"walks_px": 60.0}, 0)],
    ids=["a squat", "no body bends so far", "an ankle lost in the dark", "a walk"],
)
def test_a_rep_is_one_of_a_body_that_stays_where_it_stands(seen: dict[str, float], told: int) -> None:
    assert squatting(**({"deepest_deg": 120.0} | seen)) == told


def test_one_cue_is_safety_else_what_stayed_else_what_was_well(analyses: dict[str, Analysis]) -> None:
    press, clean, mixed = (summary_of(analyses[n]) for n in ("oren_leg_press_side", "tove_back_squat_side", "bram_back_squat_side"))
    assert press.finding == "pelvis_tuck" and "tailbone" in press.cue and press.clean_reps == 2
    assert clean.finding is None and "Every rep was clean" in clean.cue
    assert mixed.finding is None and mixed.cue.startswith("2 of 4 reps were clean"), "one rep short and one quick: neither stayed"
    assert the_one(analyses["nuru_leg_extension_side"]).code == "pivot_misaligned"  # type: ignore[union-attr]
    uneven = analyses["oren_belt_squat_front"]
    assert summary_of(uneven).finding == "toe_out_asymmetry", "uneven feet are so in the whole set"
    checks = tuple(replace(c, verdict=Verdict.CANNOT_TELL) if c.code.startswith("knee_valgus") else c for c in uneven.judgement.checks)
    unsure = summary_of(replace(uneven, judgement=replace(uneven.judgement, findings=(), checks=checks)))
    assert unsure.finding is None and "could be told yet" in unsure.cue, "knees that no film could judge are not praised"
    lost = replace(analyses["oren_leg_press_side"], scene=replace(analyses["oren_leg_press_side"].scene, reps=[]))
    lost = replace(lost, measured=replace(lost.measured, reps=()), judgement=replace(lost.judgement, findings=(), checks=()))
    kept = summary_of(lost, counted=3)
    assert (kept.reps, kept.finding, kept.judged) == (3, None, False), "what was counted before her eyes is not taken back for none"
    assert "follows" in kept.cue and summary_of(lost).reps == 0
    assert summary_of(analyses["oren_leg_press_side"], counted=press.reps + 1) == press, "one told too many is corrected"


def test_the_command_says_what_happens_in_order_and_corrects_itself(short_film: Path, tmp_path: Path) -> None:
    brief = tmp_path / "brief.json"
    shutil.copyfile(DEMO / "tove_back_squat_side.brief.json", brief)
    lines: list[str] = []
    live_command(short_film, brief, 0.0, lines.append)
    rows = [json.loads(line) for line in lines]
    assert [r["event"] for r in rows] == ["rep", "set_end", "summary", "final"]
    rep, end, summary, final = rows
    assert rep["n"] == 1 and rep["start_s"] < rep["end_s"] <= rep["at_s"] + 0.2
    assert set(rep["tempo_s"]) == {"eccentric", "bottom", "concentric", "top"} and rep["tempo_s"]["eccentric"] == pytest.approx(
        1.9, abs=0.4
    )
    assert end["end_s"] == rep["end_s"] and end["at_s"] <= summary["at_s"] <= final["at_s"]
    assert {"reps", "clean_reps", "finding", "cue"} <= set(summary) and final["reps"] == 1 and final["told"] == 1


def test_a_film_that_is_none_is_refused(tmp_path: Path) -> None:
    (tmp_path / "no.mp4").write_bytes(b"no film")
    with pytest.raises(BadFilm):
        live_command(tmp_path / "no.mp4", DEMO / "tove_back_squat_side.brief.json", 0.0, print)


def test_a_camera_keeps_its_time_and_a_slow_look_drops_pictures(short_film: Path) -> None:
    passed = [0.0]

    def clock() -> float:
        passed[0] += 0.004
        return passed[0]

    camera = FilmCamera(short_film, speed=0.0, clock=clock)
    newest = Newest(camera, 4, wait_for_all=True)
    shots = list(newest.looks())
    assert [s.number for s in shots] == list(range(0, len(newest.times), 4)) and len(newest.times) == len(camera.film.times)
    assert (newest.looked, newest.dropped) == (len(shots), 0)
    hurried = Newest(camera, 4, wait_for_all=False)
    looks = hurried.looks()
    next(looks)
    while len(hurried.times) < len(newest.times):  # a look that takes until the film is over
        time.sleep(0.002)
    assert [s.number for s in looks] == [shots[-1].number] and (hurried.looked, hurried.dropped) == (2, len(shots) - 2)
    before = camera.now_s()
    assert before >= camera.film.times[-1] and camera.now_s() > before, "after the film's end the clock goes on"
    camera.close()


def test_a_live_look_sees_the_backs_outline_where_the_back_is_judged() -> None:
    """So that a back that rounds is found in the rest too, and not by the full analysis alone."""
    catalogue = load_catalogue()
    for name, judged in (("tove_romanian_side", True), ("tove_back_squat_side", False)):
        brief = replace(read_brief(DEMO / f"{name}.brief.json"), seeds=())
        live = LiveSet(brief, catalogue, every=4)
        with Film(DEMO / f"{name}.mp4") as film:
            shots = [Shot(n, float(film.times[n]), film.picture(n)) for n in (0, 4)]
        looker = Looker(brief, live.movement)
        for shot in shots:
            live.following.picture(shot.number, shot.time_s, lambda shot=shot: shot.picture)
            seen = looker.look(shot)
            assert seen is not None and (seen.back is not None) == judged
            live.following.look(shot.number, seen)
        back = live.following.settled().evidence.back
        live.following.close()
        assert len(back) == (2 if judged else 0) and (not judged or np.isfinite(back[..., 0]).mean() > 0.8)
