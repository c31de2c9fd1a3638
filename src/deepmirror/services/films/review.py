"""Reviewing one film: the coach's edits, undo and redo without limit, saved as they happen.

An edit makes a new brief from the old one; briefs never change, so the undo stack is a list of briefs.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import SIDES, near_side, sided, split
from deepmirror.documents import Document
from deepmirror.errors import BadBrief, LibraryError
from deepmirror.exchange.brief import Brief, SeedPart, check_brief
from deepmirror.movements.schema import Movement
from deepmirror.pose.evidence import Evidence, filled, shank_px
from deepmirror.services.common.history import History
from deepmirror.services.common.jobs import Progress
from deepmirror.services.common.plausible import contradictions
from deepmirror.services.films.analysis import Analysis as Analysis
from deepmirror.services.films.film_library import FilmLibrary, FilmState
from deepmirror.services.films.observation import FINAL
from deepmirror.services.films.observation_runner import FOLLOW
from deepmirror.services.films.reference_marks import KINDS, CopiedMarks, Wanted, free_points, marks_of_machine, wanted_marks
from deepmirror.words import joined, say

Pixel = tuple[float, float]
ASKED_ABOUT = ("shoulder", "hip", "knee", "ankle")  # the network is surely within a hand's breadth of these
FAR_CLICK_SHARE = 0.35  # of the shank's length; our own estimate, no source
MARK_KINDS = {name: kind.clicks for name, kind in KINDS.items()}


@dataclass(frozen=True)
class Observed:
    """What a look at the film gave, and the brief it was made for: clicks made meanwhile are not followed yet."""

    brief: Brief
    evidence: Evidence


class Review:
    """An open film with its points, marks, numbers and findings.

    Its state belongs to one thread. Slow work is a function made by `observing` or `concluding`: it holds on to what it needs, runs
    anywhere, and its result comes back through `take` or `take_analysis`.
    """

    def __init__(self, library: FilmLibrary, film_id: int, conclude: bool = True) -> None:
        """conclude: work out the numbers at once (a second); else the caller does when it suits. Raises BadFilm, BadBrief,
        LibraryError (also while an edit of before is not saved)."""
        if not library.saver.retry():
            raise LibraryError(say("Your last edits are not saved yet: {sentence}", sentence=library.saver.sentence))
        self.library, self.film_id = library, film_id
        self.record = library.store.film(film_id)
        self.film, brief, self.evidence = library.open_analysis(film_id)
        self._history = self._kept_history(brief)
        self.analysis: Analysis | None = None
        self.problem = ""
        self.followed, self._followed_subject = _to_follow(brief), brief.file.subject
        if conclude:
            self.conclude()

    def _kept_history(self, brief: Brief) -> History[Brief]:
        """The edits of before, when they lead to the brief as it is; else they are forgotten."""
        steps = self.library.store.steps.of(self.film_id)
        done = [(label, told) for label, told, is_done in steps if is_done]
        if not done or done[-1][1] != _without_client(brief):
            return History(brief)
        client = brief.file.client.model_dump(mode="json", exclude_none=True)
        try:
            kept = [(label, check_brief(told | {"client": client})) for label, told, _ in steps]
        except BadBrief:  # kept by a program that asked less of a brief
            return History(brief)
        return History.of([*kept[: len(done) - 1], (done[-1][0], brief)], kept[len(done) :][::-1])

    def close(self) -> None:
        """Let go of the film."""
        self.film.close()

    @property
    def brief(self) -> Brief:
        """The brief as it now stands."""
        return self._history.present

    def take_client(self) -> None:
        """Use the client's record as the library has it now, in every state of the undo stack; conclude anew afterwards."""
        self.library.saver.wait()
        client = self.library.store.client(self.record.client_id).body
        self._history.renew(lambda brief: check_brief(brief.file.model_dump(exclude_none=True) | {"client": client}))

    def picture(self, number: int) -> NDArray[np.uint8]:
        """One frame (H, W, 3) RGB."""
        return self.film.picture(number)

    def concluding(self) -> Callable[[Progress], Analysis | None]:
        """The work of solving, measuring and judging from what was observed; it gives None before anything was."""
        library, film, brief, evidence, film_id = self.library, self.film, self.brief, self.evidence, self.film_id

        def work(progress: Progress) -> Analysis | None:
            progress.report(0.1, "solving")
            if evidence is None:
                return None
            seen_by_network(evidence, tuple(brief.file.swaps))
            analysis = library.conclude(film.facts, brief, evidence)
            try:
                library.note_result(film_id, analysis, film)
            except LibraryError as error:  # the film's line on the Desk is behind; its numbers are no less right
                library.failures.note(error, "noting a result")
            return analysis

        return work

    def take_analysis(self, analysis: Analysis | None, problem: str = "") -> None:
        """These are the numbers from now on; or there are none, for a reason."""
        self.analysis, self.problem = analysis, problem

    def conclude(self) -> Analysis | None:
        """Solve, measure and judge at once. Raises CannotSolve."""
        self.take_analysis(self.concluding()(Progress()))
        return self.analysis

    def observing(self) -> Callable[[Progress], Observed]:
        """The work of looking at the whole film anew, or only of following the points anew when the body was found before.

        It looks with the clicks of now, and keeps what it sees under these clicks and no later ones.
        """
        library, film, brief, before, film_id = self.library, self.film, self.brief, self.evidence, self.film_id
        anew = before is None or self._followed_subject != brief.file.subject
        kept = library.store.kept_evidence(film_id, _key(brief))

        def work(progress: Progress) -> Observed:
            library.store.must_write()
            evidence = library.evidence_in(kept, len(film.times))
            if evidence is None:
                movement = library.catalogue.movement(brief.file.movement)
                evidence = library.look(film, brief, movement, progress, *(("final", None) if anew else (FOLLOW, before)))
            library.keep_evidence(film_id, evidence)
            library.store.keep_evidence(film_id, _key(brief))
            return Observed(brief, evidence)

        return work

    def take(self, seen: Observed) -> None:
        """What was seen is what the numbers are concluded from, from now on."""
        self.evidence = seen.evidence
        self.followed, self._followed_subject = _to_follow(seen.brief), seen.brief.file.subject

    def observe(self, progress: Progress) -> Analysis | None:
        """Look and conclude at once."""
        self.take(self.observing()(progress))
        return self.conclude()

    def needs_following(self) -> bool:
        """True when points were placed, or the view changed, since the points were last followed through the film."""
        return self.evidence is None or self.followed != _to_follow(self.brief)

    def point_names(self) -> list[str]:
        """The points the coach may place in this view, in the order a hand goes."""
        near = near_side(self.brief.file.view)
        order = ("hip", "knee", "ankle", "heel", "toe", "shoulder")
        names = [sided(j, near) for j in order] if near else [sided(j, s) for s in SIDES for j in order]
        return [*names, *free_points(self._movement())] if near else names

    def _movement(self) -> Movement:
        return self.library.catalogue.movement(self.brief.file.movement)

    def marks(self) -> list[Wanted]:
        """The marks of this film, those its movement asks for first."""
        return wanted_marks(self.brief.file, self._movement())

    def machines(self) -> list[str]:
        """Machines and places named so far, by name."""
        return self.library.store.machines()

    def marks_to_copy(self) -> CopiedMarks | None:
        """Marks and scale of the newest other film of this machine from the same side; None when there is none."""
        return marks_of_machine(self.library.store, self.film_id, self.brief.file.machine, self.brief.file.view)

    def copy_marks(self) -> None:
        """Use the last marks of this machine; they stay in question until the coach says that they fit."""
        marks = self.marks_to_copy()
        if marks:
            self._change("take over marks", **marks.fields())

    def marks_fit(self) -> None:
        """The coach has looked: the marks taken over lie where they should."""
        self._change("marks fit", marks_taken_over=False)

    def seed(self, frame: int) -> dict[str, Pixel]:
        """Points placed by hand on a frame."""
        return dict(next((p for f, p in self.brief.seeds if f == frame), {}))

    def place(self, frame: int, name: str, xy: Pixel) -> None:
        """Put a point on a frame by hand."""
        seeds = {f: dict(p) for f, p in self.brief.seeds}
        seeds.setdefault(frame, {})[name] = (round(xy[0], 2), round(xy[1], 2))
        self._change(say("place {name}", name=name.replace("_", " ")), seeds=_seed_list(seeds))

    def unplace(self, frame: int, name: str) -> None:
        """Take a hand-placed point off a frame."""
        seeds = {f: {n: xy for n, xy in p.items() if (f, n) != (frame, name)} for f, p in self.brief.seeds}
        self._change(say("remove {name}", name=name.replace("_", " ")), seeds=_seed_list(seeds))

    def to_reference_frame(self, frame: int, xy: Pixel) -> Pixel:
        """Where a spot of the room seen on a frame lies on the first frame: marks are kept there when the camera moves."""
        turn = self._room(frame)
        x, y = np.linalg.solve(turn[:, :2], np.array(xy) - turn[:, 2])
        return round(float(x), 2), round(float(y), 2)

    def from_reference_frame(self, frame: int, xy: Pixel) -> Pixel:
        """Where a spot kept on the first frame is seen on another one."""
        turn = self._room(frame)
        x, y = turn[:, :2] @ np.array(xy) + turn[:, 2]
        return float(x), float(y)

    def _room(self, frame: int) -> NDArray[np.float64]:
        room = self.evidence.room if self.evidence is not None else np.empty((0, 2, 3))
        return np.asarray(room[frame] if frame < len(room) else np.eye(2, 3))

    def mark(self, kind: str, points: list[Pixel], length_cm: float | None = None, size_cm: Pixel | None = None) -> None:
        """Set a mark of MARK_KINDS; the scale also needs its length, a platform its width and height."""
        if kind == "scale":
            self._change("set scale", scale={"points_px": points, "length_cm": length_cm})
        else:
            marks = self.brief.file.marks.model_dump(exclude_none=True)
            marks[kind] = points[0] if MARK_KINDS[kind] == 1 else points
            if kind == "platform":
                marks["platform_cm"] = size_cm
            self._change(say("mark {kind}", kind=kind.replace("_", " ")), marks=marks, marks_taken_over=False)

    def choose_subject(self, frame: int, xy: Pixel) -> None:
        """Follow another person: the one clicked on a frame. Points placed so far belong to somebody else and go."""
        self._change("follow another person", subject={"frame": frame, "at_px": xy}, seeds=[])
        store, film_id = self.library.store, self.film_id
        self.library.saver.write(
            lambda: store.update_film(film_id, state=FilmState.NEW)
        )  # a program closed before looking again does so when it opens

    def questions(self) -> list[str]:
        """Clicks that lie far from where the network sees the joint: one sentence each, to be looked at again."""
        taken = ["The marks come from another film of this machine: do they lie where they should?"]
        questions = taken if self.brief.file.marks_taken_over else []
        return questions + (doubtful_clicks(self.evidence, self.brief) if self.evidence is not None else [])

    def swap_sides(self, first: int, last: int) -> None:
        """Say that the network took left for right from one frame to another, both included; saying it again takes it back."""
        low, high = min(first, last), max(first, last)
        swaps = [tuple(s) for s in self.brief.file.swaps]
        swaps = [s for s in swaps if s != (low, high)] if (low, high) in swaps else [*swaps, (low, high)]
        self._change("swap left and right", swaps=swaps)

    def toggle_hidden(self, name: str) -> None:
        """Leave a point out, or take it in again."""
        self._change(say("hide {name}", name=name.replace("_", " ")), hidden=_toggled(self.brief.file.hidden, name))

    def toggle_held(self, name: str) -> None:
        """Let only clicks and flow move a point, or let the network have its say again."""
        self._change(say("hold {name}", name=name.replace("_", " ")), held=_toggled(self.brief.file.held, name))

    def set_field(self, **fields: Any) -> None:
        """Change movement, view, tempo or load_kg. Raises BadBrief when the new value is not right."""
        self._change("change " + joined(", ", [k.replace("_kg", "").replace("_", " ") for k in fields]), **fields)

    def _change(self, label: str, **fields: Any) -> None:
        self.library.store.must_write()
        before = self.brief
        data = before.file.model_dump(exclude_none=True) | fields
        brief = check_brief({k: v for k, v in data.items() if v is not None})
        self.library.catalogue.movement(brief.file.movement)
        size = self.film.facts.width, self.film.facts.height
        known = set(contradictions(before, size))  # what was stored before must not keep her from mending it
        if wrong := next((w for w in contradictions(brief, size) if w not in known), ""):
            raise BadBrief(wrong)
        self._history.do(label, brief)
        store, film_id, told = self.library.store, self.film_id, _without_client(brief)

        def save() -> None:
            with store.transaction():
                store.update_film(film_id, brief=told)
                store.steps.add(film_id, _without_client(before), label, told)

        self.library.saver.write(save)

    def can_undo(self) -> str | None:
        """What undo would take back, or None."""
        return self._history.can_undo()

    def can_redo(self) -> str | None:
        """What redo would bring again, or None."""
        return self._history.can_redo()

    def undo(self) -> None:
        """Take the last edit back; does nothing when there is none."""
        self.library.store.must_write()
        if self._history.undo() is not None:
            self._save_place()

    def redo(self) -> None:
        """Bring the edit last taken back again; does nothing when there is none."""
        self.library.store.must_write()
        if self._history.redo() is not None:
            self._save_place()

    def _save_place(self) -> None:
        store, film_id, told, undone = self.library.store, self.film_id, _without_client(self.brief), self._history.undone

        def save() -> None:
            with store.transaction():
                store.update_film(film_id, brief=told)
                store.steps.move(film_id, undone)

        self.library.saver.write(save)


