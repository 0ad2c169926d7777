"""Bags of a coffee, baskets, calibrations, and what lies in a machine's slots.

Revision ID: 0003
Revises: 0002
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None

NOW = sa.text("now()")
WHATS = "'valve', 'dial', 'group-temperature', 'fill', 'after-drip', 'scale-lag', 'dry-run', 'crema', 'grind'"


def upgrade() -> None:
    op.create_table(
        "bags",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("coffee_id", sa.Integer(), nullable=False),
        sa.Column("roasted_on", sa.Date(), nullable=True),
        sa.Column("bag_g", sa.Double(), nullable=True),
        sa.Column(
            "opened_at", postgresql.TIMESTAMP(timezone=True), server_default=NOW, nullable=False
        ),
        sa.CheckConstraint("bag_g > 0", name=op.f("ck_bags_bag_g")),
        sa.ForeignKeyConstraint(
            ["coffee_id"], ["coffees.id"], name=op.f("fk_bags_coffee_id"), ondelete="cascade"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_bags")),
    )
    op.execute(
        "insert into bags (coffee_id, roasted_on, opened_at) select id, roasted_on, created_at from coffees order by id"
    )
    op.drop_column("coffees", "roasted_on")
    op.add_column(
        "coffees", sa.Column("blend", sa.Boolean(), server_default="false", nullable=False)
    )
    op.add_column("coffees", sa.Column("density_g_ml", sa.Double(), nullable=True))
    op.add_column("coffees", sa.Column("crema_ml_per_g", sa.Double(), nullable=True))
    op.create_table(
        "baskets",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("diameter_mm", sa.Double(), nullable=False),
        sa.Column("shape", sa.Text(), nullable=False),
        sa.Column("least_g", sa.Double(), nullable=False),
        sa.Column("most_g", sa.Double(), nullable=False),
        sa.Column("note", sa.Text(), server_default="", nullable=False),
        sa.Column(
            "created_at", postgresql.TIMESTAMP(timezone=True), server_default=NOW, nullable=False
        ),
        sa.CheckConstraint("name <> ''", name=op.f("ck_baskets_name")),
        sa.CheckConstraint("shape in ('straight', 'tapered')", name=op.f("ck_baskets_shape")),
        sa.CheckConstraint("least_g <= most_g", name=op.f("ck_baskets_doses")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_baskets")),
        sa.UniqueConstraint("name", name=op.f("uq_baskets_name")),
    )
    op.create_table(
        "calibrations",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("what", sa.Text(), nullable=False),
        sa.Column("machine_id", sa.Integer(), nullable=True),
        sa.Column("coffee_id", sa.Integer(), nullable=True),
        sa.Column("grinder_id", sa.Integer(), nullable=True),
        sa.Column(
            "measured_at", postgresql.TIMESTAMP(timezone=True), server_default=NOW, nullable=False
        ),
        sa.Column("document", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("note", sa.Text(), server_default="", nullable=False),
        sa.Column("in_use", sa.Boolean(), server_default="false", nullable=False),
        sa.CheckConstraint(f"what in ({WHATS})", name=op.f("ck_calibrations_what")),
        sa.CheckConstraint(
            "num_nonnulls(machine_id, coffee_id, grinder_id) = 1",
            name=op.f("ck_calibrations_subject"),
        ),
        sa.ForeignKeyConstraint(
            ["machine_id"],
            ["machines.id"],
            name=op.f("fk_calibrations_machine_id"),
            ondelete="cascade",
        ),
        sa.ForeignKeyConstraint(
            ["coffee_id"],
            ["coffees.id"],
            name=op.f("fk_calibrations_coffee_id"),
            ondelete="cascade",
        ),
        sa.ForeignKeyConstraint(
            ["grinder_id"],
            ["grinders.id"],
            name=op.f("fk_calibrations_grinder_id"),
            ondelete="cascade",
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_calibrations")),
    )
    op.create_index(
        "uq_calibrations_in_use",
        "calibrations",
        [
            "what",
            sa.text("coalesce(machine_id, 0)"),
            sa.text("coalesce(coffee_id, 0)"),
            sa.text("coalesce(grinder_id, 0)"),
        ],
        unique=True,
        postgresql_where=sa.text("in_use"),
    )
    op.create_table(
        "slots",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("machine_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("version_id", sa.Integer(), nullable=False),
        sa.Column(
            "stored_at", postgresql.TIMESTAMP(timezone=True), server_default=NOW, nullable=False
        ),
        sa.CheckConstraint("number >= 1", name=op.f("ck_slots_number")),
        sa.CheckConstraint("name <> ''", name=op.f("ck_slots_name")),
        sa.ForeignKeyConstraint(
            ["machine_id"], ["machines.id"], name=op.f("fk_slots_machine_id"), ondelete="cascade"
        ),
        sa.ForeignKeyConstraint(
            ["version_id"], ["profile_versions.id"], name=op.f("fk_slots_version_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_slots")),
        sa.UniqueConstraint("machine_id", "number", name=op.f("uq_slots_machine_id_number")),
        sa.UniqueConstraint("machine_id", "name", name=op.f("uq_slots_machine_id_name")),
    )
    op.add_column("benches", sa.Column("basket_id", sa.Integer(), nullable=True))
    op.create_foreign_key(op.f("fk_benches_basket_id"), "benches", "baskets", ["basket_id"], ["id"])
    op.add_column("shots", sa.Column("bag_id", sa.Integer(), nullable=True))
    op.create_foreign_key(op.f("fk_shots_bag_id"), "shots", "bags", ["bag_id"], ["id"])
    op.create_index(op.f("ix_shots_bag_id"), "shots", ["bag_id"])


def downgrade() -> None:
    op.drop_index(op.f("ix_shots_bag_id"), "shots")
    op.drop_column("shots", "bag_id")
    op.drop_column("benches", "basket_id")
    op.drop_table("slots")
    op.drop_table("calibrations")
    op.drop_table("baskets")
    op.drop_column("coffees", "crema_ml_per_g")
    op.drop_column("coffees", "density_g_ml")
    op.drop_column("coffees", "blend")
    op.add_column("coffees", sa.Column("roasted_on", sa.Date(), nullable=True))
    op.execute(
        "update coffees set roasted_on = (select roasted_on from bags where coffee_id = coffees.id order by id desc limit 1)"
    )
    op.drop_table("bags")
