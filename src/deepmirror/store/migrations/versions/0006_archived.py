"""Clients can be put away: their record, films and plan stay, and they stand in no list of those who train."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    op.add_column("client", sa.Column("archived", sa.Boolean, nullable=False, server_default=sa.false()))
