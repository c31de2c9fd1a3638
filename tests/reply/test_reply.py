"""Replies as a client gets them, read back with other libraries."""

from __future__ import annotations

import io
from dataclasses import replace
from html.parser import HTMLParser
from pathlib import Path

import av
import numpy as np
import pytest
import webvtt
from PIL import Image
from pypdf import PdfReader

from deepmirror.errors import Cancelled
from deepmirror.media.film import Film
from deepmirror.media.writer import png
from deepmirror.reply.draw import Overlay, angle_deg, draw, tag_box, zoom_box
from deepmirror.reply.film import Caption, plan, web_vtt
from deepmirror.reply.heads import head_circles
from deepmirror.reply.model import Anchor, Reply, Stroke, anchor_for
from deepmirror.reply.pdf import render_pdf
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.ghost import ghosts_of
from deepmirror.services.replies.composing import draft_reply
from deepmirror.services.replies.rendering import Drawer, PriorFilms, correction_picture, export_reply, ghost_lines, source_of
from tests.conftest import DEMO, truth_of

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


def test_what_can_hurt_is_never_left_out_of_a_reply(analyses: dict[str, Analysis]) -> None:
    """A safety finding of the whole film, or of the same reps as another, is told beside it; a range cut short is told once."""
    analysis = analyses[NAME]
    first = analysis.judgement.findings[0]
    lift = replace(first, code="hip_lift_off", severity="safety", reps=(3,))
    pivot = replace(first, code="pivot_misaligned", severity="safety", reps=())
    again = replace(first, code="partial_rep", severity="range", reps=(3,))
    short = replace(first, severity="range", reps=(3, 4))
    for found, told in (([lift, pivot], 2), ([lift, replace(pivot, reps=(3,))], 2), ([short, again], 1)):
        judgement = replace(analysis.judgement, findings=tuple(found))
        assert len(draft_reply(replace(analysis, judgement=judgement)).chosen()) == told


def test_the_exported_reply_reads_back(analyses: dict[str, Analysis], tmp_path: Path) -> None:
    analysis = analyses[NAME]
    reply = draft_reply(analysis, "Bram <script>")
    shares: list[float] = []
    with Film(DEMO / f"{NAME}.mp4") as film:
        paths = export_reply(film, analysis, reply, tmp_path, Progress(lambda share, _: shares.append(share)))
        shots, captions = plan(reply, source_of(analysis, film.facts.fps, blur=False))
    assert shares == sorted(shares) and len(shares) > 10
    with av.open(str(tmp_path / "reply.mp4")) as container:
        video, sound = container.streams.video[0], container.streams.audio[0]
        assert (video.codec_context.name, video.codec_context.pix_fmt, sound.codec_context.name) == ("h264", "yuv420p", "aac")
        assert video.width % 2 == 0 and video.height % 2 == 0
        assert abs(float(video.duration * video.time_base) - float(sound.duration * sound.time_base)) < 0.1
        assert "creation_time" not in container.metadata
        frames = sum(1 for _ in container.decode(video=0))
    data = (tmp_path / "reply.mp4").read_bytes()
    assert data.find(b"moov") < data.find(b"mdat")  # starts to play before it is loaded whole
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
    read = webvtt.read(str(tmp_path / "reply.vtt"))  # an independent reader of the W3C format
    assert [(c.start_in_seconds, c.end_in_seconds) for c in read] == [(int(c.start_s), int(c.end_s)) for c in captions]
    assert [c.text for c in read] == [c.text for c in captions] and len(captions) == 2
    assert web_vtt([]) == "WEBVTT\n"
    hostile = web_vtt([Caption(0, 1, "5 < 6 & <b>so</b>\n\n00:01 --> 00:02 x")]).splitlines()
    assert hostile[3:] == ["5 &lt; 6 &amp; &lt;b&gt;so&lt;/b&gt; 00:01 --&gt; 00:02 x"]  # one cue, no tag, no arrow (WebVTT, 4.2.2)
    assert {p.name for p in paths} == {p.name for p in tmp_path.iterdir()}


