"""The library's tables. Large things (films, evidence, replies) lie beside the database as files."""

from __future__ import annotations

from sqlalchemy import ForeignKey, Index, String, Text
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Base(DeclarativeBase):
    """Base of all tables."""


class ClientRow(Base):
    """A client: name, the body as JSON in the brief's form, and a note."""

    __tablename__ = "client"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    body_json: Mapped[str] = mapped_column(Text, default="{}")
    note: Mapped[str] = mapped_column(Text, default="")


class ClientChangeRow(Base):
    """One change of a client's record: when, what, and the record as it was afterwards."""

    __tablename__ = "client_change"

    id: Mapped[int] = mapped_column(primary_key=True)
    client_id: Mapped[int] = mapped_column(ForeignKey("client.id"), index=True)
    at: Mapped[str] = mapped_column(String(40))
    label: Mapped[str] = mapped_column(String(200))
    body_json: Mapped[str] = mapped_column(Text)


class FilmRow(Base):
    """A film: where it lies, whose it is, the coach's brief and what has become of it. Times are ISO 8601 in UTC."""

    __tablename__ = "film"
    __table_args__ = (Index("ix_film_arrived", "arrived_at"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    client_id: Mapped[int] = mapped_column(ForeignKey("client.id"))
    sha256: Mapped[str] = mapped_column(String(64), unique=True)
    file: Mapped[str] = mapped_column(String(300))
    original_name: Mapped[str] = mapped_column(String(300))
    arrived_at: Mapped[str] = mapped_column(String(40))
    due_at: Mapped[str] = mapped_column(String(40), default="")
    note: Mapped[str] = mapped_column(Text, default="")
    brief_json: Mapped[str] = mapped_column(Text)
    state: Mapped[str] = mapped_column(String(20), default="new")
    line: Mapped[str] = mapped_column(Text, default="")
    turns_json: Mapped[str] = mapped_column(Text, default="[]")
    draft_json: Mapped[str] = mapped_column(Text, default="")
