"""The library's tables. Large things (films, evidence, replies) lie beside the database as files."""

from __future__ import annotations

import json

from sqlalchemy import Boolean, Dialect, ForeignKey, Index, String, Text, TypeDecorator, UniqueConstraint, false
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from deepmirror.words import from_kept, to_kept


class Sentence(TypeDecorator[str]):
    """A text that somebody reads; one made of a pattern is kept as JSON with its parts, so that it can still be said in another
    language when it is read back."""

    impl = Text
    cache_ok = True

    def process_bind_param(self, value: str | None, dialect: Dialect) -> str | None:
        kept = None if value is None else to_kept(value)
        return json.dumps(kept, ensure_ascii=False) if isinstance(kept, dict) else kept

    def process_result_value(self, value: str | None, dialect: Dialect) -> str | None:
        if value is None or not value.startswith(SENTENCE_BEGINS):
            return value
        try:
            return from_kept(json.loads(value))
        except (ValueError, LookupError, TypeError, AttributeError):  # no sentence of ours, though it begins like one
            return value


SENTENCE_BEGINS = '{"pattern": '


class Base(DeclarativeBase):
    """Base of all tables."""


class ClientRow(Base):
    """A client: name, the body as JSON in the brief's form, a note, and whether she is archived."""

    __tablename__ = "client"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    body_json: Mapped[str] = mapped_column(Text, default="{}")
    note: Mapped[str] = mapped_column(Text, default="")
    archived: Mapped[bool] = mapped_column(Boolean, default=False, server_default=false())


class ClientChangeRow(Base):
    """One change of a client's record: when, what, and the record as it was afterwards."""

    __tablename__ = "client_change"

    id: Mapped[int] = mapped_column(primary_key=True)
    client_id: Mapped[int] = mapped_column(ForeignKey("client.id", ondelete="CASCADE"), index=True)
    at: Mapped[str] = mapped_column(String(40))
    label: Mapped[str] = mapped_column(Sentence)
    body_json: Mapped[str] = mapped_column(Text)


class FilmRow(Base):
    """A film: where it lies, whose it is, the coach's brief and what has become of it. Times are ISO 8601 in UTC."""

    __tablename__ = "film"
    __table_args__ = (Index("ix_film_arrived", "arrived_at"), Index("ix_film_client", "client_id"), {"sqlite_autoincrement": True})

    id: Mapped[int] = mapped_column(primary_key=True)
    client_id: Mapped[int] = mapped_column(ForeignKey("client.id", ondelete="CASCADE"))
    sha256: Mapped[str] = mapped_column(String(64), unique=True)
    file: Mapped[str] = mapped_column(String(300))
    original_name: Mapped[str] = mapped_column(String(300))
    arrived_at: Mapped[str] = mapped_column(String(40))
    due_at: Mapped[str] = mapped_column(String(40), default="")
    note: Mapped[str] = mapped_column(Text, default="")
    brief_json: Mapped[str] = mapped_column(Text)
    state: Mapped[str] = mapped_column(String(20), default="new")
    line: Mapped[str] = mapped_column(Sentence, default="")
    turns_json: Mapped[str] = mapped_column(Text, default="[]")
    draft_json: Mapped[str] = mapped_column(Text, default="")
    set_json: Mapped[str] = mapped_column(Text, default="{}")


class BriefStepRow(Base):
    """One edit of a film's brief: what it was called and the brief after it; the edits not undone are those with done = 1."""

    __tablename__ = "brief_step"

    id: Mapped[int] = mapped_column(primary_key=True)
    film_id: Mapped[int] = mapped_column(ForeignKey("film.id", ondelete="CASCADE"), index=True)
    label: Mapped[str] = mapped_column(Sentence)
    brief_json: Mapped[str] = mapped_column(Text)
    done: Mapped[bool] = mapped_column(default=True)


class RemovalRow(Base):
    """Something of a deleted client's that must still go: a file or folder of the library, or her rows in a backup."""

    __tablename__ = "removal"

    id: Mapped[int] = mapped_column(primary_key=True)
    path: Mapped[str] = mapped_column(Text)
    client_id: Mapped[int | None] = mapped_column(nullable=True)


