"""What goes out: written once, sent as it was looked at, kept exactly, without a trace of where it came from."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from deepmirror.core.units import in_their_units
from deepmirror.errors import ReplyError
from deepmirror.exchange.mailbox import FolderOutbox, plain_name
from deepmirror.movements.cameras import camera_postures
from deepmirror.reply.camera import LENS_DEG, MARGIN, distance_for, draw_plan
from deepmirror.reply.model import Reply
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.films.review import Review
from deepmirror.services.replies.composing import draft_reply, own_correction, phrases, refresh_draft
from deepmirror.services.replies.delivery import Package, altered, archived, folder_outbox, hand_over_rest, send_reply
from deepmirror.services.replies.retake_request import draft_request, plan_for, send_request
from deepmirror.standins.simulated_post import SimulatedOutbox


@pytest.fixture
def curl(demo_library: FilmLibrary) -> Iterator[Review]:
    """The open review of a short film with one correction."""
    film = next(f for f in demo_library.films() if f.client_name.startswith("Ines"))
    review = Review(demo_library, film.id)
    yield review
    review.close()


def given(outbox: Path) -> list[str]:
    """The replies in an outbox folder; what its name begins with a dot for is its own."""
    return sorted(p.name for p in outbox.iterdir() if not p.name.startswith("."))


def test_what_is_sent_is_what_was_looked_at_and_stays_so(demo_library: FilmLibrary, curl: Review, tmp_path: Path) -> None:
    assert curl.analysis is not None
    reply = draft_reply(curl.analysis, curl.record.client_name, coach="Marit", date="2026-03-02")
    reply.corrections[0].cue = "Belly button into the pad."
    package = Package(demo_library, curl.film_id)
    looked_at = {p.name: p.read_bytes() for p in package.write(curl.film.path, curl.analysis, reply, Progress())}
    assert package.is_up_to_date(reply, curl.analysis)
    outbox = SimulatedOutbox(tmp_path / "out", failures=1)
    record = send_reply(demo_library, outbox, curl.film_id, curl.analysis, reply, Progress())
    assert record.state == "failed" and "try again" in record.sentence and not (tmp_path / "out").exists()
    assert {p.name: p.read_bytes() for p in record.folder.iterdir()} == looked_at  # nothing was written anew
    assert hand_over_rest(demo_library, outbox, Progress()) == 1 and hand_over_rest(demo_library, outbox, Progress()) == 0
    sent = tmp_path / "out" / given(tmp_path / "out")[0]
    assert {p.name: p.read_bytes() for p in sent.iterdir()} == looked_at
    assert altered(record) == [] and record.files.keys() == looked_at.keys()
    kept = record.folder / "reply.html"
    kept.chmod(0o644)
    kept.write_text("changed")
    assert altered(record) == ["reply.html"]
    film = demo_library.store.film(curl.film_id)
    assert film.state == "sent" and film.draft["corrections"][0]["cue"] == "Belly button into the pad."
    watches = demo_library.store.watches.of_client(curl.record.client_id)
    assert [(w.item["code"], w.item["cue"], w.state) for w in watches] == [("hip_lift_off", "Belly button into the pad.", "open")]
    said = phrases(demo_library, curl.analysis, reply.corrections[0], "cue")
    assert said[1:] == ["Belly button into the pad."] and said[0].startswith("Press the hips")
    second = send_reply(demo_library, outbox, curl.film_id, curl.analysis, reply, Progress())  # again: kept beside the first, watched once
    assert second.folder != record.folder and len(demo_library.store.replies.of_film(curl.film_id)) == 2
    assert [w.state for w in demo_library.store.watches.of_client(curl.record.client_id)] == ["changed", "open"]


def test_nothing_that_goes_out_says_where_it_came_from(demo_library: FilmLibrary, curl: Review) -> None:
    """No path, no original file name, no library, no user, no encoder's date in any exported byte."""
    assert curl.analysis is not None
    reply = draft_reply(curl.analysis, curl.record.client_name)
    files = Package(demo_library, curl.film_id).write(curl.film.path, curl.analysis, reply, Progress())
    traces = [str(demo_library.store.folder), curl.record.original_name, curl.record.path.name, str(Path.home()), "location"]
    for path in files:
        data = path.read_bytes()
        for trace in traces:
            assert trace.encode() not in data, f"{trace} in {path.name}"
    assert {p.suffix for p in files} == {".mp4", ".vtt", ".html", ".pdf", ".png", ".json", ".c3d", ".trc", ".csv"}


