"""All measures by name."""

from __future__ import annotations

from deepmirror.core.measures import (
    back_outline,
    body_measures,
    camera_measures,
    contact_measures,
    foot_measures,
    frontal_measures,
    knee_cave,
    lift_more,
    pelvis_by_knee,
    technique_measures,
    tempo_measures,
)
from deepmirror.core.measures.spec import MeasureSpec

_FAMILIES = (
    body_measures,
    back_outline,
    technique_measures,
    frontal_measures,
    knee_cave,
    contact_measures,
    lift_more,
    pelvis_by_knee,
    foot_measures,
    tempo_measures,
    camera_measures,
)
MEASURES: dict[str, MeasureSpec] = {spec.name: spec for family in _FAMILIES for spec in family.MEASURES}
"""In the order in which they are shown."""
