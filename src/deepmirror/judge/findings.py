"""From measures to findings: what is off, in which reps, by how much, and why we say so."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from deepmirror.core.measures.context import TAKE_IN, Advice, CannotTell, MeasurementContext, NotAsked, Remedy
from deepmirror.core.measures.spec import MeasureSpec, Moment, view_kind
from deepmirror.core.measures.table import MEASURES
from deepmirror.core.motion.reps import Rep
from deepmirror.core.motion.tempo import Tempo
from deepmirror.core.skeleton import near_side, sided
from deepmirror.core.sketches.table import shows_most
from deepmirror.core.trajectories import NotFollowed
from deepmirror.core.uncertain_value import Band, Value, Verdict, bare_unit, describe_band, verdict, with_unit
from deepmirror.core.views import facing
from deepmirror.judge.causes import collect_evidence, weigh
from deepmirror.judge.records import RANGE, SAFETY, SEVERITY_ORDER, BuildView, Check, Finding, Judgement, Measured, Unmeasurable
from deepmirror.movements.loader import Catalogue
from deepmirror.movements.pathways import regions_for
from deepmirror.movements.schema import Fault, FaultText, Movement, Target
from deepmirror.movements.schools import SchoolTopic, chosen, topic_of
from deepmirror.words import say

KNEE = "knee"
BUILD_SCHOOL = "build"
BY_BUILD = ("shallow_depth", "trunk_lean", "knee_past_toe", "heel_rise")

WHOLE_SET = Advice(Remedy.WHOLE_FILM, "Film the whole set, from before the first rep to after the last.")
FRONT_LEG = Advice(Remedy.SIDE_FILM, "Film from the side of the leg in front.")
FROM_THE_SIDE = Advice(Remedy.SIDE_FILM, "Film from the side.")
FROM_THE_FRONT = Advice(Remedy.FRONT_FILM, "Film from straight in front.")
NO_REPS = Unmeasurable("reps", "no repetition was seen", WHOLE_SET, "Repetitions")


def measure(scene: MeasurementContext) -> Measured:
    """Every measure this view and these marks allow."""
    missing: dict[str, Unmeasurable] = {}
    shown = [spec for spec in MEASURES.values() if view_kind(scene.view) in spec.views]

    def numbers(specs: list[MeasureSpec], *of: MeasurementContext | Rep) -> dict[str, Value]:
        found = {spec.name: _try(spec.name, partial(spec.value, *of), missing) for spec in specs}
        return {name: value for name, value in found.items() if value is not None}

    reps = tuple(numbers([s for s in shown if s.per_rep], scene, rep) for rep in scene.reps)
    film = numbers([s for s in shown if not s.per_rep], scene)
    return Measured(reps, film, tuple(missing.values()))


def _try(name: str, compute: Callable[[], Value], missing: dict[str, Unmeasurable]) -> Value | None:
    try:
        return compute()
    except NotAsked:
        return None
    except CannotTell as reason:
        missing.setdefault(name, Unmeasurable(name, reason.reason, reason.advice, seen_from=reason.seen_from))
        return None
    except NotFollowed as lost:
        missing.setdefault(name, Unmeasurable(name, say("the {point} is left out", point=lost.point.replace("_", " ")), TAKE_IN))
        return None


def judge(
    scene: MeasurementContext,
    measured: Measured,
    movement: Movement,
    catalogue: Catalogue,
    schools: dict[str, str],
    build: BuildView | None = None,
    pain: Sequence[str] = (),
) -> Judgement:
    """Compare measures with the movement's targets.

    schools: topic, or exercise and topic -> the client's school; the definition's default where absent or unknown. build: the solver's
    view of this client, which sets the target of the school "build" and says what part of a finding is build. pain: where it hurts.
    """
    sore_knee = KNEE in regions_for(list(pain))
    kind = view_kind(scene.view)
    findings: list[Finding] = []
    checks: list[Check] = []
    unable: list[Unmeasurable] = [] if scene.reps else [NO_REPS]
    used: dict[str, str] = {}
    ranges: set[str] = set()
    rear_near = movement.front_leg_near and _near_leg_is_behind(scene)
    missing = {m.measure: m for m in measured.unmeasurable}
    for fault in movement.fault:
        text = catalogue.text(movement, fault.group or fault.code)
        if kind not in fault.views:
            advice, seen_from = (
                FROM_THE_SIDE if "side" in fault.views else FROM_THE_FRONT,
                say("a film from the {side}", side=_side_words(scene.view)),
            )
            unable.append(
                Unmeasurable(fault.measure, say("{seen_from} does not show it", seen_from=seen_from), advice, text.title, seen_from)
            )
            continue
        if not _asked(fault, scene.tempo):
            continue
        school = chosen(schools, movement, fault)
        used[fault.code] = school
        if rear_near and (MEASURES[fault.measure].series or MEASURES[fault.measure].focus.joints):
            unable.append(Unmeasurable(fault.measure, "the leg in front is hidden by the one behind", FRONT_LEG, text.title))
            checks.append(Check(fault.code, text.title, Verdict.CANNOT_TELL, text.held, severity=text.severity, measure=fault.measure))
            continue
        rows = _values(scene, measured, fault)
        if not rows:
            if fault.measure not in missing and scene.reps:
                continue  # nothing was asked for
            if fault.measure in missing:
                unable.append(replace(missing[fault.measure], title=text.title))
            checks.append(Check(fault.code, text.title, Verdict.CANNOT_TELL, text.held, severity=text.severity, measure=fault.measure))
            continue
        target = _target(fault, school, scene.tempo)
        band = build.lean if school == BUILD_SCHOOL and build is not None and build.lean is not None else target.band()
        verdicts = [verdict(v, band, fault.limit_u) for _, v in rows]
        checks.append(_check(fault, text, rows, verdicts))
        if text.severity == RANGE:
            ranges.add(fault.code)
        off = [row for row, v in zip(rows, verdicts, strict=True) if v is Verdict.OFF]
        if off:
            asked = _Asked(target, band, catalogue.topics, school, sore_knee and fault.pain_is_safety)
            findings.append(_finding(scene, fault, text, asked, off, build, measured))
        elif Verdict.CANNOT_TELL in verdicts:
            advice = Advice(Remedy.MARK, text.film_next)  # the same film with another point or mark may do
            unable.append(Unmeasurable(fault.measure, "the doubt is wider than the target allows", advice, text.title, doubtful=True))
    if any(f.severity == SAFETY for f in findings):  # a range that was paid for with the pelvis or the back is not praised
        checks = [replace(c, praised=False) if c.code in ranges else c for c in checks]
    wrong = {f.title for f in findings}  # one way to see a fault found it: another that did not is no praise
    checks = [replace(c, praised=c.praised and c.title not in wrong) for c in checks]
    lacks = tuple({(u.title, u.reason, unsided(u.measure)): u for u in reversed(unable)}.values())[::-1]  # left and right are one lack
    return Judgement(tuple(_ranked(_merge(findings, movement, catalogue), movement)), tuple(checks), lacks, used, len(scene.reps))


def _check(fault: Fault, text: FaultText, rows: list[tuple[Rep | None, Value]], verdicts: list[Verdict]) -> Check:
    by_rep = tuple((rep.number, v) for (rep, _), v in zip(rows, verdicts, strict=True) if rep is not None)
    praised = _well_inside(fault, rows)
    return Check(fault.code, text.title, worst_of(verdicts), text.held, praised, text.severity, fault.measure, by_rep)


def _near_leg_is_behind(scene: MeasurementContext) -> bool:
    """Whether a side film was taken from the side of the leg that stands behind: it shows another leg than the one that works."""
    near = near_side(scene.view)
    if near is None or "ankle" not in scene.far or not scene.track.has(sided("ankle", near)):
        return False
    ahead = facing(scene.view) * (scene.track.point(sided("ankle", near)) - scene.far["ankle"])[:, 0]
    return bool(np.nanmedian(ahead) < 0)


def _well_inside(fault: Fault, rows: list[tuple[Rep | None, Value]]) -> bool:
    """Whether a fault's measure lies where a coach would say well of it."""
    return fault.praised is None or all(fault.praised.band().excess(v.value) <= 0 for _, v in rows)


