"""From measures to findings: what is off, in which reps, by how much, and why we say so."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import partial

import numpy as np

from deepmirror.core.measures.context import TAKE_IN, Advice, CannotTell, MeasurementContext, NotAsked, Remedy
from deepmirror.core.measures.spec import MeasureSpec, Moment, view_kind
from deepmirror.core.measures.table import MEASURES
from deepmirror.core.motion.reps import Rep
from deepmirror.core.skeleton import near_side, sided
from deepmirror.core.trajectories import NotFollowed
from deepmirror.core.uncertain_value import Band, Value, Verdict, verdict, with_unit
from deepmirror.core.views import facing
from deepmirror.judge.causes import Limit, collect_evidence, ranked
from deepmirror.movements.loader import Catalogue
from deepmirror.movements.schema import CauseKind, Fault, FaultText, Movement

SAFETY, RANGE = "safety", "range"
SEVERITY_ORDER = (SAFETY, RANGE, "tension", "polish")


@dataclass(frozen=True)
class Finding:
    """One thing worth saying; reps count from 1, value and u are of the worst rep, in `unit`."""

    code: str
    title: str
    severity: str
    reps: tuple[int, ...]
    value: float
    u: float
    target: Band
    target_source: str
    school: str
    unit: str
    measure: str
    time_s: float
    why: str
    cue: str
    change: str
    film_next: str
    causes: tuple[str, ...]
    chain: tuple[str, ...]
    drill: str = ""
    told: str = ""  # the title as the client reads it
    kinds: frozenset[CauseKind] = frozenset()  # of all its causes


@dataclass(frozen=True)
class Unmeasurable:
    """What this film cannot tell, why, and what to film so that it can be told."""

    measure: str
    reason: str
    advice: Advice
    title: str = ""
    seen_from: str = ""  # the kind of film that does not show it, where that is why
    doubtful: bool = False  # there is a number, and its uncertainty is wider than the target allows


@dataclass(frozen=True)
class Check:
    """The verdict on one fault over the whole set; `held` is what may be praised when nothing is off."""

    code: str
    title: str
    verdict: Verdict
    held: str
    praised: bool = False  # nothing in the film speaks against saying so
    severity: str = ""


@dataclass(frozen=True)
class BuildView:
    """What the build solver says of this film's client: the lean its build asks for, its words, and by fault code what this
    body could do about it."""

    lean: Band | None
    words: tuple[str, ...]
    answers: dict[str, str] = field(default_factory=dict)
    limit: Limit | None = None


BUILD_SCHOOL = "build"
BY_BUILD = ("shallow_depth", "trunk_lean", "knee_past_toe", "heel_rise")


@dataclass(frozen=True)
class Measured:
    """All numbers of a film: per rep and per film, and what could not be measured."""

    reps: tuple[dict[str, Value], ...]
    film: dict[str, Value]
    unmeasurable: tuple[Unmeasurable, ...]


@dataclass(frozen=True)
class Judgement:
    """Findings in the order they should be said, one check per fault, and what the film cannot tell."""

    findings: tuple[Finding, ...]
    checks: tuple[Check, ...]
    unmeasurable: tuple[Unmeasurable, ...]
    schools: dict[str, str] = field(default_factory=dict)

    def asking(self, *more: Unmeasurable) -> Judgement:
        """The same with what else the film cannot tell said first."""
        return replace(self, unmeasurable=(*more, *self.unmeasurable)) if more else self

    @property
    def breakdown(self) -> tuple[int, Finding] | None:
        """The first rep whose form left the set's own standard, and how: a fault of form that the reps before it did not have."""
        late = [(min(f.reps), f) for f in self.findings if f.reps and min(f.reps) > 1 and f.severity != "polish"]
        return min(late, key=lambda row: row[0]) if late else None


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
        missing.setdefault(name, Unmeasurable(name, f"the {lost.point.replace('_', ' ')} is left out", TAKE_IN))
        return None


