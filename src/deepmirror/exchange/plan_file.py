"""A client's training as one JSON file: plan, equipment, history and pain in; the next session out.

Unknown keys are ignored, so that files of newer versions still open; what is wrong is said in one line. Masses are kilograms.
"""

from __future__ import annotations

from datetime import date
from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from deepmirror.documents import Document
from deepmirror.errors import BadPlan
from deepmirror.exchange.brief import ClientPart, OpenPart, TempoText, read_json
from deepmirror.planning import records as r
from deepmirror.words import say

LARGEST_BYTES = 50_000_000
Kilograms = Annotated[float, Field(ge=0, le=1000)]
Day = Literal["mon", "tue", "wed", "thu", "fri", "sat", "sun"]
Side = Literal["both", "left", "right"]
Pain = Annotated[float, Field(ge=0, le=10)]
Reps = Annotated[int, Field(ge=0, le=500)]
Name = Annotated[str, Field(min_length=1, max_length=80)]
Pieces = list[tuple[Annotated[float, Field(gt=0, le=100)], Annotated[int, Field(ge=0, le=200)]]]
Rule = Annotated[float, Field(ge=0, le=100)]
FIRST_DAY, LAST_DAY = date(1970, 1, 1), date(2199, 12, 31)  # outside, a date is a slip of the pen
On = Annotated[date, Field(ge=FIRST_DAY, le=LAST_DAY)]


class TraineePart(OpenPart):
    """Who lifts; the keys of a brief's client part (stature, lengths …) may stand here too and tell what this body can reach."""

    name: Annotated[str, Field(max_length=200)] = ""
    mass_kg: Annotated[float, Field(ge=15, le=400)] | None = None
    level: Literal["novice", "trained"] = "novice"
    units: Literal["metric", "imperial"] = "metric"
    rules: dict[str, Rule] = {}


class StackPart(OpenPart):
    pins_kg: Annotated[list[Kilograms], Field(max_length=200)]
    adder_kg: Annotated[float, Field(gt=0, le=50)] | None = None


class SledPart(OpenPart):
    own_kg: Kilograms
    plates_kg: Annotated[Pieces, Field(max_length=40)] = []


class EquipmentPart(OpenPart):
    bar_kg: Annotated[float, Field(gt=0, le=100)] | None = None
    plates_kg: Annotated[Pieces, Field(max_length=40)] = []
    dumbbells_kg: Annotated[list[Annotated[float, Field(gt=0, le=200)]], Field(max_length=200)] = []
    stacks: dict[str, StackPart] = {}
    sleds: dict[str, SledPart] = {}


class ExercisePart(OpenPart):
    movement: Name
    sets: Annotated[int, Field(ge=1, le=30)]
    reps: tuple[Annotated[int, Field(ge=1, le=100)], Annotated[int, Field(ge=1, le=100)]]
    rir: Annotated[float, Field(ge=0, le=10)] = 2
    tempo: TempoText = ""
    rest_s: Annotated[int, Field(ge=0, le=1800)] = 120
    implement: Literal["bar", "dumbbell", "stack", "sled", "body"] | None = None
    sides: Literal["both", "each", "weaker_first"] = "both"
    rule: Literal["double", "linear", "effort", "reps_first", "tempo_first"] = "double"
    step_kg: Annotated[float, Field(gt=0, le=100)] | None = None
    note: Annotated[str, Field(max_length=1000)] = ""
    link: Literal["", "superset", "alternated", "straight_after"] = ""

    @model_validator(mode="after")
    def _ordered(self) -> ExercisePart:
        if self.reps[0] > self.reps[1]:
            raise ValueError(say("the repetitions go from {reps} down to {reps2}", reps=self.reps[0], reps2=self.reps[1]))
        return self


class SessionPart(OpenPart):
    day: Day
    exercises: Annotated[list[ExercisePart], Field(min_length=1, max_length=40)]
    name: Annotated[str, Field(max_length=120)] = ""
    order_reason: Annotated[str, Field(max_length=400)] = ""


class PlanPart(OpenPart):
    start: On
    weeks: Annotated[int, Field(ge=1, le=104)] = 6
    days: list[Day] = []
    sessions: Annotated[list[SessionPart], Field(min_length=1, max_length=14)]


class FindingPart(OpenPart):
    code: Name
    severity: Literal["safety", "range", "tension", "polish"]
    open: bool = True
    cause: str = ""


