"""Rides have a card: what is known of them besides their log."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    """Add the column."""
    op.add_column("ride", sa.Column("card", sa.JSON, nullable=True))
