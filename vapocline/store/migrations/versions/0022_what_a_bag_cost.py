"""What a bag of coffee cost.

Revision ID: 0022
Revises: 0021
"""

import sqlalchemy as sa
from alembic import op

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("bags", sa.Column("bag_price", sa.Double(), nullable=True))
    op.create_check_constraint(op.f("ck_bags_bag_price"), "bags", "bag_price > 0")


def downgrade() -> None:
    op.drop_constraint(op.f("ck_bags_bag_price"), "bags", type_="check")
    op.drop_column("bags", "bag_price")
