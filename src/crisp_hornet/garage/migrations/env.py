"""Run by Alembic for each migration; the connection is handed over by the garage."""

from alembic import context

from crisp_hornet.garage.tables import Base

context.configure(
    connection=context.config.attributes["connection"],
    target_metadata=Base.metadata,
    render_as_batch=True,
    transactional_ddl=True,  # each change and its version number in the garage's one transaction
)
with context.begin_transaction():
    context.run_migrations()
