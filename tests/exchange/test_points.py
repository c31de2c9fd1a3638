"""Points for other programs, read back by readers that are not ours."""

from __future__ import annotations

import warnings
from pathlib import Path

import c3d
import numpy as np
import pytest

from deepmirror.exchange.exports.c3d import write_c3d
from deepmirror.exchange.exports.trc import trc
from deepmirror.exchange.points import plane_points
from deepmirror.services.films.analysis import Analysis


def test_c3d_reads_back_with_another_library(analyses: dict[str, Analysis], tmp_path: Path) -> None:
    """Written by ezc3d, read by the independent reader c3d: labels, rate, unit, every coordinate, residuals."""
    track = analyses["bram_back_squat_side"].scene.film_track
    write_c3d(tmp_path / "points.c3d", track, 30.0, 2.5)
    points, unit = plane_points(track, 2.5)
    with (tmp_path / "points.c3d").open("rb") as handle, warnings.catch_warnings():
        warnings.filterwarnings("ignore", message="No analog data found")  # the reader expects a force plate
        reader = c3d.Reader(handle)
        assert [label.strip() for label in reader.point_labels] == list(track.names)
        assert reader.point_rate == 30.0 and reader.get_string("POINT:UNITS").strip() == unit == "mm"
        frames = [p for _, p, _ in reader.read_frames()]
    assert len(frames) == len(track.times)
    read = np.array(frames)
    assert np.abs(read[:, :, :3] - points).max() < 1e-3
    assert (read[:, :, 3] >= 0).all()  # none is marked as missing
    assert not (tmp_path / "points.part.c3d").exists()


def test_trc_is_the_same_table_of_numbers(analyses: dict[str, Analysis]) -> None:
    """TRC read by numpy's own text reader: head by head, the same metres as the picture has pixels."""
    track = analyses["bram_back_squat_side"].scene.film_track
    text = trc(track, 30.0, None)
    lines = text.splitlines()
    head = lines[2].split("\t")
    assert head[:5] == ["30.0000", "30.0000", str(len(track.times)), str(len(track.names)), "px"]
    table = np.genfromtxt(lines[5:], delimiter="\t")
    assert table.shape == (len(track.times), 2 + 3 * len(track.names))
    assert table[:, 1] == pytest.approx(track.times, abs=1e-4)
    hip = track.names.index("hip_right")
    moved = table[:, 2 + 3 * hip : 5 + 3 * hip]
    picture = track.point("hip_right")
    assert np.diff(moved[:, 0]) == pytest.approx(np.diff(picture[:, 0]), abs=2e-3)
    assert np.diff(moved[:, 1]) == pytest.approx(-np.diff(picture[:, 1]), abs=2e-3)  # up is up
    assert (moved[:, 2] == 0).all()
    assert lines[3].split("\t")[2::3][: len(track.names)] == list(track.names)
