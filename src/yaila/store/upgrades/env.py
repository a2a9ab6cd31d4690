"""Alembic's way in: the steps run on the connection that the store hands over."""

from alembic import context

from yaila.store.database import Base

context.configure(
    connection=context.config.attributes["connection"], target_metadata=Base.metadata, render_as_batch=True
)
context.run_migrations()
