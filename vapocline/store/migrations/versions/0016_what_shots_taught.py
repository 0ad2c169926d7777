"""What shots taught, the forecast that took it, and the queue of work that learns.

Revision ID: 0016
Revises: 0015
"""

from pathlib import Path

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB, TIMESTAMP

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None

# procrastinate's tables as its version 3.10.0 makes them; a newer one comes with steps of its own.
QUEUE = Path(__file__).parents[1] / "queue" / "3.10.0.sql"
LEVELS = ("coffee", "grinder", "machine")


def upgrade() -> None:
    op.create_table(
        "knowledge",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column(
            "created_at", TIMESTAMP(timezone=True), server_default=sa.text("now()"), nullable=False
        ),
        *(sa.Column(f"{one}_id", sa.Integer(), nullable=False) for one in LEVELS),
        sa.Column("basis", sa.Text(), nullable=False),
        sa.Column("inputs", sa.Text(), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("learnt", JSONB(), nullable=False),
        sa.CheckConstraint("state in ('accepted', 'declined')", name=op.f("ck_knowledge_state")),
        *(
            sa.ForeignKeyConstraint(
                [f"{one}_id"],
                [f"{one}s.id"],
                name=op.f(f"fk_knowledge_{one}_id"),
                ondelete="cascade",
            )
            for one in LEVELS
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_knowledge")),
        sa.UniqueConstraint(
            "coffee_id", "grinder_id", "machine_id", "basis", "inputs",
            name=op.f("uq_knowledge_coffee_id_grinder_id_machine_id_basis_inputs"),
        ),
    )  # fmt: skip
    op.create_index(
        "ix_knowledge_of", "knowledge", ["coffee_id", "grinder_id", "machine_id", "created_at"]
    )
    op.create_index("ix_knowledge_grinder_id", "knowledge", ["grinder_id"])
    op.create_index("ix_knowledge_machine_id", "knowledge", ["machine_id"])
    op.add_column("shots", sa.Column("knowledge_id", sa.Integer(), nullable=True))
    op.create_index("ix_shots_knowledge_id", "shots", ["knowledge_id"])
    op.create_foreign_key(
        op.f("fk_shots_knowledge_id"),
        "shots", "knowledge", ["knowledge_id"], ["id"], ondelete="set null",
    )  # fmt: skip
    connection = op.get_bind().execution_options(no_parameters=True)
    connection.exec_driver_sql(QUEUE.read_text(encoding="utf-8"))


def downgrade() -> None:
    op.execute(
        """
        do $$ declare one record; begin
          for one in select oid::regclass as name from pg_class
              where relkind = 'r' and relname like 'procrastinate\\_%' loop
            execute 'drop table if exists ' || one.name || ' cascade';
          end loop;
          for one in select oid::regprocedure as name from pg_proc
              where proname like 'procrastinate\\_%' loop
            execute 'drop function if exists ' || one.name || ' cascade';
          end loop;
          for one in select oid::regtype as name from pg_type
              where typname like 'procrastinate\\_%' and typtype in ('e', 'c') loop
            execute 'drop type if exists ' || one.name || ' cascade';
          end loop;
        end $$
        """
    )
    op.drop_constraint(op.f("fk_shots_knowledge_id"), "shots")
    op.drop_index("ix_shots_knowledge_id", "shots")
    op.drop_column("shots", "knowledge_id")
    op.drop_table("knowledge")
