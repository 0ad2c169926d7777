"""What was done to machines and grinders, how often it is wanted, and when a machine is to be warm.

Revision ID: 0024
Revises: 0023
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0024"
down_revision = "0023"
branch_labels = None
depends_on = None

NOW = sa.text("now()")
TASK = (
    "task IN ('rinse', 'back_flush', 'screen_look', 'screen_clean', 'gasket', 'boiler_water', "
    "'descale', 'brush', 'burrs')"
)


def upgrade() -> None:
    op.create_table(
        "care_done",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("machine_id", sa.Integer(), nullable=True),
        sa.Column("grinder_id", sa.Integer(), nullable=True),
        sa.Column("task", sa.Text(), nullable=False),
        sa.Column(
            "done_at", postgresql.TIMESTAMP(timezone=True), server_default=NOW, nullable=False
        ),
        sa.CheckConstraint(TASK, name=op.f("ck_care_done_task")),
        sa.CheckConstraint(
            "num_nonnulls(machine_id, grinder_id) = 1", name=op.f("ck_care_done_thing")
        ),
        sa.ForeignKeyConstraint(
            ["machine_id"],
            ["machines.id"],
            name=op.f("fk_care_done_machine_id"),
            ondelete="cascade",
        ),
        sa.ForeignKeyConstraint(
            ["grinder_id"],
            ["grinders.id"],
            name=op.f("fk_care_done_grinder_id"),
            ondelete="cascade",
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_care_done")),
    )
    op.create_index("ix_care_done_machine", "care_done", ["machine_id", "task", "done_at"])
    op.create_index("ix_care_done_grinder", "care_done", ["grinder_id", "task", "done_at"])
    op.create_table(
        "care_intervals",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("machine_id", sa.Integer(), nullable=True),
        sa.Column("grinder_id", sa.Integer(), nullable=True),
        sa.Column("task", sa.Text(), nullable=False),
        sa.Column("every", sa.Double(), nullable=True),
        sa.Column("unit", sa.Text(), nullable=True),
        sa.CheckConstraint(TASK, name=op.f("ck_care_intervals_task")),
        sa.CheckConstraint(
            "unit IN ('days', 'shots', 'litres')", name=op.f("ck_care_intervals_unit")
        ),
        sa.CheckConstraint("every > 0", name=op.f("ck_care_intervals_every")),
        sa.CheckConstraint(
            "(every is null) = (unit is null)", name=op.f("ck_care_intervals_whole")
        ),
        sa.CheckConstraint(
            "num_nonnulls(machine_id, grinder_id) = 1", name=op.f("ck_care_intervals_thing")
        ),
        sa.ForeignKeyConstraint(
            ["machine_id"],
            ["machines.id"],
            name=op.f("fk_care_intervals_machine_id"),
            ondelete="cascade",
        ),
        sa.ForeignKeyConstraint(
            ["grinder_id"],
            ["grinders.id"],
            name=op.f("fk_care_intervals_grinder_id"),
            ondelete="cascade",
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_care_intervals")),
        sa.UniqueConstraint("machine_id", "task", name=op.f("uq_care_intervals_machine_id_task")),
        sa.UniqueConstraint("grinder_id", "task", name=op.f("uq_care_intervals_grinder_id_task")),
    )
    op.add_column("machines", sa.Column("warm_at", sa.Time(), nullable=True))


def downgrade() -> None:
    op.drop_column("machines", "warm_at")
    op.drop_table("care_intervals")
    op.drop_table("care_done")
