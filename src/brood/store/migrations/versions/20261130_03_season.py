"""Sightings of earlier years, and prevention that was begun."""

import sqlalchemy as sa
from alembic import op

revision = "20261130_03"
down_revision = "20261130_02"


def upgrade() -> None:
    op.create_table(
        "sighting",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("pest_id", sa.String(), nullable=False),
        sa.Column("place_id", sa.Integer(), nullable=False),
        sa.Column("seen_on", sa.Date(), nullable=False),
        sa.Column("heat", sa.Double(), nullable=True),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("source", sa.String(), nullable=False),
        sa.Column("recorded_at", sa.DateTime(), nullable=False),
        sa.Column("withdrawn_at", sa.DateTime(), nullable=True),
        sa.CheckConstraint("source in ('hand', 'file')", name=op.f("ck_sighting_source")),
        sa.CheckConstraint("heat is null or heat >= 0", name=op.f("ck_sighting_heat")),
        sa.ForeignKeyConstraint(
            ["place_id"], ["place.id"], name=op.f("fk_sighting_place_id_place")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sighting")),
    )
    op.create_index(op.f("ix_sighting_place_id"), "sighting", ["place_id"])
    op.create_table(
        "prevention",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("pest_id", sa.String(), nullable=False),
        sa.Column("place_id", sa.Integer(), nullable=False),
        sa.Column("season", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("on", sa.Date(), nullable=False),
        sa.Column("recorded_at", sa.DateTime(), nullable=False),
        sa.Column("withdrawn_at", sa.DateTime(), nullable=True),
        sa.CheckConstraint("kind in ('begun', 'left')", name=op.f("ck_prevention_kind")),
        sa.ForeignKeyConstraint(
            ["place_id"], ["place.id"], name=op.f("fk_prevention_place_id_place")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_prevention")),
    )
    op.create_index(op.f("ix_prevention_place_id"), "prevention", ["place_id"])
