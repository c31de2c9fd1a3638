"""Composing a reply: pre-filled from the findings and from what became of earlier corrections."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from deepmirror.core.motion.tempo import digits, time_under_tension_s
from deepmirror.core.motion.time_normalisation import Change
from deepmirror.core.uncertain_value import Verdict, bare_unit
from deepmirror.core.units import in_their_units
from deepmirror.errors import ReplyError
from deepmirror.judge.records import SAFETY, SEVERITY_ORDER, Finding
from deepmirror.reply.model import CLICKS as CLICKS
from deepmirror.reply.model import USUAL_CORRECTIONS, Before, Reply
from deepmirror.reply.model import Anchor as Anchor
from deepmirror.reply.model import Correction as Correction
from deepmirror.reply.model import Since as Since
from deepmirror.reply.model import Stroke as Stroke
from deepmirror.reply.model import StrokeKind as StrokeKind
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.films.follow_up import SAID, FollowUp, number_words
from deepmirror.services.replies.plain_words import told_number
from deepmirror.words import capital, in_language, joined, say, small

BESIDE = "beside"
# what of a correction is words
SPOKEN = ("title", "seen", "number", "why", "cue", "change", "film_next", "short", "cause")
OWN = "own-"  # the codes of corrections the coach adds herself begin with this


def draft_reply(analysis: Analysis, client: str = "", watched: list[FollowUp] | None = None, coach: str = "", date: str = "") -> Reply:
    """The findings as corrections, in their order (safety, range, tension, polish); the first three are chosen, leaving out
    what only repeats one of them. What became of earlier corrections comes before them."""
    imperial, rows = analysis.brief.file.client.imperial, watched or []
    corrections: list[Correction] = []
    said: list[Finding] = []
    for finding in analysis.judgement.findings:
        worth = not _repeats(finding, said, len(analysis.scene.reps)) and len(said) < USUAL_CORRECTIONS
        corrections.append(_correction(analysis, finding, worth, rows))
        said += [finding] if worth else []
    held = [c.held for c in analysis.judgement.checks if c.verdict is Verdict.WITHIN and c.praised]
    greeting = "Here is what your film shows, most important first." if corrections else "Here is what your film shows."
    draft = Reply(
        client,
        analysis.movement.title,
        in_their_units(_facts(analysis), imperial),
        greeting,
        joined(" ", dict.fromkeys(held[:3])),
        corrections,
        _unable(analysis),
        since=[
            _since(analysis, row, {c.code for c in corrections if c.chosen})
            for row in rows
            if row.outcome.verdict is not Change.CANNOT_TELL
        ],
        coach=coach,
        imperial=imperial,
        date=date,
        table=measure_table(analysis, [c.measure for c in corrections if c.chosen]),
    )
    return _in_readers_language(draft)


def _in_readers_language(draft: Reply) -> Reply:
    """A draft as the coach reads and edits it: from here on its words are hers."""
    for item in draft.corrections:
        for name in SPOKEN:
            setattr(item, name, in_language(getattr(item, name)))
        item.answers = [in_language(a) for a in item.answers]
    return replace(
        draft,
        movement=in_language(draft.movement),
        facts=in_language(draft.facts),
        greeting=in_language(draft.greeting),
        praise=in_language(draft.praise),
        caution=in_language(draft.caution),
        unable=[in_language(u) for u in draft.unable],
        since=[replace(s, title=in_language(s.title), words=in_language(s.words)) for s in draft.since],
        table=[[in_language(cell) for cell in row] for row in draft.table],
    )


@dataclass(frozen=True)
class VisitPart:
    """One film of a visit: its id, None for the film the reply belongs to; its numbers; and earlier corrections watched in it."""

    film_id: int | None
    analysis: Analysis
    watched: list[FollowUp]


def draft_visit(parts: list[VisitPart], client: str = "", coach: str = "", date: str = "") -> Reply:
    """One reply over all films of a visit, the reply's own first: what can hurt comes first, whichever film shows it; three at most
    are chosen. The table of reps is left out: it is one film's."""
    drafts = [draft_reply(part.analysis, client, part.watched, coach, date) for part in parts]
    corrections: list[Correction] = []
    since: list[Since] = []
    for number, (part, draft) in enumerate(zip(parts, drafts, strict=True), 1):
        where = say("{title}, film {number}: ", title=part.analysis.movement.title, number=number)
        for item in draft.corrections:
            item.film_id, item.seen = part.film_id, where + small(item.seen)
        corrections += draft.corrections
        since += [replace(told, film_id=part.film_id) for told in draft.since]
    corrections.sort(key=lambda item: SEVERITY_ORDER.index(item.severity))
    for item in [c for c in corrections if c.chosen][USUAL_CORRECTIONS:]:
        item.chosen = False
    praise = list(dict.fromkeys(sentence for d in drafts for sentence in d.praise.split(". ") if sentence))
    whole = replace(
        drafts[0],
        movement=joined(", ", dict.fromkeys(d.movement for d in drafts)),
        facts=joined("; ", [say("{movement}: {facts}", movement=d.movement, facts=d.facts) for d in drafts]),
        greeting=say("Here is what your {parts} films show, most important first.", parts=len(parts))
        if corrections
        else "Here is what your films show.",
        praise=joined(". ", [s.rstrip(".") for s in praise[:3]]) + ("." if praise else ""),
        corrections=corrections,
        unable=list(dict.fromkeys(u for d in drafts for u in d.unable))[:2],
        since=since,
        table=[],
        films=[part.film_id for part in parts if part.film_id is not None],
    )
    return _in_readers_language(whole)


