"""Cups are known to tasters by a number that tells nothing, and each seat has a secret.

Revision ID: 0019
Revises: 0018
"""

import sqlalchemy as sa
from alembic import op

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("cups", sa.Column("number", sa.SmallInteger(), nullable=True))
    op.execute(
        "update cups set number = drawn.number from ("
        " select id, coalesce(code::smallint,"
        " 999 + row_number() over (partition by session_id order by random())) as number from cups"
        ") drawn where cups.id = drawn.id"
    )
    op.alter_column("cups", "number", nullable=False)
    op.create_unique_constraint(op.f("uq_cups_session_id_number"), "cups", ["session_id", "number"])
    op.create_check_constraint(
        op.f("ck_cups_number"),
        "cups",
        "number between 100 and 9999 and number::text = coalesce(code, number::text)",
    )
    op.add_column("tasting_seats", sa.Column("secret", sa.Text(), nullable=True))
    # Nobody has a link with it yet: the host finds it beside the name.
    op.execute(
        "update tasting_seats set secret = translate(substr(replace("
        "gen_random_uuid()::text, '-', ''), 1, 10), '0123456789ae', 'bcdfghjkmnpq')"
    )
    op.alter_column("tasting_seats", "secret", nullable=False)


def downgrade() -> None:
    op.drop_column("tasting_seats", "secret")
    op.drop_constraint(op.f("ck_cups_number"), "cups")
    op.drop_constraint(op.f("uq_cups_session_id_number"), "cups")
    op.drop_column("cups", "number")
