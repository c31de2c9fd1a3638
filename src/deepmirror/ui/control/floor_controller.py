"""The Floor: its camera, its session, and what happens from one set to the next."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, QPointF, pyqtSignal

from deepmirror.core.motion.tempo import parse_tempo
from deepmirror.errors import DeepMirrorError
from deepmirror.services.common.jobs import WORK_APART
from deepmirror.services.live.camera_place import MarksHere
from deepmirror.services.live.floor import FloorSession, PlannedSet, Recovered, recover, unfinished
from deepmirror.services.live.floor_engine import (
    Begin,
    Begun,
    End,
    Framed,
    Message,
    Over,
    Preview,
    Recorded,
    RepTold,
    Said,
)
from deepmirror.services.live.floor_engine import Told as SetTold
from deepmirror.services.live.floor_link import CameraChoice, FloorLink, OnMessage
from deepmirror.ui.context import WindowContext
from deepmirror.ui.control.floor_rest import FloorRest, SetOnShow
from deepmirror.ui.jobs import Job, to_image
from deepmirror.ui.rooms.floor.room import READY, REST, SET
from deepmirror.ui.sound import MISSING, ticking
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.film_view import Drawing
from deepmirror.words import joined


@dataclass(frozen=True)
class DemoSession:
    """What the demo's one key starts: whose session, of what, filmed from where, on which machine, before which camera."""

    client: str
    movement: str
    view: str
    machine: str
    camera: CameraChoice


@dataclass(frozen=True)
class Cameras:
    """Which cameras there are, how one is opened, and what the demo plays."""

    at_hand: Callable[[], list[CameraChoice]] = lambda: []
    open: Callable[[CameraChoice, OnMessage], FloorLink] | None = None
    demo: DemoSession | None = None


