"""What a movement definition may say. Definitions are text files a coach can read; this module checks them."""

from __future__ import annotations

from math import pi, radians
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from deepmirror.core.measures.spec import Belongs, MeasureSpec, ViewKind
from deepmirror.core.measures.table import MEASURES
from deepmirror.core.uncertain_value import Band, bare_unit
from deepmirror.core.views import TrunkTurn, facing
from deepmirror.words import say

# Bounds are wide: they keep out what would break the arithmetic, not what is unusual.
Positive = Annotated[float, Field(gt=0, le=1000)]
Share = Annotated[float, Field(ge=-3, le=3)]
Angle = Annotated[float, Field(ge=-360, le=360)]

Severity = Literal["safety", "range", "tension", "polish"]


MarkKind = Literal[
    "pad_line",
    "seat_line",
    "back_pad",
    "bench_edge",
    "pivot",
    "roller",
    "rail",
    "stack",
    "platform",
    "floor_line",
    "waistband",
    "mid_back",
    "bar",
]


class Strict(BaseModel):
    """No unknown keys: a misspelt one must not pass silently."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


class Target(Strict):
    """A band with where it comes from; an absent end is open."""

    low: Annotated[float, Field(ge=-1e4, le=1e4)] | None = None
    high: Annotated[float, Field(ge=-1e4, le=1e4)] | None = None
    source: str

    @model_validator(mode="after")
    def _has_an_end(self) -> Target:
        if self.low is None and self.high is None:
            raise ValueError("a target needs low, high or both")
        return self

    def band(self) -> Band:
        return Band(self.low, self.high)


CauseKind = Literal["fatigue", "load", "machine_fit", "position", "ankle", "hip", "build", "habit", "stance"]


class Cause(Strict):
    """One probable cause of a fault: how it is said, and of what kinds it is, which is what evidence speaks for."""

    words: str
    kinds: list[CauseKind] = []


class FaultWords(Strict):
    """What of a fault's text is said otherwise in one family of movements."""

    title: str | None = None
    told: str | None = None
    why: str | None = None
    cue: str | None = None
    change: str | None = None
    film_next: str | None = None
    held: str | None = None
    drill: str | None = None
    causes: list[Cause] | None = None


class FaultText(Strict):
    """How a fault is explained: shared by all movements that can show it, but for what a family of them says otherwise.

    title: as the coach reads it; told: as the client does, where that is another.
    """

    title: str
    told: str = ""
    severity: Severity
    why: str
    cue: str
    change: str
    film_next: str
    held: str
    drill: str = ""
    causes: list[Cause] = Field(min_length=1)
    family: dict[str, FaultWords] = {}

    def said_in(self, family: str) -> FaultText:
        """The text as a family of movements says it."""
        return self.saying(self.family.get(family))

    def saying(self, own: FaultWords | None) -> FaultText:
        """The same with what is said otherwise."""
        return self if own is None else self.model_copy(update={k: v for k, v in own if v is not None})


Asked = Literal["always", "no_timed_lift", "no_quick_lift"]


class Fault(Strict):
    """A fault of one movement: which measure shows it, against which target."""

    code: str
    measure: str
    unit: str
    views: list[ViewKind]
    targets: dict[str, Target]
    school: str
    limit_u: Positive
    group: str | None = None
    safe: Target | None = None  # outside this band it is a matter of safety, whatever the text's own severity
    praised: Target | None = None  # said well of inside this band only; absent: wherever it is within its target
    reported: str | None = None  # the code it is reported under: another way to see the same fault
    topic: str | None = None  # the topic its schools belong to, where several faults hang on one choice
    asked: Asked = "always"  # judged only where the prescription leaves it open
    eased: Target | None = None  # the target where no hold is prescribed at the bottom: a quick turn is then as asked
    pain_is_safety: bool = False  # a matter of safety for a client whose knees hurt
    cue: str | None = None
    change: str | None = None

    @model_validator(mode="after")
    def _known(self) -> Fault:
        spec = MEASURES.get(self.measure)
        if spec is None:
            raise ValueError(say("no measure is called {measure}", measure=self.measure))
        if unseen := [view for view in self.views if view not in spec.views]:
            raise ValueError(say("{measure} does not show in a {unseen} film", measure=self.measure, unseen=unseen[0]))
        if bare_unit(self.unit) != bare_unit(spec.unit):
            raise ValueError(
                say(
                    "{measure} is counted in {unit}, not in {unit2}",
                    measure=self.measure,
                    unit=spec.unit or "no unit",
                    unit2=self.unit or "none",
                )
            )
        if self.school not in self.targets:
            raise ValueError(say("the default school {school} has no target", school=self.school))
        return self


class Believe(Strict):
    """Multipliers of the sigma of what was followed of one joint: 1 is as measured, 4 is hardly believed."""

    step: Positive = 1.0
    match: Positive = 1.0


