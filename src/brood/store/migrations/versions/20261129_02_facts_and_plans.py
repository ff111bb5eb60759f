"""Facts have a version, plans and what follows from them are kept beside it, and
sentences are kept as facts.
"""

import sqlalchemy as sa
from alembic import op

revision = "20261129_02"
down_revision = "20261129_01"


def _take_over_plans() -> None:
    """The dates that stand are kept, up to the first that passes unmarked; only the
    figures that belong to them are worked out.
    """
    op.execute(
        "update pest_case set plan_state = 'left-alone' where plan_key like 'left alone since %'"
    )
    op.execute(
        "update pest_case set planned_facts = facts, plan_state = 'planned', "
        "planned_on = date('now', 'localtime'), good_until = (select min(target_on) from "
        "application a where a.case_id = pest_case.id and a.status = 'planned') "
        "where closed_at is null and plan_key <> '' and plan_state = '' and exists "
        "(select 1 from application a where a.case_id = pest_case.id and a.status = 'planned')"
    )


def upgrade() -> None:
    with op.batch_alter_table("pest_case", schema=None) as batch_op:
        batch_op.add_column(sa.Column("facts", sa.Integer(), server_default="1", nullable=False))
        batch_op.add_column(
            sa.Column("planned_facts", sa.Integer(), server_default="0", nullable=False)
        )
        batch_op.add_column(sa.Column("planned_on", sa.Date(), nullable=True))
        batch_op.add_column(sa.Column("good_until", sa.Date(), nullable=True))
        batch_op.add_column(sa.Column("plan_state", sa.String(), server_default="", nullable=False))
        batch_op.add_column(
            sa.Column("outlook_key", sa.String(), server_default="", nullable=False)
        )
        batch_op.add_column(sa.Column("anew", sa.Boolean(), server_default="0", nullable=False))
    _take_over_plans()
    with op.batch_alter_table("pest_case", schema=None) as batch_op:
        batch_op.drop_column("plan_key")
    with op.batch_alter_table("application", schema=None) as batch_op:
        batch_op.add_column(sa.Column("reason", sa.JSON(), server_default="{}", nullable=False))
    with op.batch_alter_table("application_record", schema=None) as batch_op:
        batch_op.add_column(sa.Column("told", sa.JSON(), server_default="{}", nullable=False))
    op.create_table(
        "plan_change",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("case_id", sa.Integer(), nullable=False),
        sa.Column("parts", sa.JSON(), nullable=False),
        sa.Column("before", sa.JSON(), nullable=False),
        sa.Column("after", sa.JSON(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["case_id"], ["pest_case.id"], name=op.f("fk_plan_change_case_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_plan_change")),
    )
    op.create_index(op.f("ix_plan_change_case_id"), "plan_change", ["case_id"])
    op.create_table(
        "kept",
        sa.Column("key", sa.String(), nullable=False),
        sa.Column("case_id", sa.Integer(), nullable=True),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("body", sa.LargeBinary(), nullable=False),
        sa.Column("made_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["case_id"], ["pest_case.id"], name=op.f("fk_kept_case_id")),
        sa.PrimaryKeyConstraint("key", name=op.f("pk_kept")),
    )
    op.create_index(op.f("ix_kept_case_id"), "kept", ["case_id"])
    op.create_table(
        "sent",
        sa.Column("key", sa.String(), nullable=False),
        sa.Column("url", sa.String(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("key", name=op.f("pk_sent")),
    )
