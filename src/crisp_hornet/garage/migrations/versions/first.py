"""The first tables."""

from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    """Make the tables of the first version."""
    op.create_table(
        "bike",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("document", sa.JSON, nullable=False),
        sa.Column("opened_at", sa.DateTime(timezone=True), nullable=False),
    )
    _of_a_bike(
        "tune",
        sa.Column("role", sa.String(20), nullable=False),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("document", sa.JSON, nullable=False),
    )
    _of_a_bike(
        "backup", sa.Column("serial", sa.String(100), nullable=False), sa.Column("document", sa.JSON, nullable=False)
    )
    _of_a_bike(
        "ride",
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("file", sa.String(300), nullable=False),
        sa.Column("tune", sa.JSON),
    )
    _of_a_bike(
        "event",
        sa.Column("kind", sa.String(30), nullable=False),
        sa.Column("title", sa.String(300), nullable=False),
        sa.Column("detail", sa.String, nullable=False),
    )
    op.create_index("ix_event_at", "event", ["at"])


def _of_a_bike(name: str, *columns: sa.Column[Any]) -> None:
    op.create_table(
        name,
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("bike_id", sa.Integer, sa.ForeignKey("bike.id"), nullable=False),
        *columns,
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_index(f"ix_{name}_bike_id", name, ["bike_id"])