class ArrivalRow(Base):
    """Something that came in: a bundle or a bare film, and what became of it."""

    __tablename__ = "arrival"

    id: Mapped[int] = mapped_column(primary_key=True)
    letter: Mapped[str] = mapped_column(String(300))
    name: Mapped[str] = mapped_column(String(300))
    sha256: Mapped[str] = mapped_column(String(64), index=True)
    file: Mapped[str] = mapped_column(String(400), default="")
    came_at: Mapped[str] = mapped_column(String(40))
    state: Mapped[str] = mapped_column(String(20))
    sentence: Mapped[str] = mapped_column(Text, default="")
    told_json: Mapped[str] = mapped_column(Text, default="{}")
    film_id: Mapped[int | None] = mapped_column(ForeignKey("film.id", ondelete="CASCADE"), nullable=True)


class ReplyRow(Base):
    """A reply or a request as it was sent: its folder, its files with their hashes, its words."""

    __tablename__ = "reply"

    id: Mapped[int] = mapped_column(primary_key=True)
    film_id: Mapped[int] = mapped_column(ForeignKey("film.id", ondelete="CASCADE"), index=True)
    kind: Mapped[str] = mapped_column(String(20))
    made_at: Mapped[str] = mapped_column(String(40))
    folder: Mapped[str] = mapped_column(String(300))
    files_json: Mapped[str] = mapped_column(Text, default="{}")
    reply_json: Mapped[str] = mapped_column(Text, default="{}")
    state: Mapped[str] = mapped_column(String(20), default="kept")
    sentence: Mapped[str] = mapped_column(Text, default="")


class WatchRow(Base):
    """A correction that was sent and is watched on the client's next films."""

    __tablename__ = "watch"

    id: Mapped[int] = mapped_column(primary_key=True)
    client_id: Mapped[int] = mapped_column(ForeignKey("client.id", ondelete="CASCADE"), index=True)
    film_id: Mapped[int] = mapped_column(ForeignKey("film.id", ondelete="CASCADE"))
    movement: Mapped[str] = mapped_column(String(80))
    opened_at: Mapped[str] = mapped_column(String(40))
    state: Mapped[str] = mapped_column(String(20), default="open")
    item_json: Mapped[str] = mapped_column(Text)


