"""How pests may have come in, two more reasons to keep a plant apart, and how long the
harvest waits after a spray before any pest came.
"""

import sqlalchemy as sa
from alembic import op

revision = "20261130_04"
down_revision = "20261130_03"


def upgrade() -> None:
    with op.batch_alter_table("quarantine", schema=None) as batch_op:
        batch_op.drop_constraint(op.f("ck_quarantine_reason"), type_="check")
        batch_op.create_check_constraint(
            op.f("ck_quarantine_reason"),
            "reason in ('newcomer', 'given', 'outdoors', 'neighbour', 'cutting', 'sick')",
        )
    with op.batch_alter_table("plant_state", schema=None) as batch_op:
        batch_op.add_column(sa.Column("harvest_wait", sa.Integer(), nullable=True))
    op.create_table(
        "way_in",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("place_id", sa.Integer(), nullable=False),
        sa.Column("plant_id", sa.Integer(), nullable=True),
        sa.Column("groups", sa.JSON(), nullable=False),
        sa.Column("on", sa.Date(), nullable=False),
        sa.Column("until_on", sa.Date(), nullable=True),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("recorded_at", sa.DateTime(), nullable=False),
        sa.Column("withdrawn_at", sa.DateTime(), nullable=True),
        sa.ForeignKeyConstraint(["place_id"], ["place.id"], name=op.f("fk_way_in_place_id_place")),
        sa.ForeignKeyConstraint(["plant_id"], ["plant.id"], name=op.f("fk_way_in_plant_id_plant")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_way_in")),
    )
    op.create_index(op.f("ix_way_in_place_id"), "way_in", ["place_id"])
    op.create_index(op.f("ix_way_in_plant_id"), "way_in", ["plant_id"])
