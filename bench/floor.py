"""What clicks alone cost: a film followed without any error from clicks that are off as the brief's are.

Every true point is moved by what its click was off by on the first seeded frame, in all frames; angles are then taken through
the same camera and body as the program's. No way of following that believes those clicks does better but by luck, or by
knowing more than the clicks; what the program adds is the rest of its error.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from deepmirror.core.camera.camera_direction import USUAL_FRONT_DIRECTION, CameraDirection
from deepmirror.core.camera.frontal_camera import fit_frontal
from deepmirror.core.motion.kinematics import angle_series
from deepmirror.core.trajectories import Series
from deepmirror.services.films.analysis import Analysis


def clicked_angles(analysis: Analysis, truth: dict[str, Any]) -> dict[str, Series]:
    """Angle series of the true points with the clicks' errors; empty for a film without seeds or with a moving camera."""
    seeds, track = analysis.brief.seeds, analysis.scene.track
    if not seeds or (analysis.scene.seen is not None and not np.allclose(analysis.scene.seen.positions, track.positions)):
        return {}
    frame, points = seeds[0]
    frames = min(len(track.times), len(truth["landmarks_px"]["hip_left"]))
    positions = track.positions[:frames].copy()
    for i, name in enumerate(track.names):
        if name in truth["landmarks_px"]:
            true = np.array(truth["landmarks_px"][name], float)[:frames]
            positions[:, i] = true + (np.array(points[name]) - true[frame] if name in points else 0.0)
    moved = replace(track, times=track.times[:frames], positions=positions, covariance=track.covariance[:frames])
    view, scene, size = analysis.brief.file.view, analysis.scene, (analysis.facts.width, analysis.facts.height)
    camera = None
    if scene.frontal:
        told = CameraDirection(scene.front_yaw, scene.frontal.pitch) if scene.front_yaw else USUAL_FRONT_DIRECTION
        camera = fit_frontal(moved, view, scene.body, scene.up, size, told)
    return angle_series(moved, view, scene.up, plane=scene.plane, frontal=camera)
