"""Calibrations of the sensors, each with its date."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    """Make the table of calibrations."""
    op.create_table(
        "calibration",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("bike_id", sa.Integer, sa.ForeignKey("bike.id"), nullable=False, index=True),
        sa.Column("kind", sa.String(30), nullable=False),
        sa.Column("document", sa.JSON, nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
    )
