"""A visit: films of a client that came together are answered together."""

from __future__ import annotations

import json
from dataclasses import replace
from itertools import pairwise

import pytest

from deepmirror.exchange.mailbox import FolderOutbox
from deepmirror.judge.records import SEVERITY_ORDER
from deepmirror.media.film import Film
from deepmirror.reply.film import FREEZE_S, plan
from deepmirror.reply.model import Reply
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.film_library import FilmLibrary, FilmState
from deepmirror.services.films.visits import visit_of, visits
from deepmirror.services.replies.composing import VisitPart, draft_reply, draft_visit, keep_draft, kept_draft, rehomed
from deepmirror.services.replies.delivery import send_reply
from deepmirror.services.replies.rendering import Drawer, PriorFilms

SQUAT, CALVES = "yuna_back_squat_front", "yuna_calf_raise_side"


def both(library: FilmLibrary) -> tuple[int, int]:
    """Yuna's two films: the squat, which the reply belongs to, and the calf raise."""
    films = {f.movement: f.id for f in library.films() if f.client_name.startswith("Yuna")}
    return films["back_squat"], films["standing_calf_raise"]


def drafted(analyses: dict[str, Analysis], calves: int) -> Reply:
    return draft_visit([VisitPart(None, analyses[SQUAT], []), VisitPart(calves, analyses[CALVES], [])], "Yuna")


def test_films_of_a_client_that_came_within_the_span_are_one_visit(demo_library: FilmLibrary) -> None:
    films = demo_library.films()
    squat, calves = both(demo_library)
    assert all(len(v.films) == 1 for v in visits(films, 0))
    found = next(v for v in visits(films, 48) if any(f.id == squat for f in v.films))
    assert [f.id for f in found.films] == [calves, squat], "in the order in which they came"
    assert all(len({f.client_id for f in v.films}) == 1 for v in visits(films, 10_000))
    assert sum(len(v.films) for v in visits(films, 48)) == len(films)
    demo_library.store.phrases.set("visit_hours", 48)
    assert visit_of(demo_library, squat).place(squat) == 2
    demo_library.store.update_film(calves, state=FilmState.SENT)
    assert [f.id for f in visit_of(demo_library, squat).films] == [squat], "what was answered is no longer part of it"


def test_three_corrections_over_all_films_what_can_hurt_first(analyses: dict[str, Analysis]) -> None:
    """The press shows a safety finding: it comes before what the squat, whose reply it is, shows."""
    parts = [VisitPart(None, analyses["bram_back_squat_side"], []), VisitPart(7, analyses["ines_lying_curl_side"], [])]
    reply = draft_visit([*parts, VisitPart(8, analyses[CALVES], [])], "Somebody")
    order = [SEVERITY_ORDER.index(c.severity) for c in reply.corrections]
    assert order == sorted(order) and reply.corrections[0].severity == "safety" and reply.corrections[0].film_id == 7
    assert 1 <= len(reply.chosen()) <= 3 and reply.films == [7, 8] and reply.table == []
    assert reply.corrections[0].seen.startswith("Lying leg curl, film 2: reps 3 and 4")
    keys = [c.key for c in reply.corrections]
    assert len(keys) == len(set(keys)), "the same fault in two films is two corrections"
    assert reply.movement == "Back squat, Lying leg curl, Standing calf raise" and "your 3 films" in reply.greeting
    assert Reply.from_dict(reply.to_dict()) == reply


def test_a_visits_reply_is_the_same_from_whichever_of_its_films(analyses: dict[str, Analysis]) -> None:
    reply = drafted(analyses, 7)
    moved = rehomed(reply, 1, 7)
    assert moved.films == [1] and {c.film_id for c in moved.corrections} == {None, 1}
    assert rehomed(moved, 7, 1) == reply


