"""Reviewing one film: the coach's edits, undo and redo without limit, saved as they happen.

An edit makes a new brief from the old one; briefs never change, so the undo stack is a list of briefs.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import SIDES, near_side, sided, split
from deepmirror.exchange.brief import Brief, check_brief
from deepmirror.movements.schema import Movement
from deepmirror.pose.evidence import Evidence, filled, shank_px
from deepmirror.services.analysis import FINAL, Analysis, conclude
from deepmirror.services.desk import Desk
from deepmirror.services.jobs import Progress
from deepmirror.services.looking import FOLLOW
from deepmirror.services.marking import KINDS, Wanted, free_points, taken_over, wanted_marks

Pixel = tuple[float, float]
ASKED_ABOUT = ("shoulder", "hip", "knee", "ankle")  # the network is surely within a hand's breadth of these
FAR_CLICK_SHARE = 0.35  # of the shank's length; our own estimate, no source
MARK_KINDS = {name: kind.clicks for name, kind in KINDS.items()}


@dataclass(frozen=True)
class Step:
    """One state of the brief and what led to it."""

    label: str
    brief: Brief


class Review:
    """An open film with its points, marks, numbers and findings."""

    def __init__(self, desk: Desk, film_id: int, conclude: bool = True) -> None:
        """conclude: work out the numbers at once (a second); else the caller does when it suits. Raises BadFilm, LibraryError."""
        self.desk, self.film_id = desk, film_id
        self.record = desk.store.film(film_id)
        self.film, brief, self.evidence = desk.open_analysis(film_id)
        self._done: list[Step] = [Step("opened", brief)]
        self._undone: list[Step] = []
        self.analysis: Analysis | None = None
        self.followed, self._followed_subject = self._to_follow(), brief.file.subject
        if conclude:
            self.conclude()

    def close(self) -> None:
        """Let go of the film."""
        self.film.close()

    @property
    def brief(self) -> Brief:
        """The brief as it now stands."""
        return self._done[-1].brief

    def take_client(self) -> None:
        """Use the client's record as the library has it now, in every state of the undo stack, and conclude anew."""
        client = self.desk.store.client(self.record.client_id).body

        def renewed(step: Step) -> Step:
            data = step.brief.file.model_dump(exclude_none=True) | {"client": client}
            return Step(step.label, check_brief(data))

        self._done, self._undone = [renewed(s) for s in self._done], [renewed(s) for s in self._undone]
        self.conclude()

    def picture(self, number: int) -> NDArray[np.uint8]:
        """One frame (H, W, 3) RGB."""
        return self.film.picture(number)

    def conclude(self) -> Analysis | None:
        """Solve, measure and judge again from what was observed; None before anything was."""
        if self.evidence is not None:
            self.analysis = conclude(self.film.facts, self.brief, self.desk.catalogue, self.evidence)
            self.desk.note_result(self.film_id, self.analysis, self.film)
        return self.analysis

    def observe(self, progress: Progress) -> Analysis | None:
        """Look at the whole film anew, or only follow the points anew when the body was found before."""
        movement = self.desk.catalogue.movement(self.brief.file.movement)
        anew = self.evidence is None or self._followed_subject != self.brief.file.subject
        kept = self.desk.store.kept_evidence(self.film_id, self._key())
        if kept.exists():
            self.evidence = Evidence.load(kept)
        else:
            what, before = ("final", None) if anew else (FOLLOW, self.evidence)
            self.evidence = self.desk.look(self.film, self.brief, movement, progress, what, before)
        self.followed, self._followed_subject = self._to_follow(), self.brief.file.subject
        self.evidence.save(self.desk.store.evidence_path(self.film_id))
        self.desk.store.keep_evidence(self.film_id, self._key())
        out = self.conclude()
        progress.tell(1.0, "done")
        return out

    def needs_following(self) -> bool:
        """True when points were placed, or the view changed, since the points were last followed through the film."""
        return self.evidence is None or self.followed != self._to_follow()

    def _key(self) -> str:
        """What the evidence hangs on besides the film: the networks, the movement and the coach's clicks."""
        told = repr((FINAL, self.brief.file.movement, self._to_follow()))
        return hashlib.sha1(told.encode(), usedforsecurity=False).hexdigest()[:16]

    def _to_follow(self) -> tuple[object, ...]:
        return self.brief.seeds, self.brief.file.view, tuple(self.brief.file.swaps), self.brief.file.subject, self.brief.file.marks.stack

    def point_names(self) -> list[str]:
        """The points the coach may place in this view, in the order a hand goes."""
        near = near_side(self.brief.file.view)
        order = ("hip", "knee", "ankle", "heel", "toe", "shoulder")
        names = [sided(j, near) for j in order] if near else [sided(j, s) for s in SIDES for j in order]
        return [*names, *free_points(self._movement())] if near else names

    def _movement(self) -> Movement:
        return self.desk.catalogue.movement(self.brief.file.movement)

    def marks(self) -> list[Wanted]:
        """The marks of this film, those its movement asks for first."""
        return wanted_marks(self.brief.file, self._movement())

    def machines(self) -> list[str]:
        """Machines and places named so far, by name."""
        return self.desk.store.machines()

    def marks_to_take_over(self) -> dict[str, Any]:
        """Marks and scale of the newest other film of this machine from the same side; empty when there is none."""
        return taken_over(self.desk.store, self.film_id, self.brief.file.machine, self.brief.file.view)

    def take_over_marks(self) -> None:
        """Use the last marks of this machine; they stay in question until the coach says that they fit."""
        marks = self.marks_to_take_over()
        if marks:
            self._change("take over marks", **marks)

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
        self._change(f"place {name.replace('_', ' ')}", seeds=_seed_list(seeds))

    def unplace(self, frame: int, name: str) -> None:
        """Take a hand-placed point off a frame."""
        seeds = {f: {n: xy for n, xy in p.items() if (f, n) != (frame, name)} for f, p in self.brief.seeds}
        self._change(f"remove {name.replace('_', ' ')}", seeds=_seed_list(seeds))

    def home(self, frame: int, xy: Pixel) -> Pixel:
        """Where a spot of the room seen on a frame lies on the first frame: marks are kept there when the camera moves."""
        turn = self._room(frame)
        x, y = np.linalg.solve(turn[:, :2], np.array(xy) - turn[:, 2])
        return round(float(x), 2), round(float(y), 2)

    def away(self, frame: int, xy: Pixel) -> Pixel:
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
            self._change(f"mark {kind.replace('_', ' ')}", marks=marks, marks_taken_over=False)

    def choose_subject(self, frame: int, xy: Pixel) -> None:
        """Follow another person: the one clicked on a frame. Points placed so far belong to somebody else and go."""
        self._change("follow another person", subject={"frame": frame, "at_px": xy}, seeds=[])
        self.desk.store.update_film(self.film_id, state="new")  # a program closed before looking again does so when it opens

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
        self._change(f"hide {name.replace('_', ' ')}", hidden=_toggled(self.brief.file.hidden, name))

    def toggle_held(self, name: str) -> None:
        """Let only clicks and flow move a point, or let the network have its say again."""
        self._change(f"hold {name.replace('_', ' ')}", held=_toggled(self.brief.file.held, name))

    def set_field(self, **fields: Any) -> None:
        """Change movement, view, tempo or load_kg. Raises BadBrief when the new value is not right."""
        self._change("change " + ", ".join(k.replace("_kg", "").replace("_", " ") for k in fields), **fields)

    def _change(self, label: str, **fields: Any) -> None:
        data = self.brief.file.model_dump(exclude_none=True) | fields
        brief = check_brief({k: v for k, v in data.items() if v is not None})
        self.desk.catalogue.movement(brief.file.movement)
        self._done.append(Step(label, brief))
        self._undone.clear()
        self._save()

    def can_undo(self) -> str | None:
        """What undo would take back, or None."""
        return self._done[-1].label if len(self._done) > 1 else None

    def can_redo(self) -> str | None:
        """What redo would bring again, or None."""
        return self._undone[-1].label if self._undone else None

    def undo(self) -> None:
        """Take the last edit back; does nothing when there is none."""
        if len(self._done) > 1:
            self._undone.append(self._done.pop())
            self._save()

    def redo(self) -> None:
        """Bring the edit last taken back again; does nothing when there is none."""
        if self._undone:
            self._done.append(self._undone.pop())
            self._save()

    def _save(self) -> None:
        self.desk.store.update_film(self.film_id, brief=self.brief.file.model_dump(mode="json", exclude_none=True))


def doubtful_clicks(evidence: Evidence, brief: Brief) -> list[str]:
    """Sentences on clicks further from the network's sight than FAR_CLICK_SHARE of the shank."""
    network = filled(evidence.swapped(brief.file.swaps).network)
    shank = shank_px(network, evidence.names)
    out = []
    for frame, points in brief.seeds:
        for name, xy in points.items():
            if name in evidence.names and frame < len(network) and split(name)[0] in ASKED_ABOUT:
                away = float(np.hypot(*(np.array(xy) - network[frame, evidence.names.index(name)])))
                if away > FAR_CLICK_SHARE * shank:
                    out.append(
                        f"The {name.replace('_', ' ')} placed on frame {frame + 1} lies {away:.0f} px from where the program sees it: "
                        "is it the right joint, on the right frame?"
                    )
    return out


def _seed_list(seeds: dict[int, dict[str, Pixel]]) -> list[dict[str, Any]]:
    return [{"frame": f, "points_px": p} for f, p in sorted(seeds.items()) if p]


def _toggled(names: list[str], name: str) -> list[str]:
    return [n for n in names if n != name] if name in names else [*names, name]
