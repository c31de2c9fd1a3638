"""Makes the film of one drawn lot: `python -m studio.client_film --out DIR SEED [SEED ...]` (`A-B` for a range, `--stills` for a look)."""

from __future__ import annotations

import argparse
import json
import tomllib
from collections.abc import Callable, Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
import vtk
from numpy.typing import NDArray

from studio import truth
from studio.body import Body, build, skin
from studio.chain import Lifter, Posture
from studio.lifts import Rep, Squat, Squatter, programme
from studio.lot import LIFT_FIRST, POSTURE, Drawn, draw
from studio.render import AZIMUTH
from studio.scene import Phone, Room
from studio.split_squat import Split, SplitSquatter
from studio.walk import Walk

Array = NDArray[np.float64]
HERE = Path(__file__).parent
LATERAL_M = 0.5  # how far before the middle of the client things stand that hide her from a side camera


Pose = tuple[dict[str, Array], dict[str, Array], Array]  # landmarks, segments' places, and the middle of the hands


class Poses(Sequence[Pose]):
    """The body in each frame, worked out when it is asked for and kept: a look at a few frames needs no others."""

    def __init__(self, pose: Callable[[int], Pose], count: int) -> None:
        self._pose, self._count, self._known = pose, count, dict[int, Pose]()

    def __len__(self) -> int:
        return self._count

    def __getitem__(self, i: int) -> Pose:  # type: ignore[override]
        if not 0 <= i < self._count:
            raise IndexError(i)
        if i not in self._known:
            self._known[i] = self._pose(i)
        return self._known[i]


