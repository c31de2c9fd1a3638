"""All actions of the program as data: menus, keys, the key overlay and the tests read this one table."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Action:
    """One thing the coach can do: its words, its usual key (Qt's key names), the rooms where it works, and a menu."""

    id: str
    title: str
    key: str
    rooms: str  # desk, person, mirror, reply, compare, several of them, or all
    menu: str


ACTIONS = (
    Action("go_desk", "Go to the Desk", "F2", "all", "Go"),
    Action("go_person", "Go to the Person", "F3", "all", "Go"),
    Action("go_mirror", "Go to the Mirror", "F4", "all", "Go"),
    Action("go_reply", "Go to the Reply", "F5", "all", "Go"),
    Action("go_compare", "Go to Compare", "F6", "all", "Go"),
    Action("keys", "Show all keys", "F1", "all", "Help"),
    Action("caution", "Cautions and what this program is not", "Shift+F1", "all", "Help"),
    Action("import", "Bring in a film…", "Ctrl+O", "all", "Film"),
    Action("settings", "Settings…", "Ctrl+,", "all", "Edit"),
    Action("delete_client", "Delete this client…", "Ctrl+Shift+Delete", "person", "Edit"),
    Action("undo", "Undo", "Ctrl+Z", "all", "Edit"),
    Action("redo", "Redo", "Ctrl+Shift+Z", "all", "Edit"),
    Action("next_film", "Take the next film", "N", "desk", "Film"),
    Action("place_arrival", "Say whose film this is", "B", "desk", "Film"),
    Action("refilm", "Ask for a new film…", "W", "desk mirror", "Film"),
    Action("play", "Play or pause", "Space", "mirror compare", "Film"),
    Action("step_on", "One frame on", "Right", "mirror compare", "Film"),
    Action("step_back", "One frame back", "Left", "mirror compare", "Film"),
    Action("leap_on", "Ten frames on", "Shift+Right", "mirror", "Film"),
    Action("leap_back", "Ten frames back", "Shift+Left", "mirror", "Film"),
    Action("next_turn", "Next turn-round", "Down", "mirror", "Film"),
    Action("previous_turn", "Previous turn-round", "Up", "mirror", "Film"),
    Action("next_finding", "Next finding", "F", "mirror", "Film"),
    Action("speed", "Play slower or at speed", "V", "mirror", "Film"),
    Action("loop", "Loop this rep", "O", "mirror", "Film"),
    Action("halves", "One-and-a-half reps, or not", "Shift+O", "mirror", "Edit"),
    Action("lines", "Show or hide the lines", "H", "mirror", "Film"),
    Action("doubt", "Next doubtful frame", "D", "mirror", "Film"),
    Action("ghost", "Show or hide the ghost", "G", "mirror", "Film"),
    Action("place", "Place points", "P", "mirror", "Edit"),
    Action("measure", "Measure now", "M", "desk mirror", "Edit"),
    Action("compare", "Then and now, or two reps", "C", "mirror", "Film"),
    Action("next_watched", "Next watched correction", "J", "mirror compare", "Film"),
    Action("keep_watched", "Keep watching it", "K", "mirror compare", "Edit"),
    Action("close_watched", "Close it", "X", "mirror compare", "Edit"),
    Action("change_watched", "Say it anew", "Y", "mirror compare", "Edit"),
    Action("own_correction", "Add a correction of your own", "Ctrl+N", "reply", "Edit"),
    Action("compose", "Compose the reply", "R", "mirror compare", "Film"),
    Action("sheet", "Set-up sheet…", "Ctrl+P", "all", "Film"),
    Action("preview", "Look at the whole reply", "Ctrl+E", "reply", "Film"),
    Action("send", "Send the reply", "Ctrl+Return", "reply", "Film"),
    Action("earlier", "Send this correction earlier", "Alt+Up", "reply", "Edit"),
    Action("later", "Send this correction later", "Alt+Down", "reply", "Edit"),
)
