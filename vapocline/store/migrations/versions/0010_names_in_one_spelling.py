"""Names lose what nobody sees in them, and have one spelling for one look.

Revision ID: 0010
Revises: 0009
"""

import sqlalchemy as sa
from alembic import op

from vapocline.core.base.document import clean_name

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None

TABLES = ("coffees", "grinders", "baskets", "machines", "profiles")


def upgrade() -> None:
    connection = op.get_bind()
    for table in TABLES:
        rows = connection.execute(sa.text(f"select id, name from {table} order by id")).all()
        taken = {row.name for row in rows}
        for row in rows:
            clean = clean_name(row.name)[:60]
            if clean == row.name:
                continue
            if clean in taken:
                clean = f"{clean[:48]} ({row.id})"
            taken.add(clean)
            inside = ", document = jsonb_set(document, '{name}', to_jsonb(cast(:name as text)))"
            also = inside if table == "machines" else ""
            change = sa.text(f"update {table} set name = :name{also} where id = :id")
            connection.execute(change, {"name": clean, "id": row.id})


def downgrade() -> None:
    pass  # what was invisible is not put back