class Take:
    """One drawn film, ready to be looked at frame by frame."""

    def __init__(self, drawn: Drawn) -> None:
        self.drawn = drawn
        self.body = dressed(drawn)
        self.lifter = lifter(drawn, self.body)
        self.first = "concentric" if drawn.movement in LIFT_FIRST else "eccentric"
        before = drawn.walk_s[0] + drawn.lead_s
        reps = tuple(Rep(*r) for r in drawn.reps)
        fps = drawn.camera["fps"]
        after = drawn.tail_s + drawn.walk_s[1]
        self.times, self.depth, self.marks = programme(reps, fps, before, after, self.first)
        if drawn.camera["uneven"]:
            self._unevenly(before, after, reps)
        self.fault = self._faults(reps)
        self.set_s = (drawn.walk_s[0] + 0.2 * bool(drawn.walk_s[0]), float(self.times[-1]) - drawn.walk_s[1])
        self._fidget()
        self.walk = Walk(drawn.walk_s, self.set_s, float(self.times[-1])) if any(drawn.walk_s) else None
        self.poses = Poses(self._pose, len(self.times))
        self.cameras = [self._camera(float(t)) for t in self.times]

    def _unevenly(self, before: float, after: float, reps: tuple[Rep, ...]) -> None:
        """A phone's irregular frame times, with a frame lost now and then."""
        rng = np.random.default_rng(self.drawn.seed + 5)
        fps = self.drawn.camera["fps"]
        times = self.times + rng.normal(0, self.drawn.camera["uneven"] / fps, len(self.times)).clip(-0.4 / fps, 0.4 / fps)
        kept = rng.random(len(times)) > 0.02
        kept[0] = True
        times = np.sort(times[kept] - times[0])
        fine, depth, _ = programme(reps, 1000, before, after, self.first)
        self.times, self.depth = times, np.interp(times, fine, depth)

    def _faults(self, reps: tuple[Rep, ...]) -> Array:
        out = np.zeros_like(self.times)
        for rep, m in zip(reps, self.marks, strict=True):
            inside = (self.times >= m["start_s"]) & (self.times <= m["end_s"])
            out[inside] = rep.cave_cm * np.clip(self.depth[inside] / max(rep.depth, 1e-6), 0, 1) ** 1.5
        return out

    def _fidget(self) -> None:
        """Small shifts before, between and after the reps that are no reps."""
        rng = np.random.default_rng(self.drawn.seed + 9)
        sway = 0.004 * np.sin(2 * np.pi * self.times / 3.7) + 0.003 * np.sin(2 * np.pi * self.times / 1.9 + 1)
        self.depth = np.clip(self.depth + sway * (1 - self.depth), 0, 1.1)
        still = [(self.set_s[0], self.marks[0]["start_s"]), (self.marks[-1]["end_s"], self.set_s[1])]
        for place, size in self.drawn.fidgets:
            start, end = still[int(rng.integers(2))]
            centre = start + place * max(end - start, 0.1)
            free = (self.times > start) & (self.times < end)
            self.depth += np.where(free, size * np.exp(-0.5 * ((self.times - centre) / 0.25) ** 2), 0.0)

    def _pose(self, i: int) -> Pose:
        if self.walk is not None and isinstance(self.lifter, Squatter):
            self.lifter.steps, self.lifter.drop_m = self.walk.steps(float(self.times[i]))
        lm, tf, bar = self.lifter.pose(float(self.depth[i]), float(self.fault[i]))
        if self.walk is not None:
            move = np.array([0.0, -self.walk.place(float(self.times[i])), 0.0])
            lm = {k: v + move for k, v in lm.items()}
            tf = {k: _moved(m, move) for k, m in tf.items()}
            bar = bar + move
        return lm, tf, bar

    def _camera(self, t: float) -> Phone:
        c, view = self.drawn.camera, self.drawn.view
        azimuth = np.radians(AZIMUTH[view] + c["yaw_deg"])
        forward, up = c["aim"]
        aim = np.array([0.0, -forward, up])
        place = np.array([c["distance_m"] * np.sin(azimuth), -forward - c["distance_m"] * np.cos(azimuth), c["height_m"]])
        roll = c["roll_deg"]
        if c["hold"] == "hand":
            rng = np.random.default_rng(self.drawn.seed)
            phase, rate = rng.uniform(0, 2 * np.pi, (2, 5)), rng.uniform(0.15, 0.6, (2, 5))
            sway = np.sin(2 * np.pi * rate * t + phase).mean(axis=0) * c["sway_m"] * 1.5
            tremble = np.sin(2 * np.pi * 6.0 * rate[0] * t + phase[1]) * c["sway_m"] * 0.08
            aim = aim + (sway + tremble)[:3]
            place, roll = place + 0.6 * np.r_[sway[3:], sway[0]], roll + 12 * float(sway[4])
        elif c["hold"] == "pan":
            along = np.array([np.cos(azimuth), np.sin(azimuth), 0.0])
            aim = aim + along * c["pan_m"] * np.sin(2 * np.pi * t / 14.0)
        return Phone(tuple(place), tuple(aim), c["focal_px"], roll, c["size"], c["k1"])

    def seed_frame(self) -> int:
        """The frame a coach would click: the client stands or lies ready."""
        ready = max(self.set_s[0], self.marks[0]["start_s"] - 0.3) if self.drawn.walk_s[0] else 0.0
        return int(np.searchsorted(self.times, ready))


def _moved(m: Array, move: Array) -> Array:
    out = m.copy()
    out[:3, 3] += move
    return out


def dressed(drawn: Drawn) -> Body:
    """The drawn client's body in her clothes."""
    return build(f"lot-{drawn.seed}", drawn.phenotype, drawn.client["stature_cm"], drawn.clothes, drawn.seed, fine=False)


def lifter(drawn: Drawn, body: Body) -> Squatter | Lifter | SplitSquatter:
    """What poses the body."""
    if drawn.movement == "split_squat":
        return SplitSquatter(body, Split(**drawn.style, ahead=drawn.view.removeprefix("side-")))  # filmed from the leg in front
    if drawn.movement in POSTURE:
        posed = tomllib.loads((HERE / "films.toml").read_text())["posture"][POSTURE[drawn.movement]]
        if drawn.way.get("hand_at_hip"):
            posed["hands_at_hips"] = True
        if drawn.movement == "leg_press":  # its back rest lies as the drawn back does
            posed["props"] = [dict(p) for p in posed["props"]]
            posed["props"][0]["pitch"] = drawn.style["lean_deg"][0]
        return Lifter(body, Posture(**posed | drawn.style))
    return Squatter(body, Squat(**drawn.style), drawn.cave_sides)