def test_a_changed_word_is_written_anew(demo_library: FilmLibrary, curl: Review) -> None:
    assert curl.analysis is not None
    reply = draft_reply(curl.analysis, "Ines")
    package = Package(demo_library, curl.film_id)
    package.write(curl.film.path, curl.analysis, reply, Progress())
    before = (package.folder / "reply.mp4").stat().st_mtime_ns
    package.write(curl.film.path, curl.analysis, reply, Progress())
    assert (package.folder / "reply.mp4").stat().st_mtime_ns == before
    reply.corrections[0].why = "Because."
    assert not package.is_up_to_date(reply, curl.analysis)
    package.write(curl.film.path, curl.analysis, reply, Progress())
    assert "Because." in (package.folder / "reply.html").read_text()


def test_an_outbox_folder_never_writes_over_an_earlier_reply(tmp_path: Path) -> None:
    (tmp_path / "a.txt").write_text("a")
    outbox = FolderOutbox(tmp_path / "out")
    for key in ("first", "second", "second"):  # the second one a second time: its program was killed before it knew
        outbox.deliver(key, "Ulla/Brandt..", "Back squat: one", [tmp_path / "a.txt"])
    assert given(tmp_path / "out") == ["UllaBrandt Back squat one", "UllaBrandt Back squat one (2)"]
    assert plain_name("///") == "reply"
    (tmp_path / "file").write_text("x")
    with pytest.raises(ReplyError, match="could not be put"):
        FolderOutbox(tmp_path / "file").deliver("key", "a", "b", [tmp_path / "a.txt"])


def test_a_request_says_why_where_to_stand_and_what_must_be_seen(demo_library: FilmLibrary) -> None:
    film = next(f for f in demo_library.films() if f.client_name.startswith("Oren") and f.brief["movement"] == "leg_press")
    request = draft_request(demo_library, film.id, None)
    words = "\n".join(request.words)
    assert request.heading == "side" and "Oren" in words and "leg press" in words and f"{request.plan.distance_m:.1f} m" in words
    record = send_request(demo_library, folder_outbox(demo_library), film.id, request, Progress())
    assert record.kind == "refilm" and set(record.files) == {"camera-plan.png", "request.html", "request.txt"}
    page = (record.folder / "request.html").read_text()
    assert "the hip against the seat" in page and 'src="data:image/png' in page and "http" not in page
    after = demo_library.store.film(film.id)
    assert after.state == "asked" and after.line.startswith("new film asked")
    imperial = demo_library.store.client(film.client_id).body | {"imperial": True}
    demo_library.store.update_client(film.client_id, imperial, "2026-03-02", "units")
    assert " ft " in "\n".join(draft_request(demo_library, film.id, None).words)


def test_the_plans_distance_shows_what_must_be_seen() -> None:
    """A lens of 65° across shows 2 d tan(32.5°) of width at d, and 9/16 of that in height: the arithmetic by hand for 2 m of
    height is d = 2 * 1.15 / (2 * 0.6371 * 0.5625) = 3.209, kept to the next tenth."""
    assert LENS_DEG == 65.0 and MARGIN == 1.15
    assert distance_for((1.0, 2.0)) == pytest.approx(3.3)
    assert distance_for((0.5, 0.5)) == 2.5  # not nearer than that


def test_every_movement_has_a_camera_and_no_posture_names_a_stranger(demo_library: FilmLibrary) -> None:
    movements = demo_library.catalogue.movements
    named = [m for posture in camera_postures().values() for m in posture.movements]
    assert set(named) <= set(movements) and len(named) == len(set(named))
    for movement in movements.values():
        for heading in movement.views:
            plan = plan_for(movement, heading, "side-left", 172)
            assert 2.5 <= plan.distance_m <= 5 and 0.2 < plan.lens_m < 1.2
    picture = draw_plan(plan_for(movements["lying_leg_curl"], "side", "side-right", 160))
    assert picture.shape == (540, 1200, 3) and picture.std() > 20


