"""What a keeper could not tell in a look."""

import sqlalchemy as sa
from alembic import op

revision = "20261130_01"
down_revision = "20261129_07"


def upgrade() -> None:
    with op.batch_alter_table("look", schema=None) as batch_op:
        batch_op.add_column(sa.Column("passed", sa.JSON(), server_default="[]", nullable=False))
