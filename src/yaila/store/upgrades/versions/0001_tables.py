"""The first tables."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    op.create_table(
        "films",
        sa.Column("id", sa.String(), primary_key=True),
        sa.Column("head", sa.Integer(), nullable=False),
        sa.Column("tip", sa.Integer(), nullable=False),
        sa.Column("touched", sa.DateTime(), nullable=False),
    )
    op.create_table(
        "revisions",
        sa.Column("id", sa.Integer(), primary_key=True, autoincrement=True),
        sa.Column("film", sa.String(), nullable=False, index=True),
        sa.Column("parent", sa.Integer(), sa.ForeignKey("revisions.id"), nullable=True),
        sa.Column("document", sa.JSON(), nullable=False),
        sa.Column("patch", sa.JSON(), nullable=False),
        sa.Column("label", sa.String(), nullable=False),
        sa.Column("made", sa.DateTime(), nullable=False),
    )
    op.create_table(
        "pictures",
        sa.Column("sha256", sa.String(), primary_key=True),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("suffix", sa.String(), nullable=False),
        sa.Column("width", sa.Integer(), nullable=False),
        sa.Column("height", sa.Integer(), nullable=False),
        sa.Column("alpha", sa.Boolean(), nullable=False),
        sa.Column("format", sa.String(), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.Column("made", sa.DateTime(), nullable=False),
    )
    op.create_table(
        "sources",
        sa.Column("id", sa.String(), primary_key=True),
        sa.Column("source", sa.JSON(), nullable=False),
        sa.Column("made", sa.DateTime(), nullable=False),
    )
    op.create_table(
        "jobs",
        sa.Column("id", sa.String(), primary_key=True),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("film", sa.String(), nullable=False, index=True),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("done", sa.Integer(), nullable=False),
        sa.Column("total", sa.Integer(), nullable=False),
        sa.Column("message", sa.String(), nullable=False),
        sa.Column("settings", sa.JSON(), nullable=False),
        sa.Column("made", sa.DateTime(), nullable=False),
        sa.Column("started", sa.DateTime(), nullable=True),
        sa.Column("ended", sa.DateTime(), nullable=True),
    )
