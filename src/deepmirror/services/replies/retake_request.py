"""Asking for a new film: why this one cannot tell, and a drawn plan of where to stand, in the client's words."""

from __future__ import annotations

from deepmirror.core.measures.context import Remedy
from deepmirror.core.units import length_words
from deepmirror.documents import Document
from deepmirror.errors import ReplyError
from deepmirror.exchange.mailbox import Outbox
from deepmirror.files import private_folder, write_whole
from deepmirror.judge.records import Unmeasurable
from deepmirror.media.writer import png
from deepmirror.movements.cameras import camera_posture
from deepmirror.movements.schema import Movement
from deepmirror.reply.camera import CameraPlan, distance_for
from deepmirror.reply.camera import draw_plan as draw_plan
from deepmirror.reply.page import render_request
from deepmirror.reply.request import RetakeRequest as RetakeRequest
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.film_library import FilmLibrary, FilmState
from deepmirror.services.replies.delivery import ReplyRecord, archived, deliver
from deepmirror.store.sweep import remove
from deepmirror.words import joined, say, small

USUAL_STATURE_CM = 172.0  # for the camera plan of a client whose stature is not known; from memory, no source
NO_REPS = "no repetition can be seen in it"
MOST_REASONS = 3  # in one request; our own choice


def draft_request(library: FilmLibrary, film_id: int, analysis: Analysis | None) -> RetakeRequest:
    """A request for this film's movement, with the reasons its analysis gives. heading: the side that settles most of them."""
    film = library.store.film(film_id)
    movement = library.catalogue.movement(film.movement)
    reasons, advice = _reasons(analysis)
    open_question = _open_question(analysis)
    front = advice.count(Remedy.FRONT_FILM) > advice.count(Remedy.SIDE_FILM)
    heading = "front" if front and "front" in movement.views else movement.views[0]
    body = film.brief["client"]
    plan = plan_for(movement, heading, film.view or "side-left", float(body.get("stature_cm") or USUAL_STATURE_CM))
    return RetakeRequest(
        film.client_name,
        movement.title,
        reasons,
        [*_words(film.client_name, movement, reasons, plan, bool(body.get("imperial"))), *open_question],
        plan,
        heading,
        library.store.phrases.setting("coach", ""),
    )


def _reasons(analysis: Analysis | None) -> tuple[list[str], list[Remedy]]:
    """Why this film cannot answer, in words, and what kinds of film would."""
    rows = analysis.judgement.unmeasurable if analysis is not None else ()
    if analysis is None or not analysis.scene.reps:
        return [rows[0].reason if rows and rows[0].measure == "reps" else NO_REPS], []
    rows = tuple(u for u in rows if u.advice.new_film)  # what a mark would tell needs no new film
    reasons = list(dict.fromkeys(_plainly(u) for u in rows if not u.doubtful))[:MOST_REASONS]
    return reasons or ["it does not show surely enough what matters most"], [u.advice.remedy for u in rows]


def _open_question(analysis: Analysis | None) -> list[str]:
    """What a better film would let one tell apart: the two likeliest causes of the first finding, where nothing decides between them."""
    for finding in analysis.judgement.findings if analysis is not None else ():
        possible = [c for c in finding.weighed if not c.ruled_out][:2]
        if len(possible) == 2 and len(possible[0].speaks_for) == len(possible[1].speaks_for):
            told = (finding.told or finding.title).rstrip(".")
            return [
                say(
                    "{told}: with that film I can also tell whether it is “{words}” or “{words2}”.",
                    told=told,
                    words=possible[0].words,
                    words2=possible[1].words,
                )
            ]
    return []


def _plainly(row: Unmeasurable) -> str:
    """A reason that stands alone: "does not show it" names what."""
    return (
        say("{seen_from} does not show this: {title}", seen_from=row.seen_from, title=small(row.title))
        if row.seen_from and row.title
        else row.reason
    )


def plan_for(movement: Movement, heading: str, view: str, stature_cm: float) -> CameraPlan:
    """Where to stand for a movement and a client of this stature."""
    name, posture = camera_posture(movement.id)
    tall = stature_cm / 100
    along, up = (share * tall for share in posture.room)
    room = (along, up) if heading == "side" else (0.7 * tall, up)
    lens = round(posture.lens["side" if heading == "side" else "front"] * tall, 2)
    return CameraPlan(name, heading, view != "side-right", tall, room, distance_for(room), lens, tuple(posture.see))


def _words(client: str, movement: Movement, reasons: list[str], plan: CameraPlan, imperial: bool) -> list[str]:
    first = client.split(maxsplit=1)[0] if client else "there"
    far, high = plan.distance_m * 100, plan.lens_m * 100
    side = "your side, square to you" if plan.heading == "side" else "straight in front of you"
    return [
        say("Hello {first}, thank you for the film. I cannot answer it well yet: {reasons}.", first=first, reasons=joined("; ", reasons)),
        say(
            "Please film the next set of {title} like this: phone on its long edge, still, on something firm, at {side}.",
            title=small(movement.title),
            side=side,
        ),
        say(
            "Distance {far}, lens {high} above the floor, nothing standing between you and the phone.",
            far=_far(far, imperial),
            high=_high(high, imperial),
        ),
        "Start the film before the first repetition and stop it after the last one. Use the same load, or a lighter one.",
    ]


def _high(cm: float, imperial: bool) -> str:
    return length_words(cm, True) if imperial else say("{cm:.0f} cm", cm=cm)


def _far(cm: float, imperial: bool) -> str:
    return length_words(cm, True) if imperial else f"{cm / 100:.1f} m"


def send_request(library: FilmLibrary, outbox: Outbox, film_id: int, request: RetakeRequest, progress: Progress) -> ReplyRecord:
    """Write the request, keep it, hand it over, and let the film wait for the new one. Raises ReplyError."""
    library.store.must_write()
    progress.report(0.1, "drawing the plan")
    folder = library.store.reply_folder(film_id).with_name("unsent-request")
    picture = png(draw_plan(request.plan))
    files = {
        "camera-plan.png": picture,
        "request.html": render_request(request, picture).encode(),
        "request.txt": f"{request.text()}\n".encode(),
    }
    try:
        remove(folder)
        for name, data in files.items():
            write_whole(private_folder(folder) / name, data)
    except OSError as error:
        raise ReplyError(say("The request could not be written: {error}.", error=error.strerror or error)) from error
    told: Document = {"movement": request.movement, "words": request.words, "reasons": request.reasons}
    with archived(library, film_id, "refilm", folder, told) as record:
        library.store.update_film(film_id, state=FilmState.ASKED, line=say("new film asked: {reasons}", reasons=request.reasons[0]))
    return deliver(library, outbox, record, request.client, say("{movement} new film", movement=request.movement))


def came_for(library: FilmLibrary, film_id: int) -> None:
    """A film came in: the films of the same client and movement that waited for a new one have it now."""
    new = library.store.film(film_id)
    for film in library.store.films(new.client_id):
        if film.state == FilmState.ASKED and film.movement == new.movement and film.id != film_id:
            library.store.update_film(film.id, state=FilmState.REPLACED, line="the new film came")
