"""A shot may be a recording from elsewhere, and the plan it ran by may not be known.

Revision ID: 0014
Revises: 0013
"""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("shots", sa.Column("origin", sa.Text(), server_default="pulled", nullable=False))
    op.add_column(
        "shots",
        sa.Column("plan_known", sa.Boolean(), server_default=sa.text("true"), nullable=False),
    )
    op.create_check_constraint("origin", "shots", "origin in ('pulled', 'csv', 'picture')")


def downgrade() -> None:
    op.execute("delete from shots where origin <> 'pulled'")
    op.drop_constraint(op.f("ck_shots_origin"), "shots")
    op.drop_column("shots", "plan_known")
    op.drop_column("shots", "origin")
