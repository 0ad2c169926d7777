"""The journal of a running shot, levels by hand, series, and where scales answer.

Revision ID: 0004
Revises: 0003
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None

STAMP = postgresql.TIMESTAMP(timezone=True)
ONE_CLOCK = (
    "pressure_bar", "water_in_ml_s", "cup_out_ml_s", "cup_g", "group_c", "commanded", "phase",
)  # fmt: skip


def _one_clock(channels: tuple[str, ...]) -> str:
    return " and ".join(f"cardinality({name}) = cardinality(time_s)" for name in channels)


def upgrade() -> None:
    op.create_table(
        "series",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("version_id", sa.Integer(), nullable=False),
        sa.Column("wanted", sa.Integer(), nullable=False),
        sa.Column("tolerance", postgresql.JSONB(), nullable=False),
        sa.Column("created_at", STAMP, server_default=sa.text("now()"), nullable=False),
        sa.CheckConstraint("wanted between 2 and 50", name=op.f("ck_series_wanted")),
        sa.ForeignKeyConstraint(
            ["version_id"], ["profile_versions.id"], name=op.f("fk_series_version_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_series")),
    )
    op.create_table(
        "shot_journal",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("shot_id", sa.Integer(), nullable=False),
        sa.Column("heard", sa.Integer(), nullable=False),
        sa.Column("columns", postgresql.JSONB(), nullable=False),
        sa.Column("events", postgresql.JSONB(), nullable=False),
        sa.ForeignKeyConstraint(
            ["shot_id"], ["shots.id"], name=op.f("fk_shot_journal_shot_id"), ondelete="cascade"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_shot_journal")),
    )
    op.create_index("ix_shot_journal_shot_id", "shot_journal", ["shot_id", "id"])
    op.add_column("machines", sa.Column("scale_address", sa.Text(), nullable=True))
    op.add_column("machines", sa.Column("on_since", STAMP, nullable=True))
    op.add_column(
        "machines", sa.Column("with_steam", sa.Boolean(), server_default="false", nullable=False)
    )
    op.add_column("benches", sa.Column("refractometer_address", sa.Text(), nullable=True))
    for column in (
        sa.Column("by_hand", postgresql.ARRAY(sa.Double()), server_default="{}", nullable=False),
        sa.Column("asked", postgresql.JSONB(), server_default="{}", nullable=False),
        sa.Column("token", sa.Text(), nullable=True),
        sa.Column("commander", sa.Text(), nullable=True),
        sa.Column("hand_run", sa.Boolean(), server_default="false", nullable=False),
        sa.Column("series_id", sa.Integer(), nullable=True),
        sa.Column("seen_at", STAMP, nullable=True),
    ):
        op.add_column("shots", column)
    op.execute(
        "update shots set by_hand = array_fill('NaN'::float8, array[cardinality(time_s)]) "
        "where cardinality(time_s) > 0"
    )
    op.execute("update shots set seen_at = now() where state = 'incomplete'")
    op.create_foreign_key(
        op.f("fk_shots_series_id"), "shots", "series", ["series_id"], ["id"], ondelete="set null"
    )
    op.create_index(op.f("ix_shots_series_id"), "shots", ["series_id"])
    op.drop_constraint(op.f("ck_shots_result"), "shots")  # without a scale the drink is unknown
    op.drop_constraint(op.f("ck_shots_one_clock"), "shots")
    op.create_check_constraint(
        op.f("ck_shots_one_clock"), "shots", _one_clock((*ONE_CLOCK, "by_hand"))
    )


def downgrade() -> None:
    op.drop_constraint(op.f("ck_shots_one_clock"), "shots")
    op.create_check_constraint(op.f("ck_shots_one_clock"), "shots", _one_clock(ONE_CLOCK))
    op.create_check_constraint(
        op.f("ck_shots_result"), "shots", "state <> 'done' or drink_g is not null"
    )
    for column in (
        "seen_at", "series_id", "hand_run", "commander", "token", "asked", "by_hand",
    ):  # fmt: skip
        op.drop_column("shots", column)
    op.drop_column("benches", "refractometer_address")
    for column in ("with_steam", "on_since", "scale_address"):
        op.drop_column("machines", column)
    op.drop_table("shot_journal")
    op.drop_table("series")
