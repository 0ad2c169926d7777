"""Indexes on states and foreign keys; what a bag gave is kept, not added up each time.

Revision ID: 0011
Revises: 0010
"""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None

SIMPLE = (
    ("bags", "coffee_id"), ("calibrations", "machine_id"), ("calibrations", "coffee_id"),
    ("calibrations", "grinder_id"), ("slots", "version_id"), ("benches", "coffee_id"),
    ("benches", "grinder_id"), ("benches", "machine_id"), ("benches", "basket_id"),
    ("people", "bench_id"), ("series", "version_id"), ("shots", "person_id"),
    ("shots", "bench_id"), ("shots", "grinder_id"),
)  # fmt: skip
BY_TIME = ("version_id", "coffee_id", "machine_id")


def upgrade() -> None:
    for table, column in SIMPLE:
        op.create_index(f"ix_{table}_{column}", table, [column])
    op.drop_index("ix_shots_started_at", table_name="shots")
    op.create_index("ix_shots_started_at", "shots", ["started_at", "id"])
    for column in BY_TIME:
        op.create_index(f"ix_shots_{column}", "shots", [column, "started_at", "id"])
    running, unseen = "state = 'running'", "state = 'incomplete' and seen_at is null"
    for name, where in (("running", running), ("unseen", unseen)):
        op.create_index(f"ix_shots_{name}", "shots", ["id"], postgresql_where=sa.text(where))
    op.add_column("bags", sa.Column("used_g", sa.Double(), server_default="0", nullable=False))
    op.add_column("bags", sa.Column("shots", sa.Integer(), server_default="0", nullable=False))
    op.execute("""
        update bags set used_g = s.used_g, shots = s.shots from (
            select bag_id, sum(dose_g) as used_g, count(*) as shots from shots group by bag_id
        ) s where s.bag_id = bags.id
    """)
    op.execute("""
        create function keep_bag_sums() returns trigger language plpgsql as $$
        begin
            if tg_op <> 'INSERT' and old.bag_id is not null then
                update bags set used_g = used_g - old.dose_g, shots = shots - 1
                where id = old.bag_id;
            end if;
            if tg_op <> 'DELETE' and new.bag_id is not null then
                update bags set used_g = used_g + new.dose_g, shots = shots + 1
                where id = new.bag_id;
            end if;
            return null;
        end $$
    """)
    op.execute("""
        create trigger shots_keep_bag_sums
        after insert or delete or update of bag_id, dose_g on shots
        for each row execute function keep_bag_sums()
    """)


def downgrade() -> None:
    op.execute("drop trigger shots_keep_bag_sums on shots")
    op.execute("drop function keep_bag_sums")
    op.drop_column("bags", "shots")
    op.drop_column("bags", "used_g")
    for name in ("running", "unseen", *BY_TIME):
        op.drop_index(f"ix_shots_{name}", table_name="shots")
    op.drop_index("ix_shots_started_at", table_name="shots")
    op.create_index("ix_shots_started_at", "shots", ["started_at"])
    for table, column in reversed(SIMPLE):
        op.drop_index(f"ix_{table}_{column}", table_name=table)
