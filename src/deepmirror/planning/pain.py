"""Which regions hurt, and at what stage of their pathway they stand."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from deepmirror.core.training.pain_stage import BENCH, NOTHING, REFER, Report, Stage, stage_after
from deepmirror.movements.loader import Catalogue
from deepmirror.movements.pathways import RedFlag, pathways, red_flags, regions_for
from deepmirror.planning.records import DoneSet, Kind, PainEntry
from deepmirror.words import capital, say


@dataclass(frozen=True)
class RegionStage:
    """A region of the body with its stage and the day of its last word."""

    region: str
    stage: Stage
    side: str
    day: date


@dataclass(frozen=True)
class PainView:
    """All regions that are at a stage, what stops all training, and what was noted that no pathway knows."""

    regions: tuple[RegionStage, ...]
    stop_all: tuple[str, ...] = ()
    unknown: tuple[str, ...] = ()

    def loading(self, pattern: str, side: str = "both") -> RegionStage | None:
        """The worst staged region a pattern loads; one side's pain does not stop the other leg's own sets."""
        hit = [r for r in self.regions if pattern in pathways()[r.region].loads and not _other_side(r.side, side)]
        return max(hit, key=lambda r: (r.stage.number, r.stage.change), default=None)


def _other_side(hurts: str, trained: str) -> bool:
    return {hurts, trained} == {"left", "right"}


def side_of(where: str) -> str:
    """ "left", "right", or "both" when the words say neither or both."""
    named = set(where.lower().split())
    left, right = "left" in named, "right" in named
    return "left" if left and not right else "right" if right and not left else "both"


def pain_view(
    entries: Sequence[PainEntry], sets: Sequence[DoneSet], catalogue: Catalogue, until: date, noted: Sequence[str] = ()
) -> PainView:
    """The stages after all that was noted up to a day: entries by place, and the pain of sets that load a region.

    noted: places of the client's record without a day or a level; a region only these speak of is tested first, and nothing rises.
    """
    told = sorted((e for e in entries if e.date <= until), key=lambda e: e.date)
    by_region: dict[str, list[PainEntry]] = {}
    unknown, stop_all = [], _Stops()
    for entry in told:
        flags, strange = red_flags(list(entry.signs))
        unknown += [
            say("“{sign}” noted on {date} is no sign the program knows: read it yourself.", sign=sign, date=entry.date) for sign in strange
        ]
        stop_all.note(entry, flags)
        regions = regions_for([entry.where])
        if not regions and (entry.level or flags):
            unknown.append(
                say(
                    "Pain noted at “{where}” on {date} has no pathway here: decide yourself what it may do.",
                    where=entry.where,
                    date=entry.date,
                )
            )
        for region in regions:
            by_region.setdefault(region, []).append(entry)
    standing = {region: where for where in noted for region in regions_for([where]) if region not in by_region}
    stages = [_standing(region, where, until) for region, where in standing.items()]
    stages += [_stage(region, mine, sets, catalogue, until) for region, mine in by_region.items()]
    return PainView(tuple(s for s in stages if s.stage.number != NOTHING), tuple(stop_all.words), tuple(dict.fromkeys(unknown)))


class _Stops:
    """What stops all training, until a clinician's note comes after it."""

    def __init__(self) -> None:
        self.words: list[str] = []

    def note(self, entry: PainEntry, flags: dict[str, RedFlag]) -> None:
        if entry.clinician:
            self.words = []
        self.words += [flag.says for flag in flags.values() if flag.everything]


def _standing(region: str, where: str, until: date) -> RegionStage:
    return RegionStage(region, Stage(REFER if pathways()[region].noted else BENCH, watched=True), side_of(where), until)


def _stage(region: str, entries: Sequence[PainEntry], sets: Sequence[DoneSet], catalogue: Catalogue, until: date) -> RegionStage:
    pathway = pathways()[region]
    days: dict[date, list[Report]] = {}
    noted = min((e.date for e in entries if e.clinician), default=None)
    for e in entries:
        unnoted = pathway.noted and (noted is None or e.date < noted)
        flag = bool(red_flags(list(e.signs))[0]) or unnoted
        days.setdefault(e.date, []).append(Report(str(e.date), e.level, e.next_morning, flag, e.clinician))
    first = min(days)
    for s in sets:
        movement = catalogue.movements.get(s.movement)
        loads = movement is not None and movement.training is not None and movement.training.pattern in pathway.loads
        if loads and s.pain is not None and first < s.date <= until and s.kind is not Kind.WARM_UP:
            days.setdefault(s.date, []).append(Report(str(s.date), s.pain, s.pain_next_morning))
    side = side_of(max(entries, key=lambda e: e.date).where)
    stage = stage_after((_day(days[day]) for day in sorted(days)), len(pathway.change))
    return RegionStage(region, stage, side, max(days))


def _day(reports: Sequence[Report]) -> Report:
    """One day's reports as one: the worst of them."""
    levels = [r.level for r in reports if r.level is not None]
    mornings = [r.morning for r in reports if r.morning is not None]
    return Report(
        reports[0].date,
        max(levels, default=None),
        max(mornings, default=None),
        any(r.red_flag for r in reports),
        any(r.clinician for r in reports),
    )


def stage_words(at: RegionStage) -> str:
    """Where a region stands, as one line."""
    pathway = pathways()[at.region]
    name = capital(at.region.replace("_", " ")) + ("" if at.side == "both" else say(", {side}", side=at.side))
    if at.stage.number == REFER:
        return say(
            "{name}, stage 4: a licensed clinician first; nothing that loads it is planned until a clinician's note is on file.", name=name
        )
    does = {
        1: pathway.bench,
        2: pathway.change[min(at.stage.change, len(pathway.change) - 1)].words,
        3: say("other movements, {dose}.", dose=pathway.dose),
    }
    return say(
        "{name}, stage {number}: {does} Over when: {exit}.",
        name=name,
        number=at.stage.number,
        does=does[at.stage.number],
        exit=pathway.exit,
    )
