"""Dry runs are started, watched and stopped as shots are; they are no coffee.

Revision ID: 0009
Revises: 0008
"""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column(
        "shots", sa.Column("dry", sa.Boolean(), server_default=sa.text("false"), nullable=False)
    )


def downgrade() -> None:
    op.execute("delete from shots where dry")
    op.drop_column("shots", "dry")
