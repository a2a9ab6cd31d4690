"""Gazetteers, and an index of their places by the beginnings of words (SQLite FTS5)."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    op.create_table(
        "gazetteers",
        sa.Column("id", sa.String(), primary_key=True),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("places", sa.Integer(), nullable=False),
        sa.Column("whole", sa.Boolean(), nullable=False),
        sa.Column("made", sa.DateTime(), nullable=False),
    )
    op.create_table(
        "places",
        sa.Column("id", sa.Integer(), primary_key=True, autoincrement=True),
        sa.Column("gazetteer", sa.String(), sa.ForeignKey("gazetteers.id"), nullable=False, index=True),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("also", sa.String(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("lon", sa.Double(), nullable=False),
        sa.Column("lat", sa.Double(), nullable=False),
        sa.Column("weight", sa.Integer(), nullable=False),
        sa.Column("size", sa.Double(), nullable=False),
    )
    op.execute(
        "CREATE VIRTUAL TABLE place_names USING fts5(name, also, content='places', content_rowid='id', "
        "tokenize='unicode61 remove_diacritics 2', prefix='2 3')"
    )