def _side_words(view: str) -> str:
    return "side" if near_side(view) else view


def _values(scene: MeasurementContext, measured: Measured, fault: Fault) -> list[tuple[Rep | None, Value]]:
    if fault.measure in measured.film:
        return [(None, measured.film[fault.measure])]
    return [(rep, values[fault.measure]) for rep, values in zip(scene.reps, measured.reps, strict=True) if fault.measure in values]


def worst_of(verdicts: Iterable[Verdict]) -> Verdict:
    """Of several verdicts on one thing the one that counts."""
    verdicts = set(verdicts)
    for v in (Verdict.OFF, Verdict.CANNOT_TELL, Verdict.BORDERLINE):
        if v in verdicts:
            return v
    return Verdict.WITHIN


def _asked(fault: Fault, tempo: Tempo | None) -> bool:
    """Whether the prescription leaves it open: a lift to a count is not judged by its speed, a quick one not by its start."""
    if tempo is None or fault.asked == "always":
        return True
    return tempo.concentric is None if fault.asked == "no_timed_lift" else tempo.concentric is not None


def _target(fault: Fault, school: str, tempo: Tempo | None) -> Target:
    """The target of a school, or the eased one where no hold is prescribed at the bottom."""
    return fault.eased if fault.eased is not None and tempo is not None and tempo.bottom == 0 else fault.targets[school]


