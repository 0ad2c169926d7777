"""Series of repeats."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field

from vapocline.core.base.document import Answer
from vapocline.core.formats.registry import TOLERANCE
from vapocline.core.read.spread import Spread, Tolerance, spread, verdict
from vapocline.core.shot.result import Clock
from vapocline.desk.context import Context
from vapocline.desk.read.shots import ShotLine, line_of
from vapocline.store import profiles, shots
from vapocline.store.database import transaction
from vapocline.store.tables import SeriesRow


class NewSeries(BaseModel):
    """How often to pull a version, and how far the pulls may differ."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    profile_id: int
    number: int
    wanted: Annotated[int, Field(ge=2, le=50)] = 3
    tolerance: Tolerance | None = None


class PullSeries(Answer):
    """A series with its pulls so far and what their spread says."""

    id: int
    profile_id: int
    number: int
    wanted: int
    tolerance: Tolerance
    shots: list[ShotLine]
    rows: list[Spread]
    verdict: str


def start_series(context: Context, new: NewSeries) -> PullSeries:
    """Begin a series of repeats. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        version = profiles.read_version(session, new.profile_id, new.number)
        row = SeriesRow(
            version_id=version.id,
            wanted=new.wanted,
            tolerance=TOLERANCE.write(new.tolerance or Tolerance()),
        )
        session.add(row)
        session.flush()
        series_id = row.id
    return read_series(context, series_id)


def change_tolerance(
    context: Context, series_id: int, tolerance: Tolerance, clock: Clock = "pump"
) -> PullSeries:
    """Judge a series by another tolerance. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        shots.read_series(session, series_id).tolerance = TOLERANCE.write(tolerance)
    return read_series(context, series_id, clock)


def read_series(context: Context, series_id: int, clock: Clock = "pump") -> PullSeries:
    """A series with its spread, times counted on a clock. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        row = shots.read_series(session, series_id)
        lines = [line_of(shot) for shot in shots.read_series_shots(session, series_id)]
    tolerance = TOLERANCE.read(row.tolerance)
    pulls: list[dict[str, Any]] = [
        line.model_dump() for line in lines if line.state == "done" and line.set_aside is None
    ]
    rows = spread(pulls, tolerance, clock)
    return PullSeries(
        id=row.id,
        profile_id=row.version.profile_id,
        number=row.version.number,
        wanted=row.wanted,
        tolerance=tolerance,
        shots=lines,
        rows=rows,
        verdict=verdict(rows, row.wanted),
    )