def rehomed(reply: Reply, home: int, new_home: int) -> Reply:
    """A visit's reply that belonged to one of its films, as that of another."""

    def moved(film_id: int | None) -> int | None:
        there = home if film_id is None else film_id
        return None if there == new_home else there

    films = [f for f in (home, *reply.films) if f != new_home]
    corrections = [replace(c, film_id=moved(c.film_id)) for c in reply.corrections]
    return replace(reply, films=films, corrections=corrections, since=[replace(s, film_id=moved(s.film_id)) for s in reply.since])


def _repeats(finding: Finding, said: list[Finding], total: int) -> bool:
    """Whether a finding only says again what may have one cause with it, in reps that are spoken of already.

    What can hurt is never left out. What is told of the whole set repeats what is said of its last reps.
    """
    if finding.severity == SAFETY:
        return False
    if not finding.reps:
        late = [f for f in said if f.reps and min(f.reps) > 1 and max(f.reps) == total]
        return any(f.kinds & finding.kinds for f in late if f.severity == finding.severity)
    return any(f.kinds & finding.kinds and set(finding.reps) <= set(f.reps) for f in said if f.severity == finding.severity)


def _unable(analysis: Analysis) -> list[str]:
    """What only another film could tell; what a mark of the coach's would tell is no business of the client's."""
    lacks = [u for u in analysis.judgement.unmeasurable if u.advice.new_film]
    rows = [(small(u.title) if u.seen_from and u.title else u.reason, u.advice.words) for u in lacks]
    return list(dict.fromkeys(say("{reason} ({advice})", reason=reason, advice=small(words.rstrip("."))) for reason, words in rows))[:2]


def measure_table(analysis: Analysis, measures: list[str]) -> list[list[str]]:
    """Rep by rep: its own tempo, and the numbers that the chosen corrections speak of."""
    imperial = analysis.brief.file.client.imperial
    units = {f.measure: (f.title, bare_unit(f.unit)) for f in analysis.judgement.findings}
    told = [m for m in dict.fromkeys(measures) if any(m in values for values in analysis.measured.reps)]
    rows = [["Rep", "Tempo (s)", *(units[m][0] for m in told)]]
    for rep, values in zip(analysis.scene.reps, analysis.measured.reps, strict=True):
        said = [number_words(values[m].value, values[m].u, units[m][1]) if m in values else "–" for m in told]
        rows.append([str(rep.number), digits(rep), *(in_their_units(w, imperial) for w in said)])
    return rows if len(rows) > 1 else []


