"""The Plan room."""

from deepmirror.ui.rooms.plan.room import PlanRoom as PlanRoom
