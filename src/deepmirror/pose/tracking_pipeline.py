"""From what was seen in a film to where every joint was: a line of stages, each a file that takes and gives one frozen object."""

from __future__ import annotations

from dataclasses import dataclass

from deepmirror.core.camera.sagittal_fit import Plane
from deepmirror.core.trajectories import Track
from deepmirror.pose.annotations import annotate
from deepmirror.pose.consistency import LooseClick, loose_clicks
from deepmirror.pose.evidence import Evidence, Keyframe
from deepmirror.pose.film_setting import FilmSetting
from deepmirror.pose.occlusion import without_occluded
from deepmirror.pose.offset_correction import correct_offsets
from deepmirror.pose.solving import solve_trajectories
from deepmirror.pose.track_uncertainty import with_uncertainty


@dataclass(frozen=True)
class Tracked:
    """The followed points with their covariance, a side film's picture plane, and the clicks that do not go with what the film shows."""

    track: Track
    plane: Plane | None
    loose: tuple[LooseClick, ...]


def track(whole: Evidence, keys: list[Keyframe], setting: FilmSetting) -> Tracked:
    """Everything seen taken together."""
    annotated = annotate(whole, keys, setting)
    unoccluded = without_occluded(annotated)
    corrected = correct_offsets(unoccluded)
    solved = solve_trajectories(corrected)
    return Tracked(with_uncertainty(solved), solved.plane, loose_clicks(annotated.keys, solved.evidence.names, solved.solution))
