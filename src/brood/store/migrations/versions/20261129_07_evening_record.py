"""How much mix an evening took, how it was around it, its photos; where a card hangs."""

import sqlalchemy as sa
from alembic import op

revision = "20261129_07"
down_revision = "20261129_06"


def upgrade() -> None:
    with op.batch_alter_table("application_record", schema=None) as batch_op:
        batch_op.add_column(sa.Column("mix_ml", sa.Double(), nullable=True))
        batch_op.add_column(sa.Column("conditions", sa.JSON(), server_default="{}", nullable=False))
    with op.batch_alter_table("card", schema=None) as batch_op:
        batch_op.add_column(sa.Column("spot", sa.String(), server_default="", nullable=False))
    with op.batch_alter_table("photo", schema=None) as batch_op:
        batch_op.add_column(sa.Column("record_id", sa.Integer(), nullable=True))
        batch_op.create_index(batch_op.f("ix_photo_record_id"), ["record_id"], unique=False)
        batch_op.create_foreign_key(
            batch_op.f("fk_photo_record_id_application_record"),
            "application_record",
            ["record_id"],
            ["id"],
        )
