"""A basket's volume, a grinder's fines, how warm a puck starts; shots of a coffee by grinder.

Revision ID: 0012
Revises: 0011
"""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("baskets", sa.Column("volume_ml", sa.Double(), nullable=True))
    op.add_column("grinders", sa.Column("fines_pct", sa.Double(), nullable=True))
    op.add_column(
        "benches", sa.Column("puck_start_c", sa.Double(), server_default="45", nullable=False)
    )
    op.create_index("ix_shots_together", "shots", ["coffee_id", "grinder_id"])


def downgrade() -> None:
    op.drop_index("ix_shots_together", table_name="shots")
    op.drop_column("benches", "puck_start_c")
    op.drop_column("grinders", "fines_pct")
    op.drop_column("baskets", "volume_ml")