def furnish(room: Room, take: Take) -> list[tuple[dict[str, Any], Any]]:
    """What stands in the way; those that follow a joint are returned with the rest."""
    drawn, way = take.drawn, take.drawn.way
    near = -1 if drawn.view == "side-right" else 1
    posture = take.lifter.posture if isinstance(take.lifter, Lifter) else None
    rng = np.random.default_rng(drawn.seed + 3)
    specs = [*(posture.props if posture else ())]
    shade = [int(v) for v in rng.integers(30, 150, 3)]
    if "upright_m" in way:
        specs.append({"at": [way["upright_m"], near * LATERAL_M, 1.0], "size": [0.07, 0.07, 2.0], "colour": shade})
    if "rail_m" in way:
        specs.append({"at": [0.2, near * (LATERAL_M - 0.1), way["rail_m"]], "size": [1.4, 0.05, 0.07], "colour": shade})
    if way.get("hand_at_hip") and posture:
        hand = take.poses[0][0]["wrist_left" if near > 0 else "wrist_right"]
        specs.append({"at": [-hand[1], hand[0], hand[2] - 0.03], "size": [0.16, 0.04, 0.04], "colour": shade})
    if way.get("dumbbells"):
        specs += [
            {"at": [0, s * 0.03, -0.09], "size": [0.30, 0.13, 0.13], "colour": [40, 40, 44], "follow_one": f"wrist_{n}"}
            for n, s in (("left", 1), ("right", -1))
        ]
    props = []
    for spec in specs:
        actor = room.prop(spec)
        props.append((spec, actor))
    return props


def place_props(room: Room, props: list[tuple[dict[str, Any], Any]], lm: dict[str, Array]) -> None:
    """Move what follows the body."""
    for spec, actor in props:
        if "follow" in spec:
            room.move_prop(actor, spec, (lm[f"{spec['follow']}_left"] + lm[f"{spec['follow']}_right"]) / 2)
        elif "follow_one" in spec:
            f, left, up = spec["at"]
            at = lm[spec["follow_one"]]
            actor.SetPosition(at[0] + left, at[1] - f, at[2] + up)


class Bystander:
    """Somebody else: the same kind of body in other clothes, standing or walking past."""

    def __init__(self, room: Room, take: Take) -> None:
        drawn = take.drawn
        rng = np.random.default_rng(drawn.seed + 4)
        poly = vtk.vtkPolyData()
        poly.DeepCopy(room.poly)
        colours = np.clip(take.body.colours.astype(float)[:, ::-1] * rng.uniform(0.5, 1.2), 0, 255).astype(np.uint8)
        poly.GetPoints().SetData(vtk.util.numpy_support.numpy_to_vtk(np.ascontiguousarray(take.body.vertices), deep=True))
        poly.GetPointData().SetScalars(vtk.util.numpy_support.numpy_to_vtk(np.ascontiguousarray(colours), deep=True))
        poly.GetPointData().SetNormals(vtk.util.numpy_support.numpy_to_vtk(np.ascontiguousarray(take.body.normals), deep=True))
        source = vtk.vtkTrivialProducer()
        source.SetOutput(poly)
        self.actor = room._actor(source)
        self.passes, self.stands, self.end = drawn.way.get("passes_s"), drawn.way.get("stands_m"), float(take.times[-1])
        look = take.cameras[0].axes()
        self.away, self.right = np.r_[look[2][:2], 0], np.r_[look[0][:2], 0]
        self.turn = float(np.degrees(np.arctan2(self.right[0], -self.right[1])))

    def show(self, t: float) -> None:
        """Where somebody is at a time."""
        if self.passes is not None:
            when, behind = self.passes
            where = self.right * (t - when * self.end) * 1.3 - self.away * behind
            self.actor.SetPosition(where[0], where[1], 0.015 * abs(np.sin(5 * t)))
            self.actor.SetOrientation(0, 0, self.turn)
        elif self.stands is not None:
            where = self.right * self.stands + self.away * 1.4
            self.actor.SetPosition(where[0], where[1], 0.0)
            self.actor.SetOrientation(0, 0, 30 * np.sin(t / 3))


