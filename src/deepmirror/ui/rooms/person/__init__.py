"""The Person: one client's record, body and build solver."""

from deepmirror.ui.rooms.person.room import PersonRoom as PersonRoom
