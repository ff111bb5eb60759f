"""How far apart the evenings of a course lie."""

import sqlalchemy as sa
from alembic import op

revision = "20261129_05"
down_revision = "20261129_04"


def upgrade() -> None:
    with op.batch_alter_table("pest_case", schema=None) as batch_op:
        batch_op.add_column(sa.Column("pace", sa.String(), server_default="usual", nullable=False))