def test_the_draft_of_the_visit_and_that_of_the_film_do_not_push_each_other_out(
    demo_library: FilmLibrary, analyses: dict[str, Analysis]
) -> None:
    squat, calves = both(demo_library)
    whole, single = drafted(analyses, calves), draft_reply(analyses[SQUAT], "Yuna")
    edited, alone = drafted(analyses, calves), draft_reply(analyses[SQUAT], "Yuna")
    edited.greeting, alone.greeting = "Both together.", "The squat alone."
    keep_draft(demo_library, squat, edited)
    keep_draft(demo_library, squat, alone)
    demo_library.saver.wait()
    assert (found := kept_draft(demo_library, squat, single)) is not None and found.greeting == "The squat alone."
    assert (found := kept_draft(demo_library, squat, whole)) is not None and found.greeting == "Both together."
    elsewhere = rehomed(whole, squat, calves)
    assert (found := kept_draft(demo_library, calves, elsewhere)) is not None and found.greeting == "Both together.", (
        "opened from the other"
    )
    keep_draft(demo_library, squat, edited)
    demo_library.saver.wait()
    assert (found := kept_draft(demo_library, squat, single)) is not None and found.greeting == "The squat alone."


def test_a_visits_reply_is_written_sent_and_watched_for_every_film(demo_library: FilmLibrary, analyses: dict[str, Analysis]) -> None:
    squat, calves = both(demo_library)
    reply = drafted(analyses, calves)
    one_each = {c.film_id: c.key for c in reversed(reply.corrections)}
    for item in reply.corrections:
        item.chosen = item.key in one_each.values()
    codes = {c.film_id: c.code for c in reply.chosen()}
    assert set(codes) == {None, calves}
    outbox = FolderOutbox(demo_library.store.folder / "out")
    record = send_reply(demo_library, outbox, squat, analyses[SQUAT], reply, Progress())
    assert record.state == "handed" and {"reply.mp4", "reply.html", "reply.pdf", "still-2.png", "measures-2.json"} <= set(record.files)
    other = json.loads((record.folder / "measures-2.json").read_text())
    assert len(other["reps"]) == len(analyses[CALVES].scene.reps) == 5
    page = (record.folder / "reply.html").read_text("utf-8")
    assert page.count("<section>") == 2 and page.count("data:image/png") >= 2
    with Film(record.folder / "reply.mp4") as film, Film(demo_library.film(squat).path) as own:
        assert (film.facts.width, film.facts.height) == (own.facts.width, own.facts.height)
    assert {demo_library.film(i).state for i in (squat, calves)} == {FilmState.SENT}
    watched = {(w.film_id, w.item["code"]) for w in demo_library.watch_records(demo_library.film(squat).client_id) if w.state == "open"}
    assert {(squat, codes[None]), (calves, codes[calves])} <= watched


def test_another_films_passage_runs_at_its_own_speed_in_the_replys_rate(demo_library: FilmLibrary, analyses: dict[str, Analysis]) -> None:
    squat, calves = both(demo_library)
    reply = drafted(analyses, calves)
    for item in reply.corrections:
        item.chosen = item.film_id == calves
    reply.corrections = [next(c for c in reply.corrections if c.film_id == calves)]
    with PriorFilms(demo_library) as films, Film(demo_library.film(squat).path) as own:
        drawer = Drawer(own, analyses[SQUAT], False, films)
        theirs = drawer.of(calves).source
        same, _ = plan(reply, drawer.source, lambda _: theirs)
        slower, captions = plan(reply, drawer.source, lambda _: replace(theirs, fps=theirs.fps * 2))
    still = FREEZE_S * drawer.source.fps  # stands as long whatever the film's rate is
    moving = sum(s.repeat for s in same) - still
    assert sum(s.repeat for s in slower) - still == pytest.approx(moving / 2, rel=0.1), "twice the pictures in the same time"
    assert all(a.frame <= b.frame for a, b in pairwise(slower)) and captions[0].end_s > 3
