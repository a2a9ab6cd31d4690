"""Redo follows the newest revision made from the one that stands, found by an index, so ``tip`` goes."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    # Older stores may lack tables that were added before the steps had names.
    if "sources" not in sa.inspect(op.get_bind()).get_table_names():
        op.create_table(
            "sources",
            sa.Column("id", sa.String(), primary_key=True),
            sa.Column("source", sa.JSON(), nullable=False),
            sa.Column("made", sa.DateTime(), nullable=False),
        )
    op.create_index("ix_revisions_parent", "revisions", ["parent"])
    op.drop_column("films", "tip")