class FormPart(OpenPart):
    findings: list[FindingPart] = []
    range_loss_pct: Annotated[float, Field(ge=-100, le=100)] | None = None
    told: bool = True
    view: str = ""
    cleared: list[str] | None = None


class DonePart(OpenPart):
    date: On
    movement: Name
    side: Side = "both"
    load_kg: Kilograms
    reps: Reps
    clean_reps: Reps | None = None
    rir: Annotated[float, Field(ge=0, le=30)] | None = None
    kind: Literal["work", "warmup", "backoff", "drop"] = "work"
    pain: Pain | None = None
    pain_next_morning: Pain | None = None
    form: FormPart | None = None
    lighter: bool = False
    tempo: Annotated[str, Field(max_length=40)] = ""
    rest_s: Annotated[int, Field(ge=0, le=7200)] | None = None
    note: Annotated[str, Field(max_length=4000)] = ""

    @model_validator(mode="after")
    def _clean_are_some(self) -> DonePart:
        if self.clean_reps is not None and self.clean_reps > self.reps:
            raise ValueError(say("{clean_reps} clean repetitions of {reps}", clean_reps=self.clean_reps, reps=self.reps))
        return self


class PainPart(OpenPart):
    date: On
    where: Annotated[str, Field(min_length=1, max_length=200)]
    level: Pain | None = None
    signs: list[Annotated[str, Field(max_length=200)]] = []
    next_morning: Pain | None = None
    clinician: bool = False


class OverridePart(OpenPart):
    date: On
    movement: Name
    code: Name
    who: Annotated[str, Field(min_length=1, max_length=200)]
    why: Annotated[str, Field(min_length=1, max_length=1000)]


class PlanFile(OpenPart):
    """The whole file."""

    client: TraineePart = TraineePart()
    equipment: EquipmentPart = EquipmentPart()
    plan: PlanPart
    history: Annotated[list[DonePart], Field(max_length=200_000)] = []
    pain: Annotated[list[PainPart], Field(max_length=20_000)] = []
    overrides: Annotated[list[OverridePart], Field(max_length=20_000)] = []

    def record(self) -> r.TrainingRecord:
        """The file as planning reads it."""
        return r.TrainingRecord(
            trainee_of(self.client),
            equipment_of(self.equipment),
            plan_of(self.plan),
            tuple(done_of(p) for p in self.history),
            tuple(r.PainEntry(p.date, p.where, p.level, tuple(p.signs), p.next_morning, p.clinician) for p in self.pain),
            tuple(r.Override(o.date, o.movement, o.code, o.who, o.why) for o in self.overrides),
        )


def trainee_of(part: TraineePart) -> r.Trainee:
    return r.Trainee(part.name, part.mass_kg, part.level == "trained", part.units == "imperial", part.rules)


def equipment_of(part: EquipmentPart) -> r.Equipment:
    stacks = {name: r.Stack(tuple(s.pins_kg), s.adder_kg) for name, s in part.stacks.items()}
    sleds = {name: r.Sled(s.own_kg, tuple(s.plates_kg)) for name, s in part.sleds.items()}
    return r.Equipment(part.bar_kg, tuple(part.plates_kg), tuple(part.dumbbells_kg), stacks, sleds)


def exercise_of(part: ExercisePart) -> r.Exercise:
    rule, each = r.ProgressRule(part.rule), part.sides != "both"
    how = (part.tempo, part.rest_s, part.implement or "", each, rule, part.step_kg, part.note, part.link)
    return r.Exercise(part.movement, part.sets, part.reps, part.rir, *how)


def plan_of(part: PlanPart) -> r.Plan:
    """The plan as planning reads it; two sessions on one day are one, in their order."""
    days: dict[str, r.SessionPlan] = {}
    for s in part.sessions:
        exercises, before = tuple(map(exercise_of, s.exercises)), days.get(s.day)
        days[s.day] = r.SessionPlan(
            s.day, ((before.exercises if before else ()) + exercises), before.name if before else s.name, s.order_reason
        )
    return r.Plan(part.start, part.weeks, tuple(days.values()))


def done_of(part: DonePart) -> r.DoneSet:
    form = None
    if part.form is not None:
        found = tuple(r.FormFinding(f.code, f.severity, f.open, f.cause) for f in part.form.findings)
        cleared = tuple(part.form.cleared) if part.form.cleared is not None else None
        form = r.FilmForm(found, part.form.range_loss_pct, part.form.told, part.form.view, cleared)
    clean = part.reps if part.clean_reps is None else part.clean_reps
    what = (part.date, part.movement, part.side, part.load_kg, part.reps, clean, part.rir, r.Kind(part.kind))
    return r.DoneSet(*what, part.pain, part.pain_next_morning, form, part.lighter)


