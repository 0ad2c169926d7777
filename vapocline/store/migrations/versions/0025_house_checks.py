"""The house's start checks.

Revision ID: 0025
Revises: 0024
"""

import sqlalchemy as sa
from alembic import op

revision = "0025"
down_revision = "0024"
branch_labels = None
depends_on = None

ASKED = "asked IN ('every time', 'each morning', 'after a change', 'never')"
OURS = "ours IN ('portafilter', 'flush', 'basket', 'bag', 'grind', 'tamp', 'cup')"
AFTER = (
    "after IN ('armed', 'warm', 'water', 'portafilter', 'cup', 'tare', 'dose', 'basket', 'flush', "
    "'bag', 'grind', 'tamp', 'disc')"
)


def upgrade() -> None:
    op.create_table(
        "check_lines",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("ours", sa.Text(), nullable=True),
        sa.Column("words", sa.Text(), nullable=True),
        sa.Column("after", sa.Text(), nullable=True),
        sa.Column("asked", sa.Text(), nullable=False),
        sa.CheckConstraint(OURS, name=op.f("ck_check_lines_ours")),
        sa.CheckConstraint(ASKED, name=op.f("ck_check_lines_asked")),
        sa.CheckConstraint(AFTER, name=op.f("ck_check_lines_after")),
        sa.CheckConstraint("num_nonnulls(ours, words) = 1", name=op.f("ck_check_lines_one")),
        sa.CheckConstraint("(words is null) = (after is null)", name=op.f("ck_check_lines_placed")),
        sa.CheckConstraint("words <> ''", name=op.f("ck_check_lines_words")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_check_lines")),
        sa.UniqueConstraint("ours", name=op.f("uq_check_lines_ours")),
        sa.UniqueConstraint("words", name=op.f("uq_check_lines_words")),
    )


def downgrade() -> None:
    op.drop_table("check_lines")