def _without_client(brief: Brief) -> Document:
    """A brief as the library keeps it: the client's part always comes from her record."""
    return brief.file.model_dump(mode="json", exclude_none=True, exclude={"client"})


def _to_follow(brief: Brief) -> tuple[object, ...]:
    """What following the points hangs on."""
    return brief.seeds, brief.file.view, tuple(brief.file.swaps), brief.file.subject, brief.file.marks.stack


def _key(brief: Brief) -> str:
    """What the evidence hangs on besides the film: the networks, the movement and the coach's clicks."""
    told = repr((FINAL, brief.file.movement, _to_follow(brief)))
    return hashlib.sha1(told.encode(), usedforsecurity=False).hexdigest()[:16]


@lru_cache(maxsize=2)
def seen_by_network(evidence: Evidence, swaps: tuple[tuple[int, int], ...]) -> tuple[NDArray[np.float64], float]:
    """Where the network sees the points (T, P, 2) px, gaps bridged, and the shank's length, px; worked out with the numbers, in the
    background, so that it is there when clicks are asked about."""
    network = filled(evidence.swapped(list(swaps)).network)
    return network, shank_px(network, evidence.names)


def doubtful_clicks(evidence: Evidence, brief: Brief) -> list[str]:
    """Sentences on clicks further from the network's sight than FAR_CLICK_SHARE of the shank."""
    network, shank = seen_by_network(evidence, tuple(brief.file.swaps))
    out = []
    for frame, points in brief.seeds:
        for name, xy in points.items():
            if name in evidence.names and frame < len(network) and split(name)[0] in ASKED_ABOUT:
                away = float(np.hypot(*(np.array(xy) - network[frame, evidence.names.index(name)])))
                if away > FAR_CLICK_SHARE * shank:
                    out.append(
                        say(
                            "The {name} placed on frame {frame} lies {away:.0f} px from where the program sees it: is it "
                            "the right joint, on the right frame?",
                            name=name.replace("_", " "),
                            frame=frame + 1,
                            away=away,
                        )
                    )
    return out


def _seed_list(seeds: dict[int, dict[str, Pixel]]) -> list[SeedPart]:
    return [SeedPart(frame=f, points_px=p) for f, p in sorted(seeds.items()) if p]


def _toggled(names: list[str], name: str) -> list[str]:
    return [n for n in names if n != name] if name in names else [*names, name]
