"""Looks that count, cards, neighbours, quarantine, and addresses given away."""

import sqlalchemy as sa
from alembic import op

revision = "20261126_01"
down_revision = "20261125_05"


def upgrade() -> None:
    _inspection()
    _card()
    _card_count()
    _case_plant()
    _quarantine()
    _plant_event()
    _secret_address()
    _sitter_tick()
    with op.batch_alter_table("pest_case", schema=None) as batch_op:
        batch_op.add_column(sa.Column("origin", sa.String(), server_default="", nullable=False))
        batch_op.add_column(
            sa.Column("origin_note", sa.String(), server_default="", nullable=False)
        )
    with op.batch_alter_table("photo", schema=None) as batch_op:
        batch_op.add_column(sa.Column("inspection_id", sa.Integer(), nullable=True))
        batch_op.alter_column("look_id", existing_type=sa.INTEGER(), nullable=True)
        batch_op.create_index(batch_op.f("ix_photo_inspection_id"), ["inspection_id"])
        batch_op.create_foreign_key(
            batch_op.f("fk_photo_inspection_id"), "inspection", ["inspection_id"], ["id"]
        )
    with op.batch_alter_table("place", schema=None) as batch_op:
        batch_op.add_column(sa.Column("draught", sa.String(), server_default="", nullable=False))
    with op.batch_alter_table("plant", schema=None) as batch_op:
        batch_op.add_column(sa.Column("gone_on", sa.Date(), nullable=True))
    with op.batch_alter_table("stay", schema=None) as batch_op:
        batch_op.add_column(sa.Column("shelf", sa.Integer(), server_default="1", nullable=False))
        batch_op.add_column(sa.Column("position", sa.Integer(), server_default="0", nullable=False))
        batch_op.add_column(sa.Column("touches", sa.Boolean(), server_default="0", nullable=False))
        batch_op.add_column(sa.Column("tray", sa.String(), server_default="", nullable=False))


def _inspection() -> None:
    op.create_table(
        "inspection",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("plant_id", sa.Integer(), nullable=False),
        sa.Column("case_id", sa.Integer(), nullable=True),
        sa.Column("looked_on", sa.Date(), nullable=False),
        sa.Column("spread_days", sa.Integer(), nullable=False),
        sa.Column("share", sa.Double(), nullable=False),
        sa.Column("thorough", sa.String(), nullable=False),
        sa.Column("counts", sa.JSON(), nullable=False),
        sa.Column("growth", sa.String(), nullable=False),
        sa.Column("honeydew", sa.String(), nullable=False),
        sa.Column("smear", sa.String(), nullable=False),
        sa.Column("spot", sa.String(), nullable=False),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("sent_key", sa.String(), nullable=False),
        sa.Column("recorded_at", sa.DateTime(), nullable=False),
        sa.Column("withdrawn_at", sa.DateTime(), nullable=True),
        sa.CheckConstraint(
            "thorough in ('glance', 'usual', 'lens')", name=op.f("ck_inspection_thorough")
        ),
        sa.CheckConstraint("share > 0 and share <= 1", name=op.f("ck_inspection_share")),
        sa.CheckConstraint("spread_days between 0 and 60", name=op.f("ck_inspection_spread")),
        sa.ForeignKeyConstraint(["case_id"], ["pest_case.id"], name=op.f("fk_inspection_case_id")),
        sa.ForeignKeyConstraint(["plant_id"], ["plant.id"], name=op.f("fk_inspection_plant_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_inspection")),
    )
    op.create_index(op.f("ix_inspection_case_id"), "inspection", ["case_id"])
    op.create_index(op.f("ix_inspection_plant_id"), "inspection", ["plant_id"])


def _card() -> None:
    op.create_table(
        "card",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("case_id", sa.Integer(), nullable=False),
        sa.Column("colour", sa.String(), nullable=False),
        sa.Column("placed_on", sa.Date(), nullable=False),
        sa.Column("removed_on", sa.Date(), nullable=True),
        sa.Column("recorded_at", sa.DateTime(), nullable=False),
        sa.Column("withdrawn_at", sa.DateTime(), nullable=True),
        sa.ForeignKeyConstraint(["case_id"], ["pest_case.id"], name=op.f("fk_card_case_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_card")),
    )
    op.create_index(op.f("ix_card_case_id"), "card", ["case_id"])


