"""Bikes can be put away without being lost."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    """Give bikes their archive mark."""
    # a plain added column: rebuilding the table would break what refers to it
    op.add_column("bike", sa.Column("archived", sa.Boolean, nullable=False, server_default=sa.false()))
