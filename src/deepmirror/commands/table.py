"""All actions of the program as data: menus, keys, the key overlay and the tests read this one table."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum


class Need(StrEnum):
    """What must be at hand for an action to work."""

    FILM = "an open film"
    NUMBERS = "an open film with its numbers"
    FILM_IN_HAND = "an open film, or one under the Desk's bar"
    WATCHED = "a watched correction"
    PLANNED = "a client with a plan"
    RESTING = "a set just done"


@dataclass(frozen=True)
class Action:
    """One thing the coach can do: its words, its usual key (Qt's key names), where it works, its menu, and what it needs."""

    id: str
    title: str
    key: str
    rooms: str  # desk, person, mirror, reply, compare, plan, floor, several of them, or all
    menu: str
    needs: tuple[Need, ...] = ()

    def works(self, room: str, at_hand: Mapping[Need, bool]) -> bool:
        """True when it works in a room with what is at hand there."""
        return bool({room, "all"} & set(self.rooms.split())) and all(at_hand[need] for need in self.needs)


ACTIONS = (
    Action("go_desk", "Go to the Desk", "F2", "all", "Go"),
    Action("go_person", "Go to the Person", "F3", "all", "Go"),
    Action("go_mirror", "Go to the Mirror", "F4", "all", "Go", (Need.FILM,)),
    Action("go_reply", "Go to the Reply", "F5", "all", "Go", (Need.NUMBERS,)),
    Action("go_compare", "Go to Compare", "F6", "all", "Go", (Need.NUMBERS,)),
    Action("go_plan", "Go to the Plan", "F7", "all", "Go"),
    Action("go_floor", "Go to the Floor", "F8", "all", "Go"),
    Action("keys", "Show all keys", "F1", "all", "Help"),
    Action("guide", "The coach's guide", "Shift+F2", "all", "Help"),
    Action("caution", "Cautions and what this program is not", "Shift+F1", "all", "Help"),
    Action("demo", "Try the demo in a window of its own", "Ctrl+F1", "all", "Help"),
    Action("import", "Bring in films…", "Ctrl+O", "all", "Film"),
    Action("copy_out", "Write the whole library into one file…", "Ctrl+Shift+S", "all", "Film"),
    Action("copy_in", "Make a library of such a file…", "Ctrl+Shift+O", "all", "Film"),
    Action("settings", "Settings…", "Ctrl+,", "all", "Edit"),
    Action("change_keys", "Keys…", "Ctrl+K", "all", "Edit"),
    Action("new_client", "A new client…", "Ctrl+Shift+N", "all", "Edit"),
    Action("rename_client", "Rename this client…", "Ctrl+R", "person", "Edit"),
    Action("archive_client", "Archive this client, or bring back", "Ctrl+Shift+A", "person", "Edit"),
    Action("delete_client", "Delete this client…", "Ctrl+Shift+Delete", "person", "Edit"),
    Action("undo", "Undo", "Ctrl+Z", "all", "Edit"),
    Action("redo", "Redo", "Ctrl+Shift+Z", "all", "Edit"),
    Action("next_film", "Take the next film", "N", "desk", "Film"),
    Action("place_arrival", "Say whose film this is", "B", "desk", "Film"),
    Action("refilm", "Ask for a new film…", "W", "desk mirror", "Film", (Need.FILM_IN_HAND,)),
    Action("visit_on", "The next film of this visit", "Ctrl+Right", "mirror", "Film", (Need.FILM,)),
    Action("visit_back", "The film before in this visit", "Ctrl+Left", "mirror", "Film", (Need.FILM,)),
    Action("play", "Play or pause", "Space", "mirror compare", "Film", (Need.FILM,)),
    Action("step_on", "One frame on", "Right", "mirror compare", "Film", (Need.FILM,)),
    Action("step_back", "One frame back", "Left", "mirror compare", "Film", (Need.FILM,)),
    Action("leap_on", "Ten frames on", "Shift+Right", "mirror", "Film", (Need.FILM,)),
    Action("leap_back", "Ten frames back", "Shift+Left", "mirror", "Film", (Need.FILM,)),
    Action("next_turn", "Next turn-round", "Down", "mirror", "Film", (Need.FILM,)),
    Action("previous_turn", "Previous turn-round", "Up", "mirror", "Film", (Need.FILM,)),
    Action("next_finding", "Next finding", "F", "mirror", "Film", (Need.FILM,)),
    Action("speed", "Play slower or at speed", "V", "mirror", "Film", (Need.FILM,)),
    Action("loop", "Loop this rep", "O", "mirror", "Film", (Need.FILM,)),
    Action("halves", "One-and-a-half reps, or not", "Shift+O", "mirror", "Edit", (Need.FILM,)),
    Action("lines", "Show or hide the lines", "H", "mirror", "Film", (Need.FILM,)),
    Action("doubt", "Next doubtful frame", "D", "mirror", "Film", (Need.FILM,)),
    Action("ghost", "Show or hide the ghost", "G", "mirror", "Film", (Need.FILM,)),
    Action("place", "Place points", "P", "mirror", "Edit", (Need.FILM,)),
    Action("measure", "Measure now", "M", "desk mirror", "Edit", (Need.FILM_IN_HAND,)),
    Action("compare", "Then and now, or two reps", "C", "mirror", "Film", (Need.NUMBERS,)),
    Action("next_watched", "Next watched correction", "J", "mirror compare", "Film", (Need.FILM, Need.WATCHED)),
    Action("keep_watched", "Keep watching it", "K", "mirror compare", "Edit", (Need.FILM, Need.WATCHED)),
    Action("close_watched", "Close it", "X", "mirror compare", "Edit", (Need.FILM, Need.WATCHED)),
    Action("change_watched", "Correct it anew", "Y", "mirror compare", "Edit", (Need.FILM, Need.WATCHED)),
    Action("own_correction", "Add a correction of your own", "Ctrl+N", "reply", "Edit"),
    Action("compose", "Compose the reply", "R", "mirror compare", "Film", (Need.NUMBERS,)),
    Action("sheet", "Set-up sheet…", "Ctrl+P", "all", "Film"),
    Action("preview", "Look at the whole reply", "Ctrl+E", "reply", "Film", (Need.NUMBERS,)),
    Action("speak", "Speak over the reply's film", "Ctrl+T", "reply", "Film", (Need.NUMBERS,)),
    Action("send", "Send the reply", "Ctrl+Return", "reply", "Film", (Need.NUMBERS,)),
    Action("other_answer", "Say another answer", "Alt+T", "reply", "Edit"),
    Action("earlier", "Send this correction earlier", "Alt+Up", "reply", "Edit"),
    Action("later", "Send this correction later", "Alt+Down", "reply", "Edit"),
    Action("log_session", "Log a session…", "L", "plan", "Plan", (Need.PLANNED,)),
    Action("edit_plan", "Edit the plan, or go back", "E", "plan", "Plan"),
    Action("all_reasons", "Show or hide every reason", "Q", "plan", "Plan"),
    Action("note_pain", "Note pain…", "I", "plan person", "Plan"),
    Action("session_page", "The client's page…", "Ctrl+Shift+P", "plan", "Plan", (Need.PLANNED,)),
    Action("next_client", "Next client", "Ctrl+Down", "plan", "Plan"),
    Action("previous_client", "Previous client", "Ctrl+Up", "plan", "Plan"),
    Action("floor_press", "Begin, end, or go on", "Space", "floor", "Floor"),
    Action("floor_on", "The set after", "Right", "floor", "Floor"),
    Action("floor_back", "The set before", "Left", "floor", "Floor"),
    *(Action(f"floor_reserve_{n}", f"{n} in reserve", str(n), "floor", "Floor", (Need.RESTING,)) for n in range(6)),
    Action("floor_heavier", "It was heavier", "Up", "floor", "Floor", (Need.RESTING,)),
    Action("floor_lighter", "It was lighter", "Down", "floor", "Floor", (Need.RESTING,)),
    Action("floor_wipe", "Wipe the drawing", "Backspace", "floor", "Floor", (Need.RESTING,)),
    Action("floor_light", "Light or dark", "Ctrl+L", "floor", "Floor"),
    Action("floor_tick", "Tick with the tempo, or not", "Ctrl+T", "floor", "Floor"),
    Action("floor_demo", "Begin the demo's session", "Ctrl+F8", "all", "Floor"),
)


def holder(action: Action, key: str, keys: Mapping[str, str]) -> Action | None:
    """Another action that has a key already and works in a room where this one does; keys: those in use, by id."""
    rooms = set(action.rooms.split())
    for other in ACTIONS:
        theirs = set(other.rooms.split())
        if other.id != action.id and keys[other.id] == key and (rooms & theirs or "all" in rooms | theirs):
            return other
    return None


def keys_in_use(own: Mapping[str, str]) -> dict[str, str]:
    """Every action's key: the coach's own where she chose one."""
    return {a.id: own.get(a.id, a.key) for a in ACTIONS}