@pytest.mark.parametrize(
    ("text", "imperial"),
    [
        ("3.6 ± 0.6 cm off the pad; target at most 1.2 cm.", "1.4 ± 0.2 in off the pad; target at most 0.5 in."),
        ("Raise the heels 2.5 cm", "Raise the heels 1.0 in"),  # 2.54 cm to the inch, exactly (1959 agreement)
        ("4 reps · 60 kg · 13 s", "4 reps · 132 lb · 13 s"),  # 60 / 0.45359237 = 132.28
        ("between 10 to 20 cm", "between 3.9 to 7.9 in"),
        ("25 ± 4° thigh, 34 %", "25 ± 4° thigh, 34 %"),
    ],
)
def test_words_are_said_in_the_clients_units(text: str, imperial: str) -> None:
    assert in_their_units(text, True) == imperial and in_their_units(text, False) == text


def test_a_kept_draft_takes_todays_numbers_and_keeps_the_coachs_words(demo_library: FilmLibrary, curl: Review) -> None:
    assert curl.analysis is not None
    fresh = draft_reply(curl.analysis, "Ines")
    kept = Reply.from_dict(fresh.to_dict())
    kept.corrections.append(own_correction(curl.analysis, 40, kept))
    item = kept.corrections[0]
    item.cue, item.chosen, item.short, item.number = "Mine.", False, "9.9 ± 0.1 cm", "an old number"
    again = refresh_draft(kept, fresh)
    assert again is not None and [c.code for c in again.corrections] == ["hip_lift_off", "own-1"]
    now = again.corrections[0]
    assert (now.cue, now.chosen) == ("Mine.", False) and now.number == fresh.corrections[0].number and "±" in now.short
    now.number = "worded by hand"  # the same number, in her words: stays
    assert refresh_draft(again, fresh).corrections[0].number == "worded by hand"  # type: ignore[union-attr]
    assert refresh_draft(kept, draft_reply(curl.analysis)) is not None
    fresh.corrections.clear()
    assert refresh_draft(kept, fresh) is None  # other faults now: begin anew


def test_what_a_closed_program_did_not_come_to_send_goes_out_at_the_next_start(
    demo_library: FilmLibrary, curl: Review, tmp_path: Path
) -> None:
    unsent = tmp_path / "unsent"
    unsent.mkdir()
    (unsent / "reply.html").write_text("page")
    with archived(demo_library, curl.film_id, "reply", unsent, {"movement": "Lying leg curl"}):
        pass
    outbox = folder_outbox(demo_library)
    assert hand_over_rest(demo_library, outbox, Progress()) == 0  # it may be on its way just now
    assert hand_over_rest(demo_library, outbox, Progress(), left_over=True) == 1
    assert demo_library.store.replies.of_film(curl.film_id)[0].state == "handed"


def test_a_client_who_measures_in_inches_reads_inches_and_pounds(demo_library: FilmLibrary, curl: Review, tmp_path: Path) -> None:
    assert curl.analysis is not None
    metric = draft_reply(curl.analysis, "Ines").corrections[0]
    demo_library.store.update_client(curl.record.client_id, curl.record.brief["client"] | {"imperial": True}, "2026-03-02", "units")
    again = Review(demo_library, curl.film_id)
    assert again.analysis is not None
    reply = draft_reply(again.analysis, "Ines")
    item = reply.corrections[0]
    centimetres, inches = (float(c.short.split()[0]) for c in (metric, item))
    assert item.short.endswith(" in") and inches == pytest.approx(centimetres / 2.54, abs=0.06)
    assert " cm" not in item.number and "22 kg" not in reply.facts and "49 lb" in reply.facts  # 22 / 0.45359237 = 48.5
    assert all(" cm" not in cell for row in reply.table for cell in row) and reply.imperial
    again.close()
