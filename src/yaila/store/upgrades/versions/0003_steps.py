"""Revisions keep what was done, and only now and then the whole document, packed; films know their own name."""

import json
import zlib

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    bind = op.get_bind()
    op.add_column("films", sa.Column("name", sa.String(), nullable=False, server_default=""))
    op.add_column("revisions", sa.Column("whole", sa.LargeBinary(), nullable=True))
    op.add_column("revisions", sa.Column("steps", sa.Integer(), nullable=False, server_default="0"))
    number = 0
    # One at a time: a store may hold more documents than there is memory.
    while row := bind.exec_driver_sql(
        "SELECT id, document FROM revisions WHERE id > ? ORDER BY id LIMIT 1", (number,)
    ).first():
        number, text = row
        packed = zlib.compress(json.dumps(json.loads(text), separators=(",", ":"), ensure_ascii=False).encode())
        bind.exec_driver_sql("UPDATE revisions SET whole = ? WHERE id = ?", (packed, number))
    bind.exec_driver_sql(
        "UPDATE films SET name = coalesce((SELECT json_extract(document, '$.name') FROM revisions "
        "WHERE revisions.id = films.head), '')"
    )
    op.drop_column("revisions", "document")
