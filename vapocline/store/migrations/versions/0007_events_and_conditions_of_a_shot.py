"""Events as rows of their own, what was true when a shot was pulled, and one name a quantity.

Revision ID: 0007
Revises: 0006
"""

import json
from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

KINDS = (
    "phase_began", "stopped", "nudged", "held", "released", "taken_over", "given_back", "marked",
    "first_drip", "relief_opened", "tank_empty", "connection_lost", "connection_restored",
    "recording_resumed", "alarm_raised", "recovery_offered",
)  # fmt: skip
RENAMED = (
    ("yield_g", "target_yield_g"),
    ("drink_g", "yield_g"),
    ("forecast", "prediction"),
    ("hand_run", "manual"),
)

# Conditions of shots from before: as the machine's row and the recipe asked for tell them now.
CONDITIONS = """
update shots set
  simulated = machines.wired and machines.address is null,
  wired = machines.wired,
  conditions = jsonb_build_object(
    'format', 'vapocline/conditions', 'version', 1,
    'simulated', machines.wired and machines.address is null,
    'wired', machines.wired,
    'weighed', machines.wired or machines.scale_address is not null,
    'basket', null,
    'tamped', (shots.plan->'setup') || jsonb_build_object('dose_g', shots.dose_g),
    'intended', jsonb_build_object(
      'dose_g', coalesce(shots.asked->'dose_g', shots.plan->'setup'->'dose_g'),
      'grind_setting', coalesce(shots.asked->'grind_setting', to_jsonb(shots.grind_setting)),
      'dose_tolerance_g', coalesce(shots.asked->'dose_tolerance_g', to_jsonb(0.2::float8))
    )
  )
from machines where machines.id = shots.machine_id
"""