def judge(
    scene: MeasurementContext,
    measured: Measured,
    movement: Movement,
    catalogue: Catalogue,
    schools: dict[str, str],
    build: BuildView | None = None,
) -> Judgement:
    """Compare measures with the movement's targets.

    schools: fault code -> the client's school; the definition's default where absent or unknown. build: the solver's view
    of this client, which sets the target of the school "build" and says what part of a finding is build.
    """
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
            advice, seen_from = FROM_THE_SIDE if "side" in fault.views else FROM_THE_FRONT, f"a film from the {_side_words(scene.view)}"
            unable.append(Unmeasurable(fault.measure, f"{seen_from} does not show it", advice, text.title, seen_from))
            continue
        school = schools.get(fault.code, fault.school)
        school = school if school in fault.targets else fault.school
        used[fault.code] = school
        if rear_near and (MEASURES[fault.measure].series or MEASURES[fault.measure].focus.joints):
            unable.append(Unmeasurable(fault.measure, "the leg in front is hidden by the one behind", FRONT_LEG, text.title))
            checks.append(Check(fault.code, text.title, Verdict.CANNOT_TELL, text.held, severity=text.severity))
            continue
        rows = _values(scene, measured, fault)
        if not rows:
            if fault.measure not in missing and scene.reps:
                continue  # nothing was asked for
            if fault.measure in missing:
                unable.append(replace(missing[fault.measure], title=text.title))
            checks.append(Check(fault.code, text.title, Verdict.CANNOT_TELL, text.held, severity=text.severity))
            continue
        band = _band(fault, school, build)
        verdicts = [verdict(v, band, fault.limit_u) for _, v in rows]
        checks.append(Check(fault.code, text.title, _worst(verdicts), text.held, _well_inside(fault, rows), text.severity))
        if text.severity == RANGE:
            ranges.add(fault.code)
        off = [row for row, v in zip(rows, verdicts, strict=True) if v is Verdict.OFF]
        if off:
            findings.append(_finding(scene, fault, text, school, band, off, build, measured))
        elif Verdict.CANNOT_TELL in verdicts:
            advice = Advice(Remedy.MARK, text.film_next)  # the same film with another point or mark may do
            unable.append(Unmeasurable(fault.measure, "the doubt is wider than the target allows", advice, text.title, doubtful=True))
    if any(f.severity == SAFETY for f in findings):  # a range that was paid for with the pelvis or the back is not praised
        checks = [replace(c, praised=False) if c.code in ranges else c for c in checks]
    return Judgement(tuple(_ranked(_merge(findings, movement, catalogue))), tuple(checks), tuple(unable), used)


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


def _worst(verdicts: list[Verdict]) -> Verdict:
    for v in (Verdict.OFF, Verdict.CANNOT_TELL, Verdict.BORDERLINE):
        if v in verdicts:
            return v
    return Verdict.WITHIN


def _band(fault: Fault, school: str, build: BuildView | None) -> Band:
    """The target: the solver's own for the school "build", the definition's otherwise."""
    if school == BUILD_SCHOOL and build is not None and build.lean is not None:
        return build.lean
    return fault.targets[school].band()