def _card_count() -> None:
    op.create_table(
        "card_count",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("card_id", sa.Integer(), nullable=False),
        sa.Column("counted_on", sa.Date(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("replaced", sa.Boolean(), nullable=False),
        sa.Column("recorded_at", sa.DateTime(), nullable=False),
        sa.Column("withdrawn_at", sa.DateTime(), nullable=True),
        sa.CheckConstraint("number >= 0", name=op.f("ck_card_count_number")),
        sa.ForeignKeyConstraint(["card_id"], ["card.id"], name=op.f("fk_card_count_card_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_card_count")),
    )
    op.create_index(op.f("ix_card_count_card_id"), "card_count", ["card_id"])


def _case_plant() -> None:
    op.create_table(
        "case_plant",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("case_id", sa.Integer(), nullable=False),
        sa.Column("plant_id", sa.Integer(), nullable=False),
        sa.Column("joined_on", sa.Date(), nullable=False),
        sa.Column("left_on", sa.Date(), nullable=True),
        sa.ForeignKeyConstraint(["case_id"], ["pest_case.id"], name=op.f("fk_case_plant_case_id")),
        sa.ForeignKeyConstraint(["plant_id"], ["plant.id"], name=op.f("fk_case_plant_plant_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_case_plant")),
    )
    op.create_index(op.f("ix_case_plant_case_id"), "case_plant", ["case_id"])
    op.create_index(op.f("ix_case_plant_plant_id"), "case_plant", ["plant_id"])


def _quarantine() -> None:
    op.create_table(
        "quarantine",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("plant_id", sa.Integer(), nullable=False),
        sa.Column("reason", sa.String(), nullable=False),
        sa.Column("since_on", sa.Date(), nullable=False),
        sa.Column("released_on", sa.Date(), nullable=True),
        sa.Column("steps", sa.JSON(), nullable=False),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("recorded_at", sa.DateTime(), nullable=False),
        sa.CheckConstraint(
            "reason in ('newcomer', 'neighbour', 'cutting', 'sick')",
            name=op.f("ck_quarantine_reason"),
        ),
        sa.ForeignKeyConstraint(["plant_id"], ["plant.id"], name=op.f("fk_quarantine_plant_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_quarantine")),
    )
    op.create_index(op.f("ix_quarantine_plant_id"), "quarantine", ["plant_id"])


def _plant_event() -> None:
    op.create_table(
        "plant_event",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("plant_id", sa.Integer(), nullable=False),
        sa.Column("on", sa.Date(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("recorded_at", sa.DateTime(), nullable=False),
        sa.Column("withdrawn_at", sa.DateTime(), nullable=True),
        sa.CheckConstraint(
            "kind in ('lost', 'given', 'cut', 'repotted', 'note')", name=op.f("ck_plant_event_kind")
        ),
        sa.ForeignKeyConstraint(["plant_id"], ["plant.id"], name=op.f("fk_plant_event_plant_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_plant_event")),
    )
    op.create_index(op.f("ix_plant_event_plant_id"), "plant_event", ["plant_id"])


def _secret_address() -> None:
    op.create_table(
        "secret_address",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("label", sa.String(), nullable=False),
        sa.Column("digest", sa.String(), nullable=False),
        sa.Column("from_on", sa.Date(), nullable=True),
        sa.Column("until_on", sa.Date(), nullable=True),
        sa.Column("made_at", sa.DateTime(), nullable=False),
        sa.Column("revoked_at", sa.DateTime(), nullable=True),
        sa.CheckConstraint("kind in ('feed', 'sitter')", name=op.f("ck_secret_address_kind")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_secret_address")),
        sa.UniqueConstraint("digest", name=op.f("uq_secret_address_digest")),
    )


def _sitter_tick() -> None:
    op.create_table(
        "sitter_tick",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("address_id", sa.Integer(), nullable=False),
        sa.Column("task", sa.String(), nullable=False),
        sa.Column("text", sa.String(), nullable=False),
        sa.Column("ticked_at", sa.DateTime(), nullable=False),
        sa.Column("withdrawn_at", sa.DateTime(), nullable=True),
        sa.ForeignKeyConstraint(
            ["address_id"], ["secret_address.id"], name=op.f("fk_sitter_tick_address_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sitter_tick")),
    )
    op.create_index(op.f("ix_sitter_tick_address_id"), "sitter_tick", ["address_id"])
