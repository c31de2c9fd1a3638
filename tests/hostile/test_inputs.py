"""What comes from outside, at random: each input is taken or refused with one sentence, and nothing else ever happens."""

from __future__ import annotations

import io
import json
import os
import shutil
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from deepmirror.__main__ import main
from deepmirror.core.skeleton import JOINTS
from deepmirror.errors import BadBrief, BadMovement, CannotSolve, DeepMirrorError
from deepmirror.exchange.brief import FREE_POINTS, check_brief
from deepmirror.exchange.bundle import SetFile, check_set, read_bundle
from deepmirror.exchange.mailbox import Letter
from deepmirror.movements.loader import copy_definition, load_catalogue
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.analysis import Analysis, conclude
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.films.records import measures_record
from deepmirror.services.films.review import Review
from deepmirror.services.posture.posture_commands import PostureRequest, build_record
from deepmirror.services.program.arrivals import Arrivals
from tests.conftest import DEMO

FEW = settings(max_examples=40, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck))
ODD_NUMBERS = st.sampled_from([0, -1, 1e-300, 1e30, 399, 0.0001, 40, 1e308, float("nan"), float("inf"), 10**30, True, None, "x"])
ODD_TEXT = st.one_of(st.text(max_size=20), st.sampled_from(["\ud800", "\x00", "../../x", "<b>x</b>", "x" * 300, "\u202eabc"]))
ODD = st.recursive(
    st.one_of(ODD_NUMBERS, ODD_TEXT), lambda inner: st.lists(inner, max_size=3) | st.dictionaries(ODD_TEXT, inner, max_size=3)
)
PIXEL = st.one_of(st.just([640.0, 360.0]), st.lists(st.one_of(st.floats(-3000, 4000), ODD_NUMBERS), min_size=2, max_size=2))
LINES = ("pad_line", "seat_line", "back_pad", "rail", "floor_line", "plumb")
POINTS = (*JOINTS, *(f"{j}_{s}" for j in JOINTS for s in ("left", "right")), *FREE_POINTS)


def one_sentence(error: DeepMirrorError) -> None:
    assert error.sentence and "\n" not in error.sentence and len(error.sentence) <= 600


@FEW
@given(st.dictionaries(st.sampled_from([*SetFile.model_fields, "other"]), ODD, max_size=6), st.booleans())
def test_any_set_file_is_taken_or_refused(told: dict[str, Any], whole: bool) -> None:
    base = {"format": "deep-mirror-set", "version": 1, "client": "Ann", "film": "f.mp4"} if whole else {}
    try:
        said = check_set(json.dumps(base | told).encode("utf-8", "surrogatepass"))
        json.dumps(said.model_dump(mode="json"), allow_nan=False).encode()
        said.note.encode("utf-8")
    except DeepMirrorError as error:
        one_sentence(error)


def zipped(entries: dict[str, bytes], method: int = zipfile.ZIP_DEFLATED) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", method) as archive:
        for name, data in entries.items():
            archive.writestr(name, data)
    return out.getvalue()


GOOD_SET = json.dumps({"format": "deep-mirror-set", "version": 1, "client": "Ann", "film": "f.mp4"}).encode()


@FEW
@given(st.lists(st.tuples(st.integers(0, 4000), st.integers(0, 255)), max_size=12), st.integers(0, 400), st.sampled_from([0, 8, 12, 14]))
def test_a_bundle_with_any_bytes_wrong_is_refused(
    tmp_path_factory: pytest.TempPathFactory, wrong: list[Any], cut: int, method: int
) -> None:
    data = bytearray(zipped({"set.json": GOOD_SET, "f.mp4": bytes(range(256)) * 12}, method))
    for place, byte in wrong:
        data[place % len(data)] = byte
    folder = tmp_path_factory.mktemp("bundle")
    (folder / "a.zip").write_bytes(bytes(data[: len(data) - cut]))
    try:
        read_bundle(folder / "a.zip", folder / "out")
    except DeepMirrorError as error:
        one_sentence(error)
    assert {p.name for p in folder.rglob("*") if p.is_file()} <= {"a.zip", "f.mp4"}


def digits() -> bytes:
    return GOOD_SET[:-1] + b', "set": {"load_kg": ' + b"9" * 5000 + b"}}"


