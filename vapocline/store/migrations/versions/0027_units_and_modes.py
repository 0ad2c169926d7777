"""The house's units, and the mode that a bench's machine is set to.

Revision ID: 0027
Revises: 0026
"""

import sqlalchemy as sa
from alembic import op

revision = "0027"
down_revision = "0026"
branch_labels = None
depends_on = None

UNITS = {
    "temperature": ("C", "F"),
    "weight": ("g", "oz"),
    "volume": ("mL", "fl oz"),
    "drink": ("weight", "glass"),
}


def upgrade() -> None:
    for name, taken in UNITS.items():
        column = sa.Column(name, sa.Text(), server_default=taken[0], nullable=False)
        op.add_column("house", column)
        listed = ", ".join(f"'{one}'" for one in taken)
        op.create_check_constraint(op.f(f"ck_house_{name}"), "house", f"{name} IN ({listed})")
    op.add_column("benches", sa.Column("machine_mode", sa.Text(), nullable=True))


def downgrade() -> None:
    op.drop_column("benches", "machine_mode")
    for name in reversed(UNITS):
        op.drop_column("house", name)
