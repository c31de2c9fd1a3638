"""Where a film's camera looks from."""

from __future__ import annotations

from dataclasses import dataclass

from deepmirror.core.uncertain_value import Value


@dataclass(frozen=True)
class CameraDirection:
    """yaw: of side films how far it stands off the side view, degrees, positive towards the client's front, of front and rear films how far
    the client is turned to her left against it; pitch: how far it looks down, degrees."""

    yaw: Value
    pitch: Value


# How a phone put down for a side film usually stands, where nothing tells: most by a few degrees off the side, some by thirty; most look
# level, from the floor they look up, from a shelf down. Common practice, no source.
USUAL_DIRECTION = CameraDirection(Value(0.0, 12.0), Value(2.0, 16.0))
USUAL_FRONT_DIRECTION = CameraDirection(Value(0.0, 10.0), Value(0.0, 12.0))  # the same before or behind a client
