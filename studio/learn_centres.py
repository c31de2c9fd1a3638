"""Learns where joints' centres lie from the looks of `studio.looks`, and writes what `deepmirror.pose.joint_centres` runs.

    PYTHONPATH=.:src .venv-studio/bin/python -m studio.learn_centres bench/films/looks --out src/deepmirror/pose/models/joint_centres.npz

With --on it goes on from a file that was learned before, at a quarter of the rate, so that looks no longer at hand are not lost.
Every tenth seed is held out: of those bodies nothing is learned, and what is printed is measured on them.
"""

from __future__ import annotations

import argparse
import json
from collections.abc import Iterator
from dataclasses import dataclass, replace
from itertools import pairwise
from pathlib import Path
from queue import Queue
from threading import Thread
from typing import Any

import cv2
import numpy as np
import torch
from numpy.typing import NDArray
from torch import nn

from deepmirror.core.skeleton import ALL_POINTS, near_side
from deepmirror.pose.joint_centres import LEAST_WIDTH, PATCH, READ, SPAN, Patch, features, little_picture, patches
from studio.looks import opened

Array = NDArray[np.float64]
LAYERS = ("seen", "known", "both", "out")  # of the network, behind its convolutions
RATE, RATE_ON = 2e-3, 5e-4  # of learning, at first and when it is gone on with
HELD_OUT = 10  # every so many-th seed
STRAY = 0.03  # body units: how far the middle of a little picture is moved for learning
UNTOLD = 0.3  # of what is learned from: without how surely the points were seen
TURN, GROW = 0.10, 0.08  # rad and share: how a little picture is turned and scaled for learning
LARGEST = 0.6  # body units: a centre further off is none the picture around the point can show


@dataclass(frozen=True)
class Look:
    """One look: its kept picture, all points as the network saw them and as they are (P, 2) px, and the rest of what features tell."""

    seed: int
    view: str
    packed: NDArray[np.uint8]
    points: Array
    truth: Array
    visibility: Array
    clearness: float


def looks_in(folder: Path) -> list[Look]:
    """All looks, by seed."""
    found = []
    for path in sorted(folder.glob("looks_*.npz")):
        with np.load(path) as file:
            data = {k: file[k] for k in file.files}
        ends = np.cumsum(data["bytes"])
        for k, end in enumerate(ends):
            packed = data["jpeg"][end - data["bytes"][k] : end]
            rest = data["points"][k].astype(float), data["truth"][k].astype(float), data["visibility"][k], float(data["clearness"][k])
            found.append(Look(int(data["seed"]), str(data["view"]), packed, *rest))
    return found


