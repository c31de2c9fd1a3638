"""Sentences that are said in another language after they were made."""

from __future__ import annotations

import json
import pickle
from collections.abc import Iterator
from datetime import date

import pytest

from deepmirror import words
from deepmirror.errors import BadFilm
from deepmirror.words import Said, Shown, capital, from_kept, in_language, joined, say, small, to_kept

GERMAN = {
    "{reps} reps · {found}": "{reps} Wiederholungen · {found}",
    "Hips rise off the pad": "Die Hüfte hebt vom Polster ab",
    "“{name}” is empty.": "„{name}“ ist leer.",
    "{first} and {then}": "{first} und {then}",
    "the knee": "das Knie",
    "Depth": "Tiefe",
}


@pytest.fixture
def german(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    monkeypatch.setattr(words, "_language", [lambda text: GERMAN.get(text, text)])
    yield


def line() -> str:
    return say("{reps} reps · {found}", reps=4, found="Hips rise off the pad")


def test_a_sentence_is_english_text_wherever_nobody_reads_it() -> None:
    assert line() == "4 reps · Hips rise off the pad" == json.loads(json.dumps(line()))
    assert {line(): 1} == {"4 reps · Hips rise off the pad": 1}


@pytest.mark.usefixtures("german")
def test_its_pattern_and_its_parts_are_translated_when_it_is_shown() -> None:
    assert in_language(line()) == "4 Wiederholungen · Die Hüfte hebt vom Polster ab"
    assert in_language("Depth") == "Tiefe" and in_language("Ulla Brandt") == "Ulla Brandt"


@pytest.mark.usefixtures("german")
@pytest.mark.parametrize(
    ("said", "english", "translated"),
    [
        (joined(" · ", ["Depth", "4"]), "Depth · 4", "Tiefe · 4"),
        (capital("the knee"), "The knee", "Das Knie"),
        (small("Depth"), "depth", "Tiefe"),  # a noun stays large where the language writes it so
        (small("Unknown"), "unknown", "unknown"),
        (line() + ".", "4 reps · Hips rise off the pad.", "4 Wiederholungen · Die Hüfte hebt vom Polster ab."),
        ("(" + line(), "(4 reps · Hips rise off the pad", "(4 Wiederholungen · Die Hüfte hebt vom Polster ab"),
        (say("{first} and {then}", first="the knee", then=small("Depth")), "the knee and depth", "das Knie und Tiefe"),
        (say("“{name}” is empty.", name="{odd} name"), "“{odd} name” is empty.", "„{odd} name“ ist leer."),
    ],
)
def test_what_is_put_together_stays_translatable(said: str, english: str, translated: str) -> None:
    assert said == english and in_language(said) == translated


@pytest.mark.usefixtures("german")
def test_what_is_shown_already_is_not_translated_again_and_takes_in_what_is_added() -> None:
    shown = in_language("Depth")
    assert isinstance(shown, Shown) and in_language(shown) is not None and in_language(shown) == "Tiefe"
    assert shown + ": " + "the knee" == "Tiefe: das Knie" and "the knee" + shown == "das KnieTiefe"


@pytest.mark.usefixtures("german")
def test_an_errors_sentence_and_a_process_apart_keep_the_parts() -> None:
    error = BadFilm(say("“{name}” is empty.", name="a.mp4"))
    assert str(error) == "“a.mp4” is empty." and in_language(str(error)) == "„a.mp4“ ist leer."
    assert in_language(say("{first} and {then}", first=error, then="Depth")) == "„a.mp4“ ist leer. und Tiefe"
    assert in_language(pickle.loads(pickle.dumps(line()))) == in_language(line())


@pytest.mark.usefixtures("german")
def test_kept_as_json_and_read_back_it_can_still_be_translated() -> None:
    for said in (line(), capital("the knee"), joined("; ", [line(), "Depth"]), "Depth"):
        back = from_kept(json.loads(json.dumps(to_kept(said))))
        assert back == said and in_language(back) == in_language(said)


def test_a_translation_with_a_wrong_place_is_left_out(monkeypatch: pytest.MonkeyPatch) -> None:
    for wrong in ("{rps} Wdh. · {found}", "{reps} Wdh. · {", "{reps.most} Wdh.", "{} Wdh."):
        monkeypatch.setattr(words, "_language", [lambda text, wrong=wrong: wrong if "reps" in text else text])
        assert in_language(line()) == "4 reps · Hips rise off the pad"


def test_parts_that_json_cannot_keep_leave_plain_text() -> None:
    said = say("on {day:%d %b}", day=date(2026, 3, 2))
    assert isinstance(said, Said) and to_kept(said) == "on 02 Mar" == from_kept(to_kept(said))
