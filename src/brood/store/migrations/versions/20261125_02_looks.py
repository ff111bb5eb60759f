"""Looking a plant over: answers, stages seen, photos; more of a plant; and whether a
place is indoors.
"""

import sqlalchemy as sa
from alembic import op

revision = "20261125_02"
down_revision = "20261125_01"


def upgrade() -> None:
    with op.batch_alter_table("place", schema=None) as batch_op:
        batch_op.add_column(
            sa.Column("setting", sa.String(), server_default="indoor", nullable=False)
        )
        batch_op.create_check_constraint(
            op.f("ck_place_setting"), "setting in ('indoor', 'glasshouse', 'balcony', 'outdoor')"
        )
    op.execute("update place set setting = 'outdoor' where source = 'weather'")
    with op.batch_alter_table("plant", schema=None) as batch_op:
        for name in ("species", "build", "age", "growth", "worth", "eaten"):
            batch_op.add_column(sa.Column(name, sa.String(), server_default="", nullable=False))
        batch_op.add_column(
            sa.Column("sensitive", sa.Boolean(), server_default="0", nullable=False)
        )
    _look()
    _look_answer()
    _stage_seen()
    _photo()


def _look() -> None:
    op.create_table(
        "look",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("plant_id", sa.Integer(), nullable=False),
        sa.Column("case_id", sa.Integer(), nullable=True),
        sa.Column("looker", sa.String(), server_default="", nullable=False),
        sa.Column("tools", sa.JSON(), nullable=False),
        sa.Column("affected", sa.Double(), nullable=True),
        sa.Column("started_at", sa.DateTime(), nullable=False),
        sa.Column("closed_at", sa.DateTime(), nullable=True),
        sa.ForeignKeyConstraint(["plant_id"], ["plant.id"], name=op.f("fk_look_plant_id")),
        sa.ForeignKeyConstraint(["case_id"], ["pest_case.id"], name=op.f("fk_look_case_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_look")),
    )
    op.create_index(op.f("ix_look_plant_id"), "look", ["plant_id"])


def _look_answer() -> None:
    op.create_table(
        "look_answer",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("look_id", sa.Integer(), nullable=False),
        sa.Column("observation", sa.String(), nullable=False),
        sa.Column("said", sa.String(), nullable=False),
        sa.Column("sure", sa.Boolean(), nullable=False),
        sa.Column("how", sa.String(), server_default="", nullable=False),
        sa.Column("recorded_at", sa.DateTime(), nullable=False),
        sa.Column("withdrawn_at", sa.DateTime(), nullable=True),
        sa.CheckConstraint("said in ('yes', 'no', 'old')", name=op.f("ck_look_answer_said")),
        sa.ForeignKeyConstraint(["look_id"], ["look.id"], name=op.f("fk_look_answer_look_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_look_answer")),
    )
    op.create_index(op.f("ix_look_answer_look_id"), "look_answer", ["look_id"])


def _stage_seen() -> None:
    op.create_table(
        "stage_seen",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("look_id", sa.Integer(), nullable=False),
        sa.Column("pest_id", sa.String(), nullable=False),
        sa.Column("stage", sa.String(), nullable=False),
        sa.Column("number", sa.Double(), nullable=True),
        sa.Column("rough", sa.String(), nullable=True),
        sa.Column("share", sa.Double(), nullable=True),
        sa.Column("life", sa.String(), nullable=False),
        sa.Column("clue", sa.String(), server_default="", nullable=False),
        sa.Column("recorded_at", sa.DateTime(), nullable=False),
        sa.Column("withdrawn_at", sa.DateTime(), nullable=True),
        sa.CheckConstraint("life in ('alive', 'dead', 'unsure')", name=op.f("ck_stage_seen_life")),
        sa.CheckConstraint("number is null or number > 0", name=op.f("ck_stage_seen_number")),
        sa.CheckConstraint(
            "share is null or (share > 0 and share <= 1)", name=op.f("ck_stage_seen_share")
        ),
        sa.CheckConstraint(
            "(number is null) <> (rough is null)", name=op.f("ck_stage_seen_one_count")
        ),
        sa.ForeignKeyConstraint(["look_id"], ["look.id"], name=op.f("fk_stage_seen_look_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_stage_seen")),
    )
    op.create_index(op.f("ix_stage_seen_look_id"), "stage_seen", ["look_id"])


def _photo() -> None:
    op.create_table(
        "photo",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("look_id", sa.Integer(), nullable=False),
        sa.Column("filename", sa.String(), nullable=False),
        sa.Column("jpeg", sa.LargeBinary(), nullable=False),
        sa.Column("width", sa.Integer(), nullable=False),
        sa.Column("height", sa.Integer(), nullable=False),
        sa.Column("px_per_mm", sa.Double(), nullable=True),
        sa.Column("lengths_mm", sa.JSON(), nullable=False),
        sa.Column("recorded_at", sa.DateTime(), nullable=False),
        sa.Column("withdrawn_at", sa.DateTime(), nullable=True),
        sa.CheckConstraint("px_per_mm is null or px_per_mm > 0", name=op.f("ck_photo_scale")),
        sa.ForeignKeyConstraint(["look_id"], ["look.id"], name=op.f("fk_photo_look_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_photo")),
    )
    op.create_index(op.f("ix_photo_look_id"), "photo", ["look_id"])
