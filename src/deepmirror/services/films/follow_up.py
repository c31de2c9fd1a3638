"""Following up: each correction that was sent is watched on the client's next films of the same movement."""

from __future__ import annotations

import math
from dataclasses import asdict, dataclass

from deepmirror.core.measures.table import MEASURES
from deepmirror.core.motion.reps import Rep
from deepmirror.core.motion.time_normalisation import Change, change
from deepmirror.core.uncertain_value import Band, Value, Verdict, bare_unit, describe_band, verdict, with_doubt, with_unit
from deepmirror.documents import Document
from deepmirror.services.films.analysis import Analysis
from deepmirror.store.library import LibraryStore
from deepmirror.store.watches import WatchRecord as WatchRecord
from deepmirror.words import say

SAME_LOAD_SHARE = 0.05  # loads nearer to one another are the same for comparing; common practice, no source
SAME_VIEW = {"side-left": "side", "side-right": "side", "front": "front", "rear": "front"}


# What is said of a change, to coach and client alike.
SAID = {
    Change.REAL: "clearly better",
    Change.WORSE: "clearly worse",
    Change.NOT_TOLD: "no clear difference",
    Change.CANNOT_TELL: "cannot tell",
}


@dataclass(frozen=True)
class Baseline:
    """What was found when the correction was sent: the worst rep's number, its target, and the words sent with it."""

    code: str
    title: str
    measure: str
    unit: str
    low: float | None
    high: float | None
    value: float
    u: float
    rep: int | None
    time_s: float
    view: str
    cue: str
    change: str
    load_kg: float | None = None

    def band(self) -> Band:
        """The target it was judged against."""
        return Band(self.low, self.high)


@dataclass(frozen=True)
class Outcome:
    """What one later film says: the worst rep's number and the verdict on the change; value is None where it cannot tell."""

    value: float | None
    u: float
    rep: int | None
    time_s: float
    verdict: Change
    within: bool
    reason: str = ""


@dataclass(frozen=True)
class FollowUp:
    """A watched correction as a film shows it: the record, what was found then, and what this film says."""

    id: int
    state: str
    film_id: int
    opened_at: str
    baseline: Baseline
    outcome: Outcome
    load_kg: float | None = None  # of this film

    def words(self) -> str:
        """ "3.6 ± 0.6 cm then, 0.5 ± 0.5 cm off the pad now: clearly better, within the target"."""
        bare = bare_unit(self.baseline.unit)
        before = number_words(self.baseline.value, self.baseline.u, bare)
        if self.outcome.value is None:
            return say("{before} then; this film cannot tell: {reason}", before=before, reason=self.outcome.reason)
        after = number_words(self.outcome.value, self.outcome.u, self.baseline.unit)
        now = ", within the target" if self.outcome.within else ""
        return say(
            "{before} then, {after} now: {said}{now}{loads}",
            before=before,
            after=after,
            said=SAID[self.outcome.verdict],
            now=now,
            loads=self._loads(),
        )

    def _loads(self) -> str:
        """Both loads where they are not about the same: what changed is then partly the load's."""
        then, now = self.baseline.load_kg, self.load_kg
        if then is None or now is None or abs(then - now) <= SAME_LOAD_SHARE * max(then, now):
            return ""
        return say(" (at {then:g} kg then, {now:g} kg now)", then=then, now=now)

    def target_words(self) -> str:
        """The target in words."""
        return with_unit(describe_band(self.baseline.band()), self.baseline.unit)


def number_words(value: float, u: float, unit: str) -> str:
    """A number with its uncertainty, with a decimal or two where it is small."""
    places = 2 if u < 0.15 else 1 if u < 1.5 and abs(value) < 20 else 0
    return with_doubt(value, u, places, unit)


def worst(analysis: Analysis, measure: str, band: Band) -> tuple[Rep | None, Value] | None:
    """The number of the rep furthest out of the band, or the film's own; None when this film does not have it."""
    if measure in analysis.measured.film:
        return None, analysis.measured.film[measure]
    pairs = [
        (rep, values[measure])
        for rep, values in zip(analysis.scene.reps, analysis.measured.reps, strict=True)
        if measure in values and math.isfinite(values[measure].value) and math.isfinite(values[measure].u)
    ]
    return max(pairs, key=lambda pair: band.excess(pair[1].value)) if pairs else None


