"""The Reply: corrections to choose and word, and the picture exactly as it will be sent."""

from deepmirror.ui.rooms.reply.room import ReplyRoom as ReplyRoom
