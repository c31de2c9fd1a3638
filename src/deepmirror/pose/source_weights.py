"""How far network, flow and patches are believed, joint by joint."""

from __future__ import annotations

from dataclasses import dataclass

from deepmirror.core.skeleton import JOINTS, near_side, split
from deepmirror.fitted import fitted_by_name, fitted_rows
from deepmirror.movements.schema import Believe, Movement
from deepmirror.pose.film_setting import FilmSetting


@dataclass(frozen=True)
class SourceWeights:
    """How far each source is believed for one joint: multiplies its sigma."""

    network: float = 1.0
    step: float = 1.0
    match: float = 1.0


SIDE_FLOW = fitted_by_name("side_flow")
FRONT = {joint: SourceWeights(**row) for joint, row in fitted_rows("front_source_weights").items()}
HELD = SourceWeights(network=40.0, match=40.0)  # of a point the coach holds: clicks and flow move it


def movement_weights(movement: Movement, view: str) -> dict[str, SourceWeights]:
    """The movement's own table; front and rear views have one for all movements."""
    if near_side(view) is None:
        return FRONT
    own = {joint: movement.trust.get(joint, Believe()) for joint in {*JOINTS, *movement.trust}}
    return {joint: SourceWeights(step=SIDE_FLOW.get(joint, SIDE_FLOW["rest"]) * b.step, match=b.match) for joint, b in own.items()}


def weight_of(weights: dict[str, SourceWeights], name: str) -> SourceWeights:
    """A point's own weights where it has some, its joint's otherwise."""
    return weights.get(name, weights.get(split(name)[0], SourceWeights()))


def source_weights(setting: FilmSetting) -> dict[str, SourceWeights]:
    """By joint, and by point for those that the coach holds."""
    return movement_weights(setting.movement, setting.view) | dict.fromkeys(setting.held, HELD)
