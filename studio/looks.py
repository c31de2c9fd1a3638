"""Single pictures drawn by lot, what the pose network sees in each and where the joints truly are: what `learn_centres` learns from.

    PYTHONPATH=.:src .venv-studio/bin/python -m studio.looks 2003-3999 --out bench/films/looks

Seeds from 2000 on are for this and nothing else: films of work (below 1000) and sealed ones (1000 to 1199) show other bodies. One
file a seed, so that it can be stopped and gone on with. Each picture is looked into as one in the middle of a film is: into the
region that a look before asked for. Of the picture only that region is kept.
"""

from __future__ import annotations

import argparse
from dataclasses import replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import ALL_POINTS
from deepmirror.pose.network import COLUMNS, CROP, LandmarkNetwork, Region, region_around
from studio.client_film import Stage, Take, seeds_of
from studio.lot import draw

Array = NDArray[np.float64]
FIRST_SEED = 2000
ROUGH_SHARE = 0.05  # of the trunk: how roughly the first region is known
ROUGH_TURN, ROUGH_SIDE = 0.06, 0.04  # rad and share: how far the region of a look lies from the one its own picture would ask for
QUALITY = (35, 85)  # of JPEG, in the place of a film's own compression
KEPT_PX, KEPT_QUALITY = 384, 92  # side of the region as it is kept, and of its JPEG


def compressed(rgb: NDArray[np.uint8], quality: int) -> NDArray[np.uint8]:
    """A picture as JPEG (bytes,)."""
    return np.asarray(cv2.imencode(".jpg", rgb[:, :, ::-1], [cv2.IMWRITE_JPEG_QUALITY, quality])[1], np.uint8)


def opened(packed: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """And back, (H, W, 3) RGB."""
    return np.ascontiguousarray(cv2.imdecode(packed, cv2.IMREAD_COLOR)[:, :, ::-1])


def frames_of(take: Take, rng: np.random.Generator, each: int) -> list[int]:
    """Frames of the set, evenly over the postures and not over the time: most of a set's frames stand."""
    inside = np.flatnonzero((take.times >= take.set_s[0]) & (take.times <= take.set_s[1]))
    apart = np.abs(take.depth[inside] - rng.uniform(0, 1, each)[:, None]) + rng.uniform(0, 0.05, (each, len(inside)))
    return sorted({int(inside[k]) for k in apart.argmin(axis=1)})


def kept_affine(region: Region) -> Array:
    """From the picture's pixels to those of the kept region. (2, 3)."""
    grow = KEPT_PX / CROP
    affine = region.to_crop() * grow
    affine[:, 2] += 0.5 * grow - 0.5
    return affine


def looks_of(seed: int, each: int, network: LandmarkNetwork) -> dict[str, Any]:
    """Of one seed: truth and the network's points (N, P, 2) and visibility (N, P), clearness (N,), where down is (N, 2), all in px of
    the kept region, how far the camera looks down (N,), and the regions as JPEG, one after the other, with their lengths (N,)."""
    drawn = draw(seed)
    take = Take(drawn)
    stage, rng = Stage(take), np.random.default_rng(seed + 77)
    rows: dict[str, list[Any]] = {"truth": [], "points": [], "visibility": [], "clearness": [], "down": [], "pitch_deg": []}
    kept = []
    for i in frames_of(take, rng, each):
        truth = take.cameras[i].project(np.array([take.poses[i][0][n] for n in ALL_POINTS]))
        rgb = opened(compressed(stage.picture(i), int(rng.integers(*QUALITY))))
        trunk = float(np.hypot(*(truth[ALL_POINTS.index("shoulder_left")] - truth[ALL_POINTS.index("hip_left")])))
        rough = truth + rng.normal(0, ROUGH_SHARE * trunk, truth.shape)
        start = region_around({n: (float(x), float(y)) for n, (x, y) in zip(ALL_POINTS, rough, strict=True)})
        assert start is not None
        own = network.look(rgb, start).next_region()
        region = replace(own, side=own.side * np.exp(rng.normal(0, ROUGH_SIDE)), turn=own.turn + rng.normal(0, ROUGH_TURN))
        seen, to_kept = network.look(rgb, region), kept_affine(region)
        rows["truth"].append(truth @ to_kept[:, :2].T + to_kept[:, 2])
        rows["points"].append(seen.points[COLUMNS] @ to_kept[:, :2].T + to_kept[:, 2])
        rows["visibility"].append(seen.visibility[COLUMNS])
        rows["clearness"].append(seen.clearness)
        rows["down"].append(to_kept[:, 1] / np.hypot(*to_kept[:, 1]))
        rows["pitch_deg"].append(np.degrees(np.arcsin(-take.cameras[i].axes()[2][2])))
        kept.append(compressed(np.asarray(cv2.warpAffine(rgb, to_kept, (KEPT_PX, KEPT_PX), flags=cv2.INTER_AREA), np.uint8), KEPT_QUALITY))
    about = {"seed": seed, "movement": drawn.movement, "view": drawn.view, "yaw_deg": drawn.camera["yaw_deg"]}
    pictures = {"jpeg": np.concatenate(kept).ravel(), "bytes": np.array([k.size for k in kept])}
    return {k: np.array(v, np.float32) for k, v in rows.items()} | pictures | about


def main() -> None:
    """Command line."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("seeds", nargs="+")
    parser.add_argument("--out", type=Path, required=True)
    parser.add_argument("--each", type=int, default=6, help="pictures of one client")
    args = parser.parse_args()
    args.out.mkdir(parents=True, exist_ok=True)
    network = LandmarkNetwork("heavy")
    for seed in seeds_of(args.seeds):
        path = args.out / f"looks_{seed:05d}.npz"
        if seed < FIRST_SEED or path.exists():
            continue
        part = path.with_suffix(".part")
        with part.open("wb") as file:
            np.savez(file, **looks_of(seed, args.each, network))
        part.rename(path)


if __name__ == "__main__":
    main()
