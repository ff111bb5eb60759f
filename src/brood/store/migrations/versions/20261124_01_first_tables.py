"""The first tables: settings, places, temperatures, plants, cases, findings, applications."""

import sqlalchemy as sa
from alembic import op

revision = "20261124_01"
down_revision = None


def upgrade() -> None:
    _place()
    _plant()
    _setting()
    _pest_case()
    _set_point()
    _stay()
    _upload()
    _application()
    _case_act()
    _finding()
    _reading()
    _application_record()


def _place() -> None:
    op.create_table(
        "place",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("source", sa.String(), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.CheckConstraint("source in ('set-points', 'logger')", name=op.f("ck_place_source")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_place")),
        sa.UniqueConstraint("name", name=op.f("uq_place_name")),
    )


def _plant() -> None:
    op.create_table(
        "plant",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_plant")),
    )


def _setting() -> None:
    op.create_table(
        "setting",
        sa.Column("key", sa.String(), nullable=False),
        sa.Column("value", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("key", name=op.f("pk_setting")),
    )


def _pest_case() -> None:
    op.create_table(
        "pest_case",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("plant_id", sa.Integer(), nullable=False),
        sa.Column("pest_id", sa.String(), nullable=False),
        sa.Column("start_on", sa.Date(), nullable=False),
        sa.Column("reach", sa.Double(), nullable=False),
        sa.Column("test_patch", sa.Boolean(), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.Column("closed_at", sa.DateTime(), nullable=True),
        sa.Column("plan_key", sa.String(), nullable=False),
        sa.CheckConstraint("reach > 0 and reach <= 1", name=op.f("ck_pest_case_reach")),
        sa.ForeignKeyConstraint(["plant_id"], ["plant.id"], name=op.f("fk_pest_case_plant_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_pest_case")),
    )
    with op.batch_alter_table("pest_case", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_pest_case_plant_id"), ["plant_id"], unique=False)


def _set_point() -> None:
    op.create_table(
        "set_point",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("place_id", sa.Integer(), nullable=False),
        sa.Column("day_c", sa.Double(), nullable=False),
        sa.Column("night_c", sa.Double(), nullable=False),
        sa.Column("day_from", sa.Time(), nullable=False),
        sa.Column("night_from", sa.Time(), nullable=False),
        sa.Column("recorded_at", sa.DateTime(), nullable=False),
        sa.CheckConstraint(
            "day_c between -30 and 60 and night_c between -30 and 60",
            name=op.f("ck_set_point_range"),
        ),
        sa.ForeignKeyConstraint(["place_id"], ["place.id"], name=op.f("fk_set_point_place_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_set_point")),
    )
    with op.batch_alter_table("set_point", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_set_point_place_id"), ["place_id"], unique=False)


def _stay() -> None:
    op.create_table(
        "stay",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("plant_id", sa.Integer(), nullable=False),
        sa.Column("place_id", sa.Integer(), nullable=False),
        sa.Column("since_on", sa.Date(), nullable=False),
        sa.Column("recorded_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(["place_id"], ["place.id"], name=op.f("fk_stay_place_id")),
        sa.ForeignKeyConstraint(["plant_id"], ["plant.id"], name=op.f("fk_stay_plant_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_stay")),
    )
    with op.batch_alter_table("stay", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_stay_place_id"), ["place_id"], unique=False)
        batch_op.create_index(batch_op.f("ix_stay_plant_id"), ["plant_id"], unique=False)


def _upload() -> None:
    op.create_table(
        "upload",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("place_id", sa.Integer(), nullable=False),
        sa.Column("filename", sa.String(), nullable=False),
        sa.Column("sha256", sa.String(), nullable=False),
        sa.Column("taken", sa.Integer(), nullable=False),
        sa.Column("known", sa.Integer(), nullable=False),
        sa.Column("refused", sa.JSON(), nullable=False),
        sa.Column("notes", sa.JSON(), nullable=False),
        sa.Column("recorded_at", sa.DateTime(), nullable=False),
        sa.Column("withdrawn_at", sa.DateTime(), nullable=True),
        sa.ForeignKeyConstraint(["place_id"], ["place.id"], name=op.f("fk_upload_place_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_upload")),
    )
    with op.batch_alter_table("upload", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_upload_place_id"), ["place_id"], unique=False)


def _application() -> None:
    op.create_table(
        "application",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("case_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("uid", sa.String(), nullable=False),
        sa.Column("sequence", sa.Integer(), nullable=False),
        sa.Column("status", sa.String(), nullable=False),
        sa.Column("earliest_on", sa.Date(), nullable=False),
        sa.Column("target_on", sa.Date(), nullable=False),
        sa.Column("latest_on", sa.Date(), nullable=False),
        sa.Column("short_by_days", sa.Integer(), nullable=False),
        sa.Column("treatments", sa.JSON(), nullable=False),
        sa.Column("why", sa.String(), nullable=False),
        sa.Column("missed_on", sa.Date(), nullable=True),
        sa.Column("missed_latest_on", sa.Date(), nullable=True),
        sa.Column("changed_at", sa.DateTime(), nullable=False),
        sa.CheckConstraint(
            "status in ('planned', 'done', 'late', 'skipped', 'dropped')",
            name=op.f("ck_application_status"),
        ),
        sa.ForeignKeyConstraint(["case_id"], ["pest_case.id"], name=op.f("fk_application_case_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_application")),
        sa.UniqueConstraint("case_id", "number", name=op.f("uq_application_case_id_number")),
        sa.UniqueConstraint("uid", name=op.f("uq_application_uid")),
    )


def _case_act() -> None:
    op.create_table(
        "case_act",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("case_id", sa.Integer(), nullable=False),
        sa.Column("treatment_id", sa.String(), nullable=False),
        sa.Column("min_gap_days", sa.Integer(), nullable=True),
        sa.Column("max_applications", sa.Integer(), nullable=True),
        sa.ForeignKeyConstraint(["case_id"], ["pest_case.id"], name=op.f("fk_case_act_case_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_case_act")),
        sa.UniqueConstraint(
            "case_id", "treatment_id", name=op.f("uq_case_act_case_id_treatment_id")
        ),
    )


def _finding() -> None:
    op.create_table(
        "finding",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("case_id", sa.Integer(), nullable=False),
        sa.Column("found_on", sa.Date(), nullable=False),
        sa.Column("stage", sa.String(), nullable=False),
        sa.Column("number", sa.Double(), nullable=True),
        sa.Column("rough", sa.String(), nullable=True),
        sa.Column("location", sa.String(), nullable=False),
        sa.Column("corrects_id", sa.Integer(), nullable=True),
        sa.Column("recorded_at", sa.DateTime(), nullable=False),
        sa.Column("withdrawn_at", sa.DateTime(), nullable=True),
        sa.CheckConstraint(
            "(number is null) <> (rough is null)", name=op.f("ck_finding_one_count")
        ),
        sa.CheckConstraint("number is null or number > 0", name=op.f("ck_finding_number")),
        sa.ForeignKeyConstraint(["case_id"], ["pest_case.id"], name=op.f("fk_finding_case_id")),
        sa.ForeignKeyConstraint(
            ["corrects_id"], ["finding.id"], name=op.f("fk_finding_corrects_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_finding")),
    )
    with op.batch_alter_table("finding", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_finding_case_id"), ["case_id"], unique=False)


def _reading() -> None:
    op.create_table(
        "reading",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("place_id", sa.Integer(), nullable=False),
        sa.Column("upload_id", sa.Integer(), nullable=True),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("fold", sa.Integer(), nullable=False),
        sa.Column("celsius", sa.Double(), nullable=False),
        sa.Column("corrects_id", sa.Integer(), nullable=True),
        sa.Column("recorded_at", sa.DateTime(), nullable=False),
        sa.Column("withdrawn_at", sa.DateTime(), nullable=True),
        sa.CheckConstraint("celsius between -30 and 60", name=op.f("ck_reading_range")),
        sa.ForeignKeyConstraint(
            ["corrects_id"], ["reading.id"], name=op.f("fk_reading_corrects_id")
        ),
        sa.ForeignKeyConstraint(["place_id"], ["place.id"], name=op.f("fk_reading_place_id")),
        sa.ForeignKeyConstraint(["upload_id"], ["upload.id"], name=op.f("fk_reading_upload_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_reading")),
    )
    with op.batch_alter_table("reading", schema=None) as batch_op:
        batch_op.create_index("ix_reading_place_id_at", ["place_id", "at"], unique=False)
        batch_op.create_index(batch_op.f("ix_reading_upload_id"), ["upload_id"], unique=False)


def _application_record() -> None:
    op.create_table(
        "application_record",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("application_id", sa.Integer(), nullable=False),
        sa.Column("outcome", sa.String(), nullable=False),
        sa.Column("done_on", sa.Date(), nullable=True),
        sa.Column("treatments", sa.JSON(), nullable=False),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("cost", sa.String(), nullable=False),
        sa.Column("recorded_at", sa.DateTime(), nullable=False),
        sa.Column("withdrawn_at", sa.DateTime(), nullable=True),
        sa.CheckConstraint(
            "outcome in ('done', 'skipped')", name=op.f("ck_application_record_outcome")
        ),
        sa.ForeignKeyConstraint(
            ["application_id"],
            ["application.id"],
            name=op.f("fk_application_record_application_id"),
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_application_record")),
    )
    with op.batch_alter_table("application_record", schema=None) as batch_op:
        batch_op.create_index(
            batch_op.f("ix_application_record_application_id"), ["application_id"], unique=False
        )
