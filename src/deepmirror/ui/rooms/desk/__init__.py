"""The Desk: what arrived, what is promised when, what waits for a new film."""

from deepmirror.ui.rooms.desk.room import DeskRoom as DeskRoom
