"""Clients and films."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    op.create_table(
        "client",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("body_json", sa.Text, nullable=False),
        sa.Column("note", sa.Text, nullable=False),
    )
    op.create_table(
        "film",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("client_id", sa.Integer, sa.ForeignKey("client.id"), nullable=False),
        sa.Column("sha256", sa.String(64), nullable=False, unique=True),
        sa.Column("file", sa.String(300), nullable=False),
        sa.Column("original_name", sa.String(300), nullable=False),
        sa.Column("arrived_at", sa.String(40), nullable=False),
        sa.Column("due_at", sa.String(40), nullable=False),
        sa.Column("note", sa.Text, nullable=False),
        sa.Column("brief_json", sa.Text, nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("line", sa.Text, nullable=False),
        sa.Column("turns_json", sa.Text, nullable=False),
        sa.Column("draft_json", sa.Text, nullable=False),
    )
    op.create_index("ix_film_arrived", "film", ["arrived_at"])
