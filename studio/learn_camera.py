"""Learns where a film's camera stands from the looks of `studio.looks`, and writes what `deepmirror.pose.camera_direction` runs.

    PYTHONPATH=.:src .venv-studio/bin/python -m studio.learn_camera bench/films/looks --out src/deepmirror/pose/models/camera_direction.npz

Every tenth seed is held out, as in `learn_centres`.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import torch
from numpy.typing import NDArray
from torch import nn

from deepmirror.core.views import facing
from deepmirror.pose.camera_direction import LEAST_SD, UNIT_DEG, features, kind_of, run
from studio.learn_centres import HELD_OUT, arguments

Array = NDArray[np.float64]
SIZES = (128, 64)
STRAY = 0.02  # body units: how far each point is moved for learning
LEAST_SPREAD = 0.05  # body units: a point that hardly moves in all looks is not enlarged further


@dataclass(frozen=True)
class Looks:
    """features (N, F); camera (N, 2): yaw and pitch as `CameraDirection` has them, degrees; seed and movement (N,)."""

    known: Array
    camera: Array
    seed: NDArray[np.int_]
    movement: NDArray[np.str_]


def looks_in(folder: Path, kind: str) -> Looks:
    """All looks of one kind of view."""
    known, camera, seeds, movements = [], [], [], []
    for path in sorted(folder.glob("looks_*.npz")):
        with np.load(path) as data:
            view = str(data["view"])
            if kind_of(view) != kind:
                continue
            points, count = data["points"].astype(float), len(data["points"])
            known.append(features(points, view, -data["down"].astype(float)))
            yaw = (facing(view) or -1) * float(data["yaw_deg"])  # a camera that goes to her right sees her turned to her left
            camera.append(np.stack([np.full(count, yaw), np.broadcast_to(data["pitch_deg"], count)], axis=1))
            seeds += [int(data["seed"])] * count
            movements += [f"{data['movement']} {view.partition('-')[0]}"] * count
    return Looks(np.vstack(known), np.vstack(camera), np.array(seeds), np.array(movements))


def loss_of(out: torch.Tensor, target: torch.Tensor) -> torch.Tensor:
    """Of a Laplace distribution."""
    width = nn.functional.softplus(out[:, 2:]) + LEAST_SD
    return (torch.log(width) + (out[:, :2] - target).abs() / width).mean()


def learned_from(looks: Looks, epochs: int, batch: int) -> dict[str, Array]:
    """Weights by layer, what features are measured by folded into the first."""
    rng = np.random.default_rng(1)
    middle, spread = looks.known.mean(axis=0), looks.known.std(axis=0) + LEAST_SPREAD
    x = torch.from_numpy(((looks.known - middle) / spread).astype(np.float32))
    y = torch.from_numpy((looks.camera / UNIT_DEG).astype(np.float32))
    stray = torch.from_numpy((STRAY / spread).astype(np.float32))
    first, second = SIZES
    layers = [nn.Linear(x.shape[1], first), nn.Linear(first, second), nn.Linear(second, 4)]
    net = nn.Sequential(layers[0], nn.ReLU(), nn.Dropout(0.15), layers[1], nn.ReLU(), nn.Dropout(0.1), layers[2])
    best = torch.optim.AdamW(net.parameters(), lr=2e-3, weight_decay=0.05)
    parts = len(x) // batch
    plan = torch.optim.lr_scheduler.OneCycleLR(best, 4e-3, total_steps=epochs * parts + 1)
    for _ in range(epochs):
        for rows in np.array_split(rng.permutation(len(x)), parts):
            best.zero_grad()
            loss_of(net(x[rows] + stray * torch.randn(len(rows), x.shape[1])), y[rows]).backward()
            best.step()
            plan.step()
    out = {f"weight_{k}": layer.weight.detach().numpy().astype(float) for k, layer in enumerate(layers)}
    out |= {f"bias_{k}": layer.bias.detach().numpy().astype(float) for k, layer in enumerate(layers)}
    out["weight_0"] = out["weight_0"] / spread
    out["bias_0"] = out["bias_0"] - out["weight_0"] @ middle
    return out


def table(weights: dict[str, Array], held: Looks) -> str:
    """Of clients held out: how far their cameras stand off and what is left of it (root mean square, degrees), by movement."""
    told = run(weights, held.known)
    clients = sorted(set(held.seed.tolist()))
    rows = [
        (str(held.movement[held.seed == s][0]), held.camera[held.seed == s][0], np.median(told[held.seed == s], axis=0)) for s in clients
    ]
    lines = []
    for movement in ["all", *sorted({m for m, *_ in rows})]:
        mine = [r for r in rows if movement in ("all", r[0])]
        true, said = np.array([t for _, t, _ in mine]), np.array([g for *_, g in mine])
        off = said[:, :2] - true
        within = np.mean(np.abs(off) < 2 * said[:, 2:], axis=0)
        was, now = (np.sqrt(np.mean(v**2, axis=0)).round(1) for v in (true, off))
        middle = np.median(np.abs(off), axis=0).round(1)
        lines.append(f"{movement:26s} {len(mine):4d} clients: yaw, pitch {was} -> {now} (median {middle}), inside 2 said {within.round(2)}")
    return "\n".join(lines)


def main() -> None:
    """Command line."""
    args = arguments(__doc__, 150)
    kept: dict[str, Array] = {}
    about: dict[str, dict[str, int]] = {}
    for kind in ("side", "front"):
        looks = looks_in(args.folder, kind)
        mine = looks.seed % HELD_OUT != 0
        learned, held = (Looks(looks.known[k], looks.camera[k], looks.seed[k], looks.movement[k]) for k in (mine, ~mine))
        weights = learned_from(learned, args.epochs, args.batch)
        print(table(weights, held), flush=True)
        about[kind] = {"looks": len(learned.seed), "clients": len(set(learned.seed.tolist())), "held_out": len(set(held.seed.tolist()))}
        kept |= {f"{kind}_{k}": v.astype(np.float32) for k, v in weights.items()}
    np.savez_compressed(args.out, about=np.array(json.dumps(about)), **kept)


if __name__ == "__main__":
    main()
