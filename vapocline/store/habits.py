"""Queries on how shots ended, how long they took and how doses were weighed."""

from __future__ import annotations

from decimal import Decimal
from typing import NamedTuple

from sqlalchemy import Subquery, case, exists, func, select
from sqlalchemy.orm import Session

from vapocline.core.shot.events import BY_HAND
from vapocline.store.shots import COUNTS
from vapocline.store.tables import (
    CoffeeRow,
    CupRow,
    EventRow,
    ObservationRow,
    ProfileRow,
    ScoreRow,
    ShotRow,
    TastingSessionRow,
    VersionRow,
)
from vapocline.store.taste import COUNTED_CUP

MOST_LIKINGS = 500
MOST_AT_REST = 300


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


def _likings() -> Subquery:
    """The mean liking of each shot's straight cup in closed tastings."""
    return (
        select(CupRow.shot_id, func.avg(ScoreRow.points).label("liking"))
        .join(ScoreRow, ScoreRow.cup_id == CupRow.id)
        .join(TastingSessionRow, TastingSessionRow.id == CupRow.session_id)
        .where(*COUNTED_CUP, ScoreRow.line == "liking", ScoreRow.served == "straight")
        .group_by(CupRow.shot_id)
        .subquery()
    )


class SettingUsed(NamedTuple):
    """A grinder's setting, how many shots were pulled with it, and their mean liking."""

    setting: float
    shots: int
    liking: float | None


def read_settings_used(session: Session, grinder_id: int) -> list[SettingUsed]:
    """The settings of a grinder that shots which count were pulled with, rising."""
    liked = _likings()
    rows = session.execute(
        select(ShotRow.grind_setting, func.count(), func.avg(liked.c.liking))
        .outerjoin(liked, liked.c.shot_id == ShotRow.id)
        .where(ShotRow.grinder_id == grinder_id, ShotRow.grind_setting.is_not(None), *COUNTS)
        .group_by(ShotRow.grind_setting)
        .order_by(ShotRow.grind_setting)
    )
    return [SettingUsed(float(of or 0), int(n), _number(liking)) for of, n, liking in rows]


class PulledAtRest(NamedTuple):
    """A shot by the days its coffee had rested, with what was said of its cup."""

    shot_id: int
    rest_days: float
    liking: float | None
    crema_mm: float | None


def read_pulled_at_rest(session: Session, coffee_id: int) -> list[PulledAtRest]:
    """The newest shots of a coffee that count and whose coffee's age is known, oldest first."""
    liked = _likings()
    rows = session.execute(
        select(ShotRow.id, ShotRow.rest_days, liked.c.liking, ObservationRow.crema_mm)
        .outerjoin(liked, liked.c.shot_id == ShotRow.id)
        .outerjoin(ObservationRow, ObservationRow.shot_id == ShotRow.id)
        .where(ShotRow.coffee_id == coffee_id, ShotRow.rest_days.is_not(None), *COUNTS)
        .order_by(ShotRow.id.desc())
        .limit(MOST_AT_REST)
    ).all()
    return [
        PulledAtRest(number, float(days or 0), _number(liking), crema)
        for number, days, liking, crema in reversed(rows)
    ]


def _number(found: Decimal | float | None) -> float | None:
    return None if found is None else round(float(found), 2)


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
            *COUNTED_CUP,
            ScoreRow.line == "liking",
            ScoreRow.served == "straight",
        )
        .order_by(ShotRow.id.desc())
        .limit(MOST_LIKINGS)
    )
    return [(style, float(points)) for style, points in rows]
