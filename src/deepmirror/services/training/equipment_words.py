"""Equipment as a coach writes it, in lines, and back."""

from __future__ import annotations

import re

from deepmirror.core.units import KG_PER_LB
from deepmirror.errors import BadPlan
from deepmirror.exchange.plan_file import EquipmentPart, SledPart, StackPart
from deepmirror.movements.loader import Catalogue
from deepmirror.words import joined, say

_NUMBER = r"\d+(?:\.\d+)?"
_PIECE = re.compile(rf"^({_NUMBER})\s*(?:kg|lb)?\s*(?:[x×*]\s*(\d+))?$")
_RANGE = re.compile(rf"^({_NUMBER})\s*(?:-|–|to)\s*({_NUMBER})\s*(?:by|/)\s*({_NUMBER})$")
MOST = 200


def plates_words(part: EquipmentPart) -> str:
    """ "25 × 2, 20 × 4"."""
    return joined(", ", [say("{kg:g} × {n}", kg=kg, n=n) for kg, n in part.plates_kg])


def masses_words(masses: list[float]) -> str:
    """ "5, 7.5, 10"."""
    return ", ".join(f"{kg:g}" for kg in masses)


def machines_words(part: EquipmentPart, catalogue: Catalogue) -> str:
    """One line a machine: "Lying leg curl: pins 5, 10, 15 + 2.5", "Leg press: sled 40"."""
    lines = [
        say("{title}: pins {masses}", title=_title(catalogue, name), masses=masses_words(s.pins_kg))
        + (f" + {s.adder_kg:g}" if s.adder_kg else "")
        for name, s in part.stacks.items()
    ]
    return joined(
        "\n", lines + [say("{title}: sled {own_kg:g}", title=_title(catalogue, name), own_kg=s.own_kg) for name, s in part.sleds.items()]
    )


def _title(catalogue: Catalogue, name: str) -> str:
    return catalogue.movements[name].title if name in catalogue.movements else name


def read_plates(text: str, pounds: bool = False) -> list[tuple[float, int]]:
    """Plates with their pieces from "25 × 2, 20"; a plate without a number is a pair. Raises BadPlan."""
    out = []
    for word in _words(text):
        found = _PIECE.match(word)
        if found is None:
            raise BadPlan(say("Plates are written like 25 × 2, 20 × 4, not “{word}”.", word=word))
        out.append((_kg(found[1], pounds), int(found[2] or 2)))
    return out


def read_masses(text: str, pounds: bool = False) -> list[float]:
    """Masses from "5, 7.5, 10" or "5 to 30 by 2.5". Raises BadPlan."""
    out: list[float] = []
    for word in _words(text):
        if (span := _RANGE.match(word)) is not None:
            low, high, step = (_kg(span[i], pounds) for i in (1, 2, 3))
            count = int((high - low) / step + 1e-6) + 1 if step > 0 else MOST + 1
            if not 0 < count <= MOST:
                raise BadPlan(say("“{word}” is no row of masses.", word=word))
            out += [round(low + i * step, 3) for i in range(count)]
        elif (found := _PIECE.match(word)) is not None and not found[2]:
            out.append(_kg(found[1], pounds))
        else:
            raise BadPlan(say("Masses are written like 5, 7.5, 10 or 5 to 30 by 2.5, not “{word}”.", word=word))
    return sorted(set(out))


def read_machines(text: str, catalogue: Catalogue, pounds: bool = False) -> tuple[dict[str, StackPart], dict[str, SledPart]]:
    """Machines from lines as `machines_words` writes them. Raises BadPlan naming the line."""
    named = catalogue.by_name()
    stacks, sleds = {}, {}
    for row in (x.strip() for x in text.splitlines() if x.strip()):
        name, _, rest = row.partition(":")
        movement, rest = named.get(name.strip().casefold()), rest.strip()
        if movement is None:
            raise BadPlan(
                say("The program knows no machine “{name}”: begin the line with a movement's name and a colon.", name=name.strip())
            )
        if rest.startswith("sled"):
            masses = read_masses(rest.removeprefix("sled"), pounds)
            if len(masses) != 1:
                raise BadPlan(say("“{row}” needs one mass: what it weighs without plates.", row=row))
            sleds[movement] = SledPart(own_kg=masses[0])
            continue
        pins, _, adder = rest.removeprefix("pins").partition("+")
        extra = read_masses(adder, pounds)
        stacks[movement] = StackPart(pins_kg=read_masses(pins, pounds), adder_kg=extra[0] if extra else None)
        if not stacks[movement].pins_kg:
            raise BadPlan(say("“{row}” names no pin: write its loads, as in pins 5 to 60 by 5 + 2.5.", row=row))
    return stacks, sleds


def _words(text: str) -> list[str]:
    return [w.strip() for w in re.split(r"[;,\n]", text.replace("lbs", "lb")) if w.strip()]


def _kg(text: str, pounds: bool) -> float:
    value = float(text)
    return round(value * KG_PER_LB, 4) if pounds else value
