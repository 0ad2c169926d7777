"""Machines that no wire reaches: worked and read by hand.

Revision ID: 0005
Revises: 0004
"""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column(
        "machines", sa.Column("wired", sa.Boolean(), server_default="true", nullable=False)
    )
    op.create_check_constraint(op.f("ck_machines_wired"), "machines", "wired or address is null")


def downgrade() -> None:
    op.drop_constraint(op.f("ck_machines_wired"), "machines")
    op.drop_column("machines", "wired")
