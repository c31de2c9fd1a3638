"""The invented demo: clients, films that ship measured, and last week's reply to one of them."""

from __future__ import annotations

import json
import shutil
from datetime import datetime, timedelta
from importlib import resources
from pathlib import Path

from deepmirror.documents import Document
from deepmirror.services.films import follow_up
from deepmirror.services.films.film_library import FilmLibrary, FilmState
from deepmirror.services.films.set_log import note_set
from deepmirror.services.program.demo_training import fill_training
from deepmirror.services.replies.composing import draft_reply
from deepmirror.services.replies.delivery import archived
from deepmirror.words import from_kept, say


def fill_demo(library: FilmLibrary) -> None:
    """Put the invented demo clients and films into an empty library; they ship measured, so they open at once."""
    if library.read_only or library.films():
        return
    root = resources.files("deepmirror") / "assets" / "demo"
    with resources.as_file(root) as folder:
        plan = json.loads((folder / "demo.json").read_text("utf-8"))
        results = json.loads((folder / "results.json").read_text("utf-8"))
        library.store.phrases.set("coach", plan["coach"])
        films: dict[str, int] = {}
        for item in plan["films"]:
            film_id = films[item["film"]] = _add(library, folder, item, results)
            if "answered_hours_ago" in item:
                _answer(library, film_id, library.now() - timedelta(hours=float(item["answered_hours_ago"])))
        fill_training(library, json.loads((folder / "training.json").read_text("utf-8")), films)


def _add(library: FilmLibrary, folder: Path, item: Document, results: Document) -> int:
    brief = json.loads((folder / f"{item['film']}.brief.json").read_text("utf-8"))
    client = next((c for c in library.clients() if c.name == item["client"]), None) or library.store.add_client(
        item["client"], brief["client"]
    )
    if "machine" in item:
        brief["machine"] = item["machine"]
    arrived = library.now() - timedelta(hours=float(item["hours_ago"]))
    record = library.store.add_film(
        folder / f"{item['film']}.mp4",
        client.id,
        brief,
        arrived.isoformat(timespec="seconds"),
        item["note"],
        library.answer_due(client.id, arrived).isoformat(timespec="minutes"),
        item.get("told"),
    )
    seen = folder / f"{item['film']}.npz"
    if seen.exists():
        shutil.copyfile(seen, library.store.evidence_path(record.id))
        told = results[item["film"]]["film"]
        library.store.update_film(record.id, **told | {"line": from_kept(told["line"])})
        note_set(library.store, record.id, results[item["film"]]["set"])
    return record.id


def _answer(library: FilmLibrary, film_id: int, at: datetime) -> None:
    """A reply that went out last week: its words and its watched corrections; the demo ships no film of it."""
    film, brief, evidence = library.open_analysis(film_id)
    with film:
        assert evidence is not None  # the demo's films ship measured
        analysis = library.conclude(film.facts, brief, evidence)
    record = library.store.film(film_id)
    when = at.isoformat(timespec="seconds")
    reply = draft_reply(analysis, record.client_name, coach=library.store.phrases.setting("coach", ""), date=when[:10])
    unsent = library.store.reply_folder(film_id)
    unsent.mkdir(parents=True, exist_ok=True)
    words = [say("{title}: {number} {cue}", title=c.title, number=c.number, cue=c.cue) for c in reply.chosen()]
    (unsent / "reply.txt").write_text("\n".join([reply.greeting, *words]) + "\n", "utf-8")
    sent = reply.chosen()
    items = follow_up.baselines_of(analysis, [c.code for c in sent], {c.code: (c.cue, c.change) for c in sent})
    with archived(library, film_id, "reply", unsent, reply.to_dict(), when) as kept:
        library.store.replies.set_outcome(kept.id, "handed", "in the demo's past")
        library.store.update_film(film_id, state=FilmState.SENT, draft=reply.to_dict())
        follow_up.begin(library.store, record.client_id, film_id, analysis.movement.id, when, items)