def outcome_of(item: Baseline, analysis: Analysis) -> Outcome:
    """What a film says of a correction."""
    view = analysis.brief.file.view
    found = worst(analysis, item.measure, item.band())
    if found is None:
        row = next((u for u in analysis.judgement.unmeasurable if u.measure == item.measure), None)
        other = SAME_VIEW[view] != SAME_VIEW[item.view]
        reason = row.reason if row else "it was filmed from another side" if other else "it has no number for it"
        if item.measure not in MEASURES:
            reason = "this is measured in another way now"
        return Outcome(None, 0.0, None, 0.0, Change.CANNOT_TELL, False, reason)
    rep, value = found
    band = item.band()
    said = change(Value(item.value, item.u), value, band)
    inside = verdict(value, band) in (Verdict.WITHIN, Verdict.BORDERLINE)
    time_s = rep.bottom_s if rep else analysis.scene.reps[-1].bottom_s if analysis.scene.reps else 0.0
    return Outcome(value.value, value.u, rep.number if rep else None, time_s, said, inside)


def baselines_of(analysis: Analysis, codes: list[str], words: dict[str, tuple[str, str]]) -> list[Baseline]:
    """What to watch after sending corrections with these codes; words: code -> (cue, change) as they were sent."""
    items = []
    for finding in analysis.judgement.findings:
        if finding.code not in codes:
            continue
        cue, change = words[finding.code]
        found = worst(analysis, finding.measure, finding.target)
        items.append(
            Baseline(
                finding.code,
                finding.title,
                finding.measure,
                finding.unit,
                finding.target.low,
                finding.target.high,
                finding.value,
                finding.u,
                found[0].number if found and found[0] else None,
                finding.time_s,
                analysis.brief.file.view,
                cue,
                change,
                analysis.brief.file.load_kg,
            )
        )
    return items


def begin(store: LibraryStore, client_id: int, film_id: int, movement: str, at: str, items: list[Baseline]) -> None:
    """Watch these corrections from now on."""
    for item in items:
        store.watches.add(client_id, film_id, movement, at, asdict(item))


def watched(store: LibraryStore, film_id: int, analysis: Analysis) -> list[FollowUp]:
    """The corrections that wait for an answer on this film: those sent before it came, and closed ones it already spoke on."""
    film, load = store.film(film_id), analysis.brief.file.load_kg
    out = []
    for record in store.watches.of_client(film.client_id, analysis.movement.id):
        told_here = any(f == film_id for f, _, _ in record.looks)
        if record.film_id != film_id and record.opened_at <= _late(film.arrived_at) and (record.state == "open" or told_here):
            item = baseline_of(record)
            out.append(FollowUp(record.id, record.state, record.film_id, record.opened_at, item, outcome_of(item, analysis), load))
    return out


def _late(arrived_at: str) -> str:
    """Sent before the film arrived; a film that arrived in the same second counts as later."""
    return arrived_at + "~"


def note_outcomes(store: LibraryStore, film_id: int, analysis: Analysis) -> None:
    """Keep what this film says of every open correction, for the history."""
    arrived = store.film(film_id).arrived_at
    for row in watched(store, film_id, analysis):
        if row.state == "open":
            store.watches.look(row.id, film_id, arrived, asdict(row.outcome))


def baseline_of(record: WatchRecord) -> Baseline:
    """What was found when it was sent."""
    return Baseline(**record.item)


def kept_outcome(kept: Document) -> Outcome:
    """A look as it was kept."""
    return Outcome(**(kept | {"verdict": Change(kept["verdict"])}))


def history(record: WatchRecord) -> list[str]:
    """The correction over the films: one line per film, oldest first."""
    item = baseline_of(record)
    lines = [
        say(
            "{opened_at}: {number}, sent with “{cue}”",
            opened_at=record.opened_at[:10],
            number=number_words(item.value, item.u, item.unit),
            cue=item.cue,
        )
    ]
    for _, at, raw in record.looks:
        look = kept_outcome(raw)
        said = (
            "cannot tell"
            if look.value is None
            else say("{number}, {said}", number=number_words(look.value, look.u, item.unit), said=SAID[look.verdict])
        )
        lines.append(say("{at}: {said}", at=at[:10], said=said) + (", within the target" if look.within else ""))
    return lines
