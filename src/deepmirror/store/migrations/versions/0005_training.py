"""Plans, done sets, pain and overrides; every film that is there gets the done set it shows."""

from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def _id() -> sa.Column[Any]:
    return sa.Column("id", sa.Integer, primary_key=True)


def _client(**more: Any) -> sa.Column[Any]:
    return sa.Column("client_id", sa.Integer, sa.ForeignKey("client.id", ondelete="CASCADE"), nullable=False, **more)


def _text(name: str, length: int | None = None) -> sa.Column[Any]:
    return sa.Column(name, sa.String(length) if length else sa.Text, nullable=False)


def _numbers(*names: str) -> list[sa.Column[Any]]:
    return [sa.Column(name, sa.Float, nullable=True) for name in names]


def _counts(*names: str) -> list[sa.Column[Any]]:
    return [sa.Column(name, sa.Integer, nullable=True) for name in names]


def _flag(name: str) -> sa.Column[Any]:
    return sa.Column(name, sa.Boolean, nullable=False)


def upgrade() -> None:
    op.create_table("training", _client(primary_key=True), _text("record_json"))
    op.create_table("training_step", _id(), _client(index=True), _text("label", 200), _text("record_json"), _flag("done"))
    op.create_table("plan_template", _id(), sa.Column("name", sa.String(120), nullable=False, unique=True), _text("plan_json"))
    op.create_table(
        "done_set",
        *(_id(), _client(), _text("day", 10), _text("movement", 80), _text("side", 8), _text("kind", 12)),
        *_numbers("load_kg"),
        *_counts("reps", "clean_reps", "partial_reps"),
        *_numbers("rir", "pain", "pain_next_morning"),
        *(_text("tempo", 40), *_counts("rest_s"), _text("settings_json"), _text("note")),
        sa.Column("film_id", sa.Integer, sa.ForeignKey("film.id", ondelete="SET NULL"), nullable=True),
        *(_text("form_json"), _flag("lighter"), _text("source", 12), _flag("gone")),
    )
    op.create_index("ix_done_set_client", "done_set", ["client_id", "day"])
    op.create_index("ix_done_set_film", "done_set", ["film_id"])
    op.create_table(
        "done_set_change",
        _id(),
        sa.Column("done_set_id", sa.Integer, sa.ForeignKey("done_set.id", ondelete="CASCADE"), nullable=False, index=True),
        *(_text("at", 40), _text("label", 200), _text("before_json")),
    )
    op.create_table(
        "pain_entry",
        *(_id(), _client(index=True), _text("day", 10), _text("place", 200), *_numbers("level", "next_morning")),
        *(_text("signs_json"), _flag("clinician"), _text("note")),
    )
    op.create_table(
        "gate_override",
        *(_id(), _client(index=True), _text("day", 10), _text("movement", 80), _text("code", 80), _text("who", 200), _text("why")),
    )
    _sets_of_films()


def _sets_of_films() -> None:
    """One done set a film: its movement, load and side as far as its brief tells them; repetitions come when it is read again."""
    brief = "CASE WHEN json_valid(brief_json) THEN brief_json ELSE '{}' END"
    said = "CASE WHEN json_valid(set_json) THEN set_json ELSE '{}' END"
    op.execute(
        "INSERT INTO done_set (client_id, day, movement, side, kind, load_kg, reps, clean_reps, rir, tempo, settings_json, note,"
        " film_id, form_json, lighter, source, gone)"
        f" SELECT client_id, substr(coalesce(json_extract({said}, '$.filmed_at'), arrived_at), 1, 10),"
        f" coalesce(json_extract({brief}, '$.movement'), ''), 'both', 'work', json_extract({brief}, '$.load_kg'),"
        f" json_extract({said}, '$.reps'), NULL, 10 - json_extract({said}, '$.effort'),"
        f" coalesce(json_extract({brief}, '$.tempo'), ''), '{{}}', '', id, '', 0, 'film', 0 FROM film"
    )