def reflect(room: Room, take: Take) -> None:
    """A mirror on the wall: the body once more, behind it."""
    look = take.cameras[0].axes()
    away = np.r_[look[2][:2], 0] / np.linalg.norm(look[2][:2])
    wall = 1.6
    flip = np.eye(4)
    flip[:3, :3] -= 2 * np.outer(away, away)
    flip[:3, 3] = 2 * wall * away
    matrix = vtk.vtkMatrix4x4()
    matrix.DeepCopy(flip.ravel())
    actor = vtk.vtkActor()
    actor.SetMapper(room.moving["body"].GetMapper())
    actor.SetProperty(room.moving["body"].GetProperty())
    actor.SetUserMatrix(matrix)
    room.renderer.AddActor(actor)


def encode(path: Path, drawn: Drawn) -> tuple[Any, Any]:
    """An H.264 file to write frames into."""
    container = av.open(str(path), "w", options={"movflags": "+faststart"})
    stream = container.add_stream("libx264", rate=Fraction(drawn.camera["fps"]))
    stream.width, stream.height = drawn.camera["size"]
    stream.pix_fmt, stream.time_base = "yuv420p", Fraction(1, 90000)
    stream.codec_context.time_base = Fraction(1, 90000)
    stream.options = {"crf": str(drawn.camera["crf"]), "preset": "fast", "bf": "2"}
    return container, stream


