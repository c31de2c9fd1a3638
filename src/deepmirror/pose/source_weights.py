"""How far network, flow and patches are believed, joint by joint."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from deepmirror.core.skeleton import near_side, split
from deepmirror.fitted import fitted_rows
from deepmirror.movements.schema import Movement
from deepmirror.pose.evidence import Keyframe
from deepmirror.pose.film_setting import FilmSetting
from deepmirror.pose.rigid_attachment import carried_points


@dataclass(frozen=True)
class SourceWeights:
    """How far each source is believed for one joint: multiplies its sigma."""

    network: float = 1.0
    step: float = 1.0
    match: float = 1.0


FRONT = {joint: SourceWeights(**row) for joint, row in fitted_rows("front_source_weights").items()}
HELD = SourceWeights(network=40.0, match=40.0)  # of a point the coach holds: clicks and flow move it


def movement_weights(movement: Movement, view: str, keys: Sequence[Keyframe]) -> dict[str, SourceWeights]:
    """The movement's own table; front and rear views have one for all movements.

    How far a movement believes the network's foot says nothing of a foot that its shank or sled carries from where it was clicked.
    """
    if near_side(view) is None:
        return FRONT
    table = {joint: SourceWeights(b.network, b.step, b.match) for joint, b in movement.trust.items()}
    return table | {name: replace(weight_of(table, name), network=1.0) for name in carried_points(keys, movement, view)}


def weight_of(weights: dict[str, SourceWeights], name: str) -> SourceWeights:
    """A point's own weights where it has some, its joint's otherwise."""
    return weights.get(name, weights.get(split(name)[0], SourceWeights()))


def source_weights(setting: FilmSetting, keys: Sequence[Keyframe]) -> dict[str, SourceWeights]:
    """By joint, and by point for those that are carried or that the coach holds. keys: the clicks."""
    return movement_weights(setting.movement, setting.view, keys) | dict.fromkeys(setting.held, HELD)
