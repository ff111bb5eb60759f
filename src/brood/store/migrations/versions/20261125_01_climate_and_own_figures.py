"""Every source of temperature a place may have, and a keeper's own figures."""

import sqlalchemy as sa
from alembic import op

revision = "20261125_01"
down_revision = "20261124_01"


def upgrade() -> None:
    _own_figure()
    _place()
    _set_point()
    _diary_day()
    _poll()
    _weather_report()


def _own_figure() -> None:
    op.create_table(
        "own_figure",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("pest_id", sa.String(), nullable=False),
        sa.Column("figure", sa.String(), nullable=False),
        sa.Column("value", sa.Double(), nullable=False),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("recorded_at", sa.DateTime(), nullable=False),
        sa.Column("withdrawn_at", sa.DateTime(), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_own_figure")),
    )


def _place() -> None:
    with op.batch_alter_table("place", schema=None) as batch_op:
        batch_op.add_column(sa.Column("offset_c", sa.Double(), server_default="0", nullable=False))
        batch_op.add_column(
            sa.Column("warm_spot_c", sa.Double(), server_default="0", nullable=False)
        )
        batch_op.add_column(
            sa.Column("cool_spot_c", sa.Double(), server_default="0", nullable=False)
        )
        batch_op.add_column(sa.Column("sensor_url", sa.String(), server_default="", nullable=False))
        batch_op.drop_constraint(op.f("ck_place_source"), type_="check")
        batch_op.create_check_constraint(
            op.f("ck_place_source"),
            "source in ('constant', 'set-points', 'diary', 'logger', 'sensor', 'weather')",
        )
        batch_op.create_check_constraint(op.f("ck_place_offset"), "offset_c between -15 and 15")
        batch_op.create_check_constraint(
            op.f("ck_place_spots"), "warm_spot_c between 0 and 15 and cool_spot_c between 0 and 15"
        )


def _set_point() -> None:
    with op.batch_alter_table("set_point", schema=None) as batch_op:
        batch_op.add_column(sa.Column("season", sa.String(), server_default="", nullable=False))
        batch_op.add_column(sa.Column("withdrawn_at", sa.DateTime(), nullable=True))
        batch_op.create_check_constraint(op.f("ck_set_point_season"), "season in ('', 'heating')")


def _diary_day() -> None:
    op.create_table(
        "diary_day",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("place_id", sa.Integer(), nullable=False),
        sa.Column("upload_id", sa.Integer(), nullable=True),
        sa.Column("on", sa.Date(), nullable=False),
        sa.Column("low_c", sa.Double(), nullable=False),
        sa.Column("high_c", sa.Double(), nullable=False),
        sa.Column("recorded_at", sa.DateTime(), nullable=False),
        sa.Column("withdrawn_at", sa.DateTime(), nullable=True),
        sa.CheckConstraint(
            "low_c between -30 and 60 and high_c between -30 and 60 and low_c <= high_c",
            name=op.f("ck_diary_day_range"),
        ),
        sa.ForeignKeyConstraint(["place_id"], ["place.id"], name=op.f("fk_diary_day_place_id")),
        sa.ForeignKeyConstraint(["upload_id"], ["upload.id"], name=op.f("fk_diary_day_upload_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_diary_day")),
    )
    op.create_index("ix_diary_day_place_id_on", "diary_day", ["place_id", "on"], unique=False)
    op.create_index(op.f("ix_diary_day_upload_id"), "diary_day", ["upload_id"], unique=False)


def _poll() -> None:
    op.create_table(
        "poll",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("place_id", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("celsius", sa.Double(), nullable=True),
        sa.Column("trouble", sa.String(), nullable=False),
        sa.ForeignKeyConstraint(["place_id"], ["place.id"], name=op.f("fk_poll_place_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_poll")),
    )
    op.create_index("ix_poll_place_id_at", "poll", ["place_id", "at"], unique=False)


def _weather_report() -> None:
    op.create_table(
        "weather_report",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("place_id", sa.Integer(), nullable=False),
        sa.Column("service", sa.String(), nullable=False),
        sa.Column("days", sa.JSON(), nullable=False),
        sa.Column("normals", sa.JSON(), nullable=False),
        sa.Column("fetched_at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(
            ["place_id"], ["place.id"], name=op.f("fk_weather_report_place_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_weather_report")),
    )
    with op.batch_alter_table("weather_report", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_weather_report_place_id"), ["place_id"], unique=False)
