"""What the networks make of single pictures of drawn clients, beside where the joints really are: what `learn_offsets.py` learns from.

    PYTHONPATH=src .venv-studio/bin/python -m studio.looks 10000-10499 --out bench/films/looks

One file of numbers a seed; the pictures are not kept. Seeds below 10000 are for whole films and never learned from.
"""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from deepmirror.pose.network import NETWORK_INDEX, Detection, LandmarkNetwork, Region, region_around
from studio.body import skin
from studio.client_film import HERE, Bystander, Take, furnish, place_props, reflect, seeds_of
from studio.lot import Drawn, draw
from studio.scene import Room

Array = NDArray[np.float64]
FIRST_SEED = 10000
PICTURES = 24  # of one client: as many postures as a set has that differ
NAMES = tuple(NETWORK_INDEX)


class Session:
    """One drawn client before her camera, a picture at a time."""

    def __init__(self, drawn: Drawn) -> None:
        self.drawn, self.take = drawn, Take(drawn)
        mirror, window = bool(drawn.way.get("mirror")), drawn.light["kind"] == "window"
        looks = drawn.looks | {"light": [int(drawn.light["light"])]}
        self.room = Room(self.take.cameras[0], looks, drawn.seed, mirror=mirror, window=window, samples=0)
        body = self.take.body
        self.room.set_body(*skin(body, self.take.poses[0][1]), body.faces, body.colours)
        self.props = furnish(self.room, self.take)
        self.other = Bystander(self.room, self.take) if {"passes_s", "stands_m"} & set(drawn.way) else None
        if mirror:
            reflect(self.room, self.take)
        self.grid = self.take.cameras[0].undistorted_grid()
        self.rng = np.random.default_rng(drawn.seed + 1)

    def picture(self, i: int) -> NDArray[np.uint8]:
        """Frame i as a phone would have kept it (H, W, 3) RGB."""
        take, room = self.take, self.room
        lm, tf, hands = take.poses[i]
        room.aim(take.cameras[i])
        room.set_body(*skin(take.body, tf), take.body.faces, take.body.colours)
        if self.drawn.movement in ("back_squat", "romanian_deadlift"):
            room.set_bar(hands, self.drawn.way.get("plate_m", 0.14))
        place_props(room, self.props, lm)
        if self.other is not None:
            self.other.show(float(take.times[i]))
        room.set_shadow([lm["ankle_left"], lm["ankle_right"]])
        clear = cv2.remap(room.picture(), self.grid, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        soft = cv2.GaussianBlur(clear, (0, 0), 0.6)
        noise = self.drawn.light["noise"] * self.rng.standard_normal(soft.shape[:2], np.float32)
        noisy = np.clip(soft + noise[..., None], 0, 255).astype(np.uint8)
        _, packed = cv2.imencode(".jpg", noisy, [cv2.IMWRITE_JPEG_QUALITY, int(self.rng.integers(40, 90))])
        return np.asarray(cv2.imdecode(packed, cv2.IMREAD_COLOR), np.uint8)

    def truth(self, i: int) -> Array:
        """Where the joints lie in frame i (18, 2) px, in the order of NAMES."""
        camera, lm = self.take.cameras[i], self.take.poses[i][0]
        return np.array([camera.project(lm[n]) for n in NAMES])


def followed(network: LandmarkNetwork, picture: NDArray[np.uint8], start: Region) -> Detection:
    """A look as the tracker takes it: into the region that a look before asked for."""
    return network.look(picture, network.look(picture, start).next_region())


def looks_of(seed: int, networks: dict[str, LandmarkNetwork]) -> dict[str, Any]:
    """Of one seed: truth (N, 18, 2), and of each network points (N, 39, 2) px, visibility (N, 39), clearness (N,), presence (N,)."""
    session = Session(draw(seed))
    start, end = (int(np.searchsorted(session.take.times, t)) for t in session.take.set_s)
    frames = np.sort(session.rng.choice(np.arange(start, end), size=min(PICTURES, end - start), replace=False))
    rows: dict[str, list[Any]] = {"truth": []}
    for i in frames:
        picture, truth = session.picture(int(i)), session.truth(int(i))
        rows["truth"].append(truth)
        near = {n: (float(x), float(y)) for n, (x, y) in zip(NAMES, truth + session.rng.normal(0, 6, truth.shape), strict=True)}
        region = region_around(near)
        for name, network in networks.items():
            seen = followed(network, picture, region)
            for key, value in (("points", seen.points), ("visibility", seen.visibility), ("clearness", seen.clearness)):
                rows.setdefault(f"{name}_{key}", []).append(value)
            rows.setdefault(f"{name}_presence", []).append(seen.presence)
    drawn = session.drawn
    about = {"seed": seed, "frames": frames, "movement": drawn.movement, "view": drawn.view, "yaw_deg": drawn.camera["yaw_deg"]}
    return {k: np.array(v, np.float32) for k, v in rows.items()} | about


def main() -> None:
    """Command line."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("seeds", nargs="+")
    parser.add_argument("--out", type=Path, default=HERE.parent / "bench/films/looks")
    args = parser.parse_args()
    args.out.mkdir(parents=True, exist_ok=True)
    networks = {q: LandmarkNetwork(q, threads=1) for q in ("full", "heavy")}
    for seed in seeds_of(args.seeds):
        target = args.out / f"looks_{seed:05d}.npz"
        if seed < FIRST_SEED or target.exists():
            continue
        np.savez_compressed(target, **looks_of(seed, networks))
        print(seed, flush=True)


if __name__ == "__main__":
    main()
