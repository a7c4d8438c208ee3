"""Bikes can be put away without being lost."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    """Give bikes their archive mark."""
    with op.batch_alter_table("bike") as table:
        table.add_column(sa.Column("archived", sa.Boolean, nullable=False, server_default=sa.false()))
