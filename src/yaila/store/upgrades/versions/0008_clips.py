"""Clips that were brought."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    op.create_table(
        "clips",
        sa.Column("sha256", sa.String(), primary_key=True),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("suffix", sa.String(), nullable=False),
        sa.Column("width", sa.Integer(), nullable=False),
        sa.Column("height", sa.Integer(), nullable=False),
        sa.Column("seconds", sa.Double(), nullable=False),
        sa.Column("frames", sa.Integer(), nullable=False),
        sa.Column("alpha", sa.Boolean(), nullable=False),
        sa.Column("sound", sa.Boolean(), nullable=False),
        sa.Column("quarters", sa.Integer(), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.Column("made", sa.DateTime(), nullable=False),
    )