LETTERS: dict[str, Callable[[], tuple[bytes, bytes]]] = {
    "a number of 5,000 digits": lambda: (b"a.zip", zipped({"set.json": digits(), "f.mp4": b"x"})),
    "brackets without end": lambda: (b"b.zip", zipped({"set.json": b"[" * 100_000, "f.mp4": b"x"})),
    "data that does not unpack": lambda: (
        b"c.zip",
        zipped({"set.json": GOOD_SET, "f.mp4": b"abc" * 99}).replace(b"\x4b\x4c\x4a", b"\xff" * 3),
    ),
    "a name that is not UTF-8": lambda: (b"caf\xe9 \xff.zip", b"PK\x03\x04 no"),
    "a name that is not UTF-8, a film": lambda: (b"\xff\xfe.mp4", b"no film"),
}


@pytest.mark.parametrize("kind", LETTERS)
def test_a_letter_that_breaks_is_a_line_on_the_desk_and_those_behind_it_go_on(
    demo_library: FilmLibrary, tmp_path: Path, short_film: Path, kind: str
) -> None:
    name, data = LETTERS[kind]()
    path = tmp_path / os.fsdecode(name)
    path.write_bytes(data)
    behind = tmp_path / "behind.mp4"
    shutil.copyfile(short_film, behind)

    class Mailbox:
        def letters(self) -> list[Letter]:
            return [Letter(f"{p.name}|1", p.name, p) for p in (path, behind)]

    first, second = Arrivals(demo_library, Mailbox()).collect(Progress())
    assert first.state == "refused" and first.sentence and second.state == "waiting"
    first.sentence.encode("utf-8")
    assert Arrivals(demo_library, Mailbox()).collect(Progress()) == [], "at the next start it is known"


def test_a_letter_nobody_foresaw_costs_itself_only(
    demo_library: FilmLibrary, tmp_path: Path, short_film: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "a.zip").write_bytes(b"PK\x03\x04 x")
    shutil.copyfile(short_film, tmp_path / "b.mp4")

    class Mailbox:
        def letters(self) -> list[Letter]:
            return [Letter(p.name, p.name, p) for p in (tmp_path / "a.zip", tmp_path / "b.mp4")]

    def breaks(*_: object) -> None:
        raise ZeroDivisionError

    monkeypatch.setattr("deepmirror.services.program.arrivals.read_bundle", breaks)
    first, second = Arrivals(demo_library, Mailbox()).collect(Progress())
    assert first.state == "refused" and "crash-" in first.sentence and second.state == "waiting"


@st.composite
def edits(draw: st.DrawFn) -> dict[str, Any]:
    """A brief that a coach's hand, or an older program, could have left."""
    out: dict[str, Any] = {"marks": {}}
    for kind in draw(st.lists(st.sampled_from(LINES), max_size=2)):
        out["marks"][kind] = draw(st.lists(PIXEL, min_size=2, max_size=2) | PIXEL.map(lambda p: [p, p]))
    if draw(st.booleans()):
        out["marks"] |= {"platform": draw(st.lists(PIXEL, min_size=4, max_size=4)), "platform_cm": [120, draw(ODD_NUMBERS)]}
    if draw(st.booleans()):
        spot = draw(PIXEL)
        out["seeds"] = [
            {"frame": draw(st.sampled_from([0, 90, 10**6])), "points_px": dict.fromkeys(draw(st.lists(st.sampled_from(POINTS))), spot)}
        ]
    if draw(st.booleans()):
        out["hidden"] = [f"{j}_{s}" for j in draw(st.lists(st.sampled_from(JOINTS))) for s in ("left", "right")]
    if draw(st.booleans()):
        out["view"] = draw(st.sampled_from(["side-left", "side-right", "front", "rear", "above"]))
    if draw(st.booleans()):
        out["client"] = {"stature_cm": 170, "segments_cm": {draw(st.sampled_from(["thigh", "shank", "trunk"])): draw(ODD_NUMBERS)}}
    if draw(st.booleans()):
        out["scale"] = {"points_px": draw(st.lists(PIXEL, min_size=2, max_size=2)), "length_cm": draw(ODD_NUMBERS)}
    return out


