"""Run by Alembic; the connection is handed in by `zerrit.records.database`."""

from alembic import context

from zerrit.records.models import Base

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=Base.metadata, render_as_batch=True)
with context.begin_transaction():
    context.run_migrations()
