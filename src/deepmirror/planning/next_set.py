"""From one set to the next of the same lift, within a session: what the set that was done asks for. Nothing rises here."""

from __future__ import annotations

from dataclasses import dataclass

from deepmirror.core.training.loads import Loads
from deepmirror.core.training.one_rep_max import load_for, one_rep_max
from deepmirror.planning.rules import Rules
from deepmirror.words import say


@dataclass(frozen=True)
class SetDone:
    """What is known of the set that was just done; unsafe: its film shows a matter of safety; rir, pain: None where not told."""

    load_kg: float
    reps: int
    clean_reps: int
    rir: float | None = None
    pain: float | None = None
    unsafe: str = ""  # the finding's title


@dataclass(frozen=True)
class NextLoad:
    """The load of the next set, kg; None: no further set of this lift today. why: the reason with its numbers."""

    load_kg: float | None
    why: str


def next_load(planned_kg: float, reps: tuple[int, int], rir: float, done: SetDone, loads: Loads, rules: Rules) -> NextLoad:
    """What to lift in the next set.

    Pain above `pain_stop` ends the lift; above `pain_max`, or with a matter of safety in the film, it goes one step down; a set that
    was nearer to failure than asked goes down to what the set itself says of her (Epley); else it stays as planned.
    Source: the rules' own; that a set missed goes down and none goes up within a session is common practice, no source.
    """
    lighter = loads.at_most(done.load_kg * (1 - rules.lower_by_least_share))
    step = lighter if lighter is not None else done.load_kg
    if done.pain is not None and done.pain > rules.pain_stop:
        return NextLoad(None, say("Pain of {pain:g} of 10: no further set of it today.", pain=done.pain))
    if done.pain is not None and done.pain > rules.pain_max:
        return NextLoad(step, say("Pain of {pain:g} of 10: one step lighter, and smaller in range if it stays.", pain=done.pain))
    if done.unsafe:
        return NextLoad(step, say("{unsafe}: one step lighter until it is gone.", unsafe=done.unsafe))
    short = done.reps < reps[0]
    if done.rir is not None and (done.rir < rir - 1 or short):
        strength = one_rep_max(done.load_kg, max(done.reps, 1), done.rir)
        fits = load_for(strength.low, reps[0], rir) if strength is not None else None
        below = loads.at_most(min(fits, done.load_kg)) if fits is not None else lighter
        told = say(
            "{reps} reps with {rir:g} in reserve, {reps2} with {rir2:g} asked", reps=done.reps, rir=done.rir, reps2=reps[0], rir2=rir
        )
        if below is not None and below < done.load_kg:
            return NextLoad(below, say("{told}: {below:g} kg fits that.", told=told, below=below))
    return NextLoad(min(planned_kg, done.load_kg) if short else planned_kg, "As planned.")
