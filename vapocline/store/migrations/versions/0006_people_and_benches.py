"""People, and which person at which bench pulled a shot.

Revision ID: 0006
Revises: 0005
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None

FIRST_PERSON = "Barista"


def upgrade() -> None:
    op.create_table(
        "people",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("bench_id", sa.Integer(), nullable=True),
        sa.Column(
            "created_at",
            postgresql.TIMESTAMP(timezone=True),
            server_default=sa.text("now()"),
            nullable=False,
        ),
        sa.CheckConstraint("name <> ''", name=op.f("ck_people_name")),
        sa.ForeignKeyConstraint(
            ["bench_id"], ["benches.id"], name=op.f("fk_people_bench_id"), ondelete="set null"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_people")),
        sa.UniqueConstraint("name", name=op.f("uq_people_name")),
    )
    for name, table in (("person_id", "people"), ("bench_id", "benches")):
        op.add_column("shots", sa.Column(name, sa.Integer(), nullable=True))
        op.create_foreign_key(
            op.f(f"fk_shots_{name}"), "shots", table, [name], ["id"], ondelete="set null"
        )
    # Whoever used the application until now becomes the first person, at the first bench.
    op.execute(
        f"insert into people (name, bench_id) select '{FIRST_PERSON}', min(id) from benches "
        "having count(*) > 0"
    )
    op.execute("update shots set person_id = people.id, bench_id = people.bench_id from people")


def downgrade() -> None:
    op.drop_column("shots", "bench_id")
    op.drop_column("shots", "person_id")
    op.drop_table("people")