class WatchLookRow(Base):
    """What a later film says of a watched correction."""

    __tablename__ = "watch_look"
    __table_args__ = (UniqueConstraint("watch_id", "film_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    watch_id: Mapped[int] = mapped_column(ForeignKey("watch.id", ondelete="CASCADE"), index=True)
    film_id: Mapped[int] = mapped_column(ForeignKey("film.id", ondelete="CASCADE"))
    at: Mapped[str] = mapped_column(String(40))
    look_json: Mapped[str] = mapped_column(Text)


class PhraseRow(Base):
    """Words the coach used before, to be used again: for which field, for which fault ("" for any)."""

    __tablename__ = "phrase"
    __table_args__ = (UniqueConstraint("field", "code", "text"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    field: Mapped[str] = mapped_column(String(40))
    code: Mapped[str] = mapped_column(String(80), default="")
    text: Mapped[str] = mapped_column(Text)
    used: Mapped[int] = mapped_column(default=1)


class SettingRow(Base):
    """What the coach set for the whole library, as JSON."""

    __tablename__ = "setting"

    key: Mapped[str] = mapped_column(String(80), primary_key=True)
    value: Mapped[str] = mapped_column(Text)


class TrainingRow(Base):
    """What a client trains with and by: level, equipment, plan, readiness screen, as JSON; one row a client."""

    __tablename__ = "training"

    client_id: Mapped[int] = mapped_column(ForeignKey("client.id", ondelete="CASCADE"), primary_key=True)
    record_json: Mapped[str] = mapped_column(Text, default="{}")


class TrainingStepRow(Base):
    """One edit of a client's training: what it was called and the record after it; the edits not undone are those with done = 1."""

    __tablename__ = "training_step"

    id: Mapped[int] = mapped_column(primary_key=True)
    client_id: Mapped[int] = mapped_column(ForeignKey("client.id", ondelete="CASCADE"), index=True)
    label: Mapped[str] = mapped_column(Sentence)
    record_json: Mapped[str] = mapped_column(Text)
    done: Mapped[bool] = mapped_column(default=True)


class PlanTemplateRow(Base):
    """A plan without a client, to begin others from."""

    __tablename__ = "plan_template"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120), unique=True)
    plan_json: Mapped[str] = mapped_column(Text)


class DoneSetRow(Base):
    """One set as it was done. Days are ISO 8601; source: film, client, coach, import or demo; gone: taken out, kept for the history."""

    __tablename__ = "done_set"
    __table_args__ = (Index("ix_done_set_client", "client_id", "day"), Index("ix_done_set_film", "film_id"))

    id: Mapped[int] = mapped_column(primary_key=True)
    client_id: Mapped[int] = mapped_column(ForeignKey("client.id", ondelete="CASCADE"))
    day: Mapped[str] = mapped_column(String(10))
    movement: Mapped[str] = mapped_column(String(80))
    side: Mapped[str] = mapped_column(String(8), default="both")
    kind: Mapped[str] = mapped_column(String(12), default="work")
    load_kg: Mapped[float | None] = mapped_column(nullable=True)
    reps: Mapped[int | None] = mapped_column(nullable=True)
    clean_reps: Mapped[int | None] = mapped_column(nullable=True)
    partial_reps: Mapped[int | None] = mapped_column(nullable=True)
    rir: Mapped[float | None] = mapped_column(nullable=True)
    pain: Mapped[float | None] = mapped_column(nullable=True)
    pain_next_morning: Mapped[float | None] = mapped_column(nullable=True)
    tempo: Mapped[str] = mapped_column(String(40), default="")
    rest_s: Mapped[int | None] = mapped_column(nullable=True)
    settings_json: Mapped[str] = mapped_column(Text, default="{}")
    note: Mapped[str] = mapped_column(Text, default="")
    film_id: Mapped[int | None] = mapped_column(ForeignKey("film.id", ondelete="SET NULL"), nullable=True)
    form_json: Mapped[str] = mapped_column(Text, default="")
    lighter: Mapped[bool] = mapped_column(default=False)
    source: Mapped[str] = mapped_column(String(12), default="coach")
    gone: Mapped[bool] = mapped_column(default=False)


class DoneSetChangeRow(Base):
    """One change of a done set: when, what, and the set as it was before."""

    __tablename__ = "done_set_change"

    id: Mapped[int] = mapped_column(primary_key=True)
    done_set_id: Mapped[int] = mapped_column(ForeignKey("done_set.id", ondelete="CASCADE"), index=True)
    at: Mapped[str] = mapped_column(String(40))
    label: Mapped[str] = mapped_column(Sentence)
    before_json: Mapped[str] = mapped_column(Text)


class PainEntryRow(Base):
    """Pain noted at a place on a day, what else was noted, and whether it is a clinician's word."""

    __tablename__ = "pain_entry"

    id: Mapped[int] = mapped_column(primary_key=True)
    client_id: Mapped[int] = mapped_column(ForeignKey("client.id", ondelete="CASCADE"), index=True)
    day: Mapped[str] = mapped_column(String(10))
    place: Mapped[str] = mapped_column(String(200))
    level: Mapped[float | None] = mapped_column(nullable=True)
    next_morning: Mapped[float | None] = mapped_column(nullable=True)
    signs_json: Mapped[str] = mapped_column(Text, default="[]")
    clinician: Mapped[bool] = mapped_column(default=False)
    note: Mapped[str] = mapped_column(Text, default="")


class GateOverrideRow(Base):
    """The coach's own decision against the form gate: who, when, why, and which reason of the gate."""

    __tablename__ = "gate_override"

    id: Mapped[int] = mapped_column(primary_key=True)
    client_id: Mapped[int] = mapped_column(ForeignKey("client.id", ondelete="CASCADE"), index=True)
    day: Mapped[str] = mapped_column(String(10))
    movement: Mapped[str] = mapped_column(String(80))
    code: Mapped[str] = mapped_column(String(80))
    who: Mapped[str] = mapped_column(String(200))
    why: Mapped[str] = mapped_column(Text)
