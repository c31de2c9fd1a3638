"""What a client trains with, as lines to edit and back; and the screen and the rules as rows."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from deepmirror.core.units import KG_PER_LB
from deepmirror.errors import BadPlan
from deepmirror.exchange.plan_file import EquipmentPart
from deepmirror.movements.pathways import readiness
from deepmirror.planning.rules import rule_texts
from deepmirror.services.training.equipment_words import machines_words, masses_words, plates_words, read_machines, read_masses, read_plates
from deepmirror.services.training.training_file import TrainingFile
from deepmirror.words import say


def equipment_lines(file: TrainingFile) -> dict[str, str]:
    """The equipment as a coach edits it, in her client's unit."""
    imperial, part = file.body.imperial, file.part.equipment
    shown = _in_pounds(part) if imperial else part
    return {
        "bar": f"{shown.bar_kg:g}" if shown.bar_kg is not None else "",
        "plates": plates_words(shown),
        "dumbbells": masses_words(shown.dumbbells_kg),
        "machines": machines_words(shown, file.library.catalogue),
        "unit": "lb" if imperial else "kg",
    }


def _in_pounds(part: EquipmentPart) -> EquipmentPart:
    """The same with pounds where kilograms stand, for showing only."""

    def lb(kg: float) -> float:
        return round(kg / KG_PER_LB, 2)

    stacks = {
        n: s.model_copy(update={"pins_kg": [lb(p) for p in s.pins_kg], "adder_kg": lb(s.adder_kg) if s.adder_kg else None})
        for n, s in part.stacks.items()
    }
    return part.model_copy(
        update={
            "bar_kg": lb(part.bar_kg) if part.bar_kg is not None else None,
            "plates_kg": [(lb(kg), n) for kg, n in part.plates_kg],
            "dumbbells_kg": [lb(kg) for kg in part.dumbbells_kg],
            "stacks": stacks,
            "sleds": {n: s.model_copy(update={"own_kg": lb(s.own_kg)}) for n, s in part.sleds.items()},
        }
    )


def set_equipment(file: TrainingFile, lines: Mapping[str, str]) -> None:
    """Take edited lines. Raises BadPlan naming what cannot be read."""
    pounds = file.body.imperial
    bars = read_masses(lines["bar"], pounds)
    if len(bars) > 1:
        raise BadPlan("One bar is planned with: write its mass alone.")
    stacks, sleds = read_machines(lines["machines"], file.library.catalogue, pounds)
    part = EquipmentPart(
        bar_kg=bars[0] if bars else None,
        plates_kg=read_plates(lines["plates"], pounds),
        dumbbells_kg=read_masses(lines["dumbbells"], pounds),
        stacks=stacks,
        sleds=sleds,
    )
    file.set_fields("change what is at hand", equipment=part.model_dump(mode="json"))


def screen_rows() -> tuple[list[tuple[str, str, str]], list[tuple[str, str, str, str]]]:
    """The screen's questions (name, words, source) and tests (name, words, unit, source)."""
    found = readiness()
    questions = [(k, q.ask, q.source) for k, q in found.question.items()]
    return questions, [(k, q.ask, q.unit, q.source) for k, q in found.test.items()]


def screen_lacks(file: TrainingFile) -> str:
    """What the screen still asks for, in a sentence; empty when nothing does."""
    screen, asked = file.part.screen, readiness().question
    yes = [k for k, said in screen.answers.items() if said and k != "activity"]
    if yes and not screen.physician:
        return "The screen asks for a physician's word before this programme begins or goes on."
    return "" if len(screen.answers) == len(asked) else "The screen before a programme was not asked in full."


def set_screen(file: TrainingFile, told: dict[str, Any]) -> None:
    """Take the screen's answers; a physician's word carries the day it was noted. Raises BadPlan."""
    before = file.part.screen
    on = before.physician_on if told["physician"] == before.physician else file.today
    file.set_fields("change the screen", screen=told | {"physician_on": on.isoformat() if told["physician"] and on is not None else None})


def rule_rows(file: TrainingFile) -> list[tuple[str, float, float | None, str, str]]:
    """Every rule: name, usual value, hers or None, unit, source."""
    return [(name, text.value, file.part.rules.get(name), text.unit, text.source) for name, text in rule_texts().items()]


def set_rules(file: TrainingFile, told: Mapping[str, str]) -> None:
    """A client's own values in place of the usual ones. Raises BadPlan."""
    own = {}
    for name, words in told.items():
        try:
            own[name] = float(words.replace(",", "."))
        except ValueError:
            raise BadPlan(say("“{words}” is no number, for {name}.", words=words, name=name.replace("_", " "))) from None
    file.set_fields("change the rules", rules={k: v for k, v in own.items() if v != rule_texts()[k].value})
