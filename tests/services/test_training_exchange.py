"""A client's training out of the library and into it, its pages and calendars, what is due, and what it is planned with."""

from __future__ import annotations

import json
import re
from datetime import UTC, date, datetime
from pathlib import Path

import pytest
import vobject
from pypdf import PdfReader

from deepmirror.__main__ import main
from deepmirror.errors import BadPlan, LibraryError
from deepmirror.exchange.plan_file import DonePart, PainPart
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.answer_due import answer_due, check_country
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.training import carry, plan_edits, schedule, trends
from deepmirror.services.training.client_page import session_page, write_pages
from deepmirror.services.training.equipment import equipment_lines, screen_lacks, set_equipment, set_rules, set_screen
from deepmirror.services.training.training_file import TrainingFile
from tests.services.training_rig import Open

# Out and in


def test_the_whole_record_goes_out_and_in_without_loss(training: Open, tmp_path: Path) -> None:
    file = training("Nuru")
    file.change_set(file.done[3].id, note="felt odd, “sharp”", rir=1.0)
    file.note_pain(file.today, "right hip", 2.0, next_morning=1.0)
    first = carry.whole_record(file)
    path = carry.export_record(file, tmp_path / "nuru.json")
    new = TrainingFile(file.library, carry.take_record(file.library, path))
    again = carry.whole_record(new)
    films = [row.pop("film") for row in again["done"]]
    assert films == [None] * len(films), "a film belongs to one client's set"
    for row in first["done"]:
        row.pop("film")
    for row in (*again["done"], *first["done"]):
        for change in row["changes"]:
            change["before"].pop("film")
    assert again == first
    assert new.next() == file.next()


@pytest.mark.parametrize("text", ["{", "[]", '{"format": "deep-mirror-training", "version": 1}', '{"format": "other", "version": 1}'])
def test_a_record_that_is_none_is_refused_and_leaves_nothing(demo_library: FilmLibrary, tmp_path: Path, text: str) -> None:
    (tmp_path / "x.json").write_text(text)
    count = len(demo_library.clients())
    with pytest.raises(BadPlan):
        carry.take_record(demo_library, tmp_path / "x.json")
    assert len(demo_library.clients()) == count


def test_a_record_with_a_set_that_cannot_be_is_refused_whole(training: Open, tmp_path: Path) -> None:
    file = training("Nuru")
    told = carry.whole_record(file)
    told["done"][5]["clean_reps"] = told["done"][5]["reps"] + 1
    (tmp_path / "x.json").write_text(json.dumps(told))
    count = len(file.library.clients())
    with pytest.raises(BadPlan, match="clean repetitions"):
        carry.take_record(file.library, tmp_path / "x.json")
    assert len(file.library.clients()) == count


def test_a_table_goes_out_and_comes_in_through_the_mapping_step(training: Open, tmp_path: Path) -> None:
    file, other = training("Tove"), training("Bram")
    table = carry.table_of(carry.export_table(file, tmp_path / "sets.csv"))
    mapping = carry.guess_columns(table.columns)
    assert mapping["load"] == "load_kg" and mapping["clean_reps"] == "clean_reps"
    words = {w: w for w in table.movements("movement")}
    before = len(other.done)
    told = [d for d in file.done if d.reps is not None]
    assert carry.take_table(other, table, mapping, words, False) == len(told)
    taken = other.done
    plain = [(d.day, d.movement, d.side, d.load_kg, d.reps, d.rir, d.pain, d.tempo) for d in taken if d.source == "import"]
    assert sorted(plain, key=str) == sorted(((d.day, d.movement, d.side, d.load_kg, d.reps, d.rir, d.pain, d.tempo) for d in told), key=str)
    other.undo()
    assert len(other.done) == before


OWN = """Date;Exercise;Sets;Weight (lb);Reps;RPE;Notes
05.01.2026;Squat;3;135;8;8;easy
13.01.2026;RDL;2;100,5;10;9;
13.01.2026;Face pull;1;20;12;;
"""