class Net(nn.Module):
    """Four convolutions over the little picture, and what else is known of the look beside them. normed: each convolution has a
    normalisation, which a file no longer shows apart."""

    def __init__(self, known: int, normed: bool = True) -> None:
        super().__init__()
        sizes = (3, 24, 48, 96, 128)
        layers: list[nn.Module] = []
        for k, (a, b) in enumerate(pairwise(sizes)):
            kernel = 5 if k == 0 else 3
            norm = nn.BatchNorm2d(b) if normed else nn.Identity()
            layers += [nn.Conv2d(a, b, kernel, stride=2, padding=kernel // 2, bias=not normed), norm, nn.ReLU()]
        self.convolutions = nn.Sequential(*layers)
        side = PATCH
        for _ in range(4):
            side = (side + 1) // 2
        self.seen = nn.Linear(128 * side * side, 96)
        self.known = nn.Linear(known, 96)
        self.both = nn.Linear(192, 96)
        self.drop = nn.Dropout(0.2)
        self.out = nn.Linear(96, 4)

    def forward(self, pictures: torch.Tensor, known: torch.Tensor) -> torch.Tensor:
        seen = torch.relu(self.seen(self.drop(self.convolutions(pictures).flatten(1))))
        told = torch.relu(self.known(known))
        return self.out(torch.relu(self.both(torch.cat([seen, told], 1))))


def jittered(patch: Patch, rng: np.random.Generator) -> Patch:
    """The patch moved, turned and scaled a little about its middle."""
    turn, grow = rng.normal(0, TURN), np.exp(rng.normal(0, GROW))
    c, s = np.cos(turn) * grow, np.sin(turn) * grow
    about = np.array([[c, -s], [s, c]])
    middle = np.full(2, PATCH / 2 - 0.5)
    shift = rng.normal(0, STRAY * PATCH / SPAN, 2)
    affine = about @ patch.to_patch
    affine[:, 2] += middle - about @ middle + shift
    return replace(patch, to_patch=affine)


def recoloured(picture: NDArray[np.uint8], rng: np.random.Generator) -> NDArray[np.float32]:
    """In another light, and sometimes blurred, noisy or grey."""
    out = picture.astype(np.float32) / 255
    if rng.random() < 0.3:
        out = cv2.GaussianBlur(out, (0, 0), float(rng.uniform(0.4, 1.4)))
    if rng.random() < 0.2:
        out = np.repeat(out.mean(axis=2, keepdims=True), 3, axis=2)
    out = out ** float(np.exp(rng.normal(0, 0.25))) * rng.normal(1, 0.08, 3).astype(np.float32) * float(np.exp(rng.normal(0, 0.2)))
    return np.clip(out + rng.normal(0, 0.05) + rng.normal(0, rng.uniform(0, 0.04), out.shape), 0, 1).astype(np.float32)


def samples(look: Look, rng: np.random.Generator | None) -> list[tuple[Any, Any, Any, str]]:
    """Of one look: little pictures (3, PATCH, PATCH), features, centres in body units (2,), and the joint; as they are without `rng`."""
    rgb, out = opened(look.packed), []
    for patch in patches(look.points, look.view):
        used = jittered(patch, rng) if rng is not None else patch
        p = ALL_POINTS.index(patch.name)
        target = used.to_patch[:, :2] @ (look.truth[p] - look.points[p]) * SPAN / PATCH
        if rng is not None and np.hypot(*target) > LARGEST:
            continue
        picture = little_picture(rgb, used)
        shown = recoloured(picture, rng) if rng is not None else picture.astype(np.float32) / 255
        told = look if rng is None or rng.random() > UNTOLD else replace(look, visibility=np.zeros_like(look.visibility), clearness=0.0)
        known = features(told.points, told.visibility, told.clearness, used, look.view)
        out.append((shown.transpose(2, 0, 1), known, target, patch.name))
    return out


def loss_of(out: torch.Tensor, target: torch.Tensor) -> torch.Tensor:
    """Of a Laplace distribution: the median is learned, and one look that went quite wrong does not pull at all others."""
    width = torch.nn.functional.softplus(out[:, 2:]) + LEAST_WIDTH
    return (torch.log(width) + (out[:, :2] - target).abs() / width).mean()


Batch = tuple[torch.Tensor, torch.Tensor, torch.Tensor]


def batches(looks: list[Look], seed: int, size: int) -> Iterator[Batch]:
    """Little pictures of all looks in a random order, each drawn anew; what one look shows is spread over batches."""
    rng = np.random.default_rng(seed)
    kept: list[Any] = []
    for k in rng.permutation(len(looks)):
        kept += samples(looks[k], rng)
        if len(kept) >= 4 * size:
            rng.shuffle(kept)
            while len(kept) >= 2 * size:
                batch, kept = kept[:size], kept[size:]
                pictures, known, target = (torch.from_numpy(np.stack([b[i] for b in batch]).astype(np.float32)) for i in range(3))
                yield pictures, known, target


def ahead(source: Iterator[Batch], count: int = 6) -> Iterator[Batch]:
    """The same, made in a thread of its own while the network learns."""
    waiting: Queue[Batch | None] = Queue(count)

    def make() -> None:
        for batch in source:
            waiting.put(batch)
        waiting.put(None)

    Thread(target=make, daemon=True).start()
    while (batch := waiting.get()) is not None:
        yield batch


def measured(net: Net, looks: list[Look]) -> list[dict[str, Any]]:
    """Of held-out looks: residuals before and after, body units, and what was said of them."""
    rows = []
    net.eval()
    with torch.no_grad():
        for look in looks:
            drawn = samples(look, None)
            pictures, known = (torch.from_numpy(np.stack([d[i] for d in drawn]).astype(np.float32)) for i in range(2))
            out = net(pictures, known)
            width = (torch.nn.functional.softplus(out[:, 2:]) + LEAST_WIDTH).numpy()
            for d, o, w in zip(drawn, out.numpy(), width, strict=True):
                kind = "side" if near_side(look.view) else "front"
                rows.append(
                    {
                        "seed": look.seed,
                        "kind": kind,
                        "joint": d[3].rpartition("_")[0],
                        "was": d[2],
                        "is": d[2] - o[:2],
                        "said": w * np.sqrt(2),
                    }
                )
    return rows


def loss_told(rows: list[dict[str, Any]]) -> float:
    """The loss of what was measured."""
    width = np.array([r["said"] for r in rows]) / np.sqrt(2)
    return float(np.mean(np.log(width) + np.abs([r["is"] for r in rows]) / width))


def robust(values: Array) -> Array:
    """Standard deviation as the median distance from the median tells it."""
    return 1.483 * np.median(np.abs(values - np.median(values, axis=0)), axis=0)


def by_client(rows: list[dict[str, Any]], key: str) -> Array:
    """What each client's looks are off by throughout."""
    return np.array([np.median([r[key] for r in rows if r["seed"] == s], axis=0) for s in sorted({r["seed"] for r in rows})])


def table(rows: list[dict[str, Any]]) -> str:
    """Spread (robust, share of a body unit, across and along) of what clients and looks are off by, before, when their common offset is
    taken away, and after; what is said of the doubt, and how often it holds."""
    lines = []
    for kind, joint in ((k, j) for k in ("side", "front") for j in READ):
        mine = [r for r in rows if r["kind"] == kind and r["joint"] == joint]
        if not mine:
            continue
        was, now, said = (np.array([r[key] for r in mine]) for key in ("was", "is", "said"))
        within = np.mean(np.abs(now) < 2 * said, axis=0)
        lines.append(
            f"{kind:5s} {joint:8s} {len(mine):5d} looks: clients {robust(by_client(mine, 'was')).round(3)} -> "
            f"{robust(by_client(mine, 'is')).round(3)}, looks {robust(was).round(3)} -> {robust(now).round(3)}, off by "
            f"{np.median(now, axis=0).round(3)}, said {np.median(said, axis=0).round(3)}, inside 2 said {within.round(2)}"
        )
    return "\n".join(lines)


def gone_on(path: Path) -> tuple[Net, dict[str, Any]]:
    """The network as a file holds it, to be learned on, and what the file says of itself."""
    with np.load(path) as file:
        weights = {k: torch.from_numpy(file[k].astype(np.float32)) for k in file.files if k != "about"}
        about = json.loads(str(file["about"]))
    net = Net(weights["known_weight"].shape[1], normed=False)
    for k, layer in enumerate(list(net.convolutions)[::3]):
        layer.weight.data, layer.bias.data = weights[f"kernel_{k}"], weights[f"bias_{k}"]
    for name in LAYERS:
        getattr(net, name).weight.data, getattr(net, name).bias.data = weights[f"{name}_weight"], weights[f"{name}_bias"]
    return net, about


def folded(net: Net) -> dict[str, NDArray[np.float32]]:
    """The weights as NumPy runs them: each convolution with its normalisation."""
    out = {}
    layers = list(net.convolutions)
    for k in range(0, len(layers), 3):
        conv, norm = layers[k], layers[k + 1]
        if isinstance(norm, nn.Identity):
            out[f"kernel_{k // 3}"], out[f"bias_{k // 3}"] = conv.weight.detach().numpy(), conv.bias.detach().numpy()
            continue
        scale = (norm.weight / torch.sqrt(norm.running_var + norm.eps)).detach()
        out[f"kernel_{k // 3}"] = (conv.weight.detach() * scale[:, None, None, None]).numpy()
        out[f"bias_{k // 3}"] = (norm.bias - norm.running_mean * scale).detach().numpy()
    for name in LAYERS:
        layer = getattr(net, name)
        out[f"{name}_weight"], out[f"{name}_bias"] = layer.weight.detach().numpy(), layer.bias.detach().numpy()
    return out


def arguments(description: str | None, epochs: int, on: bool = False) -> argparse.Namespace:
    """What the command line of a learning script says; on: of one that can go on; torch is set up to learn the same each time."""
    parser = argparse.ArgumentParser(description=description)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--out", type=Path, required=True)
    parser.add_argument("--epochs", type=int, default=epochs)
    parser.add_argument("--batch", type=int, default=128)
    if on:
        parser.add_argument("--on", type=Path, help="what was learned before and is learned on")
    torch.manual_seed(1)
    torch.set_num_threads(2)
    return parser.parse_args()


def main() -> None:
    """Command line."""
    args = arguments(__doc__, 12, on=True)
    looks = looks_in(args.folder)
    learned, held = [k for k in looks if k.seed % HELD_OUT], [k for k in looks if not k.seed % HELD_OUT]
    net, before = gone_on(args.on) if args.on else (Net(len(samples(learned[0], None)[0][1])), {})
    rate = RATE_ON if args.on else RATE
    per_epoch = sum(len(patches(k.points, k.view)) for k in learned) // args.batch
    best = torch.optim.AdamW(net.parameters(), lr=rate, weight_decay=0.02)
    plan = torch.optim.lr_scheduler.OneCycleLR(best, rate, total_steps=args.epochs * per_epoch + 10)
    for epoch in range(args.epochs):
        net.train()
        total, count = 0.0, 0
        for pictures, known, target in ahead(batches(learned, epoch, args.batch)):
            loss = loss_of(net(pictures, known), target)
            best.zero_grad()
            loss.backward()
            nn.utils.clip_grad_norm_(net.parameters(), 1.0)
            best.step()
            plan.step()
            total, count = total + float(loss.detach()), count + 1
        rows = measured(net, held)
        print(f"{epoch}: {count} steps, loss {total / max(count, 1):.4f}, held out {loss_told(rows):.4f}", flush=True)
    print(table(rows), flush=True)
    about = {
        "looks": len(learned),
        "clients": len({k.seed for k in learned}),
        "held_out": len({k.seed for k in held}),
        "epochs": args.epochs,
    } | ({"before": before} if before else {})
    np.savez_compressed(args.out, about=np.array(json.dumps(about)), **{k: v.astype(np.float16) for k, v in folded(net).items()})


if __name__ == "__main__":
    main()
