"""Floor: sets in the room, with a camera, in three faces: ready, set and rest."""

from deepmirror.ui.rooms.floor.room import FloorRoom as FloorRoom
