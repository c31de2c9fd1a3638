"""Looking at a film: once over with the network, then following the points from picture to picture. Slow, and nothing is concluded."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from deepmirror.core.skeleton import ALL_POINTS, near_side, points_for, split
from deepmirror.core.views import facing
from deepmirror.exchange.brief import FREE_POINTS, Brief
from deepmirror.media.film import Film
from deepmirror.movements.schema import Movement
from deepmirror.pose.client_choice import lifts_more, somebody_else
from deepmirror.pose.disc import Picture
from deepmirror.pose.evidence import Array, Evidence, Keyframe, filled, shank_px
from deepmirror.pose.flow_pass import follow
from deepmirror.pose.joint_centres import CentreReader
from deepmirror.pose.looking import look
from deepmirror.pose.near_leg import near_leg
from deepmirror.pose.network import Region
from deepmirror.pose.plate import PlateLook, beside_plate
from deepmirror.pose.platform import PlatformFollower
from deepmirror.pose.pose_tracker import FINAL as FINAL
from deepmirror.pose.pose_tracker import GLANCE, Plan
from deepmirror.pose.pose_tracker import QUICK as QUICK
from deepmirror.pose.resting_feet import with_feet_at_rest
from deepmirror.pose.rigid_attachment import carry, feet_at_first
from deepmirror.pose.room_level import LOOKS, roll_of_room
from deepmirror.pose.rough_positions import first_positions, followed_positions
from deepmirror.pose.segment_rotation import BESIDE_PLATE, watch_turns
from deepmirror.pose.shoe_shape import clicked_shoes
from deepmirror.pose.sled_shoe import lies_on_plate, watch_sole_on_plate
from deepmirror.pose.stack import follow_stack
from deepmirror.services.common.jobs import Progress
from deepmirror.services.common.plausible import must_hold_together

AROUND_FEET = 0.15  # of the breadth over both feet: the platform they stand on shows around them; our own choice
LEFT_TO_NETWORK = ("ear", "elbow", "wrist")  # leg sets need them little, rows and presses read them off the network


def keyframes(brief: Brief, frames: int) -> list[Keyframe]:
    """The brief's seeds that lie inside the film."""
    return [Keyframe(frame, points) for frame, points in brief.seeds if frame < frames and points]


