"""Films can be put away."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.add_column("films", sa.Column("away", sa.Boolean(), nullable=False, server_default=sa.false()))
