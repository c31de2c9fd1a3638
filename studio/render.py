"""Render the demo films: `python -m studio.render --all` (or `--film NAME`, `--stills` for three pictures each)."""

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
from studio.lifts import Rep, Squat, Squatter, programme
from studio.scene import HEIGHT, WIDTH, Camera, Room

HERE = Path(__file__).parent
OUT = HERE.parent / "src/deepmirror/assets/demo"
AZIMUTH = {"front": 0.0, "side-left": 90.0, "side-right": -90.0, "rear": 180.0}


def film_specs() -> tuple[dict[str, Any], list[dict[str, Any]]]:
    data = tomllib.loads((HERE / "films.toml").read_text())
    return data, [{**f, "name": f["name"]} for f in data["film"]]


def prepare(data: dict[str, Any], film: dict[str, Any]) -> tuple[Body, Squatter, Camera, tuple[Rep, ...]]:
    person = data["person"][film["person"]]
    film["client"] = {k: person[k] for k in ("stature_cm", "mass_kg", "sex")}
    body = build(film["person"], person["phenotype"], person["stature_cm"], person["clothes"], film["seed"])
    reps = tuple(Rep(*r[:4], *r[4:]) for r in film["reps"])
    squatter = Squatter(body, Squat(**film.get("style", {})))
    azimuth = AZIMUTH[film["view"]] + film.get("yaw_deg", 0.0)
    camera = Camera(azimuth, film["distance_m"], film["camera_height_m"], (0.0, 0.0, film["aim_height_m"]), roll_deg=film["roll_deg"])
    return body, squatter, camera, reps


def render(data: dict[str, Any], film: dict[str, Any], stills: bool) -> None:
    body, squatter, camera, reps = prepare(data, film)
    times, depth, marks = programme(reps, film["fps"], film["lead_s"], film["tail_s"])
    cave = np.zeros_like(times)
    for rep, m in zip(reps, marks, strict=True):
        inside = (times >= m["start_s"]) & (times <= m["end_s"])
        cave[inside] = rep.cave_cm * (depth[inside] / max(rep.depth, 1e-6)) ** 1.5
    sway = 0.004 * np.sin(2 * np.pi * times / 3.7) + 0.003 * np.sin(2 * np.pi * times / 1.9 + 1)
    room = Room(camera, data["room"][film["room"]], film["seed"])
    paths: dict[str, list[Any]] = {}
    frames = np.linspace(0, np.argmax(depth), 3).astype(int) if stills else range(len(times))
    out_dir = HERE / ".cache" if stills else OUT
    out_dir.mkdir(parents=True, exist_ok=True)
    for i in range(len(times)):
        lm, tf, bar = squatter.pose(float(np.clip(depth[i] + sway[i] * (1 - depth[i]), 0, 1.1)), float(cave[i]))
        for k, v in lm.items():
            paths.setdefault(k, []).append(v)
        paths.setdefault("bar", []).append(bar)
    container = None if stills else av.open(str(OUT / f"{film['name']}.mp4"), "w", options={"movflags": "+faststart"})
    stream = None
    if container is not None:
        stream = container.add_stream("libx264", rate=Fraction(film["fps"]))
        stream.width, stream.height, stream.pix_fmt = WIDTH, HEIGHT, "yuv420p"
        stream.options = {"crf": "25", "preset": "slow", "bf": "2"}
    rng = np.random.default_rng(film["seed"] + 1)
    for i in frames:
        lm, tf, bar = squatter.pose(float(np.clip(depth[i] + sway[i] * (1 - depth[i]), 0, 1.1)), float(cave[i]))
        room.set_body(skin(body, tf), body.faces, body.colours)
        room.set_bar(bar)
        room.set_shadow([lm["ankle_left"], lm["ankle_right"]])
        picture = room.picture().astype(np.int16)
        noisy = np.clip(picture + rng.normal(0, 2.0, picture.shape[:2])[..., None], 0, 255).astype(np.uint8)
        frame = av.VideoFrame.from_ndarray(noisy, format="rgb24")
        if stream is None or container is None:
            frame.to_image().save(HERE / ".cache" / f"{film['name']}-{i}.png")
        else:
            container.mux(stream.encode(frame))
    if container is None or stream is None:
        return
    container.mux(stream.encode())
    container.close()
    arrays = {k: np.array(v) for k, v in paths.items()}
    style = squatter.style
    record = truth.describe(
        film, body, camera, times, marks, {k: v for k, v in arrays.items() if k != "bar"}, style.stance_cm, style.toe_out_deg
    )
    base = room.plinth_base
    note = truth.brief(film, record, camera, np.array([base, base + np.array([0, 0, 0.6])]), film["seed"])
    (OUT / f"{film['name']}.truth.json").write_text(json.dumps(record, separators=(",", ":")))
    (OUT / f"{film['name']}.brief.json").write_text(json.dumps(note, indent=1))


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--all", action="store_true")
    parser.add_argument("--film", action="append", default=[])
    parser.add_argument("--stills", action="store_true")
    args = parser.parse_args()
    data, films = film_specs()
    for film in films:
        if args.all or film["name"] in args.film:
            render(data, film, args.stills)
            print(film["name"], "done", flush=True)


if __name__ == "__main__":
    main()