def observe(film: Film, brief: Brief, movement: Movement, progress: Progress, plan: Plan = FINAL) -> Evidence:
    """Run the network over the film and follow the points through it. Raises BadFilm, CannotSolve, Cancelled."""
    must_hold_together(brief, (film.facts.width, film.facts.height))
    total, keys = len(film.times), keyframes(brief, len(film.times))
    every = plan.every(film.times)
    share, mirrored = 0.98 if plan is QUICK else 0.65, near_side(brief.file.view) is None
    subject = brief.file.subject.at_px if brief.file.subject else None
    tick = progress.part(0.0, share, "looking for the body", total, every)
    others: list[Region] = []
    back, reader = where_back_lies(brief, movement), CentreReader(brief.file.view) if plan is FINAL else None
    lies = movement.lying_turn(brief.file.view)
    plate = plate_look(brief, movement, total, every) if plan is FINAL else None

    def looked(closely: Plan, begin: Region | None = None) -> Evidence:
        step = closely.every(film.times)
        frames: Iterator[tuple[int, Picture]] = ((i * step, p) for i, p in enumerate(film.stream(step)))
        clicked, read = {k.frame: k.points for k in keys}, reader if closely is plan else None
        if plate is not None and closely is plan:
            frames = plate.kept_from(frames)
        return look(frames, film.times, closely, clicked, tick, subject, mirrored, others, begin, back, lies, read)

    evidence = looked(plan)
    other = somebody_else(others, -(-total // every), lies) if subject is None and not keys else None
    if other is not None and lifts_more(looked(GLANCE, other), evidence):
        evidence = looked(plan, other)
    return evidence if plan is QUICK else refollow(film, brief, movement, evidence, progress, share, plate)


def plate_look(brief: Brief, movement: Movement, frames: int, every: int) -> PlateLook | None:
    """What looks for the plate of a bar, where one may hide the body."""
    beside = beside_plate(movement, near_side(brief.file.view))
    return None if beside is None else PlateLook(frames, every, beside)


def refollow(
    film: Film,
    brief: Brief,
    movement: Movement,
    evidence: Evidence,
    progress: Progress,
    start: float = 0.0,
    plate: PlateLook | None = None,
) -> Evidence:
    """Follow the points anew from changed clicks, without running the network again. plate: what was shown a few pictures to look for a
    bar's plate in; without it what was seen of a plate before stays, and only where none was it is looked for."""
    if plate is None and not len(evidence.plate):
        every = FINAL.every(film.times)
        plate = plate_look(brief, movement, len(film.times), every)
        if plate is not None:
            deque(plate.kept_from((i * every, p) for i, p in enumerate(film.stream(every))), maxlen=0)
    keys = keyframes(brief, len(film.times))
    about = where_about(brief, movement, evidence, keys)
    whole = about.seen
    progress.report(start, "following the points")
    turning = start + 0.8 * (0.98 - start)
    tick = progress.part(start, turning, "following the points", len(film.times))
    near = near_side(brief.file.view)
    disc = None if plate is None else plate.found(evidence, shank_px(filled(about.positions), about.names))
    if plate is not None and disc is None:
        whole = replace(whole, plate=np.full((len(whole.times), 2), np.nan))  # so that the next click does not look for it again
    kept = KeptPictures(spread(len(film.times)))
    frames = partial(kept.frames, film.stream_grey)
    followed = follow(frames, whole, keys, about.names, about.positions, tick, disc, movement.feet_stand)
    if near and keys:
        tick = progress.part(turning, 0.98, "seeing limbs turn", len(film.times))
        followed = _see_turns(film, brief, movement, followed, near, tick)
    if near and lies_on_plate(movement, brief.file.view) and not len(clicked_shoes(keys, near)):
        tick = progress.part(turning, 0.98, "seeing limbs turn", len(film.times))
        followed = see_plate(film, brief, movement, followed, near, tick)
    if brief.file.marks.stack is not None:
        followed = replace(followed, stack=follow_stack(film.stream_grey(), brief.file.marks.stack))
    corners = on_sled(brief, movement, feet_at_first(whole, keys))
    if near is None and corners is not None:
        platform, sigma = _follow_platform(film, corners)
        followed = replace(followed, platform=platform, platform_sigma=sigma)
    followed = replace(followed, roll=_roll(kept, evidence, followed.room))
    return with_network_of(evidence, followed)  # what is kept is what was seen; which leg is which stays open to an edit


@dataclass(frozen=True)
class About:
    """What was seen, and where its points (T, P, 2) px of `names` about are: what is followed is looked for around them."""

    seen: Evidence
    names: list[str]
    positions: Array


def where_about(brief: Brief, movement: Movement, evidence: Evidence, keys: list[Keyframe]) -> About:
    """The points to follow, and about where they are by network and clicks alone."""
    view = brief.file.view
    extra = sorted({n for k in keys for n in k.points if n in FREE_POINTS})
    named = evidence.swapped(brief.file.swaps).only([*ALL_POINTS, *extra])
    whole = carry(near_leg(named, keys, view, movement.front_leg_near), keys, view)
    names = points_for(view) + extra
    positions = first_positions(whole.only(names), keys, movement, view)
    kept = [i for i, n in enumerate(names) if split(n)[0] not in LEFT_TO_NETWORK]
    return About(whole, [names[i] for i in kept], positions[:, kept])


def where_back_lies(brief: Brief, movement: Movement) -> tuple[str, float] | None:
    """The near side and where the back lies (see back_outline), where its shape is judged from the side."""
    near = near_side(brief.file.view)
    return (near, -facing(brief.file.view)) if near and "mid_back" in movement.marks else None


def on_sled(brief: Brief, movement: Movement, feet: dict[str, Array]) -> Array | None:
    """Four corners (4, 2) px on the first picture of what a sled carries: its marked platform, else the feet as they lie there."""
    if not movement.platform_moves:
        return None
    if brief.file.marks.platform is not None:
        return np.array(brief.file.marks.platform)
    if not feet:
        return None
    low, high = np.min(list(feet.values()), axis=0), np.max(list(feet.values()), axis=0)
    margin = AROUND_FEET * float((high - low).max())
    (x0, y0), (x1, y1) = low - margin, high + margin
    return np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]])