@FEW
@given(edits(), st.sampled_from(["tove_back_squat_side", "oren_belt_squat_front", "ines_lying_curl_side"]))
def test_any_marks_and_points_give_numbers_or_a_sentence(analyses: dict[str, Analysis], edit: dict[str, Any], name: str) -> None:
    from deepmirror.pose.evidence import Evidence

    known = json.loads((DEMO / f"{name}.brief.json").read_text())
    try:
        brief = check_brief(known | edit | {"marks": known.get("marks", {}) | edit["marks"]})
        with np.errstate(all="ignore"):
            found = conclude(analyses[name].facts, brief, load_catalogue(), Evidence.load(DEMO / f"{name}.npz"))
        json.dumps(measures_record(found), allow_nan=False)
    except (BadBrief, CannotSolve) as error:
        one_sentence(error)


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        (lambda r: r.mark("pad_line", [(300, 300), (301, 300)]), "Both ends of the pad line lie on one spot"),
        (lambda r: r.mark("pivot", [(1e30, 5)]), "far outside"),
        (lambda r: r.mark("platform", [(5, 5)] * 4, size_cm=(100, 60)), "do not enclose"),
        (lambda r: (r.place(300, "hip_left", (50, 50)), r.place(300, "knee_left", (50, 50.5))), "lie on one spot"),
        (lambda r: r.set_field(client=r.brief.file.client.model_dump() | {"segments_cm": {"thigh": 399, "shank": 0.0001}}), "no body"),
    ],
)
def test_marks_no_film_can_show_are_refused_at_the_edit_and_change_nothing(
    demo_library: FilmLibrary, edit: Callable[[Review], object], words: str
) -> None:
    film = next(f for f in demo_library.films() if f.client_name.startswith("Tove"))
    review = Review(demo_library, film.id, conclude=False)
    marks = review.brief.file.marks
    with pytest.raises(BadBrief, match=words):
        edit(review)
    assert review.brief.file.marks == marks and "knee_left" not in review.seed(300)
    review.close()


def test_the_side_that_was_not_looked_at_is_said_to_need_measuring(demo_library: FilmLibrary) -> None:
    film = next(f for f in demo_library.films() if f.client_name.startswith("Bram"))
    review = Review(demo_library, film.id, conclude=False)
    other = {"side-left": "side-right", "side-right": "side-left"}[review.brief.file.view]
    review.set_field(view=other, seeds=[], marks={})
    with pytest.raises(CannotSolve, match="not followed"):
        review.conclude()
    review.close()


def test_what_was_stored_before_is_answered_in_a_sentence_and_can_be_mended(demo_library: FilmLibrary) -> None:
    film = demo_library.films()[0]
    demo_library.store.update_film(film.id, brief=film.brief | {"marks": {"rail": [[5, 5], [5, 5]], "pivot": [1e30, 1]}})
    review = Review(demo_library, film.id, conclude=False)
    with pytest.raises(CannotSolve, match="far outside"):
        review.conclude()
    review.set_field(tempo="2-0-1-0")  # another edit is not locked out by the old mark
    review.mark("pivot", [(400, 300)])
    review.mark("rail", [(100, 100), (300, 300)])
    assert review.conclude() is not None
    review.close()


@FEW
@given(st.data())
def test_any_movement_file_is_read_or_left_out(tmp_path_factory: pytest.TempPathFactory, data: st.DataObject) -> None:
    shipped = (Path(load_catalogue.__wrapped__.__code__.co_filename).parent / "data" / "back_squat.toml").read_text()
    lines = shipped.splitlines()
    for _ in range(data.draw(st.integers(1, 4))):
        at = data.draw(st.integers(0, len(lines) - 1))
        value = data.draw(st.sampled_from(["nan", "inf", "-1", "0", "9" * 400, "[" * 2000, '"x"', "1e308", "true", "[[[]]]", ""]))
        lines[at] = f"{lines[at].split('=')[0]}= {value}"
    folder = tmp_path_factory.mktemp("own")
    (folder / "mine.toml").write_text("\n".join(lines))
    load_catalogue.cache_clear()
    catalogue = load_catalogue(folder)
    assert len(catalogue.movements) >= 25 and all("\n" not in p for p in catalogue.problems)