@dataclass(frozen=True)
class _Asked:
    """What is asked of a fault's measure: the target, its band (the solver's own for the school "build"), the school, and whether pain
    makes it a matter of safety."""

    target: Target
    band: Band
    topics: dict[str, SchoolTopic]
    school: str
    sore: bool

    def school_words(self, fault: Fault) -> str:
        """The school as a coach calls it."""
        topic = self.topics.get(topic_of(fault))
        return topic.option(self.school) if topic is not None else self.school.replace("_", " ")


def _finding(
    scene: MeasurementContext,
    fault: Fault,
    text: FaultText,
    asked: _Asked,
    off: list[tuple[Rep | None, Value]],
    build: BuildView | None,
    measured: Measured,
) -> Finding:
    band, code = asked.band, fault.group or fault.code
    rep, worst = max(off, key=lambda row: band.excess(row[1].value))
    reps = tuple(r.number for r, _ in off if r is not None)
    limit = build.limit if build is not None else None
    weighed = weigh(text.causes, collect_evidence(scene, measured.film, measured.reps, reps, limit))
    answers = build.answers.get(code, ()) if build is not None else ()
    return Finding(
        fault.reported or fault.code,
        text.title,
        SAFETY if asked.sore or (fault.safe is not None and fault.safe.band().excess(worst.value) > 0) else text.severity,
        reps,
        worst.value,
        worst.u,
        band,
        asked.target.source,
        asked.school,
        fault.unit,
        fault.measure,
        moment_of(scene, fault.measure, rep),
        text.why,
        fault.cue or text.cue,
        answers[0] if answers else fault.change or text.change,
        text.film_next,
        weighed,
        _seen(scene, fault, off),
        _asked_words(fault, asked, worst, build),
        text.drill,
        text.told,
        answers,
    )


def _seen(scene: MeasurementContext, fault: Fault, off: list[tuple[Rep | None, Value]]) -> tuple[str, ...]:
    """What was measured, a line a rep that is off, and how."""
    spec, bare = MEASURES[fault.measure], bare_unit(fault.unit)
    rows = [
        (
            say("rep {number}: {words}", number=r.number, words=spec.words) if r else spec.title,
            with_unit(say("{shown} ± {shown2}", shown=shown(v.value), shown2=shown(v.u)), bare),
        )
        for r, v in off
    ]
    out = [say("{words} {number}", words=words, number=number) for words, number in rows]
    if scene.frontal is not None and spec.moment is Moment.PEAK:
        out.append("measured in the frontal plane: the camera's perspective is taken out, the lines on the film still show it")
    return tuple(out)


