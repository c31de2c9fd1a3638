"""Why a finding is said: what was seen, what is asked, what speaks for each cause, what would change it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deepmirror.judge.records import Finding
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.review import Review
from deepmirror.services.replies.composing import finding_correction
from deepmirror.services.replies.rendering import correction_picture
from deepmirror.words import say


@dataclass(frozen=True)
class CauseWords:
    """One cause, what speaks for it and against it in this film and body; ruled_out: a better rep shows that it is none."""

    words: str
    speaks_for: tuple[str, ...]
    speaks_against: tuple[str, ...]
    ruled_out: bool


@dataclass(frozen=True)
class WhyPage:
    """The four parts of the page, each in lines."""

    title: str
    why: str
    seen: tuple[str, ...]
    asked: tuple[str, ...]
    causes: tuple[CauseWords, ...]
    change: tuple[str, ...]


def why_page(analysis: Analysis, code: str) -> WhyPage:
    """The page of one finding of a film."""
    finding = next(f for f in analysis.judgement.findings if f.code == code)
    causes = tuple(CauseWords(c.words, c.speaks_for, c.speaks_against, c.ruled_out) for c in finding.weighed)
    return WhyPage(finding.title, finding.why, finding.seen, finding.asked, causes, _change(finding))


def _change(finding: Finding) -> tuple[str, ...]:
    """What would change it: this body's own answers, the words for the moment, the drill, and the film that would show it."""
    answers = finding.answers or ((finding.change,) if finding.change else ())
    cue = (say("Say: “{cue}”", cue=finding.cue),) if finding.cue else ()
    drill = (say("Drill: {drill}", drill=finding.drill),) if finding.drill else ()
    film = (say("Next film: {film_next}", film_next=finding.film_next),) if finding.film_next else ()
    return (*answers, *cue, *drill, *film)


def why_picture(review: Review, code: str) -> NDArray[np.uint8]:
    """The frame that shows it, with what was measured drawn on it (H, W, 3) RGB. Raises BadFilm."""
    assert review.analysis is not None
    return correction_picture(review.film, review.analysis, finding_correction(review.analysis, code))
