"""What each action of the table does in the window."""

from __future__ import annotations

import sys
from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QProcess

from deepmirror.commands.table import keys_in_use
from deepmirror.services.program.settings import own_keys
from deepmirror.ui.help import show_caution, show_guide, show_keys

if TYPE_CHECKING:
    from deepmirror.ui.window import MainWindow


def deeds(window: MainWindow) -> dict[str, Callable[[], object]]:
    """A deed for every action, by its id."""
    m = window.mirror
    does: dict[str, Callable[[], object]] = {
        "go_desk": lambda: window.go("desk"),
        "go_person": lambda: window.client_control.open(None),
        "go_mirror": lambda: window.go("mirror"),
        "go_reply": window.reply_control.compose,
        "keys": lambda: show_keys(window, keys_in_use(own_keys(window.library))),
        "guide": lambda: show_guide(window),
        "caution": lambda: show_caution(window),
        "import": window.film_import.ask,
        "undo": lambda: window.step_history(back=True),
        "redo": lambda: window.step_history(back=False),
        "next_film": window.desk_room.take_next,
        "visit_on": lambda: window.films.step_visit(1),
        "visit_back": lambda: window.films.step_visit(-1),
        "play": lambda: window.playing().play(),
        "step_on": lambda: window.playing().step(1),
        "step_back": lambda: window.playing().step(-1),
        "leap_on": lambda: m.step(10),
        "leap_back": lambda: m.step(-10),
        "next_turn": lambda: m.turn(1),
        "previous_turn": lambda: m.turn(-1),
        "next_finding": m.next_finding,
        "speed": m.slower,
        "loop": m.toggle_loop,
        "halves": m.toggle_halves,
        "lines": m.toggle_lines,
        "doubt": m.next_doubt,
        "ghost": m.toggle_ghost,
        "place": m.toggle_placing,
        "measure": window.films.measure_in_hand,
        "compose": window.reply_control.compose,
        "go_compare": window.follow_up.compare,
        "compare": window.follow_up.compare,
        "next_watched": window.follow_up.next,
        "keep_watched": lambda: window.follow_up.decide("open"),
        "close_watched": lambda: window.follow_up.decide("closed"),
        "change_watched": lambda: window.follow_up.decide("changed"),
        "settings": window.settings_control.settings,
        "change_keys": window.settings_control.keys,
        "copy_out": window.settings_control.ask_copy_out,
        "copy_in": window.settings_control.ask_copy_in,
        "delete_client": window.settings_control.delete_client,
        "sheet": window.client_control.sheet,
        "preview": window.reply_control.preview,
        "speak": window.speak_control.speak,
        "send": window.reply_control.send,
        "other_answer": window.reply_room.other_answer,
        "earlier": lambda: window.reply_room.shift(-1),
        "later": lambda: window.reply_room.shift(1),
        "refilm": window.reply_control.ask_again,
        "own_correction": window.reply_control.add_own,
        "go_plan": lambda: window.plan.open(None),
        "log_session": window.plan.log_session,
        "new_client": window.client_control.new_client,
        "rename_client": window.client_control.rename,
        "archive_client": window.client_control.archive,
        "demo": start_demo,
        "edit_plan": window.plan_room.toggle_editor,
        "all_reasons": window.plan_room.toggle_why,
        "note_pain": window.plan.note_pain,
        "session_page": window.plan.page,
        "next_client": lambda: window.plan.step(1),
        "previous_client": lambda: window.plan.step(-1),
        "place_arrival": window.desk_room.post.place_first,
        "go_floor": lambda: window.floor_control.open(None),
        "floor_demo": window.floor_control.start_demo,
        "floor_press": window.floor_control.press,
        "floor_on": lambda: window.floor_control.step(1),
        "floor_back": lambda: window.floor_control.step(-1),
        "floor_heavier": lambda: window.floor.rest.step_load(1),
        "floor_lighter": lambda: window.floor.rest.step_load(-1),
        "floor_wipe": window.floor.rest.loop.clear,
        "floor_light": window.floor.light.toggle,
        "floor_tick": window.floor.tick.toggle,
    }
    return does | {f"floor_reserve_{n}": partial(window.floor.rest.choose_reserve, n) for n in range(6)}


def start_demo() -> None:
    """The program once more, on the demo's own library: nothing invented comes among a coach's clients."""
    QProcess.startDetached(sys.executable, ["-m", "deepmirror", "window", "--demo"])
