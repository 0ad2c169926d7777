"""A shot can be set aside with a reason; when its pressure was full.

Revision ID: 0013
Revises: 0012
"""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None

# As core/shot/result.py works it out: pressure first comes to 95 % of its peak.
FULL = """
update shots set full_pressure_s = (
  select min(t) from unnest(time_s, pressure_bar) as told(t, bar)
  where bar <> 'NaN' and bar >= 0.95 * peak_pressure_bar
) where state <> 'running' and peak_pressure_bar > 0
"""


def upgrade() -> None:
    op.add_column("shots", sa.Column("set_aside", sa.Text(), nullable=True))
    op.add_column("shots", sa.Column("full_pressure_s", sa.Double(), nullable=True))
    op.create_check_constraint("set_aside", "shots", "length(set_aside) between 1 and 200")
    op.execute(FULL)


def downgrade() -> None:
    op.drop_constraint(op.f("ck_shots_set_aside"), "shots")
    op.drop_column("shots", "full_pressure_s")
    op.drop_column("shots", "set_aside")
