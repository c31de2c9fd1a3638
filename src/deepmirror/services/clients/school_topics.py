"""The topics in which schools of coaching differ, as one client's page lists them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from deepmirror.movements.loader import Catalogue
from deepmirror.movements.schools import agreed, for_exercise, topics_of


@dataclass(frozen=True)
class TopicRow:
    """One topic in which schools differ: (school, words) to choose from, what is chosen here (empty: nothing), what stands, and why."""

    code: str
    title: str
    options: tuple[tuple[str, str], ...]
    chosen: str
    stands: str
    reason: str


def topic_rows(catalogue: Catalogue, kept: Mapping[str, str], movement: str | None) -> list[TopicRow]:
    """The topics in which a school may be chosen, for all lifts or for one exercise, with what a client's record keeps of them."""
    if movement is None:
        offered = {code: tuple(topic.options) for code, topic in catalogue.topics.items()}
    else:
        offered = topics_of(catalogue.movement(movement), catalogue.topics)
    rows = []
    for code, schools in offered.items():
        topic = catalogue.topics[code]
        here = kept.get(for_exercise(movement, code) if movement else code, "")
        chosen = here if here in schools else ""
        stands = agreed(kept, movement, code, schools) if movement else chosen
        reason = topic.options[stands].reason if stands else ""
        rows.append(TopicRow(code, topic.title, tuple((s, topic.options[s].title) for s in schools), chosen, stands, reason))
    return rows
