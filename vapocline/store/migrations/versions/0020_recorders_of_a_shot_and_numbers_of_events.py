"""Batches of the journal belong to a recorder; what a device said is kept once, by its number.

Revision ID: 0020
Revises: 0019
"""

import sqlalchemy as sa
from alembic import op

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column(
        "shot_journal",
        sa.Column("recorder", sa.Text(), nullable=False, server_default=sa.text("''")),
    )
    op.alter_column("shot_journal", "recorder", server_default=None)
    op.drop_constraint(op.f("uq_shot_journal_shot_id_batch"), "shot_journal")
    op.create_unique_constraint(
        op.f("uq_shot_journal_shot_id_recorder_batch"),
        "shot_journal",
        ["shot_id", "recorder", "batch"],
    )
    op.add_column("shot_events", sa.Column("number", sa.Integer(), nullable=True))
    op.create_index(
        "uq_shot_events_number",
        "shot_events",
        ["shot_id", "number"],
        unique=True,
        postgresql_where=sa.text("number is not null"),
    )
    # Not of what was stored before: it stays as it is.
    op.create_check_constraint(
        op.f("ck_shots_shot_time_s"), "shots", "shot_time_s between 0 and 360",
        postgresql_not_valid=True,
    )  # fmt: skip
    op.create_check_constraint(
        op.f("ck_shots_yield_g"), "shots", "yield_g between -500 and 5000",
        postgresql_not_valid=True,
    )  # fmt: skip


def downgrade() -> None:
    op.drop_constraint(op.f("ck_shots_yield_g"), "shots")
    op.drop_constraint(op.f("ck_shots_shot_time_s"), "shots")
    op.drop_index("uq_shot_events_number", "shot_events")
    op.drop_column("shot_events", "number")
    op.drop_constraint(op.f("uq_shot_journal_shot_id_recorder_batch"), "shot_journal")
    op.create_unique_constraint(
        op.f("uq_shot_journal_shot_id_batch"), "shot_journal", ["shot_id", "batch"]
    )
    op.drop_column("shot_journal", "recorder")
