"""Replies as a client gets them, read back with other libraries."""

from __future__ import annotations

import re
from html.parser import HTMLParser
from pathlib import Path

import av
import numpy as np
import pytest
from PIL import Image

from deepmirror.errors import Cancelled
from deepmirror.media.film import Film
from deepmirror.reply.film import plan, web_vtt
from deepmirror.reply.model import Reply
from deepmirror.services.analysis import Analysis
from deepmirror.services.jobs import Progress
from deepmirror.services.replying import draft_reply, export_reply, ghost_lines, still
from tests.conftest import DEMO

NAME = "bram_back_squat_side"


class Links(HTMLParser):
    """Everything a page refers to."""

    def __init__(self) -> None:
        super().__init__()
        self.found: list[str] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.found += [v or "" for k, v in attrs if k in ("src", "href")]


def test_the_draft_says_the_worst_first_and_repeats_nothing(analyses: dict[str, Analysis]) -> None:
    reply = draft_reply(analyses[NAME], "Bram")
    assert 1 <= len(reply.chosen()) <= 3
    assert [c.code for c in reply.chosen()] == ["shallow_depth", "tempo_fast_eccentric"]
    assert "Rep 3" in reply.corrections[0].seen and "±" in reply.corrections[0].number
    assert reply.praise and "diagnosis" in reply.caution
    assert Reply.from_dict(reply.to_dict()) == reply
    clean = draft_reply(analyses["tove_back_squat_side"])
    assert clean.chosen() == [] and clean.praise


def test_the_exported_reply_reads_back(analyses: dict[str, Analysis], tmp_path: Path) -> None:
    analysis = analyses[NAME]
    reply = draft_reply(analysis, "Bram <script>")
    shares: list[float] = []
    with Film(DEMO / f"{NAME}.mp4") as film:
        paths = export_reply(film, analysis, reply, tmp_path, Progress(lambda share, _: shares.append(share)))
        shots, captions = plan(reply, analysis.scene.track, analysis.scene.view, film.facts.fps)
    assert shares == sorted(shares) and len(shares) > 10
    with av.open(str(tmp_path / "reply.mp4")) as container:
        frames = sum(1 for _ in container.decode(video=0))
    assert frames == sum(s.repeat for s in shots)
    assert max(s.repeat for s in shots) >= 90  # the film stands still on the finding
    page = (tmp_path / "reply.html").read_text()
    links = Links()
    links.feed(page)
    assert links.found and all(link.startswith("data:") for link in links.found)
    assert "<script>" not in page and "&lt;script&gt;" in page
    stills = sorted(tmp_path.glob("still-*.png"))
    assert len(stills) == 2
    with Image.open(stills[0]) as picture:
        assert picture.size == (1280, 720)
    vtt = (tmp_path / "reply.vtt").read_text()
    assert vtt.startswith("WEBVTT\n\n") and len(re.findall(r"\d\d:\d\d:\d\d\.\d{3} --> \d\d:\d\d:\d\d\.\d{3}", vtt)) == len(captions) == 2
    assert web_vtt([]) == "WEBVTT\n"
    assert {p.name for p in paths} == {p.name for p in tmp_path.iterdir()}


def test_a_picture_draws_on_a_copy_and_where_the_joint_is(analyses: dict[str, Analysis]) -> None:
    analysis = analyses[NAME]
    item = draft_reply(analysis).corrections[0]
    with Film(DEMO / f"{NAME}.mp4") as film:
        before = film.picture(item.frame).copy()
        drawn = still(film, analysis, item)
        assert np.array_equal(before, film.picture(item.frame))
    x, y = (round(float(v)) for v in analysis.scene.track.point("hip_right")[item.frame])
    assert np.abs(drawn[y - 3 : y + 4, x - 3 : x + 4].astype(int) - before[y - 3 : y + 4, x - 3 : x + 4]).mean() > 20


def test_stopping_leaves_no_half_film(analyses: dict[str, Analysis], tmp_path: Path) -> None:
    progress = Progress()
    progress.cancel()
    with Film(DEMO / f"{NAME}.mp4") as film, pytest.raises(Cancelled):
        export_reply(film, analyses[NAME], draft_reply(analyses[NAME]), tmp_path, progress)
    assert list(tmp_path.glob("*.mp4")) == []


def test_the_ghost_is_drawn_into_still_and_film_only_when_chosen(analyses: dict[str, Analysis]) -> None:
    analysis = analyses[NAME]
    item = draft_reply(analysis).corrections[0]
    with Film(DEMO / f"{NAME}.mp4") as film:
        without = still(film, analysis, item)
        item.ghost = True
        with_ghost = still(film, analysis, item)
    changed = np.abs(without.astype(int) - with_ghost).max(axis=2) > 40
    assert 500 < changed.sum() < 0.1 * changed.size  # an outline, not a filled body
    lines = ghost_lines(analysis)
    reply = draft_reply(analysis)
    reply.corrections[0].ghost = True
    shots, _ = plan(reply, analysis.scene.film_track, analysis.scene.view, 30.0, lines)
    assert any(s.overlay.ghost for s in shots) and any(not s.overlay.ghost for s in shots)
    front = ghost_lines(analyses["yuna_back_squat_front"])
    assert front(10) == ()


def test_findings_of_a_squat_say_what_is_build_and_what_would_change_it(analyses: dict[str, Analysis]) -> None:
    chain = next(f.chain for f in analyses[NAME].judgement.findings if f.code == "shallow_depth")
    words = " | ".join(chain)
    for part in ("deepest this build reaches", "of trunk lean", "cm heel lift", "knees opened", "N·m held still", "estimate"):
        assert part in words
