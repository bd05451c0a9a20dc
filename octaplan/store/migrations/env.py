"""Alembic's environment: always runs on a connection that the application opened."""

from alembic import context

from octaplan.store.models import Base

context.configure(
    connection=context.config.attributes["connection"], target_metadata=Base.metadata, render_as_batch=True
)
with context.begin_transaction():
    context.run_migrations()
