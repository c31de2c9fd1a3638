"""What the tests of training share."""

from __future__ import annotations

from collections.abc import Callable

from deepmirror.services.training.training_file import TrainingFile

Open = Callable[[str], TrainingFile]