class FloorController(QObject):
    """Between the Floor, the engine that runs the camera, and the library."""

    message = pyqtSignal(object)  # from the engine's thread

    def __init__(self, window: WindowContext, cameras: Cameras) -> None:
        super().__init__(window)
        self._window, self.cameras, self.room = window, cameras, window.floor
        self.session: FloorSession | None = None
        self.link: FloorLink | None = None
        self.rest = FloorRest(window)
        self._picture: NDArray[np.uint8] | None = None
        self._size = (0, 0)
        self._looked_for_marks = False
        self._tick: Callable[[], None] | None = None
        self.message.connect(self._take)
        room = self.room
        room.pressed.connect(self.press)
        room.ready.changed.connect(self._chosen)
        room.ready.stepped.connect(self.step)
        room.ready.wants_camera.connect(self._choose_camera)
        room.ready.clients.wanted.connect(self.open)
        room.lifting.bar.ticked.connect(self._ticked)
        room.tick.toggled.connect(self._choose_tick)

    # Opening

    def recover(self) -> None:
        """Take in, in the background, what a killed program was recording."""
        window = self._window
        if not (left := unfinished(window.library)):
            return
        job = Job(tr("Taking in what was being recorded"), lambda _: recover(window.library, left), self)
        job.done.connect(self._recovered)
        window.run_job(job, window.pictures)

    def _recovered(self, found: Recovered) -> None:
        for record in found.films:
            self._window.measure_film(record.id)
        if found.films:
            self._window.desk_room.refresh()
            words = tr("{count} recorded sets were taken in that the program had not finished.", count=len(found.films))
            self._window.show_status(words)
        for sentence in found.refused:
            self._window.show_error(sentence)

    def open(self, client_id: int | None = None) -> None:
        """Show the Floor with a client's session: the one asked for, the one on show, or the one whose plan is open."""
        window = self._window
        clients = window.library.clients()
        if not clients:
            window.go("desk")
            window.show_refusal(tr("There is no client yet: add one, or bring in a film."))
            return
        if self.session is None or client_id not in (None, self.session.client_id):
            file = window.plan_room.file
            chosen = client_id if client_id is not None else file.client_id if file is not None else clients[0].id
            try:
                self.session = self.rest.session = FloorSession(window.library, chosen)
            except DeepMirrorError as error:
                window.show_error(error.sentence)
                return
            self._offer()
        window.go("floor")
        if self.room.face() == READY:  # a set that runs, or is on show, stays
            self._show_ready()

    def _offer(self) -> None:
        session, ready, library = self.session, self.room.ready, self._window.library
        assert session is not None
        ready.clients.show_clients([(c.id, c.name) for c in library.clients()], session.client_id)
        ready.movement.clear()
        planned = list(dict.fromkeys(s.movement for s in session.planned))
        titles = {c.id: c.title for c in library.movements()}
        for movement in [*planned, *(m for m in titles if m not in planned)]:
            ready.movement.addItem(tr(titles[movement]), movement)
        ready.machine.clear()
        ready.machine.addItems(["", *session.machines()])
        present = ready.camera.currentText()
        ready.camera.clear()
        ready.camera.addItem(tr("none"), None)
        for choice in self.cameras.at_hand():
            ready.camera.addItem(tr(choice.title), choice)
        ready.camera.setCurrentIndex(max(ready.camera.findText(present), 0))
        now = session.present()
        if now is not None:
            self._usual_place(now)

    def _usual_place(self, now: PlannedSet) -> None:
        """From which side and on which machine she was filmed last in this."""
        session, ready = self.session, self.room.ready
        assert session is not None
        last = session.last_film(now.movement)
        if last is not None:
            ready.side.setCurrentIndex(max(ready.side.findData(last.view), 0))
            ready.machine.setCurrentText(last.machine or "")
        session.view, session.machine = ready.side.currentData(), ready.machine.currentText().strip()

    def start_demo(self) -> None:
        """The demo's session of three sets from the simulated camera."""
        demo, library = self.cameras.demo, self._window.library
        client = next((c for c in library.clients() if demo is not None and c.name == demo.client), None)
        if demo is None or client is None:
            self._window.show_status(tr("The simulated camera comes with the demo: scripts/demo."))
            return
        self.open(client.id)
        ready = self.room.ready
        ready.movement.setCurrentIndex(ready.movement.findData(demo.movement))
        ready.side.setCurrentIndex(ready.side.findData(demo.view))
        ready.machine.setCurrentText(demo.machine)
        if ready.camera.findText(tr(demo.camera.title)) < 0:
            ready.camera.addItem(tr(demo.camera.title), demo.camera)
        ready.camera.setCurrentIndex(ready.camera.findText(tr(demo.camera.title)))
        self._chosen()
        self._choose_camera()

    # The camera

    def _choose_camera(self) -> None:
        ready = self.room.ready
        choice = ready.camera.currentData()
        self.close_camera()
        if choice is None or self.cameras.open is None:
            ready.view.show_message(tr("Choose a camera."))
            self._show_ready()
            return
        ready.view.show_message(tr("The camera is being opened."))
        turned = CameraChoice(**{**vars(choice), "turn": ready.turn.currentData() or 0})
        self.link = self.cameras.open(turned, self.message.emit)
        self._show_ready()

    def close_camera(self) -> None:
        """Let go of the camera; a set that runs is ended first, and its film kept."""
        link, self.link, self._picture, self._looked_for_marks = self.link, None, None, False
        if link is not None:
            link.close()
        WORK_APART.hold(False)

    def close(self) -> None:
        """The window closes: what the engine still says has nobody to hear it, and its film is taken in at the next start."""
        self.close_camera()
        self.message.disconnect(self._take)
        self.room.close_readers()

    # Ready

    def _chosen(self) -> None:
        """Another exercise, side or machine."""
        session, ready = self.session, self.room.ready
        if session is None:
            return
        now = session.present()
        movement = ready.movement.currentData()
        if movement and (now is None or now.movement != movement):
            session.choose(movement)
        session.view, session.machine = ready.side.currentData(), ready.machine.currentText().strip()
        self._looked_for_marks = False
        self._show_ready()

    def step(self, by: int) -> None:
        """On to the next set of the plan, or back."""
        if self.session is not None and self.room.face() == READY:
            now = self.session.step(by)
            if now is not None:
                self.room.ready.movement.setCurrentIndex(self.room.ready.movement.findData(now.movement))
            self._show_ready()

    def _show_ready(self) -> None:
        session, room = self.session, self.room
        if session is None:
            return
        now, ready = session.present(), room.ready
        room.show_face(READY)
        room.who.setText(session.name)
        ready.what.setText(f"{now.title}\n{now.words()}" if now else tr("The plan has no more for today: choose an exercise."))
        ready.cue.setText(now.cue if now else "")
        tempo = tr("tempo {tempo}", tempo=now.tempo) if now and now.tempo else ""
        reserve = tr("{rir} in reserve", rir=f"{now.rir:g}") if now else ""
        ready.why.setText(joined(" · ", [w for w in (tempo, reserve, now.because if now else "") if w]))
        ready.go.setEnabled(now is not None and self.link is not None)
        if now is None or self.link is None:
            return
        self._get_ready(now)
        if not self._looked_for_marks and self._picture is not None:
            self._looked_for_marks = True
            self._look_for_marks(session, self._picture)

    def _look_for_marks(self, session: FloorSession, picture: NDArray[np.uint8]) -> None:
        """Compare the room with the machine's earlier film, in the background."""
        size = self._size
        job = Job(tr("Looking for the machine's marks"), lambda _: session.look_for_marks(picture, size), self)
        job.done.connect(partial(self._marks_found, session))
        self._window.run_job(job, self._window.pictures, failed=self.room.say)

    def _marks_found(self, session: FloorSession, found: MarksHere | None) -> None:
        """The set that comes is measured with what was found."""
        if session is self.session:
            self.room.ready.marks.setText(tr(found.words) if found is not None else "")
            now = session.present()
            if self.room.face() == READY and now is not None and self.link is not None:
                self._get_ready(now)

    def press(self) -> None:
        """The one large key."""
        face = self.room.face()
        if face == READY and self.room.ready.go.isEnabled() and self.link is not None:
            self.link.command(Begin())
        elif face == SET and self.link is not None:
            self.link.command(End())
        elif face == REST:
            self.go_on()

    def go_on(self) -> None:
        """To the set that follows."""
        self.rest.go_on()
        self._show_ready()

    # Messages

    def _take(self, message: Message) -> None:
        """What the engine says."""
        takes: dict[type, Callable[[Any], None]] = {
            Preview: self._show_preview,
            Framed: lambda m: self.room.ready.show_framing(m.framing.words),
            Begun: self._begun,
            RepTold: self._rep,
            Over: self.rest.over,
            SetTold: self._result,
            Recorded: self._recorded,
            Said: lambda m: self.room.say(tr(m.sentence)),
        }
        takes[type(message)](message)

    def _show_preview(self, message: Preview) -> None:
        first, self._picture, self._size = self._picture is None, message.picture, message.size
        view = {READY: self.room.ready.view, SET: self.room.lifting.view}.get(self.room.face())
        if view is not None:
            view.show_image(to_image(message.picture))
            view.drawing = self._marks_drawn(message.picture)
        if first and self.room.face() == READY:
            self._show_ready()

    def _marks_drawn(self, picture: NDArray[np.uint8]) -> Drawing:
        """The marks that were brought over, where this camera shows them."""
        session = self.session
        if session is None or session.marks is None or not session.marks.fit or self.room.face() != READY:
            return Drawing()
        share = session.marks.share_of(picture)
        kept = session.marks.drawn()
        return Drawing(marks={k: [QPointF(x * share, y * share) for x, y in points] for k, points in kept.items()})

    def _recorded(self, message: Recorded) -> None:
        """The film is whole; the engine is made ready for the set that follows, so that its first rep is not lost either."""
        self.rest.recorded(message)
        following = self.rest.following()
        if following is not None and self.session is not None and self.link is not None:
            self._get_ready(following)

    def _result(self, message: SetTold) -> None:
        """What the set showed; the full analysis of the sets before it goes on."""
        WORK_APART.hold(False)
        self.rest.result(message)

    def _get_ready(self, now: PlannedSet) -> None:
        assert self.session is not None and self.link is not None
        try:
            self.link.command(self.session.get_ready(now))
        except (DeepMirrorError, OSError) as error:
            self.room.say(error.sentence if isinstance(error, DeepMirrorError) else str(error))

    def _begun(self, _: object) -> None:
        """A set runs: somebody pressed the key, or the client began without one, perhaps while the last one was still on show."""
        if self.room.face() == REST:
            self.rest.go_on()
        now = self.session.present() if self.session is not None else None
        if now is None:
            return
        self.rest.set = SetOnShow(now)
        WORK_APART.hold(True)
        self.room.lifting.begin(tr("{title} · {words}", title=now.title, words=now.words()))
        self.room.show_face(SET)
        self._run_bar(0.0)

    def _run_bar(self, gone_s: float) -> None:
        assert self.rest.set is not None
        movement = self._window.library.catalogue.movement(self.rest.set.planned.movement)
        tempo = parse_tempo(self.rest.set.planned.tempo) if self.rest.set.planned.tempo else None
        self.room.lifting.bar.begin(tempo, movement.first_phase, gone_s)

    def _rep(self, message: RepTold) -> None:
        if self.rest.set is None:
            return
        self.rest.set.reps = message.rep.number
        self.room.lifting.show_rep(message.rep, message.short)
        self._run_bar(message.late_s)

    # Sound and light

    def _ticked(self) -> None:
        if self._tick is not None:
            self._tick()

    def _choose_tick(self, on: bool) -> None:
        """A sound with the tempo, or none."""
        self._tick = ticking() if on else None
        if on and self._tick is None:
            self.room.tick.setChecked(False)
            self.room.say(tr(MISSING))
