"""Customers, and what was erased for good."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"


def upgrade() -> None:
    """Make the tables."""
    op.create_table(
        "customer",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("document", sa.JSON, nullable=False),
        sa.Column("uid", sa.String(40), nullable=True),
    )
    op.create_table(
        "erased",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("uid", sa.String(40), nullable=False, unique=True),
        sa.Column("what", sa.String(20), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
    )