def _facts(analysis: Analysis) -> str:
    scene, load = analysis.scene, analysis.brief.file.load_kg
    facts = [
        say("{reps} reps", reps=len(scene.reps)),
        *([say("{load:g} kg", load=load)] if load else []),
        say("{time_under_tension_s:.0f} s under load", time_under_tension_s=time_under_tension_s(scene.reps)),
    ]
    if scene.tempo is not None:
        facts.append(say("tempo asked {tempo}", tempo=scene.tempo))
    if scene.reps:
        facts.append(say("first rep {digits} s", digits=digits(scene.reps[0])))
    return joined(" · ", facts)


def finding_correction(analysis: Analysis, code: str) -> Correction:
    """The correction a finding would become, whether it is among the ones to send or not."""
    return _correction(analysis, next(f for f in analysis.judgement.findings if f.code == code), True, [])


def _correction(analysis: Analysis, f: Finding, chosen: bool, watched: list[FollowUp]) -> Correction:
    imperial = analysis.brief.file.client.imperial
    frame = frame_at(analysis, f.time_s)
    bare = bare_unit(f.unit)
    earlier = next((row for row in watched if row.baseline.code == f.code and row.outcome.value is not None), None)

    def said(text: str) -> str:
        return in_their_units(text, imperial)

    return Correction(
        f.code,
        f.told or f.title,
        say("{rep}, at {time_s:.1f} s.", rep=rep_words(f.reps, len(analysis.scene.reps)), time_s=f.time_s),
        said(told_number(f, analysis) + (_last_time(earlier) if earlier else "")),
        said(f.why),
        said(f.cue),
        said(f.change),
        said(f.film_next),
        frame,
        f.measure,
        chosen,
        severity=f.severity,
        short=said(number_words(f.value, f.u, bare)),
        zoom=True,
        before=_before(earlier, imperial) if earlier else None,
        answers=[said(a) for a in f.answers],
        cause=_cause(f),
    )


def _cause(f: Finding) -> str:
    """The likeliest cause, where something in the film speaks for it; else the coach's own guess, so that nothing is put in."""
    first = next((c for c in f.weighed if not c.ruled_out), None)
    if first is None or not first.speaks_for or len(first.speaks_against) >= len(first.speaks_for):
        return ""
    return capital(first.words) + "."


def _last_time(row: FollowUp) -> str:
    bare = bare_unit(row.baseline.unit)
    return say(
        " Last time {number}: {said}.", number=number_words(row.baseline.value, row.baseline.u, bare), said=SAID[row.outcome.verdict]
    )


def own_correction(analysis: Analysis | None, frame: int, reply: Reply) -> Correction:
    """A correction the program did not find, on the moment the coach looks at; she words it."""
    number = 1 + sum(c.code.startswith(OWN) for c in reply.corrections)
    rep = None
    if analysis is not None:
        now = float(analysis.scene.track.times[frame])
        rep = next((r for r in analysis.scene.reps if r.start_s <= now <= r.end_s), None)
        seen = say("Rep {number}, at {now:.1f} s.", number=rep.number, now=now) if rep else say("At {now:.1f} s.", now=now)
    else:
        seen = ""
    return Correction(f"{OWN}{number}", in_language("What I saw"), in_language(seen), "", "", "", "", "", frame, "")


def refresh_draft(kept: Reply, fresh: Reply) -> Reply | None:
    """A kept draft with today's numbers: words and choices stay the coach's, what was measured anew is taken from `fresh`.

    None when the film now shows other faults.
    """
    found = {c.key: c for c in fresh.corrections}
    if {c.key for c in kept.corrections if not c.code.startswith(OWN)} != set(found) or set(kept.films) != set(fresh.films):
        return None
    for item in kept.corrections:
        now = found.get(item.key)
        if now is not None and item.short != now.short:
            item.short, item.number, item.seen, item.frame, item.measure = now.short, now.number, now.seen, now.frame, now.measure
        if now is not None:
            if item.change in item.answers and now.answers:  # a way that was offered: today's numbers
                item.change = now.answers[min(item.answers.index(item.change), len(now.answers) - 1)]
            item.answers = now.answers
    kept.facts, kept.table, kept.unable = fresh.facts, fresh.table, fresh.unable
    before = {s.title: s for s in fresh.since}
    kept.since = [replace(before[s.title], chosen=s.chosen) for s in kept.since if s.title in before]
    return kept


