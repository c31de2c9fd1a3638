"""Who of several people is the client, without a click: the one who lifts, not the one who stands largest in the first picture."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice
from pathlib import Path

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from deepmirror.core.skeleton import ALL_POINTS
from deepmirror.core.views import TrunkTurn
from deepmirror.exchange.brief import Brief, MarksPart, read_brief
from deepmirror.media.film import Film
from deepmirror.media.writer import write_film
from deepmirror.movements.loader import load_catalogue
from deepmirror.pose.client_choice import lifts_more, motion, somebody_else
from deepmirror.pose.evidence import Evidence
from deepmirror.pose.network import Region
from deepmirror.pose.pose_tracker import QUICK
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.observation import observe
from tests.conftest import DEMO

LIFTER, BYSTANDER = "tove_back_squat_side", "bram_back_squat_side"
PLACE, PICTURES = 0.68, 170  # of the client's picture, which stands to the right behind the one who waits; enough for two reps


def one_who_waits_before_one_who_lifts() -> Iterator[NDArray[np.uint8]]:
    """A picture in two halves: left the first picture of a standing person over and over, right a smaller one who lifts."""
    with Film(DEMO / f"{BYSTANDER}.mp4") as other, Film(DEMO / f"{LIFTER}.mp4") as film:
        still = np.asarray(other.picture(0))
        height, width = still.shape[:2]
        half = still[:, width // 2 - 300 : width // 2 + 300]
        for picture in islice(film.stream(1), PICTURES):
            small = cv2.resize(picture, (round(PLACE * picture.shape[1]), round(PLACE * picture.shape[0])), interpolation=cv2.INTER_AREA)
            out = np.full((height, 600 + small.shape[1], 3), 90, np.uint8)
            out[:, :600] = half
            out[-small.shape[0] :, 600:] = small
            yield cv2.resize(out, (out.shape[1] // 4 * 2, height // 2), interpolation=cv2.INTER_AREA)


def test_who_lifts_is_followed_and_not_who_waits_before_her(tmp_path: Path) -> None:
    path = tmp_path / "two people.mp4"
    write_film(path, one_who_waits_before_one_who_lifts(), 30.0)
    brief = read_brief(DEMO / f"{LIFTER}.brief.json")
    alone = Brief(brief.file.model_copy(update={"seeds": [], "marks": MarksPart()}), brief.tempo, ())
    movement = load_catalogue().movement(brief.file.movement)
    with Film(path) as film:
        seen = observe(film, alone, movement, Progress(), QUICK)
    hips = np.nanmedian(seen.network[:, [seen.names.index(f"hip_{s}") for s in ("left", "right")], 0])
    assert hips > 600 / 2, "the one who lifts stands on the right"
    assert motion(seen) > 0.8


def moving(by: float, pan: float = 0.0) -> Evidence:
    """Forty looks at legs of 100 px whose ankles go to and fro by so many px, with a camera that pans by so many."""
    network = np.zeros((40, len(ALL_POINTS), 2))
    for i, name in enumerate(ALL_POINTS):
        network[:, i] = {"knee": (300, 300), "ankle": (300, 400)}.get(name.split("_")[0], (300, 200))
    network[:, [ALL_POINTS.index(f"ankle_{s}") for s in ("left", "right")], 0] += by * np.sin(np.arange(40) / 3)[:, None]
    network[..., 0] += pan * np.sin(np.arange(40) / 9)[:, None]
    return Evidence(np.arange(40) / 8, list(ALL_POINTS), network, np.ones(network.shape[:2]))


def test_who_moves_as_much_in_a_mirror_is_not_the_client() -> None:
    assert lifts_more(moving(80), moving(20)) and not lifts_more(moving(80), moving(75)) and not lifts_more(moving(10), moving(60))


def test_a_camera_that_pans_moves_nobody() -> None:
    assert not lifts_more(moving(5, pan=200), moving(60, pan=100)) and lifts_more(moving(60, pan=100), moving(5, pan=200))


def test_somebody_who_walks_past_is_nobody_else() -> None:
    walker = [Region(40.0 * t, 300.0, 400.0, 0.0) for t in range(30)]
    waits = [Region(900.0 + t % 3, 280.0, 420.0, 0.1) for t in range(40)]
    assert somebody_else(walker, 100) is None
    other = somebody_else(walker + waits, 100)
    assert other is not None and abs(other.x - 901) < 2 and abs(other.turn - 0.1) < 0.05


def test_who_stands_by_a_press_is_not_looked_for_as_its_client() -> None:
    """However much she moves: the client leans back; of two who do it is found where the other is."""
    press = TrunkTurn(np.radians(-42), throughout=False)
    stands = [Region(300.0, 300.0, 400.0, np.radians(-2.0))] * 60
    leans = [Region(900.0, 300.0, 400.0, np.radians(-55.0))] * 40
    assert somebody_else(stands, 100, press) is None and somebody_else(stands, 100) is not None
    other = somebody_else(stands + leans, 100, press)
    assert other is not None and other.x == pytest.approx(900)
