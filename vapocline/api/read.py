"""Routes of shots that were pulled: figures, review, series."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Response

from vapocline.api.dependencies import DEVICES, ERRORS, AtBench, as_json, run_on
from vapocline.core.read.repeats import Alignment
from vapocline.core.read.spread import Tolerance
from vapocline.core.shot.result import Clock
from vapocline.desk.read import cut_off, reading, review, series, set_aside, shots, strength

router = APIRouter(prefix="/api", responses=ERRORS)


@router.get("/shots", operation_id="listShots")
def list_shots(context: AtBench, page: Annotated[shots.ShotPage, Query()]) -> list[shots.ShotLine]:
    """The newest shots, of all or of one thing; the next page begins before the last of this."""
    return shots.list_shots(context, page)


@router.get("/shots/{shot_id}", operation_id="readShot", response_model=shots.Shot)
def read_shot(context: AtBench, shot_id: int) -> Response:
    """One shot, whole."""
    return as_json(shots.read_shot(context, shot_id))


@router.put("/shots/{shot_id}/strength", operation_id="measureShot")
def measure_shot(context: AtBench, shot_id: int, measured: strength.Strength) -> shots.ShotLine:
    """Note a measured strength."""
    return strength.measure(context, shot_id, measured)


@router.get("/shots/{shot_id}/review", operation_id="reviewShot")
def review_shot(context: AtBench, shot_id: int) -> review.Review:
    """Planned against done, and what was corrected during the shot."""
    return review.review_shot(context, shot_id)


@router.get(
    "/shots/{shot_id}/reading", operation_id="readCurve", response_model=reading.ShotReading
)
def read_curve(context: AtBench, shot_id: int) -> Response:
    """What a shot's curve says, with its evidence, and how it lies among its repeats."""
    return as_json(reading.read_reading(context, shot_id))


@router.get("/shots/{shot_id}/overlays", operation_id="readOverlays")
def read_overlays(
    context: AtBench,
    shot_id: int,
    alignment: Alignment = "pump_on",
    over: Annotated[list[int] | None, Query(max_length=reading.MOST_OVER)] = None,
) -> reading.Overlays:
    """Other shots moved onto a shot's clock by a moment of each, and its version's band."""
    return reading.read_overlays(context, shot_id, alignment, over or [])


@router.put("/shots/{shot_id}/set-aside", operation_id="setAside")
def set_shot_aside(context: AtBench, shot_id: int, said: set_aside.SetAside) -> shots.ShotLine:
    """Let a shot count nowhere, for a reason, or let it count again."""
    return set_aside.set_aside(context, shot_id, said)


@router.put("/shots/{shot_id}/yield", operation_id="weighYield")
def weigh_yield(context: AtBench, shot_id: int, drink: strength.WeighedYield) -> shots.ShotLine:
    """Note what the cup was weighed to by hand."""
    return strength.weigh(context, shot_id, drink)


@router.post("/shots/{shot_id}/strength/read", operation_id="readStrength")
async def read_strength(context: AtBench, shot_id: int) -> shots.ShotLine:
    """Ask the refractometer for the strength."""
    return await run_on(DEVICES, strength.read_strength, context, shot_id)


@router.get("/cut-off", operation_id="listCutOff")
def list_cut_off(context: AtBench) -> list[shots.ShotLine]:
    """Shots that were cut off and nobody has looked at since."""
    return cut_off.list_cut_off(context)


@router.post("/shots/{shot_id}/seen", operation_id="markSeen", status_code=204)
def mark_seen(context: AtBench, shot_id: int) -> None:
    """A cut-off shot was looked at."""
    cut_off.mark_seen(context, shot_id)


@router.post("/series", operation_id="startSeries", status_code=201)
def start_series(context: AtBench, new: series.NewSeries) -> series.PullSeries:
    """Begin a series of repeats."""
    return series.start_series(context, new)


@router.get("/series/{series_id}", operation_id="readSeries")
def read_series(context: AtBench, series_id: int, clock: Clock = "pump") -> series.PullSeries:
    """A series with its spread, shot times counted on a clock."""
    return series.read_series(context, series_id, clock)


@router.put("/series/{series_id}/tolerance", operation_id="changeTolerance")
def change_tolerance(
    context: AtBench, series_id: int, tolerance: Tolerance, clock: Clock = "pump"
) -> series.PullSeries:
    """Judge a series by another tolerance."""
    return series.change_tolerance(context, series_id, tolerance, clock)
