"""Topics in which schools of coaching differ: what may be chosen, in words, with the reason for each choice."""

from __future__ import annotations

from collections.abc import Container, Mapping

from pydantic import Field

from deepmirror.movements.schema import Fault, Movement, Strict
from deepmirror.words import say

SCHOOLS_FILE = "schools.toml"


class SchoolOption(Strict):
    """One school: how it is called, and why one would choose it."""

    title: str
    reason: str = Field(min_length=10)


class SchoolTopic(Strict):
    """A topic. families: those it concerns where no film can judge it; elsewhere the movements' own faults say so."""

    title: str
    options: dict[str, SchoolOption] = Field(min_length=2)
    families: tuple[str, ...] = ()

    def option(self, school: str) -> str:
        """A school in words."""
        found = self.options.get(school)
        return found.title if found is not None else school.replace("_", " ")


def topic_of(fault: Fault) -> str:
    """The topic a fault belongs to: its group's, where left and right, or several faults, hang on one choice."""
    return fault.topic or fault.group or fault.code


def topics_of(movement: Movement, topics: Mapping[str, SchoolTopic]) -> dict[str, tuple[str, ...]]:
    """Topic -> the schools that may be chosen in a movement, its default first."""
    out: dict[str, tuple[str, ...]] = {}
    for fault in movement.fault:
        if len(fault.targets) > 1:
            out.setdefault(topic_of(fault), (fault.school, *(s for s in fault.targets if s != fault.school)))
    for code, topic in topics.items():
        if movement.family in topic.families:
            out.setdefault(code, tuple(topic.options))
    return out


def for_exercise(movement_id: str, topic: str) -> str:
    """The name under which a client's record keeps a school for one exercise."""
    return f"{movement_id}/{topic}"


def chosen(schools: Mapping[str, str], movement: Movement, fault: Fault) -> str:
    """The school a fault is judged by: the exercise's, else the client's, else the definition's own; always one it has."""
    topic = topic_of(fault)
    return _kept(schools, (for_exercise(movement.id, topic), topic, fault.code), fault.targets) or fault.school


def agreed(schools: Mapping[str, str], movement_id: str, topic: str, offered: tuple[str, ...]) -> str:
    """The school that stands in a topic: the exercise's, else the client's, else the first offered; always one offered."""
    return _kept(schools, (for_exercise(movement_id, topic), topic), offered) or offered[0]


def _kept(schools: Mapping[str, str], names: tuple[str, ...], offered: Container[str]) -> str:
    """The first school kept under one of the names that may still be chosen; empty where there is none."""
    return next((schools[n] for n in names if n in schools and schools[n] in offered), "")


def untitled(fault: Fault, topics: Mapping[str, SchoolTopic]) -> str:
    """What keeps a fault's schools from being offered in words, as a sentence; empty where nothing does."""
    if len(fault.targets) < 2:
        return ""
    topic = topics.get(topic_of(fault))
    if topic is None:
        return say("{topic_of} has several schools and no topic in {schools_file}", topic_of=topic_of(fault), schools_file=SCHOOLS_FILE)
    missing = next((s for s in fault.targets if s not in topic.options), None)
    return (
        say(
            "the school {missing} of {topic_of} has no words in {schools_file}",
            missing=missing,
            topic_of=topic_of(fault),
            schools_file=SCHOOLS_FILE,
        )
        if missing is not None
        else ""
    )
