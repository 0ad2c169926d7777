"""Number the journal's batches, so that none is stored twice, and keep their events in them.

Revision ID: 0008
Revises: 0007
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("shot_journal", sa.Column("batch", sa.Integer(), nullable=True))
    op.execute("update shot_journal set batch = id")
    op.alter_column("shot_journal", "batch", nullable=False)
    op.create_unique_constraint(
        op.f("uq_shot_journal_shot_id_batch"), "shot_journal", ["shot_id", "batch"]
    )
    op.add_column(
        "shot_journal",
        sa.Column("events", postgresql.JSONB(), server_default=sa.text("'[]'"), nullable=False),
    )
    op.add_column("shot_journal", sa.Column("made_at", sa.Double(), nullable=True))
    op.drop_index("ix_shot_journal_shot_id", "shot_journal")


def downgrade() -> None:
    op.create_index("ix_shot_journal_shot_id", "shot_journal", ["shot_id", "id"])
    for column in ("made_at", "events"):
        op.drop_column("shot_journal", column)
    op.drop_constraint(op.f("uq_shot_journal_shot_id_batch"), "shot_journal")
    op.drop_column("shot_journal", "batch")
