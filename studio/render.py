"""Render films: `python -m studio.render --all` (or `--film NAME`, `--stills` for three pictures each, `--bench`)."""

from __future__ import annotations

import argparse
import json
import tomllib
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np

from studio import truth
from studio.body import Body, build, skin
from studio.chain import Lifter, Posture
from studio.lifts import Rep, Squat, Squatter, programme
from studio.scene import HEIGHT, WIDTH, Camera, Room

HERE = Path(__file__).parent
OUT = HERE.parent / "src/deepmirror/assets/demo"
BENCH_OUT = HERE.parent / "bench/films"
AZIMUTH = {"front": 0.0, "side-left": 90.0, "side-right": -90.0, "rear": 180.0}


def film_specs(bench: bool) -> tuple[dict[str, Any], list[dict[str, Any]]]:
    """People, rooms and postures, and the films to make of them."""
    data = tomllib.loads((HERE / "films.toml").read_text())
    films = data["film"]
    if bench:
        extra = tomllib.loads((HERE / "bench.toml").read_text())
        films = extra["film"]
        data["person"] |= extra.get("person", {})
        data["room"] |= extra.get("room", {})
    return data, films


def prepare(data: dict[str, Any], film: dict[str, Any]) -> tuple[Body, Squatter | Lifter, Camera, tuple[Rep, ...]]:
    person = data["person"][film["person"]]
    film["client"] = {k: person[k] for k in ("stature_cm", "mass_kg", "sex")}
    body = build(film["person"], person["phenotype"], person["stature_cm"], person["clothes"] | film.get("clothes", {}), film["seed"])
    reps = tuple(Rep(*r[:4], *r[4:]) for r in film["reps"])
    style = film.get("style", {})
    lifter: Squatter | Lifter
    posed = data["posture"].get(film.get("posture"))
    lifter = Lifter(body, Posture(**posed | style)) if posed else Squatter(body, Squat(**style))
    azimuth = AZIMUTH[film["view"]] + film.get("yaw_deg", 0.0)
    aim = (0.0, -film.get("aim_forward_m", 0.0), film["aim_height_m"])
    camera = Camera(azimuth, film["distance_m"], film["camera_height_m"], aim, film.get("focal_px", 1020.0), film["roll_deg"])
    return body, lifter, camera, reps


def fault_path(times: Any, depth: Any, reps: tuple[Rep, ...], marks: list[dict[str, float]]) -> Any:
    """The programmed fault (knee cave or hip lift, cm) per frame."""
    out = np.zeros_like(times)
    for rep, m in zip(reps, marks, strict=True):
        inside = (times >= m["start_s"]) & (times <= m["end_s"])
        out[inside] = rep.cave_cm * (depth[inside] / max(rep.depth, 1e-6)) ** 1.5
    return out


def render(data: dict[str, Any], film: dict[str, Any], stills: bool, out: Path, pictures: bool = True) -> None:
    """Film one set: pictures (unless only the truth is wanted anew), truth and brief."""
    out = out / film.get("folder", "")
    body, lifter, camera, reps = prepare(data, film)
    posture = lifter.posture if isinstance(lifter, Lifter) else None
    first = posture.first if posture else "eccentric"
    times, depth, marks = programme(reps, film["fps"], film["lead_s"], film["tail_s"], first)
    fault = fault_path(times, depth, reps, marks)
    sway = 0.004 * np.sin(2 * np.pi * times / 3.7) + 0.003 * np.sin(2 * np.pi * times / 1.9 + 1)
    poses = [lifter.pose(float(np.clip(d + w * (1 - d), 0, 1.1)), float(f)) for d, w, f in zip(depth, sway, fault, strict=True)]
    paths = {k: np.array([p[0][k] for p in poses]) for k in poses[0][0]}
    cameras = [camera.shaken(float(t), film["hand_m"], film["seed"]) if "hand_m" in film else camera for t in times]
    room = Room(camera, data["room"][film["room"]], film["seed"], film.get("plinth_m", 0.95))
    props = [(p, room.prop(p)) for p in [*(posture.props if posture else ()), *film.get("props", [])]]
    target = HERE / ".cache" if stills else out
    target.mkdir(parents=True, exist_ok=True)
    container = None if stills or not pictures else av.open(str(out / f"{film['name']}.mp4"), "w", options={"movflags": "+faststart"})
    stream: Any = None
    if container is not None:
        stream = container.add_stream("libx264", rate=Fraction(film["fps"]))
        stream.width, stream.height, stream.pix_fmt = WIDTH, HEIGHT, "yuv420p"
        stream.options = {"crf": str(film.get("crf", 25)), "preset": "medium", "bf": "2"}
    rng = np.random.default_rng(film["seed"] + 1)
    for i in np.linspace(0, np.argmax(depth + 0.05 * fault), 3).astype(int) if stills else range(len(times) if pictures else 0):
        lm, tf, bar = poses[i]
        room.aim(cameras[i])
        room.set_body(*skin(body, tf), body.faces, body.colours)
        if film.get("bar", posture is None):
            room.set_bar(bar)
        for spec, actor in props:
            if "follow" in spec:
                room.move_prop(actor, spec, (lm[f"{spec['follow']}_left"] + lm[f"{spec['follow']}_right"]) / 2)
        room.set_shadow([lm["ankle_left"], lm["ankle_right"]])
        picture = room.picture().astype(np.int16)
        noisy = np.clip(picture + rng.normal(0, film.get("noise", 2.0), picture.shape[:2])[..., None], 0, 255).astype(np.uint8)
        frame = av.VideoFrame.from_ndarray(noisy, format="rgb24")
        if container is None:
            frame.to_image().save(HERE / ".cache" / f"{film['name']}-{i}.png")
        else:
            container.mux(stream.encode(frame))
    if stills:
        return
    if container is not None:
        container.mux(stream.encode())
        container.close()
    record = truth.describe(film, body, cameras, times, marks, paths, lifter, first)
    base = room.plinth_base
    note = truth.brief(film, record, cameras[0], np.array([base, base + np.array([0, 0, 0.6])]), film["seed"])
    (out / f"{film['name']}.truth.json").write_text(json.dumps(record, separators=(",", ":")))
    (out / f"{film['name']}.brief.json").write_text(json.dumps(note, indent=1))


def main() -> None:
    """Command line."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--all", action="store_true")
    parser.add_argument("--film", action="append", default=[])
    parser.add_argument("--stills", action="store_true")
    parser.add_argument("--truth", action="store_true", help="write truth and brief anew, leave the pictures")
    parser.add_argument("--bench", action="store_true", help="the films of bench.toml, into bench/films (not committed)")
    args = parser.parse_args()
    data, films = film_specs(args.bench)
    for film in films:
        done = args.bench and (BENCH_OUT / f"{film['name']}.truth.json").exists() and not args.truth
        if (args.all and not done) or film["name"] in args.film:
            render(data, film, args.stills, BENCH_OUT if args.bench else OUT, not args.truth)
            print(film["name"], "done", flush=True)


if __name__ == "__main__":
    main()
