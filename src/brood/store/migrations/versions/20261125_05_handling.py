"""What stands on the shelf, who goes where, what a plant bears badly, test leaves,
tasks after an evening, and more of an evening's record.
"""

import sqlalchemy as sa
from alembic import op

revision = "20261125_05"
down_revision = "20261125_04"


def upgrade() -> None:
    with op.batch_alter_table("place", schema=None) as batch_op:
        batch_op.add_column(sa.Column("visitors", sa.JSON(), server_default="[]", nullable=False))
    with op.batch_alter_table("plant", schema=None) as batch_op:
        batch_op.add_column(sa.Column("marks", sa.JSON(), server_default="[]", nullable=False))
        batch_op.add_column(sa.Column("mix_ml", sa.Double(), nullable=True))
    _stock_item()
    with op.batch_alter_table("case_act", schema=None) as batch_op:
        batch_op.add_column(sa.Column("harvest_days", sa.Integer(), nullable=True))
        batch_op.add_column(sa.Column("stock_id", sa.Integer(), nullable=True))
        batch_op.add_column(sa.Column("dropped_at", sa.DateTime(), nullable=True))
        batch_op.create_foreign_key(
            op.f("fk_case_act_stock_id"), "stock_item", ["stock_id"], ["id"]
        )
    with op.batch_alter_table("application_record", schema=None) as batch_op:
        for name in ("parts", "missed", "tally"):
            batch_op.add_column(sa.Column(name, sa.JSON(), server_default="[]", nullable=False))
        batch_op.add_column(sa.Column("reach", sa.Double(), nullable=True))
        batch_op.add_column(sa.Column("sent_key", sa.String(), server_default="", nullable=False))
    _patch_test()
    _after_task()


def _stock_item() -> None:
    op.create_table(
        "stock_item",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("holds", sa.String(), nullable=False),
        sa.Column("labelled", sa.Boolean(), nullable=False),
        sa.Column("percent", sa.Double(), nullable=True),
        sa.Column("size_ml", sa.Double(), nullable=True),
        sa.Column("label_rate", sa.Double(), nullable=True),
        sa.Column("min_gap_days", sa.Integer(), nullable=True),
        sa.Column("max_applications", sa.Integer(), nullable=True),
        sa.Column("harvest_days", sa.Integer(), nullable=True),
        sa.Column("allowed", sa.JSON(), nullable=False),
        sa.Column("opened_on", sa.Date(), nullable=True),
        sa.Column("expires_on", sa.Date(), nullable=True),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("recorded_at", sa.DateTime(), nullable=False),
        sa.Column("withdrawn_at", sa.DateTime(), nullable=True),
        sa.CheckConstraint(
            "percent is null or percent > 0 and percent <= 100", name=op.f("ck_stock_item_percent")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_stock_item")),
    )


def _patch_test() -> None:
    op.create_table(
        "patch_test",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("case_id", sa.Integer(), nullable=False),
        sa.Column("treatment_id", sa.String(), nullable=False),
        sa.Column("leaf", sa.String(), nullable=False),
        sa.Column("started_at", sa.DateTime(), nullable=False),
        sa.Column("outcome", sa.String(), server_default="", nullable=False),
        sa.Column("judged_at", sa.DateTime(), nullable=True),
        sa.Column("note", sa.String(), server_default="", nullable=False),
        sa.Column("withdrawn_at", sa.DateTime(), nullable=True),
        sa.CheckConstraint("outcome in ('', 'fine', 'marked')", name=op.f("ck_patch_test_outcome")),
        sa.ForeignKeyConstraint(["case_id"], ["pest_case.id"], name=op.f("fk_patch_test_case_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_patch_test")),
    )
    op.create_index(op.f("ix_patch_test_case_id"), "patch_test", ["case_id"])


def _after_task() -> None:
    op.create_table(
        "after_task",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("case_id", sa.Integer(), nullable=False),
        sa.Column("record_id", sa.Integer(), nullable=True),
        sa.Column("text", sa.String(), nullable=False),
        sa.Column("due_at", sa.DateTime(), nullable=False),
        sa.Column("done_at", sa.DateTime(), nullable=True),
        sa.ForeignKeyConstraint(["case_id"], ["pest_case.id"], name=op.f("fk_after_task_case_id")),
        sa.ForeignKeyConstraint(
            ["record_id"], ["application_record.id"], name=op.f("fk_after_task_record_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_after_task")),
    )
    op.create_index(op.f("ix_after_task_case_id"), "after_task", ["case_id"])
