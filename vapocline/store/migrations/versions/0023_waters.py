"""Waters, and the one on a bench.

Revision ID: 0023
Revises: 0022
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0023"
down_revision = "0022"
branch_labels = None
depends_on = None

NOW = sa.text("now()")


def upgrade() -> None:
    op.create_table(
        "waters",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("hardness_mg_l", sa.Double(), nullable=True),
        sa.Column("alkalinity_mg_l", sa.Double(), nullable=True),
        sa.Column("magnesium_sulfate_mg_l", sa.Double(), nullable=True),
        sa.Column("calcium_chloride_mg_l", sa.Double(), nullable=True),
        sa.Column("magnesium_chloride_mg_l", sa.Double(), nullable=True),
        sa.Column("sodium_bicarbonate_mg_l", sa.Double(), nullable=True),
        sa.Column("potassium_bicarbonate_mg_l", sa.Double(), nullable=True),
        sa.Column("note", sa.Text(), server_default="", nullable=False),
        sa.Column(
            "created_at", postgresql.TIMESTAMP(timezone=True), server_default=NOW, nullable=False
        ),
        sa.CheckConstraint("name <> ''", name=op.f("ck_waters_name")),
        sa.CheckConstraint("hardness_mg_l >= 0", name=op.f("ck_waters_hardness_mg_l")),
        sa.CheckConstraint("alkalinity_mg_l >= 0", name=op.f("ck_waters_alkalinity_mg_l")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_waters")),
        sa.UniqueConstraint("name", name=op.f("uq_waters_name")),
    )
    op.add_column("benches", sa.Column("water_id", sa.Integer(), nullable=True))
    op.create_foreign_key(op.f("fk_benches_water_id"), "benches", "waters", ["water_id"], ["id"])
    op.create_index(op.f("ix_benches_water_id"), "benches", ["water_id"])


def downgrade() -> None:
    op.drop_index(op.f("ix_benches_water_id"), table_name="benches")
    op.drop_constraint(op.f("fk_benches_water_id"), "benches", type_="foreignkey")
    op.drop_column("benches", "water_id")
    op.drop_table("waters")
