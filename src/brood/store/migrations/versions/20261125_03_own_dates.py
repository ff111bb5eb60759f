"""Dates that a keeper sets instead of the planner's."""

import sqlalchemy as sa
from alembic import op

revision = "20261125_03"
down_revision = "20261125_02"


def upgrade() -> None:
    with op.batch_alter_table("pest_case", schema=None) as batch_op:
        batch_op.add_column(sa.Column("own_dates", sa.JSON(), server_default="[]", nullable=False))