def test_odd_things_among_the_movements_stop_nothing(tmp_path: Path) -> None:
    (tmp_path / "folder.toml").mkdir()
    (tmp_path / "dangling.toml").symlink_to(tmp_path / "nowhere")
    (tmp_path / "deep.toml").write_text("a = " + "[" * 5000)
    (tmp_path / "large.toml").write_bytes(b"#" * 600_000)
    (tmp_path / "digits.toml").write_text("a = " + "9" * 6000)
    own = (DEMO.parents[1] / "movements" / "data" / "back_squat.toml").read_text().replace('id = "back_squat"', 'id = "mine"')
    (tmp_path / "nan.toml").write_text(own.replace("min_range_deg = ", "min_range_deg = nan #"))
    load_catalogue.cache_clear()
    catalogue = load_catalogue(tmp_path)
    assert {p.split(".toml")[0] for p in catalogue.problems} == {"folder", "dangling", "deep", "large", "digits", "nan"}
    for name in ("../../etc/passwd", "faults", "no such", "x\x00y"):
        with pytest.raises(BadMovement, match="No shipped movement"):
            copy_definition(name, tmp_path)


@FEW
@given(st.dictionaries(st.sampled_from(["stature_cm", "mass_kg", "segments_cm", "limits_deg", "sex"]), ODD, max_size=4), st.data())
def test_any_client_gets_a_posture_or_a_sentence(told: dict[str, Any], data: st.DataObject) -> None:
    from deepmirror.exchange.brief import check_client

    limits = {data.draw(st.sampled_from(["hip_flexion", "knee_flexion", "ankle_dorsiflexion"])): data.draw(ODD_NUMBERS)}
    movement = data.draw(st.sampled_from(["back_squat", "belt_squat", "leg_press", "romanian_deadlift", "nonsense"]))
    try:
        client = check_client({"limits_deg": limits} | told)
        json.dumps(
            build_record(client, PostureRequest(movement, data.draw(st.sampled_from(["parallel", "deepest", -40, 170])))), allow_nan=False
        )
    except DeepMirrorError as error:
        one_sentence(error)


@pytest.mark.parametrize(
    ("words", "code"),
    [
        (["build", "CLIENT", "--depth", "nan"], 2),
        (["build", "CLIENT", "--load-kg", "1e400"], 2),
        (["build", "CLIENT", "--foot-height-cm", "inf", "--movement", "leg_press"], 2),
        (["build", "HIP0"], 2),
        (["build", "TRUNK"], 2),
        (["build", "nowhere.json"], 2),
        (["build", "."], 2),
        (["movements", "--library", "FOLDER/none"], 2),
        (["movements", "--library", "FOLDER", "--copy", "../../x"], 2),
        (["analyse", "FOLDER", "--brief", "CLIENT", "--out", "FOLDER/out"], 2),
        (["analyse", "no.mp4", "--brief", "no.json", "--out", "/proc/nowhere"], 2),
        (["build"], 2),
        (["nonsense"], 2),
        (["build", "CLIENT", "--bar", "sideways"], 2),
        (["build", "CLIENT"], 0),
    ],
    ids=lambda v: " ".join(v) if isinstance(v, list) else "",
)
def test_any_command_line_ends_with_json_or_one_line(
    tmp_path: Path, capfd: pytest.CaptureFixture[str], words: list[str], code: int
) -> None:
    records = {
        "CLIENT": {"stature_cm": 172, "mass_kg": 70},
        "HIP0": {"stature_cm": 172, "limits_deg": {"hip_flexion": 0, "knee_flexion": 0}},
        "TRUNK": {"stature_cm": 172, "segments_cm": {"trunk": 1e-300}},
    }
    for name, record in records.items():
        (tmp_path / name).write_text(json.dumps(record))
    told = [str(tmp_path / w) if w in records else w.replace("FOLDER", str(tmp_path)) for w in words]
    try:
        ended = main(told)
    except SystemExit as error:
        ended = int(error.code or 0)
    out, complaint = capfd.readouterr()
    assert ended == code
    if code:
        assert len(complaint.strip().splitlines()) == 1 and out == ""
    else:
        assert complaint == "" and json.loads(out)["feasible"] in (True, False)
