"""Checks of a look that wait for a day."""

import sqlalchemy as sa
from alembic import op

revision = "20261130_05"
down_revision = "20261130_04"


def upgrade() -> None:
    with op.batch_alter_table("look", schema=None) as batch_op:
        batch_op.add_column(
            sa.Column("put_off", sa.JSON(), nullable=False, server_default="{}"),
        )
