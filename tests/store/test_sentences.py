"""A film's line is kept with its parts, so that it can still be said in another language."""

from __future__ import annotations

import pytest
from sqlalchemy.dialects.sqlite import dialect

from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.store.tables import Sentence
from deepmirror.words import Said, say


def test_a_films_line_comes_back_as_it_was_said(demo_library: FilmLibrary) -> None:
    film = demo_library.films()[0]
    line = say("{counted} · {found}", counted=say("{reps} reps", reps=7), found="Hips rise off the pad")
    demo_library.store.update_film(film.id, line=line)
    back = demo_library.store.film(film.id).line
    assert back == "7 reps · Hips rise off the pad" and isinstance(back, Said) and back.pattern == "{counted} · {found}"
    assert isinstance(back.parts["counted"], Said)


@pytest.mark.parametrize(
    "text", ["plain", "", '{"pattern": ', '{"pattern": 3}', '{"pattern": "{a}", "parts": {}, "begins": ""}', "{braces}"]
)
def test_a_text_that_is_no_sentence_stays_what_it_is(text: str) -> None:
    column, sqlite = Sentence(), dialect()
    assert column.process_result_value(column.process_bind_param(text, sqlite), sqlite) == text
    assert column.process_bind_param(None, sqlite) is None and column.process_result_value(None, sqlite) is None