def _asked_words(fault: Fault, asked: _Asked, worst: Value, build: BuildView | None) -> tuple[str, ...]:
    """The target, whose it is, by how much it was missed, and what this build makes of it."""
    band = asked.band
    out = [
        say(
            "target {describe_band}, school “{school}” ({source})",
            describe_band=with_unit(describe_band(band), bare_unit(fault.unit)),
            school=asked.school_words(fault),
            source=asked.target.source,
        )
    ]
    out.append(
        say("outside by {shown}, more than the doubt of {shown2}: off", shown=shown(band.excess(worst.value)), shown2=shown(worst.u))
    )
    if asked.sore:
        out.append("a knee that hurts is noted: this comes first")
    if build is not None and fault.code in BY_BUILD:
        out += list(build.words)
        if fault.code == "trunk_lean":
            out.append(
                say(
                    "build asks for up to {high:.0f}°; what is over it, {excess:.0f}°, is habit",
                    high=band.high,
                    excess=band.excess(worst.value),
                )
            )
    return tuple(out)


def unsided(measure: str) -> str:
    """A measure's name without its side."""
    return measure.replace("_left_", "_").replace("_right_", "_")


def shown(number: float) -> str:
    """A number as it is written in reasons: two digits after the point below one, else one."""
    return f"{number:.2f}" if abs(number) < 1 else f"{number:.1f}"


def moment_of(scene: MeasurementContext, measure: str, rep: Rep | None) -> float:
    """The instant (s) that shows a measure of a rep, of the last one where none is said: the far reversal, the peak of what it is read
    from, where what it draws is largest, or the moment it speaks of."""
    if rep is None:
        rep = scene.reps[-1] if scene.reps else None
    if rep is None:
        return 0.0
    spec = MEASURES[measure]
    if spec.moment is Moment.LOWERING:
        first_is_lowering = rep.phases_s["eccentric"] == rep.turn_start_s - rep.start_s
        return (rep.start_s + rep.turn_start_s) / 2 if first_is_lowering else (rep.turn_end_s + rep.end_s) / 2
    if spec.moment is Moment.FURTHEST:
        return shows_most(scene, measure, rep)
    if spec.moment is Moment.START:
        return rep.start_s
    if spec.moment is Moment.LIFT_END:
        return rep.end_s if rep.first == "eccentric" else rep.bottom_s
    return _peak(scene, spec, rep) if spec.moment is Moment.PEAK else rep.bottom_s


def _peak(scene: MeasurementContext, spec: MeasureSpec, rep: Rep) -> float:
    """Where what a measure is read from is largest in a rep, s; the far reversal where this film does not show it."""
    series = next((scene.angles[n] for n in (spec.series, f"{spec.series}_{scene.near}") if n in scene.angles), None)
    if series is None:
        return rep.bottom_s
    part = series.window(rep.start_s, rep.end_s)
    return float(part.times[int(part.values.argmax())])


def _merge(findings: list[Finding], movement: Movement, catalogue: Catalogue) -> list[Finding]:
    """Left and right of the same fault, and two ways to see it, become one finding when both are off."""
    groups = {code: f.group for f in movement.fault if f.group for code in (f.code, f.reported or f.code, f.group)}
    out: list[Finding] = []
    for finding in findings:
        group = groups.get(finding.code)
        other = next((o for o in out if group and groups.get(o.code) == group), None)
        if other is None or group is None:
            out.append(finding)
            continue
        same = unsided(finding.measure) == unsided(other.measure)
        worse = max((finding, other), key=lambda f: f.target.excess(f.value)) if same else other  # two ways to see it: the first tells it
        both = tuple(sorted(set(finding.reps) | set(other.reps)))
        out[out.index(other)] = replace(
            worse,
            code=finding.code if finding.code == other.code else group,
            title=catalogue.text(movement, group).title,
            told=catalogue.text(movement, group).told,
            reps=both,
            seen=tuple(dict.fromkeys(other.seen + finding.seen)),
            asked=tuple(dict.fromkeys(other.asked + finding.asked)),
            severity=min((finding.severity, other.severity), key=SEVERITY_ORDER.index),
        )
    return out


def _ranked(findings: list[Finding], movement: Movement) -> list[Finding]:
    """Safety first, then what costs most range or tension, then polish; within one, more reps and more excess first.

    An excess counts in the doubt with which its fault may still be judged, `limit_u`: that is what a coach would call much or little of
    it. In the doubt this film happens to have, two looks at one set would put its findings in two orders.
    """
    counts = {f.measure: f.limit_u for f in movement.fault}
    return sorted(findings, key=lambda f: (SEVERITY_ORDER.index(f.severity), -len(f.reps), -f.target.excess(f.value) / counts[f.measure]))
