"""How far a grinder's sizes are known, and doses that are levelled.

Revision ID: 0021
Revises: 0020
"""

import sqlalchemy as sa
from alembic import op

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column(
        "grinders", sa.Column("size_spread", sa.Double(), server_default="0", nullable=False)
    )
    op.add_column(
        "benches", sa.Column("levelled", sa.Boolean(), server_default="false", nullable=False)
    )


def downgrade() -> None:
    op.drop_column("benches", "levelled")
    op.drop_column("grinders", "size_spread")
