"""A line of the logbook may have a file: a picture, a receipt, a text."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    """Add the column."""
    op.add_column("event", sa.Column("file", sa.String(300), nullable=True))
