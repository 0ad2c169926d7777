"""The recipe's follower, the dose's tolerance and the goals of a bench.

Revision ID: 0002
Revises: 0001
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column(
        "benches", sa.Column("follows", sa.Text(), server_default="yield_g", nullable=False)
    )
    op.add_column(
        "benches",
        sa.Column("dose_tolerance_g", sa.Double(), server_default="0.2", nullable=False),
    )
    op.add_column(
        "benches",
        sa.Column(
            "goals", postgresql.JSONB(astext_type=sa.Text()), server_default="[]", nullable=False
        ),
    )
    op.create_check_constraint(
        op.f("ck_benches_follows"), "benches", "follows in ('dose_g', 'ratio', 'yield_g')"
    )
    op.create_check_constraint(
        op.f("ck_benches_dose_tolerance_g"), "benches", "dose_tolerance_g >= 0"
    )


def downgrade() -> None:
    op.drop_constraint(op.f("ck_benches_dose_tolerance_g"), "benches")
    op.drop_constraint(op.f("ck_benches_follows"), "benches")
    op.drop_column("benches", "goals")
    op.drop_column("benches", "dose_tolerance_g")
    op.drop_column("benches", "follows")