def read_plan_file(path: Path) -> tuple[PlanFile, ClientPart]:
    """Read and check a client's training, and what the file says of her body. Raises BadPlan with one line."""
    return check_plan_file(read_json(path, "training", LARGEST_BYTES, BadPlan), path.name)


def check_plan_file(data: object, name: str = "the file") -> tuple[PlanFile, ClientPart]:
    """Check parsed JSON. Raises BadPlan."""
    try:
        file = PlanFile.model_validate(data)
        body = ClientPart.model_validate(data.get("client", {}) if isinstance(data, dict) else {})
    except ValidationError as error:
        raise BadPlan(say("“{name}” is not right at {said}.", name=name, said=said(error))) from error
    return file, body


def said(error: ValidationError) -> str:
    """The first thing wrong, with its place."""
    first = error.errors()[0]
    return say("{p}: {msg}", p=".".join(str(p) for p in first["loc"]) or "the whole", msg=first["msg"])


class OutModel(BaseModel):
    """What is written; the schema of the answer is made from it."""

    model_config = ConfigDict(frozen=True)


class WorkOut(OutModel):
    load_kg: float
    per_side_kg: list[float] | None = None
    reps: tuple[int, int]
    rir: float
    sets: int


class WarmUpOut(OutModel):
    load_kg: float
    per_side_kg: list[float] | None = None
    reps: tuple[int, int]


class RangeOut(OutModel):
    low: float
    high: float
    at_least: bool = False
    doubtful: bool = False


class FilmOut(OutModel):
    ask: bool
    view: str
    why: str


class LiftOut(OutModel):
    movement: str
    side: Side
    work: list[WorkOut]
    warmup: list[WarmUpOut]
    change: Literal["raise", "hold", "lower", "first", "substitute", "stop"]
    gate: Literal["open", "closed", "cannot_tell"]
    reasons: list[str]
    e1rm_kg: RangeOut | None
    tempo: str
    rest_s: int
    film: FilmOut
    implement: str
    instead_of: str | None = None
    cue: str | None = None


class StageOut(OutModel):
    region: str
    stage: int
    side: str
    says: str


class DueOut(OutModel):
    movement: str
    by: date
    why: str


class SessionOut(OutModel):
    """The next session as the plan command prints it."""

    date: date
    session: str
    week: int
    lighter_week: bool
    exercises: list[LiftOut]
    weekly_sets: dict[str, float]
    stage: list[StageOut]
    films_due: list[DueOut]
    advice: list[str]

    def document(self) -> Document:
        """As JSON is written: what does not apply (plates of a stack, no substitute) is absent, an absent estimate is null."""
        out = self.model_dump(mode="json")
        for lift in out["exercises"]:
            for row in (*lift["work"], *lift["warmup"]):
                if row["per_side_kg"] is None:
                    del row["per_side_kg"]
            for key in ("instead_of", "cue"):
                if lift[key] is None:
                    del lift[key]
        return out


def plan_schema() -> Document:
    """The JSON Schema of CLIENT.json (draft 2020-12), made from the checks themselves."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **PlanFile.model_json_schema()}


def session_schema() -> Document:
    """The JSON Schema of the plan command's answer."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **SessionOut.model_json_schema(mode="serialization")}


class ScreenPart(OpenPart):
    """The screen before a programme: yes or no by question, numbers by test, and a physician's word with its date."""

    answers: dict[str, bool] = {}
    tests: dict[str, Annotated[float, Field(ge=0, le=180)]] = {}
    physician: Annotated[str, Field(max_length=1000)] = ""
    physician_on: On | None = None


class TrainingPart(OpenPart):
    """What the library keeps of a client's training besides her sets: how it is planned, with what, and the plan itself."""

    level: Literal["novice", "trained"] = "novice"
    rules: dict[str, Rule] = {}
    equipment: EquipmentPart = EquipmentPart()
    plan: PlanPart | None = None
    screen: ScreenPart = ScreenPart()
    reply_days: Annotated[int, Field(ge=1, le=30)] | None = None  # promised to this client, in working days


def check_training(data: object) -> TrainingPart:
    """Check a parsed training record. Raises BadPlan."""
    try:
        return TrainingPart.model_validate(data)
    except ValidationError as error:
        raise BadPlan(say("The training record is not right at {said}.", said=said(error))) from error
