"""Where a phone stands to film a movement: read from data/cameras.toml."""

from __future__ import annotations

import tomllib
from functools import lru_cache
from importlib import resources
from typing import Annotated, Literal

from pydantic import Field, TypeAdapter

from deepmirror.movements.schema import Strict

CAMERAS_FILE = "cameras.toml"
Share = Annotated[float, Field(gt=0, lt=3)]


class CameraPosture(Strict):
    """What must fit into the picture (shares of stature), how high the lens stands, and what must be seen."""

    room: tuple[Share, Share]
    lens: dict[Literal["side", "front"], Share]
    see: list[str] = Field(min_length=1)
    movements: list[str] = Field(default=[])


@lru_cache(maxsize=1)
def camera_postures() -> dict[str, CameraPosture]:
    """All postures by name; "standing" is for movements none of them names."""
    data = (resources.files("deepmirror.movements") / "data" / CAMERAS_FILE).read_text("utf-8")
    return TypeAdapter(dict[str, CameraPosture]).validate_python(tomllib.loads(data))


def camera_posture(movement_id: str) -> tuple[str, CameraPosture]:
    """Name and facts of the posture a movement is filmed in."""
    postures = camera_postures()
    name = next((n for n, p in postures.items() if movement_id in p.movements), "standing")
    return name, postures[name]