def _follow_platform(film: Film, corners: Array) -> tuple[Array, Array]:
    """Where the platform marked on the first picture (corners (4, 2) px) lies in each picture, and how surely (see Evidence)."""
    follower = PlatformFollower(corners)
    for _, grey in zip(film.times, film.stream_grey(), strict=False):
        follower.add(grey)
    return follower.believed()


class KeptPictures:
    """Keeps a few grey pictures of a film that passes through: to seek each of them later takes as long as a second of film."""

    def __init__(self, wanted: set[int]) -> None:
        self._wanted, self.pictures = wanted, dict[int, Picture]()

    def frames(self, film: Callable[[], Iterator[Picture]]) -> Iterator[Picture]:
        """The pictures of a film, the wanted ones kept by their numbers."""
        for number, grey in enumerate(film()):
            if number in self._wanted:
                self.pictures[number] = grey
            yield grey


def spread(frames: int) -> set[int]:
    """Numbers of the pictures of a film that tell how it is rolled."""
    return {int(i) for i in np.linspace(0, frames - 1, min(LOOKS, frames))}


def _roll(kept: KeptPictures, seen: Evidence, room: Array) -> Array:
    """How far the film's first picture is rolled against the room (see Evidence.roll), from pictures spread over it."""
    still, body = np.eye(2, 3), filled(seen.network)  # most of these pictures were not looked at
    return roll_of_room((grey, body[i], room[i] if len(room) else still) for i, grey in sorted(kept.pictures.items()))


def with_network_of(seen: Evidence, followed: Evidence) -> Evidence:
    """What was followed, and the body's points where the network saw them, whichever leg it took them for."""
    own, there = [followed.names.index(n) for n in ALL_POINTS], [seen.names.index(n) for n in ALL_POINTS]
    network, sigma = followed.network.copy(), followed.network_sigma.copy()
    network[:, own], sigma[:, own] = seen.network[:, there], seen.network_sigma[:, there]
    centre, doubt = seen.centre, seen.centre_sigma
    if len(centre):
        centre, doubt = np.full(network.shape, np.nan), np.full(network.shape, np.inf)
        centre[:, own], doubt[:, own] = seen.centre[:, there], seen.centre_sigma[:, there]
    return replace(followed, network=network, network_sigma=sigma, back=seen.back, centre=centre, centre_sigma=doubt)


def see_plate(film: Film, brief: Brief, movement: Movement, followed: Evidence, near: str, tick: Callable[[int], None]) -> Evidence:
    """What was followed, and which way a sole lies that stands on a sled and was not clicked."""
    names, keys = points_for(brief.file.view), keyframes(brief, len(film.times))
    positions = followed_positions(followed.only(names), keys, movement, brief.file.view)
    return replace(followed, sole=watch_sole_on_plate(film.stream_grey(), positions, names, near, tick))


def _see_turns(film: Film, brief: Brief, movement: Movement, followed: Evidence, near: str, tick: Callable[[int], None]) -> Evidence:
    """What was followed, and how the near side's segments turn, seen on them as a whole."""
    names, keys = points_for(brief.file.view), keyframes(brief, len(film.times))
    positions = followed_positions(with_feet_at_rest(followed.only(names)), keys, movement, brief.file.view)
    shown = {"foot": movement.foot_seen} | ({"trunk": BESIDE_PLATE} if movement.bar_on_back else {})
    turns = watch_turns(film.stream_grey(), positions, names, near, [k.frame for k in keys], shown, tick)
    return replace(followed, turn=turns.turn, turn_sigma=turns.sigma, turn_since=turns.since, sole=turns.sole)
