"""Queries on how shots ended, how long they took and how doses were weighed."""

from __future__ import annotations

from typing import NamedTuple

from sqlalchemy import case, exists, select
from sqlalchemy.orm import Session

from vapocline.core.shot.events import BY_HAND
from vapocline.store.shots import COUNTS
from vapocline.store.tables import (
    CoffeeRow,
    CupRow,
    EventRow,
    ProfileRow,
    ScoreRow,
    ShotRow,
    TastingSessionRow,
    VersionRow,
)

MOST_LIKINGS = 500


class StopRecord(NamedTuple):
    """How a shot ended: the flow, what dripped after, and by how much a hand missed the weight it
    was to stop at; None where the machine stopped."""

    last_flow_g_s: float
    drip_g: float
    hand_over_g: float | None


def read_stops(session: Session, machine_id: int, *, limit: int) -> list[StopRecord]:
    """The newest weighed stops on a machine."""
    by_hand = exists().where(
        EventRow.shot_id == ShotRow.id,
        EventRow.kind == "stopped",
        EventRow.document["reason"].astext.in_(BY_HAND),
    )
    rows = session.execute(
        select(
            ShotRow.last_flow_g_s,
            ShotRow.yield_g - ShotRow.cup_at_stop_g,
            case((by_hand, ShotRow.cup_at_stop_g - ShotRow.stop_cue_g)),
        )
        .where(
            ShotRow.machine_id == machine_id,
            *COUNTS,
            ShotRow.last_flow_g_s.is_not(None),
            ShotRow.cup_at_stop_g.is_not(None),
            ShotRow.yield_g.is_not(None),
        )
        .order_by(ShotRow.started_at.desc(), ShotRow.id.desc())
        .limit(limit)
    )
    return [StopRecord(*row) for row in rows]


def read_dose_offs(session: Session, grinder_id: int, *, limit: int) -> list[float]:
    """The newest weighed doses by a grinder less what was asked for, g, in order of time."""
    conditions = ShotRow.conditions
    rows = session.scalars(
        select(ShotRow.dose_g - conditions["intended"]["dose_g"].as_float())
        .where(
            ShotRow.grinder_id == grinder_id,
            conditions["sources"]["dose_g"].astext == "weighed",
            ~ShotRow.dry,
        )
        .order_by(ShotRow.started_at.desc(), ShotRow.id.desc())
        .limit(limit)
    ).all()
    return list(rows)[::-1]


class PastTime(NamedTuple):
    """How long a shot took: of a coffee roasted how, by which profile."""

    roast: str
    profile: str
    shot_time_s: float


def read_past_times(
    session: Session, grinder_id: int, machine_id: int, *, limit: int
) -> list[PastTime]:
    """The newest shots by a grinder on a machine, with their times."""
    rows = session.execute(
        select(
            CoffeeRow.roast,
            VersionRow.document["name"].astext,
            ShotRow.shot_time_s,
        )
        .join(CoffeeRow, CoffeeRow.id == ShotRow.coffee_id)
        .join(VersionRow, VersionRow.id == ShotRow.version_id)
        .where(
            ShotRow.grinder_id == grinder_id,
            ShotRow.machine_id == machine_id,
            *COUNTS,
            ShotRow.shot_time_s.is_not(None),
        )
        .order_by(ShotRow.started_at.desc(), ShotRow.id.desc())
        .limit(limit)
    )
    return [PastTime(*row) for row in rows]


def read_liked_styles(session: Session) -> list[tuple[str | None, float]]:
    """The newest likings of straight cups of shots that count, with the style that their profile
    began as."""
    rows = session.execute(
        select(ProfileRow.style, ScoreRow.points)
        .select_from(ScoreRow)
        .join(CupRow, CupRow.id == ScoreRow.cup_id)
        .join(TastingSessionRow, TastingSessionRow.id == CupRow.session_id)
        .join(ShotRow, ShotRow.id == CupRow.shot_id)
        .join(VersionRow, VersionRow.id == ShotRow.version_id)
        .join(ProfileRow, ProfileRow.id == VersionRow.profile_id)
        .where(
            *COUNTS,
            TastingSessionRow.state == "closed",
            CupRow.withdrawn.is_(None),
            ScoreRow.line == "liking",
            ScoreRow.served == "straight",
        )
        .order_by(ShotRow.id.desc())
        .limit(MOST_LIKINGS)
    )
    return [(style, float(points)) for style, points in rows]
