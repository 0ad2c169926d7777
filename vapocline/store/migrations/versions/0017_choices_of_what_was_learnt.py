"""The user's choice of a fit, a shot's puck on the bench, the flow and weight at a stop, translations
in the queue, and changes that were taken.

Revision ID: 0017
Revises: 0016
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB, TIMESTAMP

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None

LEVELS = ("coffee", "grinder", "machine")
# As `core/shot/result.py` reads it: the slope of the weight over the last second before the stop.
LAST_FLOW = """
update shots set last_flow_g_s = found.flow
from (
    select shots.id, regr_slope(weighed.cup_g, weighed.time_s) as flow
    from shots, unnest(shots.cup_g, shots.time_s) as weighed(cup_g, time_s)
    where shots.shot_time_s is not null
      and weighed.time_s > shots.shot_time_s - 1 and weighed.time_s <= shots.shot_time_s
      and weighed.cup_g <> 'NaN'
    group by shots.id having count(*) >= 5
) as found
where found.id = shots.id
"""


def upgrade() -> None:
    op.create_table(
        "knowledge_choices",
        *(sa.Column(f"{one}_id", sa.Integer(), nullable=False) for one in LEVELS),
        sa.Column("knowledge_id", sa.Integer(), nullable=True),
        sa.Column(
            "chosen_at", TIMESTAMP(timezone=True), server_default=sa.text("now()"), nullable=False
        ),
        *(
            sa.ForeignKeyConstraint(
                [f"{one}_id"],
                [f"{one}s.id"],
                name=op.f(f"fk_knowledge_choices_{one}_id"),
                ondelete="cascade",
            )
            for one in LEVELS
        ),
        sa.ForeignKeyConstraint(
            ["knowledge_id"],
            ["knowledge.id"],
            name=op.f("fk_knowledge_choices_knowledge_id"),
            ondelete="cascade",
        ),
        sa.PrimaryKeyConstraint(
            *(f"{one}_id" for one in LEVELS), name=op.f("pk_knowledge_choices")
        ),
    )
    for column in ("grinder_id", "machine_id", "knowledge_id"):
        op.create_index(op.f(f"ix_knowledge_choices_{column}"), "knowledge_choices", [column])
    op.create_table(
        "translations",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column(
            "created_at", TIMESTAMP(timezone=True), server_default=sa.text("now()"), nullable=False
        ),
        sa.Column("asked", JSONB(), nullable=False),
        sa.Column("came", JSONB(), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_translations")),
    )
    op.create_table(
        "expectations",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column(
            "created_at", TIMESTAMP(timezone=True), server_default=sa.text("now()"), nullable=False
        ),
        sa.Column("shot_id", sa.Integer(), nullable=False),
        sa.Column("move", sa.Text(), nullable=False),
        sa.Column("expected", JSONB(), nullable=False),
        sa.ForeignKeyConstraint(
            ["shot_id"], ["shots.id"], name=op.f("fk_expectations_shot_id"), ondelete="cascade"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_expectations")),
    )
    op.create_index(op.f("ix_expectations_shot_id"), "expectations", ["shot_id"])
    op.add_column("benches", sa.Column("puck_shot_id", sa.Integer(), nullable=True))
    op.create_index(op.f("ix_benches_puck_shot_id"), "benches", ["puck_shot_id"])
    op.create_foreign_key(
        op.f("fk_benches_puck_shot_id"),
        "benches", "shots", ["puck_shot_id"], ["id"], ondelete="set null",
    )  # fmt: skip
    op.add_column("benches", sa.Column("puck", JSONB(), nullable=True))
    # A grinder's newest doses are read from the newest back, as other lists of shots are.
    op.drop_index("ix_shots_grinder_id", "shots")
    op.create_index("ix_shots_grinder_id", "shots", ["grinder_id", "started_at", "id"])
    for column in ("last_flow_g_s", "stop_cue_g"):
        op.add_column("shots", sa.Column(column, sa.Double(), nullable=True))
    op.execute(LAST_FLOW)


def downgrade() -> None:
    op.drop_table("expectations")
    op.drop_table("translations")
    op.drop_index("ix_shots_grinder_id", "shots")
    op.create_index("ix_shots_grinder_id", "shots", ["grinder_id"])
    op.drop_column("shots", "stop_cue_g")
    op.drop_column("shots", "last_flow_g_s")
    op.drop_constraint(op.f("fk_benches_puck_shot_id"), "benches")
    op.drop_index(op.f("ix_benches_puck_shot_id"), "benches")
    op.drop_column("benches", "puck")
    op.drop_column("benches", "puck_shot_id")
    op.drop_table("knowledge_choices")
