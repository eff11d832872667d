"""Alembic's entry: runs the migrations on the connection it is handed."""

from alembic import context
from sqlmodel import SQLModel

from nomotax.records import products, tables  # noqa: F401  registers the tables on the metadata

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=SQLModel.metadata)
with context.begin_transaction():
    context.run_migrations()
