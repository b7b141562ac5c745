"""Alembic's entry: run the migrations on the connection that it is given."""

from alembic import context

from jalan.store.schema import Base

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=Base.metadata, compare_type=True)
with context.begin_transaction():
    context.run_migrations()
