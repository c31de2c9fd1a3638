"""The Mirror: the review of one film."""

from deepmirror.ui.rooms.mirror.room import MirrorRoom as MirrorRoom
