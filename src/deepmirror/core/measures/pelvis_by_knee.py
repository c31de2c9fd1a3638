"""How far a pelvis came off its seat, told by the knee: on a press a hand, a handle or an upright hides the hip, and the knee shows.

With the foot at one place of the platform's way the knee can only turn about the ankle, and it does when the hip, a thigh's length away,
comes off its seat. What the pelvis slides along the seat meanwhile moves the knee as well, mostly the other way, so that the knee tells
more surely that it lifted than by how much.
"""

from __future__ import annotations

import numpy as np

from deepmirror.core.measures.contact_measures import pad_of
from deepmirror.core.measures.context import ADD_PAD, Array, CannotTell, MeasurementContext, NotAsked
from deepmirror.core.measures.rep_paths import LEAST_REPS, over_places, usual_path, ways_of
from deepmirror.core.measures.spec import SIDE, Belongs, Drawing, Focus, MeasureSpec, Moment
from deepmirror.core.motion.reps import Rep
from deepmirror.core.uncertain_value import Value
from deepmirror.fitted import fitted_by_name

PLACES = np.linspace(0.6, 1.0, 9)  # of the platform's way to the client, where the pelvis curls; our own choice
ALIKE = 0.04  # of that way: frames so near are laid over one another; our own choice
FLATTER = 40  # percentile of the reps: so many are taken for flat; our own choice
LASTS = 80  # percentile of what is told at those places: a lift lasts, a joint that was lost once does not; our own choice
LEAST_WAY_CM = 10.0  # of the foot: less is no press; our own choice
LEAST_GAIN = 0.4  # a thigh that points further along the seat tells little of what leaves it; our own choice
BY_KNEE = fitted_by_name("pelvis_by_knee")


def pelvis_by_knee(scene: MeasurementContext, rep: Rep) -> Value:
    """How much further the pelvis came off the seat than in the set's flattest reps, as the knee tells it, cm, where it surely did.

    Raises CannotTell without the pad or a scale and where the foot hardly travels, NotAsked for a single rep and for one that does not
    surely lift more: of that nothing is told.
    """
    found = told_by_knee(scene, rep)
    found = found.widened(BY_KNEE["slides_u"] * found.value)
    if found.value <= found.u:
        raise NotAsked("it does not surely lift more than the others", ADD_PAD)
    return found


def told_by_knee(scene: MeasurementContext, rep: Rep) -> Value:
    """The same, surely or not, for a pelvis that slides as much as they usually do. Raises as above."""
    if not scene.platform_moves:
        raise NotAsked("the feet stand on nothing that moves", ADD_PAD)
    if len(scene.reps) < LEAST_REPS:
        raise NotAsked("a single repetition has no flatter one to be compared with", ADD_PAD)
    told = scene.cached("pelvis by knee", lambda: _told_px(scene))
    lifted = scene.cm(Value(float(told[scene.reps.index(rep)]), 0.0))
    if not np.isfinite(lifted.value):
        raise NotAsked("no other repetition came so far", ADD_PAD)
    unseen = scene.hidden_u(rep, scene.side_point("knee"), scene.side_point("ankle"))
    noise = np.hypot(BY_KNEE["shown_cm"], BY_KNEE["hidden_share"] * scene.cm(Value(0.0, unseen)).u)
    return Value(lifted.value, float(noise)).scaled(BY_KNEE["slides"])


def _told_px(scene: MeasurementContext) -> Array:
    """What each rep's knee (N,) tells of how far the hip left the pad, px; NaN where no other rep's foot came so far."""
    line, knee = pad_of(scene, "pad"), scene.track.point(scene.side_point("knee"))
    hip, place = np.median(scene.track.point(scene.side_point("hip"))[_in_reps(scene)], axis=0), _foot_place(scene)
    paths = np.array([_path(scene, r, knee, place) for r in scene.reps])
    usual, away = _flattest(paths, line)
    thigh = hip - usual
    thigh /= np.linalg.norm(thigh, axis=-1, keepdims=True)
    gain = thigh @ away
    told = ((paths - usual) * thigh).sum(axis=-1) / np.where(np.abs(gain) < LEAST_GAIN, np.nan, gain)
    known = [t[np.isfinite(t)] for t in told]
    return np.array([np.percentile(t, LASTS) if len(t) else np.nan for t in known])


def _flattest(paths: Array, line: Array) -> tuple[Array, Array]:
    """Where the knee is (2, K, 2) at each place in the reps in which it lies nearest the pad, NaN where fewer than LEAST_REPS come by; and
    the direction (2,) away from the pad. paths (N, 2, K, 2)."""
    away = np.array([line[0, 1] - line[1, 1], line[1, 0] - line[0, 0]]) / np.linalg.norm(line[1] - line[0])
    off = (paths - line[0]) @ away
    away, off = (away, off) if np.nanmedian(off) >= 0 else (-away, -off)
    near = off <= usual_path(off, FLATTER)
    count = near.sum(axis=0)
    total = np.where(near[..., None], paths, 0.0).sum(axis=0)
    return total / np.where(count > 0, count, np.nan)[..., None], away


def _path(scene: MeasurementContext, rep: Rep, knee: Array, place: Array) -> Array:
    ways = ways_of(scene.track.times, rep, rep.bottom_s)
    return np.array([over_places(knee[way], place[way], PLACES, ALIKE) for way in ways])


def _foot_place(scene: MeasurementContext) -> Array:
    """Where the foot is on its way (T,), 0 furthest from the client and 1 nearest."""
    rows, ankle = _in_reps(scene), scene.track.point(scene.side_point("ankle"))
    middle = ankle[rows].mean(axis=0)
    way = np.linalg.svd(ankle[rows] - middle, full_matrices=False)[2][0]
    hip = np.median(scene.track.point(scene.side_point("hip"))[rows], axis=0)
    along = (ankle - middle) @ (way * np.sign((hip - middle) @ way))
    low, high = np.percentile(along[rows], [2, 98])
    if scene.cm(Value(float(high - low), 0.0)).value < LEAST_WAY_CM:
        raise CannotTell("the foot hardly travels", ADD_PAD)
    return np.asarray((along - low) / (high - low))


def _in_reps(scene: MeasurementContext) -> Array:
    times = scene.track.times
    return np.asarray(np.any([(times >= r.start_s) & (times <= r.end_s) for r in scene.reps], axis=0))


MEASURES: tuple[MeasureSpec, ...] = (
    MeasureSpec(
        "pelvis_by_knee_cm",
        "Pelvis off the seat more than in the flattest reps, by the knee",
        "cm",
        pelvis_by_knee,
        SIDE,
        "our own definition, in its docstring",
        focus=Focus(("hip", "knee"), Drawing.OFF_PAD),
        moment=Moment.REVERSAL,
        needs=("pad_line",),
        belongs=Belongs.NAMED,
        short="Pelvis by the knee",
    ),
)
