"""What evenings took and things cost, where plants can stand apart, and where they came from."""

import sqlalchemy as sa
from alembic import op

revision = "20261126_02"
down_revision = "20261126_01"


def upgrade() -> None:
    op.create_table(
        "expense",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("case_id", sa.Integer(), nullable=True),
        sa.Column("on", sa.Date(), nullable=False),
        sa.Column("what", sa.String(), nullable=False),
        sa.Column("amount", sa.Double(), nullable=False),
        sa.Column("recorded_at", sa.DateTime(), nullable=False),
        sa.Column("withdrawn_at", sa.DateTime(), nullable=True),
        sa.CheckConstraint("amount >= 0", name=op.f("ck_expense_amount")),
        sa.ForeignKeyConstraint(["case_id"], ["pest_case.id"], name=op.f("fk_expense_case_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_expense")),
    )
    op.create_index(op.f("ix_expense_case_id"), "expense", ["case_id"])
    with op.batch_alter_table("application_record", schema=None) as batch_op:
        batch_op.add_column(sa.Column("minutes", sa.Integer(), nullable=True))
    with op.batch_alter_table("place", schema=None) as batch_op:
        batch_op.add_column(sa.Column("apart_room", sa.Integer(), nullable=True))
    with op.batch_alter_table("quarantine", schema=None) as batch_op:
        batch_op.add_column(sa.Column("from_place_id", sa.Integer(), nullable=True))
        batch_op.create_index(batch_op.f("ix_quarantine_from_place_id"), ["from_place_id"])
        batch_op.create_foreign_key(
            batch_op.f("fk_quarantine_from_place_id"), "place", ["from_place_id"], ["id"]
        )
