"""Every table of the first slice.

Revision ID: 0001
Revises:
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "coffees",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("roast", sa.Text(), nullable=False),
        sa.Column("roasted_on", sa.Date(), nullable=True),
        sa.Column("process", sa.Text(), server_default="", nullable=False),
        sa.Column("decaf", sa.Boolean(), server_default="false", nullable=False),
        sa.Column("note", sa.Text(), server_default="", nullable=False),
        sa.Column(
            "created_at",
            postgresql.TIMESTAMP(timezone=True),
            server_default=sa.text("now()"),
            nullable=False,
        ),
        sa.CheckConstraint("name <> ''", name=op.f("ck_coffees_name")),
        sa.CheckConstraint(
            "roast in ('light', 'medium-light', 'medium', 'medium-dark', 'dark')",
            name=op.f("ck_coffees_roast"),
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_coffees")),
        sa.UniqueConstraint("name", name=op.f("uq_coffees_name")),
    )
    op.create_table(
        "grinders",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("settings", sa.ARRAY(sa.Double()), nullable=False),
        sa.Column("grind_um", sa.ARRAY(sa.Double()), nullable=False),
        sa.Column("note", sa.Text(), server_default="", nullable=False),
        sa.Column(
            "created_at",
            postgresql.TIMESTAMP(timezone=True),
            server_default=sa.text("now()"),
            nullable=False,
        ),
        sa.CheckConstraint("name <> ''", name=op.f("ck_grinders_name")),
        sa.CheckConstraint(
            "cardinality(settings) = cardinality(grind_um) and cardinality(settings) >= 2",
            name=op.f("ck_grinders_points"),
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_grinders")),
        sa.UniqueConstraint("name", name=op.f("uq_grinders_name")),
    )
    op.create_table(
        "machines",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("document", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("address", sa.Text(), nullable=True),
        sa.Column(
            "created_at",
            postgresql.TIMESTAMP(timezone=True),
            server_default=sa.text("now()"),
            nullable=False,
        ),
        sa.CheckConstraint("document->>'name' = name", name=op.f("ck_machines_document_name")),
        sa.CheckConstraint("name <> ''", name=op.f("ck_machines_name")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_machines")),
        sa.UniqueConstraint("name", name=op.f("uq_machines_name")),
    )
    op.create_table(
        "profiles",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column(
            "created_at",
            postgresql.TIMESTAMP(timezone=True),
            server_default=sa.text("now()"),
            nullable=False,
        ),
        sa.CheckConstraint("name <> ''", name=op.f("ck_profiles_name")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_profiles")),
        sa.UniqueConstraint("name", name=op.f("uq_profiles_name")),
    )
    op.create_table(
        "benches",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("coffee_id", sa.Integer(), nullable=True),
        sa.Column("grinder_id", sa.Integer(), nullable=True),
        sa.Column("machine_id", sa.Integer(), nullable=False),
        sa.Column("dose_g", sa.Double(), nullable=False),
        sa.Column("yield_g", sa.Double(), nullable=False),
        sa.Column("grind_setting", sa.Double(), nullable=True),
        sa.Column("water_c", sa.Double(), nullable=False),
        sa.CheckConstraint("dose_g > 0 and yield_g > 0", name=op.f("ck_benches_recipe")),
        sa.CheckConstraint("water_c > 0", name=op.f("ck_benches_water_c")),
        sa.ForeignKeyConstraint(["coffee_id"], ["coffees.id"], name=op.f("fk_benches_coffee_id")),
        sa.ForeignKeyConstraint(
            ["grinder_id"], ["grinders.id"], name=op.f("fk_benches_grinder_id")
        ),
        sa.ForeignKeyConstraint(
            ["machine_id"], ["machines.id"], name=op.f("fk_benches_machine_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_benches")),
        sa.UniqueConstraint("name", name=op.f("uq_benches_name")),
    )
    op.create_table(
        "profile_versions",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("profile_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("based_on", sa.Integer(), nullable=True),
        sa.Column("label", sa.Text(), nullable=True),
        sa.Column("document", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column(
            "created_at",
            postgresql.TIMESTAMP(timezone=True),
            server_default=sa.text("now()"),
            nullable=False,
        ),
        sa.CheckConstraint("based_on < number", name=op.f("ck_profile_versions_based_on")),
        sa.CheckConstraint("number >= 1", name=op.f("ck_profile_versions_number")),
        sa.ForeignKeyConstraint(
            ["profile_id"], ["profiles.id"], name=op.f("fk_profile_versions_profile_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_profile_versions")),
        sa.UniqueConstraint(
            "profile_id", "number", name=op.f("uq_profile_versions_profile_id_number")
        ),
    )
    op.create_table(
        "shots",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("trouble", sa.Text(), nullable=True),
        sa.Column(
            "started_at",
            postgresql.TIMESTAMP(timezone=True),
            server_default=sa.text("now()"),
            nullable=False,
        ),
        sa.Column("version_id", sa.Integer(), nullable=False),
        sa.Column("coffee_id", sa.Integer(), nullable=True),
        sa.Column("grinder_id", sa.Integer(), nullable=True),
        sa.Column("machine_id", sa.Integer(), nullable=False),
        sa.Column("dose_g", sa.Double(), nullable=False),
        sa.Column("yield_g", sa.Double(), nullable=False),
        sa.Column("grind_setting", sa.Double(), nullable=True),
        sa.Column("rest_days", sa.Double(), nullable=True),
        sa.Column("water_c", sa.Double(), nullable=False),
        sa.Column("plan", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("forecast", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column(
            "events", postgresql.JSONB(astext_type=sa.Text()), server_default="[]", nullable=False
        ),
        sa.Column("time_s", sa.ARRAY(sa.Double()), server_default="{}", nullable=False),
        sa.Column("pressure_bar", sa.ARRAY(sa.Double()), server_default="{}", nullable=False),
        sa.Column("water_in_ml_s", sa.ARRAY(sa.Double()), server_default="{}", nullable=False),
        sa.Column("cup_out_ml_s", sa.ARRAY(sa.Double()), server_default="{}", nullable=False),
        sa.Column("cup_g", sa.ARRAY(sa.Double()), server_default="{}", nullable=False),
        sa.Column("group_c", sa.ARRAY(sa.Double()), server_default="{}", nullable=False),
        sa.Column("commanded", sa.ARRAY(sa.Double()), server_default="{}", nullable=False),
        sa.Column("phase", sa.ARRAY(sa.Double()), server_default="{}", nullable=False),
        sa.Column("drink_g", sa.Double(), nullable=True),
        sa.Column("shot_time_s", sa.Double(), nullable=True),
        sa.Column("first_drip_s", sa.Double(), nullable=True),
        sa.Column("cup_at_stop_g", sa.Double(), nullable=True),
        sa.Column("peak_pressure_bar", sa.Double(), nullable=True),
        sa.Column("water_in_ml", sa.Double(), nullable=True),
        sa.Column("tds_pct", sa.Double(), nullable=True),
        sa.CheckConstraint("state <> 'done' or drink_g is not null", name=op.f("ck_shots_result")),
        sa.CheckConstraint(
            "state in ('running', 'done', 'incomplete')", name=op.f("ck_shots_state")
        ),
        sa.CheckConstraint(
            "cardinality(pressure_bar) = cardinality(time_s) and cardinality(water_in_ml_s) = cardinality(time_s) and cardinality(cup_out_ml_s) = cardinality(time_s) and cardinality(cup_g) = cardinality(time_s) and cardinality(group_c) = cardinality(time_s) and cardinality(commanded) = cardinality(time_s) and cardinality(phase) = cardinality(time_s)",
            name=op.f("ck_shots_one_clock"),
        ),
        sa.CheckConstraint("dose_g > 0 and yield_g > 0", name=op.f("ck_shots_recipe")),
        sa.CheckConstraint("tds_pct > 0 and tds_pct <= 30", name=op.f("ck_shots_tds_pct")),
        sa.ForeignKeyConstraint(["coffee_id"], ["coffees.id"], name=op.f("fk_shots_coffee_id")),
        sa.ForeignKeyConstraint(["grinder_id"], ["grinders.id"], name=op.f("fk_shots_grinder_id")),
        sa.ForeignKeyConstraint(["machine_id"], ["machines.id"], name=op.f("fk_shots_machine_id")),
        sa.ForeignKeyConstraint(
            ["version_id"], ["profile_versions.id"], name=op.f("fk_shots_version_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_shots")),
    )
    op.create_index(op.f("ix_shots_started_at"), "shots", ["started_at"], unique=False)
    op.create_table(
        "tastings",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("shot_id", sa.Integer(), nullable=False),
        sa.Column("warmth", sa.Text(), nullable=False),
        sa.Column("served", sa.Text(), nullable=False),
        sa.Column("acidity", sa.SmallInteger(), nullable=True),
        sa.Column("sweetness", sa.SmallInteger(), nullable=True),
        sa.Column("bitterness", sa.SmallInteger(), nullable=True),
        sa.Column("dryness", sa.SmallInteger(), nullable=True),
        sa.Column("body", sa.SmallInteger(), nullable=True),
        sa.Column("texture", sa.SmallInteger(), nullable=True),
        sa.Column("clarity", sa.SmallInteger(), nullable=True),
        sa.Column("balance", sa.SmallInteger(), nullable=True),
        sa.Column("finish", sa.SmallInteger(), nullable=True),
        sa.Column("liking", sa.SmallInteger(), nullable=True),
        sa.Column("notes", sa.Text(), server_default="", nullable=False),
        sa.Column(
            "created_at",
            postgresql.TIMESTAMP(timezone=True),
            server_default=sa.text("now()"),
            nullable=False,
        ),
        sa.Column(
            "changed_at",
            postgresql.TIMESTAMP(timezone=True),
            server_default=sa.text("now()"),
            nullable=False,
        ),
        sa.CheckConstraint("served in ('straight', 'milk')", name=op.f("ck_tastings_served")),
        sa.CheckConstraint("warmth in ('hot', 'warm', 'cool')", name=op.f("ck_tastings_warmth")),
        sa.CheckConstraint("acidity between 0 and 10", name=op.f("ck_tastings_acidity")),
        sa.CheckConstraint("balance between 0 and 10", name=op.f("ck_tastings_balance")),
        sa.CheckConstraint("bitterness between 0 and 10", name=op.f("ck_tastings_bitterness")),
        sa.CheckConstraint("body between 0 and 10", name=op.f("ck_tastings_body")),
        sa.CheckConstraint("clarity between 0 and 10", name=op.f("ck_tastings_clarity")),
        sa.CheckConstraint("dryness between 0 and 10", name=op.f("ck_tastings_dryness")),
        sa.CheckConstraint("finish between 0 and 10", name=op.f("ck_tastings_finish")),
        sa.CheckConstraint("liking between 0 and 10", name=op.f("ck_tastings_liking")),
        sa.CheckConstraint("sweetness between 0 and 10", name=op.f("ck_tastings_sweetness")),
        sa.CheckConstraint("texture between 0 and 10", name=op.f("ck_tastings_texture")),
        sa.ForeignKeyConstraint(
            ["shot_id"], ["shots.id"], name=op.f("fk_tastings_shot_id"), ondelete="cascade"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_tastings")),
        sa.UniqueConstraint(
            "shot_id", "warmth", "served", name=op.f("uq_tastings_shot_id_warmth_served")
        ),
    )
    # A saved version never changes: only the name given to it may, and nothing deletes it.
    op.execute("""
        create function refuse_version_change() returns trigger language plpgsql as $$
        begin
            if tg_op = 'UPDATE' and (old.profile_id, old.number, old.based_on, old.document)
                is not distinct from (new.profile_id, new.number, new.based_on, new.document)
            then
                return new;
            end if;
            raise exception 'a saved profile version never changes'
                using errcode = 'integrity_constraint_violation',
                constraint = 'profile_versions_immutable';
        end $$
    """)
    op.execute("""
        create trigger profile_versions_immutable before update or delete on profile_versions
        for each row execute function refuse_version_change()
    """)


def downgrade() -> None:
    op.drop_table("tastings")
    op.drop_index(op.f("ix_shots_started_at"), table_name="shots")
    op.drop_table("shots")
    op.drop_table("profile_versions")
    op.execute("drop function refuse_version_change")
    op.drop_table("benches")
    op.drop_table("profiles")
    op.drop_table("machines")
    op.drop_table("grinders")
    op.drop_table("coffees")
