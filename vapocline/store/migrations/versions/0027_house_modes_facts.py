"""The house's units; the mode that a bench's machine is set to; what roasters say of a coffee.

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
WORDS = ("lot", "variety", "dried")
NUMBERS = ("altitude_m", "score")


def upgrade() -> None:
    for name, taken in UNITS.items():
        column = sa.Column(name, sa.Text(), server_default=taken[0], nullable=False)
        op.add_column("house", column)
        listed = ", ".join(f"'{one}'" for one in taken)
        op.create_check_constraint(op.f(f"ck_house_{name}"), "house", f"{name} IN ({listed})")
    op.add_column("benches", sa.Column("machine_mode", sa.Text(), nullable=True))
    for name in WORDS:
        column = sa.Column(name, sa.Text(), server_default="", nullable=False)
        op.add_column("coffees", column)
    op.add_column("coffees", sa.Column("crop", sa.Text(), nullable=True))
    for name in NUMBERS:
        op.add_column("coffees", sa.Column(name, sa.Double(), nullable=True))


def downgrade() -> None:
    for name in (*NUMBERS, "crop", *WORDS):
        op.drop_column("coffees", name)
    op.drop_column("benches", "machine_mode")
    for name in reversed(UNITS):
        op.drop_column("house", name)
