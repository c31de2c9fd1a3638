"""A client's training of the demo, opened by the beginning of her name."""

from __future__ import annotations

import pytest

from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.training.training_file import TrainingFile
from tests.services.training_rig import Open


@pytest.fixture
def training(demo_library: FilmLibrary) -> Open:
    def opened(name: str) -> TrainingFile:
        return TrainingFile(demo_library, next(c.id for c in demo_library.clients() if c.name.startswith(name)))

    return opened


@pytest.fixture(autouse=True)
def _numbers_once(concluded_once: None) -> None:
    """The same numbers are worked out once for these tests."""
