"""States that last on a plant, rain by day, how many leaves were cut, how big a plant is."""

import sqlalchemy as sa
from alembic import op

revision = "20261129_04"
down_revision = "20261129_03"


def upgrade() -> None:
    op.create_table(
        "plant_state",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("plant_id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("since_on", sa.Date(), nullable=False),
        sa.Column("until_on", sa.Date(), nullable=False),
        sa.Column("cared_on", sa.Date(), nullable=True),
        sa.Column("ended_on", sa.Date(), nullable=True),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("recorded_at", sa.DateTime(), nullable=False),
        sa.Column("withdrawn_at", sa.DateTime(), nullable=True),
        sa.CheckConstraint("until_on >= since_on", name=op.f("ck_plant_state_span")),
        sa.ForeignKeyConstraint(
            ["plant_id"], ["plant.id"], name=op.f("fk_plant_state_plant_id_plant")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_plant_state")),
    )
    op.create_index(op.f("ix_plant_state_plant_id"), "plant_state", ["plant_id"], unique=False)
    op.create_table(
        "rain_day",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("place_id", sa.Integer(), nullable=False),
        sa.Column("on", sa.Date(), nullable=False),
        sa.Column("mm", sa.Double(), nullable=False),
        sa.Column("hour", sa.Integer(), nullable=True),
        sa.Column("source", sa.String(), nullable=False),
        sa.Column("recorded_at", sa.DateTime(), nullable=False),
        sa.Column("withdrawn_at", sa.DateTime(), nullable=True),
        sa.CheckConstraint("mm between 0 and 500", name=op.f("ck_rain_day_mm")),
        sa.CheckConstraint("source in ('tap', 'diary')", name=op.f("ck_rain_day_source")),
        sa.ForeignKeyConstraint(
            ["place_id"], ["place.id"], name=op.f("fk_rain_day_place_id_place")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_rain_day")),
    )
    op.create_index(op.f("ix_rain_day_place_id"), "rain_day", ["place_id"], unique=False)
    with op.batch_alter_table("plant", schema=None) as batch_op:
        batch_op.add_column(sa.Column("size", sa.String(), server_default="", nullable=False))
    with op.batch_alter_table("plant_event", schema=None) as batch_op:
        batch_op.add_column(sa.Column("leaves", sa.Integer(), nullable=True))
        batch_op.add_column(sa.Column("of_leaves", sa.Integer(), nullable=True))