def test_a_spreadsheet_in_other_words_and_units(training: Open, tmp_path: Path) -> None:
    file = training("Tove")
    (tmp_path / "own.csv").write_text("\ufeff" + OWN)
    table = carry.table_of(tmp_path / "own.csv")
    mapping = carry.guess_columns(table.columns)
    assert mapping == {
        "date": "Date",
        "movement": "Exercise",
        "sets": "Sets",
        "load": "Weight (lb)",
        "reps": "Reps",
        "rpe": "RPE",
        "note": "Notes",
    }
    meant = carry.guess_movements(file.library, table.movements("Exercise"))
    assert meant == {"Squat": "back_squat", "RDL": "romanian_deadlift", "Face pull": ""}
    assert carry.take_table(file, table, mapping, meant, pounds=True) == 5
    squats = [d for d in file.done if d.day == "2026-01-05" and d.source == "import"]
    # 135 lb are 61.235 kg: international yard and pound agreement, 1959
    assert len(squats) == 3 and squats[0].load_kg == pytest.approx(61.235, abs=1e-3) and squats[0].rir == 2


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("", "empty"),
        ("date,exercise,load,reps\n2026-01-05,squat,many,8\n", "Row 2"),
        ("date,exercise,load,reps\n05/06/2026,squat,60,8\n", "two ways"),
        ("date,exercise,load,reps\nMonday,squat,60,8\n", "cannot be read"),
        ("date,exercise,load,reps\n2026-01-05,squat,60,8.5\n", "whole number"),
        ("date,exercise,load\n2026-01-05,squat,60\n", "reps"),
    ],
)
def test_a_table_that_cannot_be_read_is_refused_whole(training: Open, tmp_path: Path, text: str, why: str) -> None:
    file = training("Tove")
    (tmp_path / "bad.csv").write_text(text)
    before = len(file.done)
    with pytest.raises(BadPlan, match=why):
        table = carry.table_of(tmp_path / "bad.csv")
        carry.take_table(file, table, carry.guess_columns(table.columns), {"squat": "back_squat"}, False)
    file.read()
    assert len(file.done) == before


def test_what_the_client_sends_back_is_taken_once(training: Open) -> None:
    file = training("Tove")
    form = {"findings": [], "told": True}
    part = DonePart.model_validate({"date": "2026-03-04", "movement": "hip_thrust", "load_kg": 50, "reps": 10, "rir": 4, "form": form})
    hurt = PainPart.model_validate({"date": "2026-03-04", "where": "left knee", "level": 1, "clinician": True})
    assert carry.take_back(file.library, file.client_id, [part, part], [hurt]) == 2
    assert carry.take_back(file.library, file.client_id, [part, part], [hurt]) == 0
    file.read()
    assert len(file.pain) == 1 and file.done[-1].source == "client"
    assert file.done[-1].form == {} and not file.pain[0].clinician, "neither a form nor a clinician's word is hers to give"


