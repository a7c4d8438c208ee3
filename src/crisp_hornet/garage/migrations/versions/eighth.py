"""What several benches share besides: files, who is where, the number of the garage."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    """Make the tables; a garage of one bench leaves them empty."""
    op.create_table(
        "stored_file",
        sa.Column("name", sa.String(80), primary_key=True),
        sa.Column("data", sa.LargeBinary, nullable=False),
    )
    op.create_table(
        "presence",
        sa.Column("bench", sa.String(40), primary_key=True),
        sa.Column("who", sa.String(100), nullable=False),
        sa.Column("bike_uid", sa.String(40), nullable=True),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_table(
        "fact",
        sa.Column("name", sa.String(40), primary_key=True),
        sa.Column("value", sa.String(200), nullable=False),
    )
