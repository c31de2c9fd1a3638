"""The brief: what the coach knows before looking. JSON in, checked, plain dataclasses out."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, ValidationError, field_validator

from deepmirror.core.motion.tempo import Tempo, parse_tempo
from deepmirror.core.skeleton import JOINTS, SIDES, near_side, sided
from deepmirror.documents import Document
from deepmirror.errors import BadBrief, DeepMirrorError
from deepmirror.words import say

View = Literal["side-left", "side-right", "front", "rear"]
Pixel = tuple[float, float]
Centimetres = Annotated[float, Field(gt=0, lt=400)]
FREE_POINTS = ("bar", "waistband", "mid_back", "low_back", "roller")
LARGEST_BRIEF_BYTES = 5_000_000


def _readable(text: str) -> str:
    if text:
        parse_tempo(text)
    return text


TempoText = Annotated[str, AfterValidator(_readable)]


class OpenPart(BaseModel):
    """Unknown keys are ignored: briefs from newer versions still open."""

    model_config = ConfigDict(extra="ignore", frozen=True, allow_inf_nan=False)


class DefaultPart(OpenPart):
    tempo: TempoText | None = None
    reps: Annotated[str, Field(pattern=r"^\d{1,3}(-\d{1,3})?$")] | None = None


class ClientPart(OpenPart):
    stature_cm: Annotated[float, Field(ge=50, le=260)] | None = None
    mass_kg: Annotated[float, Field(ge=15, le=400)] | None = None
    sex: Literal["female", "male", "unspecified"] = "unspecified"
    segments_cm: dict[str, Centimetres] = {}
    film_cm: dict[str, Centimetres] = {}
    limits_deg: dict[str, Annotated[float, Field(ge=0, le=180)]] = {}
    knee_to_wall_cm: Annotated[float, Field(ge=0, le=25)] | None = None
    shoe_heel_cm: Annotated[float, Field(ge=0, le=8)] = 0.0
    age_band: str | None = None
    pain: list[str] = []
    notes: str = ""
    schools: dict[str, str] = {}
    defaults: dict[str, DefaultPart] = {}
    imperial: bool = False


class ScalePart(OpenPart):
    points_px: tuple[Pixel, Pixel]
    length_cm: Centimetres

    @field_validator("points_px")
    @classmethod
    def _apart(cls, value: tuple[Pixel, Pixel]) -> tuple[Pixel, Pixel]:
        if abs(value[0][0] - value[1][0]) + abs(value[0][1] - value[1][1]) < 5:
            raise ValueError("the two ends of the known length are the same point")
        return value


class MarksPart(OpenPart):
    pad_line: tuple[Pixel, Pixel] | None = None
    pivot: Pixel | None = None
    platform: Annotated[list[Pixel], Field(min_length=4, max_length=4)] | None = None
    platform_cm: tuple[Centimetres, Centimetres] | None = None
    seat_line: tuple[Pixel, Pixel] | None = None
    back_pad: tuple[Pixel, Pixel] | None = None
    bench_edge: Pixel | None = None
    rail: tuple[Pixel, Pixel] | None = None
    floor_line: tuple[Pixel, Pixel] | None = None
    plumb: tuple[Pixel, Pixel] | None = None
    stack: Pixel | None = None


class SeedPart(OpenPart):
    frame: Annotated[int, Field(ge=0)]
    points_px: dict[str, Pixel]


class SubjectPart(OpenPart):
    """A click on the one who lifts, where several people are in view."""

    frame: Annotated[int, Field(ge=0)]
    at_px: Pixel


class BriefFile(OpenPart):
    """The JSON as it stands in the contract."""

    movement: Annotated[str, Field(min_length=1, max_length=80)]
    view: View
    client: ClientPart = ClientPart()
    load_kg: Annotated[float, Field(ge=0, le=1000)] | None = None
    tempo: str | None = None
    pattern: Literal["one_and_a_half"] | None = None
    machine: Annotated[str, Field(max_length=80)] | None = None
    marks_taken_over: bool = False
    scale: ScalePart | None = None
    marks: MarksPart = MarksPart()
    seeds: list[SeedPart] = []
    swaps: list[tuple[Annotated[int, Field(ge=0)], Annotated[int, Field(ge=0)]]] = []
    subject: SubjectPart | None = None
    hidden: list[str] = []
    held: list[str] = []


@dataclass(frozen=True)
class Brief:
    """A checked brief; seed points carry their side in their name."""

    file: BriefFile
    tempo: Tempo | None
    seeds: tuple[tuple[int, dict[str, Pixel]], ...]


def read_brief(path: Path) -> Brief:
    """Read and check a brief. Raises BadBrief with one line saying what is wrong and where."""
    return check_brief(read_json(path, "brief"))


def read_client(path: Path) -> ClientPart:
    """Read and check a client's record, the brief's client part alone. Raises BadBrief."""
    return check_client(read_json(path, "client file"))


def check_client(data: object) -> ClientPart:
    """Check a parsed client's record. Raises BadBrief."""
    try:
        return ClientPart.model_validate(data)
    except ValidationError as error:
        raise BadBrief(_sentence("client file", error)) from error


def read_json(path: Path, what: str, largest: int = LARGEST_BRIEF_BYTES, refused: type[DeepMirrorError] = BadBrief) -> object:
    """What a JSON file from outside holds, unchecked; `what` names it. Raises `refused` with one line."""
    try:
        if path.stat().st_size > largest:
            raise refused(say("The {what} “{name}” is too large to be one.", what=what, name=path.name))
        return json.loads(path.read_text("utf-8"))
    except OSError as error:
        raise refused(say("The {what} “{path}” cannot be read: {error}.", what=what, path=path, error=error.strerror or error)) from error
    except (ValueError, RecursionError) as error:
        raise refused(say("The {what} “{name}” is not valid JSON: {error}.", what=what, name=path.name, error=error)) from error


def _sentence(what: str, error: ValidationError) -> str:
    first = error.errors()[0]
    place = ".".join(str(p) for p in first["loc"]) or "the whole"
    return say("The {what} is not right at {place}: {msg}.", what=what, place=place, msg=first["msg"])


def check_brief(data: object) -> Brief:
    """Check a parsed brief. Raises BadBrief."""
    try:
        file = BriefFile.model_validate(data)
    except ValidationError as error:
        raise BadBrief(_sentence("brief", error)) from error
    try:
        tempo = parse_tempo(file.tempo) if file.tempo else None
    except ValueError as error:
        raise BadBrief(str(error)) from error
    return Brief(file, tempo, tuple((s.frame, named_points(s.points_px, file.view)) for s in file.seeds))


def named_points(points: dict[str, Pixel], view: str) -> dict[str, Pixel]:
    """Seed points with full names: a name without a side means the near side. Raises BadBrief for unknown names."""
    near, out = near_side(view), {}
    known = {sided(j, s) for j in JOINTS for s in SIDES} | set(FREE_POINTS)
    for name, xy in points.items():
        full = sided(name, near) if name in JOINTS and near else name
        if full not in known:
            extra = " (front and rear views need _left or _right)" if name in JOINTS else ""
            raise BadBrief(say("The brief seeds a point called “{name}”, which is not a body point{extra}.", name=name, extra=extra))
        out[full] = xy
    return out


def brief_schema() -> Document:
    """The brief's JSON Schema (draft 2020-12), made from the checks themselves."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **BriefFile.model_json_schema()}
