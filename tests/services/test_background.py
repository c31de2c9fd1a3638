"""What runs beside the window: numbers worked out in a process apart, edits written by a thread, films read again when they changed."""

from __future__ import annotations

import threading

import numpy as np
import pytest

from deepmirror.errors import CannotSolve, LibraryError, WorkFailed
from deepmirror.exchange.brief import check_brief
from deepmirror.pose.posture_class import look_at
from deepmirror.services.common.saving import Saver
from deepmirror.services.films.concluding import SubprocessConcluder
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.films.records import measures_record
from deepmirror.services.films.review import Review


def test_a_process_apart_concludes_the_same_and_tells_what_it_refuses(demo_library: FilmLibrary) -> None:
    review = Review(demo_library, demo_library.films()[0].id)
    assert review.analysis is not None and review.evidence is not None
    apart, facts, catalogue = SubprocessConcluder(), review.film.facts, demo_library.catalogue
    apart.warm_up()
    pictures = [review.film.picture(n) for n in (0, len(review.film.times) // 2)]
    assert apart.look(pictures) == look_at(pictures) and look_at(pictures).view is not None
    found = apart(facts, review.brief, catalogue, review.evidence)
    assert measures_record(found) == measures_record(review.analysis)
    impossible = check_brief(review.brief.file.model_dump() | {"marks": {"pivot": (1e6, 1e6)}})
    with pytest.raises(CannotSolve, match="outside of the picture"):
        apart(facts, impossible, catalogue, review.evidence)
    apart._all[0]._process.kill()
    with pytest.raises(WorkFailed):  # ended from outside: told, and the next one is another process
        apart(facts, review.brief, catalogue, review.evidence)
    again = apart(facts, review.brief, catalogue, review.evidence)
    assert np.array_equal(again.scene.track.positions, review.analysis.scene.track.positions)
    apart.close()
    review.close()


def test_edits_are_written_by_another_thread_in_order_and_wait_while_they_cannot() -> None:
    saver, written, said, locked = Saver(), [], [], threading.Event()
    saver.told = said.append

    def save(number: int) -> None:
        if locked.is_set():
            raise LibraryError("It is locked.")
        written.append((number, threading.current_thread() is not threading.main_thread()))

    saver.start()
    for number in range(20):
        saver.write(lambda number=number: save(number))
    assert saver.wait() and written == [(n, True) for n in range(20)]
    locked.set()
    saver.write(lambda: save(20))
    assert not saver.wait() and said == ["It is locked."] and saver.waiting == 1
    locked.clear()
    saver.write(lambda: save(21))
    assert saver.retry() and said[-1] == "" and [n for n, _ in written[-2:]] == [20, 21]
    saver.close()


def test_only_films_that_changed_are_read_again(demo_library: FilmLibrary) -> None:
    store = demo_library.store
    before = {f.id: f for f in store.films()}
    one = next(iter(before))
    store.update_film(one, note="changed")
    after = {f.id: f for f in store.films()}
    assert after[one].note == "changed" and all(after[i] is before[i] for i in before if i != one)
    with pytest.raises(ZeroDivisionError), store.transaction():
        store.update_film(one, note="never kept")
        assert next(f for f in store.films() if f.id == one).note == "never kept"
        raise ZeroDivisionError
    assert next(f for f in store.films() if f.id == one).note == "changed"
    client = after[one].client_id
    store.update_client(client, store.client(client).body | {"mass_kg": 71.5}, "2026-03-02", "mass")
    assert {f.brief["client"]["mass_kg"] for f in store.films(client)} == {71.5}
