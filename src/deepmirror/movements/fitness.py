"""Whether a movement's definition is one to coach by: set-up, range, contact, tempo and cautions are there, and no text speaks of
equipment the movement has not."""

from __future__ import annotations

import re
from collections.abc import Iterable

from deepmirror.movements.schema import FaultText, Movement
from deepmirror.words import joined, say

PADS = ("pad_line", "seat_line", "back_pad")
CONTACT = ("hip_lift_cm", "seat_lift_cm", "knee_lift_cm", "back_lift_cm", "pelvis_tuck_deg")
RANGE, TEMPO = ("range_share_pct", "range_loss_pct"), ("eccentric_share_pct", "drop_pct")
# What a text speaks of, by a word in it, and what of a definition says that it is there: marks, implements, or a movement's own nature.
EQUIPMENT: dict[str, tuple[str, tuple[str, ...]]] = {
    "a bar": (r"\bbar\b", ("bar",)),
    "a bell": (r"\bbell\b|\bdumbbell", ("dumbbell",)),
    "a pad": (r"\bpads?\b", (*PADS, "roller")),
    "a seat": (r"\bseat\b", ("seat_line", "pad_line", "back_pad", "seated")),
    "a platform": (r"\bplatform\b", ("platform", "platform_moves")),
    "a roller": (r"\broller\b", ("roller",)),
    "a bench": (r"\bbench\b", ("bench_edge", "bench")),
    "a weight stack": (r"\bstack\b", ("stack",)),
    "a pivot": (r"\bpivot\b", ("pivot",)),
    "a sled": (r"\bsled\b", ("sled", "platform_moves")),
}


def text_codes(movement: Movement) -> list[str]:
    """The codes under which a movement's faults are explained."""
    return list(dict.fromkeys(fault.group or fault.code for fault in movement.fault))


def unfit(movement: Movement, texts: dict[str, FaultText]) -> tuple[str, str] | None:
    """What a coach would not sign, as the key it stands under and a sentence; None where nothing is wrong. texts: by fault or group."""
    measures = {fault.measure for fault in movement.fault}
    if not movement.setup:
        return "setup", "a movement needs at least one line of set-up"
    if len(movement.cautions) < 2:
        return "cautions", "a movement needs its cautions: the general ones and its own"
    for name, needed in (("range", RANGE), ("tempo", TEMPO)):
        if not measures & set(needed):
            return "shares", say(
                "nothing judges the {name}: share every_set, or name one of {needed}", name=name, needed=joined(", ", needed)
            )
    if set(movement.marks) & set(PADS) and not measures & set(CONTACT):
        return "marks", say("a pad or seat is marked and no fault judges the contact: name one of {contact}", contact=joined(", ", CONTACT))
    return _strange_equipment(movement, texts)


def _strange_equipment(movement: Movement, texts: dict[str, FaultText]) -> tuple[str, str] | None:
    """A text that speaks of what this movement has not. A coach's own definition says its equipment under [training] or by its marks."""
    has = {*movement.marks, *movement.equipment, *(movement.training.implements if movement.training else ())}
    has |= {"platform_moves"} if movement.platform_moves else set()
    for code, text in texts.items():
        for said in _said(text):
            for name, (pattern, enough) in EQUIPMENT.items():
                if re.search(pattern, said, re.IGNORECASE) and not has & set(enough):
                    return "words", say(
                        "the text of {code} speaks of {name} this movement has not: “{said}”", code=code, name=name, said=said
                    )
    return None


def _said(text: FaultText) -> Iterable[str]:
    yield from (text.title, text.told, text.why, text.cue, text.change, text.film_next, text.held, text.drill)
    yield from (cause.words for cause in text.causes)
