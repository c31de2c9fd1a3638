"""What hangs on a client goes with her; edits of a brief and what must still be removed are kept."""

from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def _key(table: str, nullable: bool = False) -> sa.Column[Any]:
    return sa.Column(f"{table}_id", sa.Integer, sa.ForeignKey(f"{table}.id", ondelete="CASCADE"), nullable=nullable)


def _text(name: str, length: int | None = None) -> sa.Column[Any]:
    return sa.Column(name, sa.String(length) if length else sa.Text, nullable=False)


def _rebuild(
    name: str, *columns: sa.Column[Any], indexes: tuple[str, ...] = (), unique: tuple[str, ...] = (), counted: bool = False
) -> None:
    """SQLite changes a table's keys only in a new table (its own manual, "Making Other Kinds Of Table Schema Changes")."""
    wanted = [sa.Column("id", sa.Integer, primary_key=True), *columns]
    rule = [sa.UniqueConstraint(*unique)] if unique else []
    op.create_table(f"new_{name}", *wanted, *rule, sqlite_autoincrement=counted)
    names = ", ".join(c.name for c in wanted)
    op.execute(f"INSERT INTO new_{name} ({names}) SELECT {names} FROM {name}")
    op.drop_table(name)
    op.rename_table(f"new_{name}", name)
    for column in indexes:
        op.create_index(f"ix_{name}_{column}", name, [column])


def upgrade() -> None:
    _rebuild("client_change", _key("client"), _text("at", 40), _text("label", 200), _text("body_json"), indexes=("client_id",))
    _rebuild(
        "film",
        _key("client"),
        sa.Column("sha256", sa.String(64), nullable=False, unique=True),
        *(
            _text("file", 300),
            _text("original_name", 300),
            _text("arrived_at", 40),
            _text("due_at", 40),
            _text("note"),
            _text("brief_json"),
        ),
        *(_text("state", 20), _text("line"), _text("turns_json"), _text("draft_json"), _text("set_json")),
        counted=True,
    )
    op.create_index("ix_film_arrived", "film", ["arrived_at"])
    op.create_index("ix_film_client", "film", ["client_id"])
    _rebuild(
        "arrival",
        *(_text("letter", 300), _text("name", 300), _text("sha256", 64), _text("file", 400), _text("came_at", 40), _text("state", 20)),
        *(_text("sentence"), _text("told_json"), _key("film", nullable=True)),
        indexes=("sha256",),
    )
    _rebuild(
        "reply",
        _key("film"),
        *(_text("kind", 20), _text("made_at", 40), _text("folder", 300), _text("files_json"), _text("reply_json")),
        *(_text("state", 20), _text("sentence")),
        indexes=("film_id",),
    )
    _rebuild(
        "watch",
        *(_key("client"), _key("film"), _text("movement", 80), _text("opened_at", 40), _text("state", 20), _text("item_json")),
        indexes=("client_id",),
    )
    _rebuild(
        "watch_look",
        _key("watch"),
        *(_key("film"), _text("at", 40), _text("look_json")),
        indexes=("watch_id",),
        unique=("watch_id", "film_id"),
    )
    op.create_table(
        "brief_step",
        sa.Column("id", sa.Integer, primary_key=True),
        *(_key("film"), _text("label", 200), _text("brief_json"), sa.Column("done", sa.Boolean, nullable=False)),
    )
    op.create_index("ix_brief_step_film_id", "brief_step", ["film_id"])
    op.create_table(
        "removal", sa.Column("id", sa.Integer, primary_key=True), _text("path"), sa.Column("client_id", sa.Integer, nullable=True)
    )
