"""Compare: any two reps side by side, aligned by phase."""

from deepmirror.ui.rooms.compare.room import CompareRoom as CompareRoom
