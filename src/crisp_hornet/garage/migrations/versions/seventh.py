"""Each row has a name that is its own in every garage: so a bike that was away is known again."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"

TABLES = ("bike", "tune", "backup", "ride", "event", "job", "calibration")


def upgrade() -> None:
    """Add the columns and name what is there."""
    postgres = op.get_bind().dialect.name == "postgresql"
    random = "replace(gen_random_uuid()::text, '-', '')" if postgres else "lower(hex(randomblob(16)))"
    for table in TABLES:
        op.add_column(table, sa.Column("uid", sa.String(40), nullable=True))
        op.execute(f"update {table} set uid = {random}")  # names of tables from above