def upgrade() -> None:
    for old, new in RENAMED:
        op.alter_column("shots", old, new_column_name=new)
    op.drop_constraint(op.f("ck_shots_recipe"), "shots")
    op.create_check_constraint(
        op.f("ck_shots_recipe"), "shots", "dose_g > 0 and target_yield_g > 0"
    )
    op.add_column("shots", sa.Column("simulated", sa.Boolean(), nullable=True))
    op.add_column("shots", sa.Column("wired", sa.Boolean(), nullable=True))
    op.add_column("shots", sa.Column("conditions", postgresql.JSONB(), nullable=True))
    op.execute(CONDITIONS)
    for column in ("simulated", "wired", "conditions"):
        op.alter_column("shots", column, nullable=False)
    op.create_table(
        "shot_events",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("shot_id", sa.Integer(), nullable=False),
        sa.Column("time_s", sa.Double(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("phase", sa.Integer(), nullable=True),
        sa.Column("document", postgresql.JSONB(), nullable=False),
        sa.CheckConstraint(
            f"kind in ({', '.join(repr(kind) for kind in KINDS)})", name=op.f("ck_shot_events_kind")
        ),
        sa.ForeignKeyConstraint(
            ["shot_id"], ["shots.id"], name=op.f("fk_shot_events_shot_id"), ondelete="cascade"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_shot_events")),
    )
    op.create_index("ix_shot_events_shot_id", "shot_events", ["shot_id", "id"])
    op.create_index("ix_shot_events_kind", "shot_events", ["kind", "shot_id"])
    _move_events()
    op.drop_column("shots", "events")
    op.drop_column("shots", "asked")
    op.drop_column("shot_journal", "events")


def _move_events() -> None:
    connection = op.get_bind()
    stored = connection.execute(
        sa.text(
            "select id, 0 as row, events from shots union all "
            "select shot_id, id, events from shot_journal order by 1, 2"
        )
    )
    rows = [
        {
            "shot_id": shot_id,
            "time_s": event["time_s"],
            "kind": event["kind"],
            "phase": event.get("phase"),
            "document": json.dumps({"format": "vapocline/event", "version": 1, **event}),
        }
        for shot_id, _row, events in stored
        for event in (_typed(one) for one in events)
        if event is not None
    ]
    if rows:
        connection.execute(
            sa.text(
                "insert into shot_events (shot_id, time_s, kind, phase, document) "
                "values (:shot_id, :time_s, :kind, :phase, cast(:document as jsonb))"
            ),
            rows,
        )


# By the word of before: the kind, and what `because`, `value` and `words` are called there.
TYPED: dict[str, tuple[str, str | None, str | None, str | None]] = {
    "phase": ("phase_began", "after", None, None),
    "stop": ("stopped", "reason", None, None),
    "nudge": ("nudged", "control", "by", None),
    "hold": ("held", None, None, None),
    "go_on": ("released", None, None, None),
    "take": ("taken_over", "control", "level", None),
    "give_back": ("given_back", None, None, None),
    "mark": ("marked", "mark", None, None),
    "first_drip": ("first_drip", None, None, None),
    "relief": ("relief_opened", None, None, None),
    "water_empty": ("tank_empty", None, None, None),
    "line_lost": ("connection_lost", None, None, "message"),
    "line_back": ("connection_restored", None, None, None),
    "taken_up": ("recording_resumed", None, None, None),
    "alarm": ("alarm_raised", "alarm", None, "message"),
    "salvage": ("recovery_offered", "control", "by", "message"),
}
IN_PHASE = ("phase_began", "nudged", "held", "released", "taken_over", "given_back", "marked")


def _typed(old: dict[str, Any]) -> dict[str, Any] | None:
    """Convert an event from the untyped form stored before this migration."""
    if old["what"] not in TYPED:
        return None
    kind, because, value, words = TYPED[old["what"]]
    found: dict[str, Any] = {"kind": kind, "time_s": old["t"]}
    if kind in IN_PHASE:
        found["phase"] = old.get("phase", 0 if kind == "phase_began" else None)
    if because is not None:
        found[because] = old.get("because")
    if value is not None:
        found[value] = old.get("value")
    if words is not None:
        found[words] = old.get("words") or ""
    if kind == "first_drip":
        found["seen_by"] = "hand" if old.get("because") == "hand" else "scale"
    return found


def downgrade() -> None:
    empty = sa.text("'[]'::jsonb")
    op.add_column(
        "shots", sa.Column("events", postgresql.JSONB(), server_default=empty, nullable=False)
    )
    op.add_column(
        "shots", sa.Column("asked", postgresql.JSONB(), server_default="{}", nullable=False)
    )
    op.add_column(
        "shot_journal",
        sa.Column("events", postgresql.JSONB(), server_default=empty, nullable=False),
    )
    op.execute("update shots set asked = (conditions->'intended') where conditions ? 'intended'")
    _move_events_back()
    op.drop_table("shot_events")
    for column in ("conditions", "wired", "simulated"):
        op.drop_column("shots", column)
    op.drop_constraint(op.f("ck_shots_recipe"), "shots")
    for old, new in reversed(RENAMED):
        op.alter_column("shots", new, new_column_name=old)
    op.create_check_constraint(op.f("ck_shots_recipe"), "shots", "dose_g > 0 and yield_g > 0")


BACK = {kind: word for word, (kind, *_names) in TYPED.items()}


def _move_events_back() -> None:
    connection = op.get_bind()
    told: dict[int, list[dict[str, Any]]] = {}
    for shot_id, event in connection.execute(
        sa.text("select shot_id, document from shot_events order by id")
    ):
        because = [event.get(n) for n in ("after", "reason", "control", "mark", "alarm")]
        value = [event.get(n) for n in ("by", "level")]
        old = {
            "t": event["time_s"],
            "what": BACK.get(event["kind"], event["kind"]),
            "phase": event.get("phase"),
            "because": next((one for one in because if one is not None), None),
            "value": next((one for one in value if one is not None), None),
            "words": event.get("message"),
        }
        if event.get("seen_by") == "hand":
            old["because"] = "hand"
        told.setdefault(shot_id, []).append({k: v for k, v in old.items() if v is not None})
    for shot_id, events in told.items():
        connection.execute(
            sa.text("update shots set events = cast(:events as jsonb) where id = :id"),
            {"id": shot_id, "events": json.dumps(events)},
        )
