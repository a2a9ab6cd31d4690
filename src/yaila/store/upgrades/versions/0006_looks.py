"""Looks that people saved."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    op.create_table(
        "looks",
        sa.Column("id", sa.String(), primary_key=True),
        sa.Column("look", sa.JSON(), nullable=False),
        sa.Column("made", sa.DateTime(), nullable=False),
    )