def frame_at(analysis: Analysis, time_s: float) -> int:
    """The frame nearest to a time."""
    return int(np.argmin(np.abs(analysis.scene.track.times - time_s)))


def rep_words(reps: tuple[int, ...], total: int) -> str:
    """ "Reps 3 and 4", "In every rep", "Over the set"."""
    if not reps:
        return "Over the set"
    if len(reps) == total:
        return "In every rep"
    words = joined(", ", [str(r) for r in reps[:-1]]) + (" and " if len(reps) > 1 else "") + str(reps[-1])
    return say("Rep{which} {words}", which="s" if len(reps) > 1 else "", words=words)


def _before(row: FollowUp, imperial: bool) -> Before:
    bare = bare_unit(row.baseline.unit)
    number = in_their_units(number_words(row.baseline.value, row.baseline.u, bare), imperial)
    return Before(row.film_id, row.baseline.time_s, row.opened_at[:10], number)


def _since(analysis: Analysis, row: FollowUp, said_again: set[str]) -> Since:
    """What became of an earlier correction; not told apart where the same is corrected again."""
    imperial = analysis.brief.file.client.imperial
    words = in_their_units(row.words(), imperial)
    words = say("{words}. Target {target}.", words=words, target=in_their_units(row.target_words(), imperial))
    again = row.baseline.code in said_again
    frame = frame_at(analysis, row.outcome.time_s)
    return Since(row.baseline.title, words, row.outcome.verdict, frame, row.baseline.measure, _before(row, imperial), not again)


def kept_draft(library: FilmLibrary, film_id: int, fresh: Reply) -> Reply | None:
    """The film's saved draft with today's numbers, while it speaks of the same faults; None when there is none."""
    for home in (film_id, *fresh.films):  # a visit's draft was kept with the film that was open then
        kept = library.store.film(home).draft
        for told in (kept, kept.get(BESIDE) or {}):
            try:
                found = Reply.from_dict(told) if told else None
            except ReplyError:
                continue
            if found is not None and (home == film_id or found.films):
                found = refresh_draft(found if home == film_id else rehomed(found, home, film_id), fresh)
                if found is not None:
                    return found
    return None


def keep_draft(library: FilmLibrary, film_id: int, reply: Reply) -> None:
    """Save a film's draft, as soon as the library takes it. Raises ReadOnly."""
    library.must_write()
    kept, store = reply.to_dict(), library.store
    present = store.film(film_id).draft
    beside = present if bool(present.get("films")) != bool(reply.films) else present.get(BESIDE)
    if beside:  # the film's own draft beside the one of its visit, and the other way round: neither is lost for the other
        kept[BESIDE] = {k: v for k, v in beside.items() if k != BESIDE}
    library.saver.write(lambda: store.update_film(film_id, draft=kept))


def phrases(library: FilmLibrary, analysis: Analysis, item: Correction, field: str) -> list[str]:
    """Words to choose from for a field: what the program suggests for this fault, then what this coach used before."""
    finding = next((f for f in analysis.judgement.findings if f.code == item.code), None)
    suggested: list[str] = []
    if finding is not None:
        text = {
            "cause": [capital(c) + "." for c in finding.causes],
            "why": [finding.why],
            "cue": [finding.cue],
            "change": [*finding.answers, finding.change],
            "film_next": [finding.film_next],
        }
        suggested = text.get(field, []) + ([finding.drill] if field == "change" and finding.drill else [])
    imperial = analysis.brief.file.client.imperial
    return list(
        dict.fromkeys([*(in_their_units(in_language(t), imperial) for t in suggested), *library.store.phrases.bank(field, item.code)])
    )
