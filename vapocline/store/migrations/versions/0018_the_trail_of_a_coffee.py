"""What was found on a shot, the style a profile began as, a coffee's baseline, changes with a new
grind, and guided runs.

Revision ID: 0018
Revises: 0017
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import ARRAY, JSONB, TIMESTAMP

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("shots", sa.Column("findings", ARRAY(sa.Text()), nullable=True))
    op.add_column(
        "expectations",
        sa.Column("regrind", sa.Boolean(), server_default=sa.text("false"), nullable=False),
    )
    op.add_column("profiles", sa.Column("style", sa.Text(), nullable=True))
    op.create_table(
        "baselines",
        sa.Column("coffee_id", sa.Integer(), nullable=False),
        sa.Column("shot_id", sa.Integer(), nullable=False),
        sa.Column(
            "pinned_at", TIMESTAMP(timezone=True), server_default=sa.text("now()"), nullable=False
        ),
        sa.ForeignKeyConstraint(
            ["coffee_id"], ["coffees.id"], name=op.f("fk_baselines_coffee_id"), ondelete="cascade"
        ),
        sa.ForeignKeyConstraint(
            ["shot_id"], ["shots.id"], name=op.f("fk_baselines_shot_id"), ondelete="cascade"
        ),
        sa.PrimaryKeyConstraint("coffee_id", name=op.f("pk_baselines")),
    )
    op.create_table(
        "guided_runs",
        sa.Column("coffee_id", sa.Integer(), nullable=False),
        sa.Column("shot_id", sa.Integer(), nullable=False),
        sa.Column("wanted", JSONB(), nullable=False),
        sa.Column(
            "created_at", TIMESTAMP(timezone=True), server_default=sa.text("now()"), nullable=False
        ),
        sa.ForeignKeyConstraint(
            ["coffee_id"], ["coffees.id"], name=op.f("fk_guided_runs_coffee_id"), ondelete="cascade"
        ),
        sa.ForeignKeyConstraint(
            ["shot_id"], ["shots.id"], name=op.f("fk_guided_runs_shot_id"), ondelete="cascade"
        ),
        sa.PrimaryKeyConstraint("coffee_id", name=op.f("pk_guided_runs")),
    )
    op.create_index(op.f("ix_guided_runs_shot_id"), "guided_runs", ["shot_id"])
    op.create_index(op.f("ix_baselines_shot_id"), "baselines", ["shot_id"])
    op.create_index(
        op.f("ix_shots_unread"),
        "shots",
        ["id"],
        postgresql_where=sa.text("findings is null and state <> 'running' and not dry"),
    )


def downgrade() -> None:
    op.drop_index(op.f("ix_shots_unread"), "shots")
    op.drop_table("guided_runs")
    op.drop_table("baselines")
    op.drop_column("profiles", "style")
    op.drop_column("expectations", "regrind")
    op.drop_column("shots", "findings")
