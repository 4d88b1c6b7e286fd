"""Alembic's entry: migrations run on the connection that `database.migrate` hands over."""

from alembic import context

from dusk_arrow.records.tables import Base

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=Base.metadata)
with context.begin_transaction():
    context.run_migrations()