def test_a_picture_draws_on_a_copy_and_where_the_joint_is(analyses: dict[str, Analysis]) -> None:
    analysis = analyses[NAME]
    item = draft_reply(analysis).corrections[0]
    with Film(DEMO / f"{NAME}.mp4") as film:
        before = film.picture(item.frame).copy()
        drawn = correction_picture(film, analysis, item)
        assert np.array_equal(before, film.picture(item.frame))
    item.zoom = False
    with Film(DEMO / f"{NAME}.mp4") as film:
        drawn = correction_picture(film, analysis, item)
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
        without = correction_picture(film, analysis, item)
        item.ghost = True
        with_ghost = correction_picture(film, analysis, item)
    changed = np.abs(without.astype(int) - with_ghost).max(axis=2) > 40
    assert 500 < changed.sum() < 0.1 * changed.size  # an outline, not a filled body
    reply = draft_reply(analysis)
    reply.corrections[0].ghost = True
    shots, _ = plan(reply, source_of(analysis, 30.0, blur=False))
    assert any(s.overlay.ghost for s in shots) and any(not s.overlay.ghost for s in shots)
    assert len(ghost_lines(analyses["yuna_back_squat_front"])(10)) == 6  # thigh, shank and foot of both legs
    assert ghost_lines(analyses["ines_lying_curl_side"])(10) == ()


def test_a_front_ghost_puts_caving_knees_over_their_feet_and_leaves_others(analyses: dict[str, Analysis]) -> None:
    analysis = analyses["yuna_back_squat_front"]
    track, ghosts = analysis.scene.film_track, ghosts_of(analysis)
    for rep, caves in zip(analysis.scene.reps, (False, False, True, True), strict=True):
        frame = int(np.argmin(np.abs(track.times - rep.bottom_s)))
        ghost = ghosts.at(frame)
        assert ghost is not None
        for side, outside in (("left", 1.0), ("right", -1.0)):
            moved = outside * (ghost.points[f"knee_{side}"][0] - track.point(f"knee_{side}")[frame, 0])
            assert moved > 20 if caves else 0 <= moved < 15, (rep.number, side, moved)
            assert ghost.points[f"ankle_{side}"] == pytest.approx(tuple(track.point(f"ankle_{side}")[frame]))


def test_findings_of_a_squat_say_what_is_build_and_what_would_change_it(analyses: dict[str, Analysis]) -> None:
    chain = next(f.chain for f in analyses[NAME].judgement.findings if f.code == "shallow_depth")
    words = " | ".join(chain)
    for part in ("deepest this build reaches", "of trunk lean", "cm heel lift", "knees turned out", "N·m held still", "estimate"):
        assert part in words


def test_the_printed_page_is_one_page_and_says_everything(analyses: dict[str, Analysis]) -> None:
    """Read back by pypdf, which is not what wrote it."""
    analysis = analyses["yuna_calf_raise_side"]
    reply = draft_reply(analysis, "Yuna & Co <b>", coach="Marit", date="2026-03-02")
    for item in reply.corrections:
        item.chosen, item.why = True, item.why * 6
    with Film(DEMO / "yuna_calf_raise_side.mp4") as film, PriorFilms(None) as earlier:
        drawer = Drawer(film, analysis, False, earlier)
        stills = {item.code: png(drawer.correction(item, captioned=False)) for item in reply.chosen()}
    reader = PdfReader(io.BytesIO(render_pdf(reply, stills)))
    assert len(reader.pages) == 1
    box = reader.pages[0].mediabox
    assert (round(float(box.width)), round(float(box.height))) == (595, 842)  # A4 is 210 x 297 mm: 595.28 x 841.89 points (ISO 216)
    words = " ".join(reader.pages[0].extract_text().split())
    for item in reply.chosen():
        assert item.title in words and item.cue in words
    assert "Yuna & Co <b>" in words and "not a diagnosis" in words and len(reader.pages[0].images) == len(reply.chosen())
    assert not any("Yuna" in str(v) for v in (reader.metadata or {}).values()), "a file's properties travel further than its page"
    assert all(row[0] in words for row in reply.table) and set(reader.metadata or {}) <= {
        "/Title",
        "/Author",
        "/Creator",
        "/Producer",
        "/CreationDate",
        "/ModDate",
        "/Subject",
        "/Keywords",
        "/Trapped",
    }
    assert "2000" in str((reader.metadata or {}).get("/CreationDate"))  # a fixed date: the page tells nothing of the day it was made
    reply.imperial = True
    letter = PdfReader(io.BytesIO(render_pdf(reply, {}))).pages[0].mediabox
    assert (float(letter.width), float(letter.height)) == (612, 792)  # US letter: 8.5 x 11 in at 72 points


