"""Routes of pulling: before, during, after; series; tidying a recording."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Response
from pydantic import BaseModel, ConfigDict, Field

from vapocline.api.surroundings import ERRORS, AtDesk, as_json
from vapocline.core.pull.spread import Tolerance
from vapocline.desk import after, preparing, pull, reaching, shots, tidying

router = APIRouter(prefix="/api", responses=ERRORS)


class Page(BaseModel):
    """Which page asks."""

    model_config = ConfigDict(extra="forbid")

    page: Annotated[str, Field(min_length=1, max_length=80)]


@router.post("/pulls/check", operation_id="preparePull")
def prepare_pull(desk: AtDesk, request: preparing.PullRequest) -> preparing.Prepared:
    """What is ready for a pull and what is missing; nothing is started."""
    return preparing.prepare(desk, request)


@router.post("/shots", operation_id="pullShot", status_code=201)
def pull_shot(desk: AtDesk, request: preparing.PullRequest) -> shots.ShotLine:
    """Start a pull."""
    return shots.read_shot(desk, pull.begin_pull(desk, request))


@router.post("/shots/{shot_id}/orders", operation_id="orderShot", status_code=204)
def order_shot(desk: AtDesk, shot_id: int, given: pull.OrderGiven) -> None:
    """Do something to a running shot."""
    pull.give_order(desk, shot_id, given)


@router.post("/shots/{shot_id}/commander", operation_id="takeCommand", status_code=204)
def take_command(desk: AtDesk, shot_id: int, page: Page) -> None:
    """Command a running shot from this page; the one before watches."""
    pull.take_command(desk, shot_id, page.page)


@router.get("/shots/{shot_id}/after", operation_id="lookBack")
def look_back(desk: AtDesk, shot_id: int) -> after.After:
    """Planned against done, and what was corrected in flight."""
    return after.look_back(desk, shot_id)


@router.put("/shots/{shot_id}/drink", operation_id="weighDrink")
def weigh_drink(desk: AtDesk, shot_id: int, drink: after.Drink) -> shots.ShotLine:
    """Note what the cup was weighed to by hand."""
    return after.weigh(desk, shot_id, drink)


@router.post("/shots/{shot_id}/strength/read", operation_id="readStrength")
def read_strength(desk: AtDesk, shot_id: int) -> shots.ShotLine:
    """Ask the refractometer for the strength."""
    return after.read_strength(desk, shot_id)


@router.get("/shots/{shot_id}/traces.csv", operation_id="readTraces", response_class=Response)
def read_traces(desk: AtDesk, shot_id: int) -> Response:
    """The traces as CSV."""
    name = f'attachment; filename="shot-{shot_id}.csv"'
    return Response(
        after.write_traces(desk, shot_id),
        media_type="text/csv",
        headers={"content-disposition": name},
    )


@router.get("/cut-off", operation_id="listCutOff")
def list_cut_off(desk: AtDesk) -> list[shots.ShotLine]:
    """Shots that were cut off and nobody has looked at since."""
    return after.list_cut_off(desk)


@router.post("/shots/{shot_id}/seen", operation_id="markSeen", status_code=204)
def mark_seen(desk: AtDesk, shot_id: int) -> None:
    """A cut-off shot was looked at."""
    after.mark_seen(desk, shot_id)


@router.post("/series", operation_id="startSeries", status_code=201)
def start_series(desk: AtDesk, new: after.NewSeries) -> after.PullSeries:
    """Begin a series of repeats."""
    return after.start_series(desk, new)


@router.get("/series/{series_id}", operation_id="readSeries")
def read_series(desk: AtDesk, series_id: int) -> after.PullSeries:
    """A series with its spread."""
    return after.read_series(desk, series_id)


@router.put("/series/{series_id}/tolerance", operation_id="changeTolerance")
def change_tolerance(desk: AtDesk, series_id: int, tolerance: Tolerance) -> after.PullSeries:
    """Judge a series by another tolerance."""
    return after.change_tolerance(desk, series_id, tolerance)


@router.post("/machines/{machine_id}/switched", operation_id="switchMachine")
def switch_machine(desk: AtDesk, machine_id: int, switched: preparing.Switched) -> preparing.WarmUp:
    """Note when a machine was switched on."""
    return preparing.switch(desk, machine_id, switched)


@router.get("/machines/{machine_id}/lines", operation_id="readLines")
def read_lines(desk: AtDesk, machine_id: int) -> reaching.LinesNow:
    """Where a machine, its scale and the refractometer answer, and whether they do."""
    return reaching.read_lines(desk, machine_id)


@router.put("/machines/{machine_id}/lines", operation_id="writeLines")
def write_lines(desk: AtDesk, machine_id: int, lines: reaching.Lines) -> reaching.LinesNow:
    """Set where they answer."""
    return reaching.write_lines(desk, machine_id, lines)


@router.post("/tidied", operation_id="tidyRecording", response_model=tidying.TidyResult)
def tidy_recording(desk: AtDesk, request: tidying.TidyRequest) -> Response:
    """Tidy a shot, or a trace as CSV, into a profile; nothing is saved."""
    return as_json(tidying.tidy_recording(desk, request))
