"""How many plants stand and are treated together, and on how many something was counted."""

import sqlalchemy as sa
from alembic import op

revision = "20261129_06"
down_revision = "20261129_05"


def upgrade() -> None:
    for table, column, usual in (
        ("plant", "number", "1"),
        ("inspection", "plants", "0"),
        ("finding", "plants", "0"),
    ):
        with op.batch_alter_table(table, schema=None) as batch_op:
            batch_op.add_column(
                sa.Column(column, sa.Integer(), server_default=usual, nullable=False)
            )
