"""What arrives and what goes out: arrivals, replies as sent, watched corrections, phrases, settings."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    with op.batch_alter_table("film") as film:
        film.add_column(sa.Column("set_json", sa.Text, nullable=False, server_default="{}"))
    op.create_index("ix_film_client", "film", ["client_id"])
    op.create_table(
        "arrival",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("letter", sa.String(300), nullable=False),
        sa.Column("name", sa.String(300), nullable=False),
        sa.Column("sha256", sa.String(64), nullable=False, index=True),
        sa.Column("file", sa.String(400), nullable=False),
        sa.Column("came_at", sa.String(40), nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("sentence", sa.Text, nullable=False),
        sa.Column("told_json", sa.Text, nullable=False),
        sa.Column("film_id", sa.Integer, sa.ForeignKey("film.id", ondelete="SET NULL"), nullable=True),
    )
    op.create_table(
        "reply",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("film_id", sa.Integer, sa.ForeignKey("film.id"), nullable=False, index=True),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("made_at", sa.String(40), nullable=False),
        sa.Column("folder", sa.String(300), nullable=False),
        sa.Column("files_json", sa.Text, nullable=False),
        sa.Column("reply_json", sa.Text, nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("sentence", sa.Text, nullable=False),
    )
    op.create_table(
        "watch",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("client_id", sa.Integer, sa.ForeignKey("client.id"), nullable=False, index=True),
        sa.Column("film_id", sa.Integer, sa.ForeignKey("film.id"), nullable=False),
        sa.Column("movement", sa.String(80), nullable=False),
        sa.Column("opened_at", sa.String(40), nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("item_json", sa.Text, nullable=False),
    )
    op.create_table(
        "watch_look",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("watch_id", sa.Integer, sa.ForeignKey("watch.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("film_id", sa.Integer, sa.ForeignKey("film.id"), nullable=False),
        sa.Column("at", sa.String(40), nullable=False),
        sa.Column("look_json", sa.Text, nullable=False),
        sa.UniqueConstraint("watch_id", "film_id"),
    )
    op.create_table(
        "phrase",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("field", sa.String(40), nullable=False),
        sa.Column("code", sa.String(80), nullable=False),
        sa.Column("text", sa.Text, nullable=False),
        sa.Column("used", sa.Integer, nullable=False),
        sa.UniqueConstraint("field", "code", "text"),
    )
    op.create_table("setting", sa.Column("key", sa.String(80), primary_key=True), sa.Column("value", sa.Text, nullable=False))
