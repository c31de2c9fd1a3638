"""First stage: what was seen of the points that a view shows, with the coach's annotations put to it."""

from __future__ import annotations

from dataclasses import dataclass

from deepmirror.core.skeleton import points_for, split
from deepmirror.pose.evidence import Evidence, Keyframe
from deepmirror.pose.film_setting import FilmSetting
from deepmirror.pose.resting_feet import with_feet_at_rest
from deepmirror.pose.rigid_attachment import carry_feet_on_platform, carry_foot
from deepmirror.pose.sole import align_shoe_clicks


@dataclass(frozen=True)
class Annotated:
    """whole: all points of both sides as they were seen; shown: those of this view, with those that were clicked besides the joints
    and a held foot where its shank carries it; kept: which columns of `shown` are not left out; keys: the clicks."""

    setting: FilmSetting
    whole: Evidence
    shown: Evidence
    kept: tuple[int, ...]
    keys: tuple[Keyframe, ...]

    def kept_evidence(self) -> Evidence:
        """What was seen of the points that are not left out."""
        return self.shown.only([self.shown.names[i] for i in self.kept])


def annotate(whole: Evidence, keys: list[Keyframe], setting: FilmSetting) -> Annotated:
    """whole: what was seen, the near leg's points as its own; keys: her clicks."""
    extra = sorted({n for k in keys for n in k.points if split(n)[1] is None} & set(whole.names))
    whole = with_feet_at_rest(whole)
    shown = whole.only(points_for(setting.view) + extra)
    if setting.near and not setting.shoe_held:
        keys = align_shoe_clicks(keys, whole, setting.near)
    if setting.movement.foot_carried:
        shown = carry_foot(shown, keys, setting.view, setting.movement.foot_held)
    shown = carry_feet_on_platform(shown, keys)
    kept = tuple(i for i, name in enumerate(shown.names) if name not in setting.hidden)
    return Annotated(setting, whole, shown, kept, tuple(keys))