def test_the_command_works_out_what_the_window_does(training: Open, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    for name in ("Ines", "Nuru", "Yuna"):
        file = training(name)
        (tmp_path / "client.json").write_text(json.dumps(carry.client_file(file)))
        assert main(["plan", str(tmp_path / "client.json"), "--date", str(file.today)]) == 0
        said = json.loads(capsys.readouterr().out)
        session = file.next()
        assert session is not None
        assert [(e["movement"], e["side"], e["change"], e["gate"]) for e in said["exercises"]] == [
            (x.movement, x.side, x.change.value, x.gate.gate.value) for x in session.lifts
        ]
        assert [e["reasons"] for e in said["exercises"]] == [x.reasons for x in session.lifts]


# Pages, calendars, what is due


def test_the_clients_page_and_sheet_say_loads_plates_tempo_cue_and_film(training: Open, tmp_path: Path) -> None:
    file = training("Nuru")
    session = file.next()
    assert session is not None
    page, sheet, told = write_pages(file, session, tmp_path / "out", "Marit")
    html, pdf = page.read_text("utf-8"), PdfReader(sheet)
    text = re.sub(r"\s+", " ", pdf.pages[0].extract_text())
    assert len(pdf.pages) == 1
    for words in ("Goblet squat", "12 kg", "Film the first working set from the side", "does not diagnose", "Marit"):
        assert words in html and words in text
    assert "lowering 3 s, lifting 3 s" in html and "On each side: 10 + 2.5 kg" in html
    assert json.loads(told.read_text("utf-8"))["done"][0]["movement"] == "goblet_squat"
    file.library.store.update_client(file.client_id, file.body.model_dump(mode="json") | {"imperial": True}, "2026-03-02", "units")
    pounds = session_page(TrainingFile(file.library, file.client_id), session)
    assert pounds.lifts[0].load == "26 lb"


def test_calendars_are_read_by_another_parser_and_renewed_in_place(training: Open, tmp_path: Path) -> None:
    file = training("Tove")
    path = schedule.client_calendar(file, tmp_path / "tove.ics")
    first = path.read_bytes()
    events = vobject.readOne(first.decode()).vevent_list
    assert {e.dtstart.value for e in events} >= {date(2026, 3, 4), date(2026, 3, 7)}
    assert all(e.sequence.value == "0" for e in events) and len({e.uid.value for e in events}) == len(events)
    assert b"Lindqvist" not in b"".join(e.uid.value.encode() for e in events), "an id tells nobody's name"
    schedule.client_calendar(file, path)
    assert path.read_bytes() == first, "the same again changes nothing"
    file.edit_plan(plan_edits.set_session(file.must_have_plan(), 1, name="Thrusts"))
    schedule.client_calendar(file, path)
    again = {e.uid.value: e for e in vobject.readOne(path.read_text()).vevent_list}
    assert set(again) == {e.uid.value for e in events}
    assert {e.sequence.value for e in again.values()} == {"0", "1"}, "only what is new has a higher sequence"


def test_the_coachs_calendar_has_replies_at_their_hour_in_her_zone(demo_library: FilmLibrary, tmp_path: Path) -> None:
    path = schedule.coach_calendar(demo_library, tmp_path / "coach.ics", Progress(), "Europe/Oslo")
    calendar = vobject.readOne(path.read_text())
    replies = [e for e in calendar.vevent_list if e.summary.value.startswith("Answer")]
    open_films = [f for f in demo_library.films() if f.state not in schedule.ANSWERED]
    due = {datetime.fromisoformat(f.due_at).astimezone(UTC).replace(second=0) for f in open_films}
    assert {e.dtstart.value.astimezone(UTC) for e in replies} == due
    assert calendar.vtimezone.tzid.value == "Europe/Oslo"


def test_what_is_due_and_who_is_silent(demo_library: FilmLibrary, training: Open) -> None:
    rows = schedule.due_rows(demo_library, Progress())
    assert rows[0].client == "Bram Achterberg" and rows[0].silent == 8
    assert any(r.client == "Oren Halvorsen" and "Leg press" in r.what for r in rows)
    text = schedule.reminder(training("Bram"), training("Bram").next() or pytest.fail("no session"), "Marit")
    assert "not heard from you for 8 days" in text and text.endswith("Marit")


def test_a_client_may_be_promised_an_answer_of_her_own(training: Open) -> None:
    file, noon = training("Tove"), datetime(2026, 3, 2, 12, tzinfo=UTC)
    assert file.library.answer_due(file.client_id, noon).date() == date(2026, 3, 4), "two working days are usual"
    file.set_fields("change the promise", reply_days=5)
    assert file.library.answer_due(file.client_id, noon).date() == date(2026, 3, 9)


def test_answers_are_due_in_working_days() -> None:
    friday = datetime(2027, 5, 14, 12, tzinfo=UTC)
    assert answer_due(friday).date() == date(2027, 5, 18)
    # 17 May is Norway's constitution day: lov om 1 og 17 mai som høgtidsdagar, 1947
    assert answer_due(friday, 2, "NO").date() == date(2027, 5, 19)
    assert answer_due(datetime(2027, 5, 15, 12, tzinfo=UTC)).date() == date(2027, 5, 18), "what comes on a Saturday waits for Monday"
    with pytest.raises(LibraryError):
        check_country("Atlantis")


# Equipment, screen, rules


def test_equipment_is_written_in_lines_and_read_back(training: Open) -> None:
    file = training("Tove")
    lines = equipment_lines(file)
    set_equipment(file, lines)
    assert file.can_undo() is None, "nothing changed"
    set_equipment(
        file,
        lines
        | {
            "plates": "25 × 2, 20, 1.25 x 4",
            "dumbbells": "5 to 10 by 2.5",
            "machines": "Leg press: sled 40\nlying leg curl: pins 5 to 15 by 5 + 2.5",
        },
    )
    part = file.part.equipment
    assert part.plates_kg == [(25, 2), (20, 2), (1.25, 4)] and part.dumbbells_kg == [5, 7.5, 10]
    assert part.sleds["leg_press"].own_kg == 40 and part.stacks["lying_leg_curl"].adder_kg == 2.5
    for wrong in (
        {"plates": "heavy"},
        {"dumbbells": "5 to"},
        {"machines": "moon walk: pins 5"},
        {"machines": "leg press: sled"},
        {"bar": "20, 15"},
    ):
        with pytest.raises(BadPlan):
            set_equipment(file, lines | wrong)


def test_the_screen_and_the_rules_are_kept(training: Open) -> None:
    file = training("Tove")
    assert "not asked in full" in screen_lacks(file)
    answers = {"activity": True, "disease": True, "symptoms": False, "pregnancy": False, "operation": False}
    set_screen(file, {"answers": answers, "tests": {"knee_to_wall_left": 9.5}, "physician": ""})
    assert "physician's word" in screen_lacks(file)
    set_screen(file, {"answers": answers, "tests": {}, "physician": "cleared for strength training"})
    assert screen_lacks(file) == "" and file.part.screen.physician_on == file.today
    set_rules(file, {"away_days": "21", "pain_max": "2"})
    assert file.part.rules == {"away_days": 21.0}, "what is usual is not kept"
    with pytest.raises(BadPlan):
        set_rules(file, {"away_days": "long"})


def test_trends_mark_real_changes_of_the_same_lift_view_and_load(training: Open) -> None:
    file = training("Tove")
    assert ("back_squat", "both") in trends.lifts(file)
    names = dict(trends.numbers(file, "back_squat", "both"))
    assert "thigh_from_horizontal_min_deg" in names
    depth = trends.trend(file, "back_squat", "both", "thigh_from_horizontal_min_deg")
    loads = [p.load_kg for p in depth.points]
    assert len(depth.points) == 5 and loads[0] == 35
    for step in depth.steps:
        a, b = depth.points[step.start], depth.points[step.end]
        assert abs(a.load_kg - b.load_kg) <= 0.05 * max(a.load_kg, b.load_kg)
        assert step.real == (abs(a.value - b.value) > (a.u**2 + b.u**2) ** 0.5)
    assert any(s.real for s in depth.steps) or len(depth.steps) < len(depth.points) - 1, "another load is another set"


def test_a_client_who_is_deleted_takes_her_training_along(demo_library: FilmLibrary, training: Open) -> None:
    from deepmirror.services.clients.client_deletion import delete_client, what_goes

    file = training("Nuru")
    assert any("done sets" in line for line in what_goes(demo_library, file.client_id))
    delete_client(demo_library, file.client_id)
    store = demo_library.store.training
    assert store.done(file.client_id) == [] and store.pain(file.client_id) == [] and store.record(file.client_id) == {}
