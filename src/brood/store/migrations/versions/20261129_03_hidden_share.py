"""The share of animals that nothing reaches, where a keeper says it of a case."""

import sqlalchemy as sa
from alembic import op

revision = "20261129_03"
down_revision = "20261129_02"


def upgrade() -> None:
    with op.batch_alter_table("pest_case", schema=None) as batch_op:
        batch_op.add_column(sa.Column("refuge", sa.Double(), nullable=True))
