"""The treatments whose label a keeper has read for a plant."""

import sqlalchemy as sa
from alembic import op

revision = "20261130_02"
down_revision = "20261130_01"


def upgrade() -> None:
    with op.batch_alter_table("plant", schema=None) as batch_op:
        batch_op.add_column(
            sa.Column("labels_read", sa.JSON(), server_default="[]", nullable=False)
        )
