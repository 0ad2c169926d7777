"""Alembic's entry: migrations run in one transaction on the URL they were given."""

from alembic import context
from sqlalchemy import create_engine

from vapocline.store.tables import Base

engine = create_engine(context.config.attributes["url"])
with engine.connect() as connection:
    context.configure(
        connection=connection, target_metadata=Base.metadata, compare_server_default=False
    )
    with context.begin_transaction():
        # Two processes starting at once: the second waits, then finds nothing left to do.
        connection.exec_driver_sql("select pg_advisory_xact_lock(7286221)")
        context.run_migrations()
engine.dispose()
