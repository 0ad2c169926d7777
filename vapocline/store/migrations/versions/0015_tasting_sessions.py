"""Tastings become sessions: cups, tasters, scores and choices; readings, targets, the house's lines.

Every tasting stored until now becomes a session of one.

Revision ID: 0015
Revises: 0014
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB, TIMESTAMP

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None

LINES = (
    "acidity", "sweetness", "bitterness", "dryness", "body", "texture", "clarity", "cleanness",
    "complexity", "balance", "finish", "liking",
)  # fmt: skip
OLD_LINES = tuple(line for line in LINES if line not in ("cleanness", "complexity"))
WARMTH = ("warmth", "warmth in ('hot', 'warm', 'cool')")
SERVED = ("served", "served in ('straight', 'milk')")


def upgrade() -> None:
    _sessions()
    _answers()
    _beside_shots()
    _take_tastings_over()
    op.drop_table("tastings")
    op.add_column("profile_versions", sa.Column("purpose", sa.Text(), nullable=True))
    op.create_check_constraint(
        "purpose", "profile_versions", "purpose in ('black', 'milk', 'long')"
    )


def _sessions() -> None:
    op.create_table(
        "tasters", _id(), _text("name"), _moment("created_at"), *_checks(("name", "name <> ''"))
    )
    op.create_index("uq_tasters_name", "tasters", [sa.text("lower(name)")], unique=True)
    op.create_table(
        "tasting_sessions",
        _id(),
        _text("kind"),
        _text("state", "open"),
        sa.Column("blind", sa.Boolean(), nullable=False),
        _text("served", "straight"),
        sa.Column("milk_g", sa.Double(), nullable=True),
        *(
            sa.Column(n, sa.ARRAY(sa.Text()), nullable=False)
            for n in ("warmths", "lines", "questions")
        ),
        sa.Column("rounds", sa.SmallInteger(), server_default="1", nullable=False),
        sa.Column("duplicate", sa.Boolean(), server_default="false", nullable=False),
        sa.Column("seed", sa.BigInteger(), nullable=False),
        sa.Column("join_code", sa.Text(), nullable=True),
        sa.Column("quick_shot_id", sa.Integer(), nullable=True),
        sa.Column("quick_taster_id", sa.Integer(), nullable=True),
        _moment("created_at"),
        sa.Column("closed_at", TIMESTAMP(timezone=True), nullable=True),
        *_checks(
            ("kind", "kind in ('describe', 'pair', 'triangle', 'rank')"),
            ("state", "state in ('open', 'closed')"),
            SERVED,
            ("milk_g", "served = 'milk' or milk_g is null"),
            ("rounds", "rounds between 1 and 12"),
            ("closed", "(state = 'closed') = (closed_at is not null)"),
            (
                "quick",
                "(quick_shot_id is null) = (quick_taster_id is null) "
                "and (quick_shot_id is null) = (join_code is not null)",
            ),
        ),
        sa.UniqueConstraint("quick_shot_id", "quick_taster_id"),
        sa.UniqueConstraint("join_code"),
        sa.ForeignKeyConstraint(["quick_shot_id"], ["shots.id"], ondelete="cascade"),
        sa.ForeignKeyConstraint(["quick_taster_id"], ["tasters.id"]),
    )
    op.create_index("ix_tasting_sessions_created_at", "tasting_sessions", ["created_at", "id"])
    op.create_index("ix_tasting_sessions_quick_taster_id", "tasting_sessions", ["quick_taster_id"])
    op.create_table(
        "tasting_seats",
        _key("session_id"),
        _key("taster_id"),
        sa.Column("place", sa.SmallInteger(), nullable=False),
        sa.ForeignKeyConstraint(["session_id"], ["tasting_sessions.id"], ondelete="cascade"),
        sa.ForeignKeyConstraint(["taster_id"], ["tasters.id"]),
        sa.PrimaryKeyConstraint("session_id", "taster_id"),
    )
    op.create_index("ix_tasting_seats_taster_id", "tasting_seats", ["taster_id"])
    op.create_table(
        "cups",
        _id(),
        _key("session_id"),
        _key("shot_id"),
        sa.Column("code", sa.Text(), nullable=True),
        sa.Column("withdrawn", sa.Text(), nullable=True),
        *_checks(
            ("code", "code ~ '^[1-9][0-9]{2}$'"),
            ("withdrawn", "length(withdrawn) between 1 and 200"),
        ),
        sa.UniqueConstraint("session_id", "code"),
        sa.UniqueConstraint("session_id", "id"),
        sa.ForeignKeyConstraint(["session_id"], ["tasting_sessions.id"], ondelete="cascade"),
        sa.ForeignKeyConstraint(["shot_id"], ["shots.id"], ondelete="cascade"),
    )
    op.create_index("ix_cups_shot_id", "cups", ["shot_id"])
    op.create_table(
        "servings",
        _key("session_id"),
        _key("taster_id"),
        sa.Column("round", sa.SmallInteger(), nullable=False),
        sa.Column("position", sa.SmallInteger(), nullable=False),
        _key("cup_id"),
        *_checks(("round", "round between 1 and 72"), ("position", "position >= 1")),
        sa.PrimaryKeyConstraint("session_id", "taster_id", "round", "position"),
        sa.UniqueConstraint("session_id", "taster_id", "cup_id"),
        sa.ForeignKeyConstraint(
            ["session_id", "taster_id"],
            ["tasting_seats.session_id", "tasting_seats.taster_id"],
            name="fk_servings_seat",
            ondelete="cascade",
        ),
        sa.ForeignKeyConstraint(
            ["session_id", "cup_id"],
            ["cups.session_id", "cups.id"],
            name="fk_servings_cup",
            ondelete="cascade",
        ),
    )
    op.create_index("ix_servings_session_id_cup_id", "servings", ["session_id", "cup_id"])


def _answers() -> None:
    lines = ", ".join(f"'{line}'" for line in LINES)
    op.create_table(
        "scores",
        _key("cup_id"),
        _key("taster_id"),
        _text("warmth"),
        _text("served"),
        _text("line"),
        _key("session_id"),
        sa.Column("points", sa.SmallInteger(), nullable=False),
        sa.Column("since_stop_s", sa.Double(), nullable=True),
        sa.Column("stirred", sa.Boolean(), server_default="false", nullable=False),
        _moment("changed_at"),
        *_checks(
            WARMTH,
            SERVED,
            ("line", f"line in ({lines})"),
            ("points", "points between 0 and 10"),
            ("since_stop_s", "since_stop_s >= 0"),
        ),
        sa.PrimaryKeyConstraint("cup_id", "taster_id", "warmth", "served", "line"),
        _served_cup(),
    )
    op.create_table(
        "remarks",
        _key("cup_id"),
        _key("taster_id"),
        _text("warmth"),
        _text("served"),
        _key("session_id"),
        sa.Column("words", sa.ARRAY(sa.Text()), server_default="{}", nullable=False),
        _text("notes", ""),
        _moment("changed_at"),
        *_checks(WARMTH, SERVED),
        sa.PrimaryKeyConstraint("cup_id", "taster_id", "warmth", "served"),
        _served_cup(),
    )
    op.create_table(
        "choices",
        _key("session_id"),
        _key("taster_id"),
        sa.Column("round", sa.SmallInteger(), nullable=False),
        _text("question"),
        _key("cup_id"),
        sa.Column("place", sa.SmallInteger(), nullable=False),
        _moment("changed_at"),
        *_checks(
            ("question", f"question in ('odd', 'rank', 'preferred', {lines})"),
            ("place", "place between 1 and 6"),
        ),
        sa.PrimaryKeyConstraint("session_id", "taster_id", "round", "question", "cup_id"),
        _served_cup(),
    )
    op.create_index(
        "uq_choices_odd",
        "choices",
        ["session_id", "taster_id", "round"],
        unique=True,
        postgresql_where=sa.text("question = 'odd'"),
    )
    for table in ("scores", "remarks", "choices"):
        op.create_index(f"ix_{table}_served_cup", table, ["session_id", "taster_id", "cup_id"])


def _beside_shots() -> None:
    op.create_table(
        "observations",
        _key("shot_id"),
        sa.Column("crema_mm", sa.Double(), nullable=True),
        sa.Column("crema_colour", sa.Text(), nullable=True),
        sa.Column("crema_s", sa.Double(), nullable=True),
        *(
            sa.Column(f"puck_{what}", sa.Boolean(), nullable=True)
            for what in ("whole", "wet", "holes", "cracks")
        ),
        _moment("changed_at"),
        *_checks(
            ("crema_mm", "crema_mm between 0 and 30"),
            ("crema_s", "crema_s between 0 and 900"),
            ("crema_colour", "crema_colour in ('pale', 'golden', 'hazel', 'dark', 'mottled')"),
        ),
        sa.PrimaryKeyConstraint("shot_id"),
        sa.ForeignKeyConstraint(["shot_id"], ["shots.id"], ondelete="cascade"),
    )
    op.create_table(
        "strength_readings",
        _id(),
        _key("shot_id"),
        sa.Column("tds_pct", sa.Double(), nullable=False),
        _moment("read_at"),
        *_checks(("tds_pct", "tds_pct > 0 and tds_pct <= 30")),
        sa.ForeignKeyConstraint(["shot_id"], ["shots.id"], ondelete="cascade"),
    )
    op.create_index("ix_strength_readings_shot_id", "strength_readings", ["shot_id"])
    op.execute(
        "insert into strength_readings (shot_id, tds_pct, read_at) "
        "select id, tds_pct, started_at from shots where tds_pct is not null order by id"
    )
    op.create_table(
        "taste_targets",
        _key("coffee_id"),
        sa.Column("document", JSONB(), nullable=False),
        sa.PrimaryKeyConstraint("coffee_id"),
        sa.ForeignKeyConstraint(["coffee_id"], ["coffees.id"], ondelete="cascade"),
    )
    op.create_table(
        "house",
        sa.Column("id", sa.SmallInteger(), nullable=False),
        sa.Column("lines", sa.ARRAY(sa.Text()), nullable=False),
        *_checks(("one", "id = 1"), ("lines", "cardinality(lines) >= 1")),
        sa.PrimaryKeyConstraint("id"),
    )


def _take_tastings_over() -> None:
    """A session of one for every shot that was tasted, by whoever pulled it."""
    old = ", ".join(f"'{line}'" for line in OLD_LINES)
    op.execute(f"""
        insert into tasters (name)
        select distinct coalesce(people.name, 'Barista') from tastings
        join shots on shots.id = shot_id left join people on people.id = person_id;

        insert into tasting_sessions (kind, state, closed_at, blind, warmths, lines, questions,
            seed, quick_shot_id, quick_taster_id, created_at)
        select 'describe', 'closed', max(tastings.changed_at), false, '{{hot,warm,cool}}',
            array[{old}], '{{}}', 0, shot_id, tasters.id, min(tastings.created_at)
        from tastings join shots on shots.id = shot_id
        left join people on people.id = person_id
        join tasters on tasters.name = coalesce(people.name, 'Barista')
        group by shot_id, tasters.id order by shot_id;

        insert into tasting_seats (session_id, taster_id, place)
        select id, quick_taster_id, 1 from tasting_sessions;

        insert into cups (session_id, shot_id) select id, quick_shot_id from tasting_sessions;

        insert into servings (session_id, taster_id, round, position, cup_id)
        select s.id, s.quick_taster_id, 1, 1, cups.id
        from tasting_sessions s join cups on cups.session_id = s.id;

        insert into remarks (session_id, taster_id, cup_id, warmth, served, notes, changed_at)
        select s.id, s.quick_taster_id, cups.id, t.warmth, t.served, t.notes, t.changed_at
        from tastings t join tasting_sessions s on s.quick_shot_id = t.shot_id
        join cups on cups.session_id = s.id;
    """)
    for line in OLD_LINES:
        op.execute(f"""
            insert into scores
                (session_id, taster_id, cup_id, warmth, served, line, points, changed_at)
            select s.id, s.quick_taster_id, cups.id, t.warmth, t.served, '{line}', t.{line},
                t.changed_at
            from tastings t join tasting_sessions s on s.quick_shot_id = t.shot_id
            join cups on cups.session_id = s.id where t.{line} is not null
        """)


def _id() -> sa.Column[int]:
    return sa.Column("id", sa.Integer(), primary_key=True)


def _key(name: str) -> sa.Column[int]:
    return sa.Column(name, sa.Integer(), nullable=False)


def _text(name: str, default: str | None = None) -> sa.Column[str]:
    return sa.Column(name, sa.Text(), server_default=default, nullable=False)


def _moment(name: str) -> sa.Column[object]:
    return sa.Column(
        name, TIMESTAMP(timezone=True), server_default=sa.text("now()"), nullable=False
    )


def _checks(*checks: tuple[str, str]) -> list[sa.CheckConstraint]:
    return [sa.CheckConstraint(sql, name=name) for name, sql in checks]


def _served_cup() -> sa.ForeignKeyConstraint:
    columns = ["session_id", "taster_id", "cup_id"]
    return sa.ForeignKeyConstraint(columns, [f"servings.{c}" for c in columns], ondelete="cascade")


def downgrade() -> None:
    """Each shot keeps its first quick tasting; what several tasted together is lost."""
    op.drop_column("profile_versions", "purpose")
    op.create_table(
        "tastings",
        _id(),
        _key("shot_id"),
        _text("warmth"),
        _text("served"),
        *(sa.Column(line, sa.SmallInteger(), nullable=True) for line in OLD_LINES),
        _text("notes", ""),
        _moment("created_at"),
        _moment("changed_at"),
        *_checks(WARMTH, SERVED, *((line, f"{line} between 0 and 10") for line in OLD_LINES)),
        sa.UniqueConstraint("shot_id", "warmth", "served"),
        sa.ForeignKeyConstraint(["shot_id"], ["shots.id"], ondelete="cascade"),
    )
    pivot = ", ".join(f"max(points) filter (where line = '{line}')" for line in OLD_LINES)
    op.execute(f"""
        insert into tastings (shot_id, warmth, served, {", ".join(OLD_LINES)}, notes, changed_at)
        select cups.shot_id, r.warmth, r.served, {pivot}, r.notes, r.changed_at
        from remarks r join cups on cups.id = r.cup_id
        left join scores using (cup_id, taster_id, warmth, served)
        where r.session_id in (
            select min(id) from tasting_sessions
            where quick_shot_id is not null group by quick_shot_id
        )
        group by cups.shot_id, r.warmth, r.served, r.notes, r.changed_at
    """)
    for table in (
        "house", "taste_targets", "strength_readings", "observations", "choices", "remarks",
        "scores", "servings", "cups", "tasting_seats", "tasting_sessions", "tasters",
    ):  # fmt: skip
        op.drop_table(table)
