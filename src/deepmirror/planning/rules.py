"""The defaults planning goes by (data/rules.toml), and a client's own values in their place."""

from __future__ import annotations

import tomllib
from functools import lru_cache
from importlib import resources

from pydantic import BaseModel, ConfigDict, TypeAdapter, ValidationError

from deepmirror.errors import BadPlan
from deepmirror.words import say

RULES_FILE = "rules.toml"


class RuleText(BaseModel):
    """One default: its value, what it counts, where it comes from."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    value: float
    unit: str
    source: str


class Rules(BaseModel):
    """The values, by the names of rules.toml."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    clean_share_min: float
    range_loss_max_pct: float
    pain_max: float
    pain_stop: float
    usual_rise_max_share: float
    lower_by_least_share: float
    lower_by_most_share: float
    away_days: float
    away_share: float
    ease_rir: float
    lighter_every_least: float
    lighter_every_most: float
    lighter_sets_share: float
    lighter_load_share: float
    lighter_load_least_share: float
    lighter_rir: float
    back_share: float
    decline_share: float
    decline_rir: float
    hard_rir_max: float
    hard_reps_min: float
    hard_reps_max: float
    helper_sets: float
    novice_sets_min: float
    novice_sets_max: float
    trained_sets_min: float
    trained_sets_max: float
    days_apart: float
    film_safety_days: float
    film_range_days: float
    film_polish_days: float
    film_clean_days: float
    film_two_clean_days: float
    film_load_share: float
    films_a_session: float
    films_missed: float
    slowest_lowering_s: float
    silent_days: float


@lru_cache(maxsize=1)
def rule_texts() -> dict[str, RuleText]:
    """Every default with its unit and source."""
    data = (resources.files("deepmirror.planning") / "data" / RULES_FILE).read_text("utf-8")
    return TypeAdapter(dict[str, RuleText]).validate_python(tomllib.loads(data))


@lru_cache(maxsize=32)
def _with(own: tuple[tuple[str, float], ...]) -> Rules:
    values = {name: text.value for name, text in rule_texts().items()} | dict(own)
    try:
        return Rules.model_validate(values)
    except ValidationError as error:
        first = error.errors()[0]
        raise BadPlan(say("The rule “{p}” is not right: {msg}.", p=".".join(str(p) for p in first["loc"]), msg=first["msg"])) from error


def rules_for(own: dict[str, float]) -> Rules:
    """The defaults with a client's own values in their place. Raises BadPlan for a name that is no rule."""
    return _with(tuple(sorted(own.items())))