def test_the_coachs_strokes_go_with_the_body(analyses: dict[str, Analysis]) -> None:
    track = analyses[NAME].scene.film_track
    places = {n: (float(x), float(y)) for n, (x, y) in zip(track.names, track.positions[40], strict=True)}
    knee = places["knee_right"]
    on = anchor_for((knee[0] + 4, knee[1] - 3), places, 16, 250)
    beside = anchor_for((knee[0] + 90, knee[1] + 5), places, 16, 250)
    away = anchor_for((5.0, 5.0), places, 16, 250)
    assert on == Anchor("knee_right", 0, 0) and beside.point is not None and away == Anchor(None, 5.0, 5.0)
    picture = np.zeros((720, 1280, 3), np.uint8)

    def spots(frame: int, strokes: tuple[Stroke, ...]) -> np.ndarray:
        drawn = draw(picture, Overlay(track, "side-right", frame, strokes=strokes, lines=False))
        return np.argwhere(drawn.max(axis=2) > 100)

    arrow = (Stroke("arrow", [Anchor("hip_right", 0, -120), Anchor("hip_right", 0, -20)]),)
    low = int(np.argmax(track.point("hip_right")[:, 1]))
    for corner in (np.min, np.max):  # a tip's pixels come and go with their place between pixels, its extent does not
        moved = corner(spots(low, arrow), axis=0) - corner(spots(0, arrow), axis=0)
        assert moved[::-1] == pytest.approx(track.point("hip_right")[low] - track.point("hip_right")[0], abs=1.5)
    still_line = (Stroke("line", [Anchor(None, 100, 100), Anchor(None, 300, 100)]),)
    assert np.array_equal(spots(0, still_line), spots(low, still_line))
    assert len(spots(0, (Stroke("line", [Anchor("not_followed", 0, 0), Anchor(None, 3, 3)]),))) == 0
    angle = (
        Stroke("angle", [Anchor("hip_right", 0, 0), Anchor("knee_right", 0, 0), Anchor("ankle_right", 0, 0)]),
        Stroke("text", [away], "here"),
    )
    assert len(spots(low, angle)) > 500
    assert angle_deg(np.array([0.0, 1.0]), np.zeros(2), np.array([1.0, 0.0])) == pytest.approx(90)


def test_the_tag_stands_where_the_coach_put_it_and_the_picture_moves_in(analyses: dict[str, Analysis]) -> None:
    source = source_of(analyses[NAME], 30.0, blur=False)
    item = draft_reply(analyses[NAME]).corrections[0]
    size = (1280, 720)
    item.tag_at = (0.25, 0.5)
    assert tag_box(source.composed(item), size)[:2] == pytest.approx((320, 360))
    item.tag_at = (0.99, 0.99)
    right, bottom = tag_box(source.composed(item), size)[2:]
    assert right <= 1280 and bottom <= 720  # never out of the picture
    left, top, right, bottom = zoom_box(source.composed(item), size)
    assert (right - left) / (bottom - top) == pytest.approx(1280 / 720) and right - left < 1100
    points = analyses[NAME].scene.film_track
    for joint in ("hip_right", "knee_right", "ankle_right", "shoulder_right"):
        x, y = points.point(joint)[item.frame]
        assert left < x < right and top < y < bottom
    shots, _ = plan(draft_reply(analyses[NAME]), source)
    zooms = [s.overlay.zoom for s in shots if s.overlay.zoom > 0]
    assert zooms[0] < 0.1 and max(zooms) == 1.0 and sorted(zooms[:14]) == zooms[:14]  # it moves in, it does not jump


@pytest.mark.parametrize("name", ["yuna_back_squat_front", "ines_lying_curl_side", "oren_leg_press_side"])
def test_a_blurred_face_cannot_be_seen(analyses: dict[str, Analysis], name: str) -> None:
    """Inside the head's circle the fine pattern is gone: what is left of the differences between neighbours is a fraction."""
    analysis = analyses[name]
    source = source_of(analysis, 30.0, blur=True)
    with Film(DEMO / f"{name}.mp4") as film:
        before = film.picture(60)
        after = draw(before, Overlay(source.track, source.view, 60, heads=source.faces[60], lines=False))
    (x, y, radius), r = source.faces[60][0], round(source.faces[60][0][2] * 0.6)
    ear = np.mean([np.array(truth_of(name)["landmarks_px"][f"ear_{s}"][60]) for s in ("left", "right")], axis=0)
    assert np.hypot(x - ear[0], y - ear[1]) < radius * 0.6  # the circle lies on the head, by the film's truth
    window = np.s_[round(y) - r : round(y) + r, round(x) - r : round(x) + r]
    sharp, soft = (np.abs(np.diff(p[window].astype(float), axis=1)).mean() for p in (before, after))
    assert soft < 0.35 * sharp
    outside = np.hypot(*np.meshgrid(np.arange(before.shape[1]) - x, np.arange(before.shape[0]) - y)) > radius + 20
    assert np.array_equal(before[outside], after[outside])
    assert head_circles(analysis.scene.film_track)[60] == source.faces[60]