Pattern = Literal[
    "squat",
    "press",
    "lunge",
    "knee_extension",
    "knee_flexion",
    "hinge",
    "hip_extension",
    "abduction",
    "calf_straight",
    "calf_bent",
    "pull",
    "push",
    "trunk",
]
Implement = Literal["bar", "dumbbell", "stack", "sled", "body"]
Muscle = Literal["quadriceps", "glutes", "hamstrings", "calves", "abductors", "back", "chest", "abdominals"]


class Training(Strict):
    """What planning knows of a movement. Movers and helpers: common practice, no source.

    implements: what may load it, the usual one first; sled: anything with plates and a mass of its own.
    """

    pattern: Pattern
    implements: list[Implement] = Field(min_length=1)
    movers: list[Muscle] = Field(min_length=1)
    helpers: list[Muscle] = []
    many_joint: bool = False
    one_hand: bool = False  # one dumbbell is held, not a pair
    body_share: Annotated[float, Field(ge=0, le=1)] = 0.0  # of the body mass that is moved


class Movement(Strict):
    """One movement or machine."""

    id: str = Field(pattern=r"^[a-z0-9_]+$")
    title: str
    family: str
    views: list[ViewKind]
    first_phase: Literal["eccentric", "concentric"]
    signal: str
    signal_sign: Literal[-1, 1] = 1
    min_range_deg: Annotated[float, Field(gt=0, le=360)]
    standing: bool = False
    prone: bool = False  # lies level and face down throughout: who stands in the picture is somebody else
    reclines_deg: Annotated[float, Field(ge=0, le=90)] = 0.0  # a pad leans the trunk back about so far: who stands upright is hardly her
    foot_held: bool = False  # the foot lies against a roller and keeps its angle to the shank
    foot_seen: tuple[Share, Share] = (0.0, 1.1)  # part of the near shoe that shows, heel 0 to toe 1
    bar_on_back: bool = False  # plates may hide the shoulder: they are followed for themselves
    hands_pass: Annotated[float, Field(ge=0, le=3)] = (
        0.0  # what the hands carry passes before the legs: how far it reaches from the wrist, share of the shank
    )
    # What the heels lift, the knee alone or all that is above it: that tells the reps better than a small foot does.
    heels_lift: Literal["knee", "body"] | None = None
    steps: bool = False  # the feet travel between reps; else a rep while they travel is walking out or racking
    front_leg_near: bool = False  # filmed from the side of the leg in front, which does the work
    takes_turns: bool = False  # left and right leg lead by turns
    platform_moves: bool = False  # the feet stand on something that moves with them
    one_leg: bool = False  # one film shows one leg's set; left and right are compared over two films
    front_signal: str | None = None  # what counts reps in front and rear films; knee bend when absent
    start: str = ""
    marks: list[MarkKind] = []
    equipment: list[Literal["bench", "seated", "bar", "platform"]] = []  # what is there besides what can be marked or loaded
    shares: list[str] = []
    easier: list[str] = []
    harder: list[str] = []
    instead: list[str] = []
    disputed: list[str] = []
    opening: dict[Literal["thigh", "shank", "foot", "stance"], tuple[Angle, Positive]] = {}
    trust: dict[str, Believe] = {}
    setup: list[str] = []
    numbers: list[str] = []  # measures listed beside its films although it is not judged by them
    words: dict[str, FaultWords] = {}  # what this movement says otherwise than its family, by fault or group
    breathing: str = Field("Breathe in and brace before each rep; breathe out past its hardest part.", min_length=10)
    cautions: list[str]
    training: Training | None = None  # absent in a coach's own definition: it is planned by its last loads and counts for no muscle
    fault: list[Fault] = []

    @model_validator(mode="after")
    def _known_numbers(self) -> Movement:
        if unknown := [name for name in self.numbers if name not in MEASURES]:
            raise ValueError(say("no measure is called {measure}", measure=unknown[0]))
        return self

    def lists(self, measure: MeasureSpec) -> bool:
        """Whether a measure stands among the numbers beside this movement's films: a heel's rise says nothing of one who is seated."""
        if not measure.listed:
            return False
        if measure.belongs is Belongs.ANYWHERE or (measure.belongs is Belongs.STANDING and self.standing):
            return True
        return measure.name in self.numbers or any(fault.measure == measure.name for fault in self.fault)

    def lying_turn(self, view: str) -> TrunkTurn | None:
        """How the trunk of one who lies or leans back on a pad is turned in a view's picture; None where nobody does."""
        if not facing(view) or not (self.prone or self.reclines_deg):
            return None
        return TrunkTurn(facing(view) * (pi / 2 if self.prone else -radians(self.reclines_deg)), self.prone)

    @property
    def feet_stand(self) -> bool:
        """Whether a set's feet are meant to stay where they stand."""
        return self.standing and not self.steps

    @property
    def near_foot_stands(self) -> bool:
        """Whether the foot nearer to the camera is one that stands through a rep: of both, or the front one where that side is filmed."""
        return (self.feet_stand and not self.one_leg) or self.front_leg_near

    @property
    def foot_carried(self) -> bool:
        """Whether a roller or a sled moves the foot along: one that turns at the ankle on the sled moves by itself."""
        return self.foot_held or (self.platform_moves and "ankle" not in self.signal)
