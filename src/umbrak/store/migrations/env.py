"""Alembic's environment: one connection, one transaction."""

from alembic import context
from sqlalchemy import create_engine

from umbrak.store.columns import metadata

engine = create_engine(context.config.attributes["url"])
with engine.connect() as connection:
    context.configure(connection=connection, target_metadata=metadata, compare_type=True)
    with context.begin_transaction():
        context.run_migrations()
engine.dispose()
