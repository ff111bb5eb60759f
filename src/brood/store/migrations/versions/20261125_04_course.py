"""What a course aims at, and the days that do not suit."""

import sqlalchemy as sa
from alembic import op

revision = "20261125_04"
down_revision = "20261125_03"


def upgrade() -> None:
    with op.batch_alter_table("pest_case", schema=None) as batch_op:
        batch_op.add_column(sa.Column("keep_below", sa.Double(), nullable=True))
        batch_op.add_column(sa.Column("limits", sa.JSON(), server_default="{}", nullable=False))
