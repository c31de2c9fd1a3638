"""Single pictures drawn by lot, what the pose networks see in each and where the joints truly are: what `learn_offsets` learns from.

    PYTHONPATH=src .venv-studio/bin/python -m studio.looks 2000-2999 --out bench/films/looks

Seeds from 2000 on are for this and nothing else: films of work (below 1000) and sealed ones (1000 to 1199) show other bodies. One
file of numbers a seed, so that it can be stopped and gone on with; the pictures are not kept. Each picture is looked into as one in
the middle of a film is: into the region that a look before asked for.
"""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from deepmirror.core.skeleton import ALL_POINTS
from deepmirror.pose.network import NETWORK_INDEX, LandmarkNetwork, region_around
from numpy.typing import NDArray

from studio.client_film import Stage, Take, seeds_of
from studio.lot import draw

Array = NDArray[np.float64]
FIRST_SEED = 2000
ROUGH_SHARE = 0.05  # of the trunk: how roughly the first region is known
QUALITY = (35, 85)  # of JPEG, in the place of a film's own compression
COLUMNS = [NETWORK_INDEX[n] for n in ALL_POINTS]
NETWORKS = ("full", "heavy")


def picture(stage: Stage, i: int, quality: int) -> NDArray[np.uint8]:
    """Frame i as a phone would have kept it (H, W, 3) RGB."""
    packed = cv2.imencode(".jpg", stage.picture(i)[:, :, ::-1], [cv2.IMWRITE_JPEG_QUALITY, quality])[1]
    return np.ascontiguousarray(cv2.imdecode(packed, cv2.IMREAD_COLOR)[:, :, ::-1])


def frames_of(take: Take, rng: np.random.Generator, each: int) -> list[int]:
    """Frames of the set, evenly over the postures and not over the time: most of a set's frames stand."""
    inside = np.flatnonzero((take.times >= take.set_s[0]) & (take.times <= take.set_s[1]))
    apart = np.abs(take.depth[inside] - rng.uniform(0, 1, each)[:, None]) + rng.uniform(0, 0.05, (each, len(inside)))
    return sorted({int(inside[k]) for k in apart.argmin(axis=1)})


def looks_of(seed: int, each: int, networks: dict[str, LandmarkNetwork]) -> dict[str, Any]:
    """Of one seed: truth (N, P, 2), and of each network points (N, P, 2) px, visibility (N, P), presence and clearness (N,)."""
    drawn = draw(seed)
    take = Take(drawn)
    stage, rng = Stage(take), np.random.default_rng(seed + 77)
    rows: dict[str, list[Any]] = {"truth": []}
    for i in frames_of(take, rng, each):
        truth = take.cameras[i].project(np.array([take.poses[i][0][n] for n in ALL_POINTS]))
        rgb = picture(stage, i, int(rng.integers(*QUALITY)))
        trunk = float(np.hypot(*(truth[ALL_POINTS.index("shoulder_left")] - truth[ALL_POINTS.index("hip_left")])))
        rough = truth + rng.normal(0, ROUGH_SHARE * trunk, truth.shape)
        start = region_around({n: (float(x), float(y)) for n, (x, y) in zip(ALL_POINTS, rough, strict=True)})
        assert start is not None
        rows["truth"].append(truth)
        for name, network in networks.items():
            seen = network.look(rgb, network.look(rgb, start).next_region())
            rows.setdefault(f"{name}_points", []).append(seen.points[COLUMNS])
            rows.setdefault(f"{name}_visibility", []).append(seen.visibility[COLUMNS])
            rows.setdefault(f"{name}_presence", []).append(seen.presence)
            rows.setdefault(f"{name}_clearness", []).append(seen.clearness)
    about = {"seed": seed, "movement": drawn.movement, "view": drawn.view, "yaw_deg": drawn.camera["yaw_deg"]}
    return {k: np.array(v, np.float32) for k, v in rows.items()} | about


def main() -> None:
    """Command line."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("seeds", nargs="+")
    parser.add_argument("--out", type=Path, required=True)
    parser.add_argument("--each", type=int, default=8, help="pictures of one client")
    args = parser.parse_args()
    args.out.mkdir(parents=True, exist_ok=True)
    networks = {q: LandmarkNetwork(q, threads=1) for q in NETWORKS}
    for seed in seeds_of(args.seeds):
        path = args.out / f"looks_{seed:05d}.npz"
        if seed < FIRST_SEED or path.exists():
            continue
        part = path.with_suffix(".part")
        with part.open("wb") as file:
            np.savez_compressed(file, **looks_of(seed, args.each, networks))
        part.rename(path)


if __name__ == "__main__":
    main()
