"""Job sheets: the order of work for fitting a part, ticked step by step."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    """Make the table of job sheets."""
    op.create_table(
        "job",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("bike_id", sa.Integer, sa.ForeignKey("bike.id"), nullable=False, index=True),
        sa.Column("title", sa.String(200), nullable=False),
        sa.Column("steps", sa.JSON, nullable=False),
        sa.Column("opened_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("closed", sa.Boolean, nullable=False, server_default=sa.false()),
    )