def _finding(
    scene: MeasurementContext,
    fault: Fault,
    text: FaultText,
    school: str,
    band: Band,
    off: list[tuple[Rep | None, Value]],
    build: BuildView | None,
    measured: Measured,
) -> Finding:
    target = fault.targets[school]
    rep, worst = max(off, key=lambda row: band.excess(row[1].value))
    reps = tuple(r.number for r, _ in off if r is not None)
    chain = [
        f"{fault.measure} in rep {r.number}: {with_unit(f'{v.value:.1f} ± {v.u:.1f}', fault.unit)}"
        if r
        else f"{fault.measure}: {with_unit(f'{v.value:.1f} ± {v.u:.1f}', fault.unit)}"
        for r, v in off
    ]
    chain.append(f"target {with_unit(describe_band(band), fault.unit)}, school “{school.replace('_', ' ')}” ({target.source})")
    chain.append(f"outside by {band.excess(worst.value):.1f}, more than the doubt of {worst.u:.1f} (k = 2): off")
    if scene.frontal is not None and MEASURES[fault.measure].moment is Moment.PEAK:
        chain.append("measured in the frontal plane: the camera's perspective is taken out, the lines on the film still show it")
    if build is not None and fault.code in BY_BUILD:
        chain += list(build.words)
        if fault.code == "trunk_lean":
            chain.append(f"build asks for up to {band.high:.0f}°; what is over it, {band.excess(worst.value):.0f}°, is habit")
    kinds = frozenset(kind for cause in text.causes for kind in cause.kinds)
    known = collect_evidence(scene, measured.film, measured.reps, reps, build.limit if build is not None else None)
    evidence = [e for e in known if e.kinds & kinds]
    chain += [f"evidence {'against: ' + e.because if e.against else 'for: ' + e.because}" for e in evidence]
    if text.drill:
        chain.append(f"drill: {text.drill}")
    change = fault.change or text.change
    if build is not None and (fault.group or fault.code) in build.answers:
        change = build.answers[fault.group or fault.code]
        chain.append(change)
    return Finding(
        fault.group if fault.as_group and fault.group else fault.code,
        text.title,
        SAFETY if fault.safe is not None and fault.safe.band().excess(worst.value) > 0 else text.severity,
        reps,
        worst.value,
        worst.u,
        band,
        target.source,
        school,
        fault.unit,
        fault.measure,
        _worst_time(scene, fault, rep),
        text.why,
        fault.cue or text.cue,
        change,
        text.film_next,
        tuple(ranked(text.causes, evidence)),
        tuple(chain),
        text.drill,
        text.told,
        kinds,
    )


def _worst_time(scene: MeasurementContext, fault: Fault, rep: Rep | None) -> float:
    """The instant to show: the far reversal, or the middle of the phase the measure speaks of."""
    if rep is None:
        rep = scene.reps[-1] if scene.reps else None
    if rep is None:
        return 0.0
    spec = MEASURES[fault.measure]
    if spec.moment is Moment.LOWERING:
        first_is_lowering = rep.phases_s["eccentric"] == rep.turn_start_s - rep.start_s
        return (rep.start_s + rep.turn_start_s) / 2 if first_is_lowering else (rep.turn_end_s + rep.end_s) / 2
    if spec.moment is Moment.PEAK and spec.series in scene.angles:
        part = scene.angles[spec.series].window(rep.start_s, rep.end_s)
        return float(part.times[int(part.values.argmax())])
    return rep.bottom_s


def _merge(findings: list[Finding], movement: Movement, catalogue: Catalogue) -> list[Finding]:
    """Left and right of the same fault become one finding when both are off."""
    groups = {code: f.group for f in movement.fault if f.group for code in (f.code, f.group)}
    out: list[Finding] = []
    for finding in findings:
        group = groups.get(finding.code)
        other = next((o for o in out if group and groups.get(o.code) == group), None)
        if other is None or group is None:
            out.append(finding)
            continue
        worse = max((finding, other), key=lambda f: f.target.excess(f.value))
        both = tuple(sorted(set(finding.reps) | set(other.reps)))
        out[out.index(other)] = replace(
            worse,
            code=group,
            title=catalogue.text(movement, group).title,
            told=catalogue.text(movement, group).told,
            reps=both,
            chain=tuple(dict.fromkeys(other.chain + finding.chain)),
        )
    return out


def _ranked(findings: list[Finding]) -> list[Finding]:
    """Safety first, then what costs most range or tension, then polish; within one, more reps and more excess first."""
    return sorted(findings, key=lambda f: (SEVERITY_ORDER.index(f.severity), -len(f.reps), -f.target.excess(f.value) / max(f.u, 1e-6)))


def describe_band(band: Band) -> str:
    """ "at most 5", "at least 85", "4 to 8"."""
    if band.low is None:
        return f"at most {band.high:g}"
    if band.high is None:
        return f"at least {band.low:g}"
    return f"{band.low:g} to {band.high:g}"
