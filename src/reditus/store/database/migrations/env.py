"""Called by Alembic; the connection is handed over by `migrate`."""

from alembic import context

from reditus.store.database.tables import Base

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=Base.metadata)
with context.begin_transaction():
    context.run_migrations()
