"""Movements that may take another's place: by what hurts, what they train, and what is at hand."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from deepmirror.movements.loader import Catalogue
from deepmirror.movements.pathways import pathways
from deepmirror.movements.schema import Movement, Training
from deepmirror.planning.pain import RegionStage
from deepmirror.planning.records import Equipment

Reach = Callable[[str], str]  # a movement's id -> what keeps this body from it, "" when nothing does


def usual_implement(movement: Movement, equipment: Equipment) -> str | None:
    """The first of a movement's implements that is at hand; None when none is."""
    if movement.training is None:
        return None
    return next((i for i in movement.training.implements if equipment.loads(movement.id, i) is not None), None)


def substitutes(
    of: Movement,
    names: Sequence[str],
    regions: Sequence[RegionStage],
    equipment: Equipment,
    catalogue: Catalogue,
    taken: Sequence[str] = (),
    reach: Reach | None = None,
) -> list[tuple[Movement, str]]:
    """(movement, implement) of those that may stand in, the best first: those that train what `of` trains, in the pathway's order.

    names: whom to ask, as the pathway of what hurts names them; regions: what else hurts, whose patterns are left out unless that
    region's pathway names the movement too; taken: what the session has already; reach: what the build solver says.
    """
    out = []
    for name in names:
        movement = catalogue.movements.get(name)
        if movement is None or movement.training is None or name in taken or name == of.id:
            continue
        implement = usual_implement(movement, equipment)
        if implement is None or _hurts(movement, movement.training, regions) or (reach is not None and reach(name)):
            continue
        out.append((movement, implement))
    wanted = _muscles(of)
    return sorted(out, key=lambda row: not wanted & _muscles(row[0]))  # stable: the pathway's own order within each half


def _hurts(movement: Movement, training: Training, regions: Sequence[RegionStage]) -> bool:
    for at in regions:
        pathway = pathways()[at.region]
        if training.pattern in pathway.loads and movement.id not in pathway.instead:
            return True
    return False


def _muscles(movement: Movement) -> set[str]:
    return set(movement.training.movers) | set(movement.training.helpers) if movement.training else set()
