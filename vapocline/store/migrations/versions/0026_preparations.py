"""Ways of preparing a puck, the one on a bench and of a shot; a shot's basket; what stays in a
grinder, and its clicks; when a machine was changed.

Revision ID: 0026
Revises: 0025
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0026"
down_revision = "0025"
branch_labels = None
depends_on = None

NOW = sa.text("now()")


def upgrade() -> None:
    op.create_table(
        "preparations",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("sprayed", sa.Boolean(), nullable=False),
        sa.Column("clumps", sa.Text(), nullable=False),
        sa.Column("heap", sa.Text(), nullable=False),
        sa.Column("leveller_mm", sa.Double(), nullable=True),
        sa.Column("tamp", sa.Text(), nullable=False),
        sa.Column("tamp_kg", sa.Double(), nullable=True),
        sa.Column("note", sa.Text(), server_default="", nullable=False),
        sa.Column(
            "created_at", postgresql.TIMESTAMP(timezone=True), server_default=NOW, nullable=False
        ),
        sa.CheckConstraint("name <> ''", name=op.f("ck_preparations_name")),
        sa.CheckConstraint(
            "clumps in ('left', 'stirred', 'shaken', 'sieved')",
            name=op.f("ck_preparations_clumps"),
        ),
        sa.CheckConstraint(
            "heap in ('as it falls', 'tapped level')", name=op.f("ck_preparations_heap")
        ),
        sa.CheckConstraint(
            "tamp in ('by hand', 'guided by the rim')", name=op.f("ck_preparations_tamp")
        ),
        sa.CheckConstraint("leveller_mm > 0", name=op.f("ck_preparations_leveller_mm")),
        sa.CheckConstraint("tamp_kg > 0", name=op.f("ck_preparations_tamp_kg")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_preparations")),
        sa.UniqueConstraint("name", name=op.f("uq_preparations_name")),
    )
    for table in ("benches", "shots"):
        op.add_column(table, sa.Column("preparation_id", sa.Integer(), nullable=True))
        key = op.f(f"fk_{table}_preparation_id")
        op.create_foreign_key(key, table, "preparations", ["preparation_id"], ["id"])
        op.create_index(op.f(f"ix_{table}_preparation_id"), table, ["preparation_id"])
    op.add_column("shots", sa.Column("basket_id", sa.Integer(), nullable=True))
    key = op.f("fk_shots_basket_id")
    op.create_foreign_key(key, "shots", "baskets", ["basket_id"], ["id"], ondelete="set null")
    op.create_index(op.f("ix_shots_basket_id"), "shots", ["basket_id"])
    op.execute(
        "update shots set basket_id = baskets.id from baskets"
        " where baskets.name = shots.conditions->>'basket'"
    )
    op.add_column(
        "machines",
        sa.Column("changed_at", postgresql.TIMESTAMP(timezone=True), nullable=True),
    )
    op.add_column(
        "grinders", sa.Column("retention_g", sa.Double(), server_default="0", nullable=False)
    )
    op.add_column("grinders", sa.Column("step", sa.Double(), nullable=True))
    op.create_check_constraint(op.f("ck_grinders_step"), "grinders", "step > 0")
    op.create_check_constraint(
        op.f("ck_grinders_retention_g"), "grinders", "retention_g between 0 and 20"
    )


def downgrade() -> None:
    op.drop_column("grinders", "step")
    op.drop_column("grinders", "retention_g")
    op.drop_column("machines", "changed_at")
    op.drop_index(op.f("ix_shots_basket_id"), table_name="shots")
    op.drop_constraint(op.f("fk_shots_basket_id"), "shots", type_="foreignkey")
    op.drop_column("shots", "basket_id")
    for table in ("shots", "benches"):
        op.drop_index(op.f(f"ix_{table}_preparation_id"), table_name=table)
        op.drop_constraint(op.f(f"fk_{table}_preparation_id"), table, type_="foreignkey")
        op.drop_column(table, "preparation_id")
    op.drop_table("preparations")