class Stage:
    """A take set up in its room: the picture of any of its frames."""

    def __init__(self, take: Take) -> None:
        drawn = self.drawn = take.drawn
        self.take = take
        looks = drawn.looks | {"light": [int(drawn.light["light"])]}
        mirror = bool(drawn.way.get("mirror"))
        self.room = Room(take.cameras[0], looks, drawn.seed, mirror=mirror, window=drawn.light["kind"] == "window", samples=0)
        self.room.set_body(*skin(take.body, take.poses[0][1]), take.body.faces, take.body.colours)
        self._props = furnish(self.room, take)
        self._other = Bystander(self.room, take) if {"passes_s", "stands_m"} & set(drawn.way) else None
        if mirror:
            reflect(self.room, take)
        self._grid = take.cameras[0].undistorted_grid()
        self._rng = np.random.default_rng(drawn.seed + 1)
        self._bar = drawn.movement in ("back_squat", "romanian_deadlift")

    def picture(self, i: int) -> NDArray[np.uint8]:
        """Frame i as the phone sees it, with its noise. (H, W, 3) RGB."""
        take, room = self.take, self.room
        lm, tf, hands = take.poses[i]
        room.aim(take.cameras[i])
        room.set_body(*skin(take.body, tf), take.body.faces, take.body.colours)
        if self._bar:
            room.set_bar(hands, self.drawn.way.get("plate_m", 0.14))
        place_props(room, self._props, lm)
        if self._other is not None:
            self._other.show(float(take.times[i]))
        room.set_shadow([lm["ankle_left"], lm["ankle_right"]])
        picture = cv2.remap(room.picture(), self._grid, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        picture = cv2.GaussianBlur(picture, (0, 0), 0.6)  # a lens is not sharper, and it spares drawing every pixel four times
        noise = self.drawn.light["noise"] * self._rng.standard_normal(picture.shape[:2], np.float32)
        return np.clip(picture + noise[..., None], 0, 255).astype(np.uint8)


def make(seed: int, out: Path, stills: bool) -> None:
    """Film, truth and brief of one seed."""
    drawn = draw(seed)
    take = Take(drawn)
    stage = Stage(take)
    name, last = f"lot_{seed:04d}", len(take.times) - 1
    if stills:
        out.mkdir(parents=True, exist_ok=True)
        for i in (take.seed_frame(), int(np.argmax(take.depth + 0.05 * take.fault)), int(0.8 * last)):
            cv2.imwrite(str(out / f"{name}-{i}.png"), stage.picture(i)[:, :, ::-1])
        return
    container, stream = encode(out / f"{name}.part.mp4", drawn)
    for i in range(last + 1):
        frame = av.VideoFrame.from_ndarray(stage.picture(i), format="rgb24")
        frame.pts, frame.time_base = round(float(take.times[i]) * 90000), Fraction(1, 90000)
        container.mux(stream.encode(frame))
    container.mux(stream.encode())
    container.close()
    write_truth(take, stage.room, out, name)
    (out / f"{name}.part.mp4").rename(out / f"{name}.mp4")


def write_truth(take: Take, room: Room, out: Path, name: str) -> None:
    """Truth and brief beside the film."""
    drawn = take.drawn
    film = {
        "name": name, "fps": drawn.camera["fps"], "movement": drawn.movement, "view": drawn.view, "client": drawn.client,
        "reps": drawn.reps, "faults": drawn.faults, "tolerated": drawn.tolerated, "yaw_deg": drawn.camera["yaw_deg"],
        "load_kg": 40, "tempo": drawn.tempo,
    }  # fmt: skip
    film |= machine(take)
    paths = {k: np.array([p[0][k] for p in take.poses]) for k in take.poses[0][0]}
    record = truth.describe(film, take.body, take.cameras, take.times, take.marks, paths, take.lifter, take.first)
    record |= {"times_s": np.round(take.times, 5).tolist(), "set_s": list(take.set_s), "size": list(drawn.camera["size"])}
    if any(drawn.walk_s):
        record["walks"] = True
    record["drawn"] = {"camera": drawn.camera, "light": drawn.light, "way": drawn.way, "clothes": drawn.clothes, "walk_s": drawn.walk_s}
    frame = take.seed_frame()
    ends = np.array([room.plinth_base, room.plinth_base + np.array([0, 0, 0.6])])
    note = truth.brief(film, record, take.cameras[frame], ends, drawn.seed, frame)
    if not drawn.lengths_given:
        note["client"] = drawn.client
    inside = note["scale"]["points_px"]
    width, height = drawn.camera["size"]
    if not all(5 < x < width - 5 and 5 < y < height - 5 for x, y in inside):
        note["scale"] = None  # the known length is not in the picture
    (out / f"{name}.truth.json").write_text(json.dumps(record, separators=(",", ":")))
    (out / f"{name}.brief.json").write_text(json.dumps(note, indent=1))


def machine(take: Take) -> dict[str, Any]:
    """The machine's own places, m forward and up."""
    movement = take.drawn.movement
    if movement == "lying_leg_curl":
        return {"pad_m": [[0.0, 0.505], [0.9, 0.505]]}
    if movement == "leg_press" and take.drawn.view != "rear":
        seat = np.radians(take.drawn.style["seat_deg"])
        return {"pad_m": [[-0.40, 0.40 + 0.40 * float(np.tan(seat))], [0.0, 0.40]]}
    if movement == "leg_extension":
        return {"pivot_m": [0.402, 0.658]}
    return {}


def seeds_of(words: list[str]) -> list[int]:
    """`3 7 10-14` as numbers."""
    out: list[int] = []
    for word in words:
        first, _, last = word.partition("-")
        out += range(int(first), int(last or first) + 1)
    return out


def main() -> None:
    """Command line."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("seeds", nargs="+")
    parser.add_argument("--out", type=Path, default=HERE.parent / "bench/films/lot")
    parser.add_argument("--stills", action="store_true")
    args = parser.parse_args()
    args.out.mkdir(parents=True, exist_ok=True)
    for seed in seeds_of(args.seeds):
        if args.stills or not (args.out / f"lot_{seed:04d}.mp4").exists():
            make(seed, args.out, args.stills)
            print(seed, draw(seed).movement, draw(seed).view, flush=True)


if __name__ == "__main__":
    main()
