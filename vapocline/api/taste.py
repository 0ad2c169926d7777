"""Routes of tasting and comparing."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request, Response
from pydantic import BaseModel

from vapocline.api.dependencies import ERRORS, AtBench, as_json
from vapocline.core.base.quantities import CupG, MilkG, TdsPct
from vapocline.core.shot.result import Clock
from vapocline.core.taste.milk import InMilk, in_milk
from vapocline.core.taste.observations import Observation
from vapocline.core.taste.sessions import SessionSetup
from vapocline.core.taste.target import Target
from vapocline.core.taste.tasting import Served, Tasting, Warmth
from vapocline.desk.read import shots
from vapocline.desk.taste import (
    compare,
    form,
    links,
    observations,
    results,
    serving,
    sessions,
    table,
    target,
)
from vapocline.desk.taste import tasting as tastings

router = APIRouter(prefix="/api", responses=ERRORS)


@router.put("/shots/{shot_id}/tasting", operation_id="scoreShot")
def score_shot(context: AtBench, shot_id: int, tasting: Tasting) -> shots.ShotLine:
    """Write down what was tasted."""
    return tastings.score(context, shot_id, tasting)


@router.delete(
    "/shots/{shot_id}/tasting/{warmth}/{served}", operation_id="takeBackTasting", status_code=204
)
def take_back_tasting(context: AtBench, shot_id: int, warmth: Warmth, served: Served) -> None:
    """Remove one tasting."""
    tastings.take_back(context, shot_id, warmth, served)


@router.put("/shots/{shot_id}/observation", operation_id="observeShot")
def observe_shot(context: AtBench, shot_id: int, seen: Observation) -> shots.ShotLine:
    """Note what crema and puck looked like."""
    return observations.observe(context, shot_id, seen)


@router.get("/compare", operation_id="compareShots", response_model=compare.Compared)
def compare_shots(context: AtBench, first: int, second: int, clock: Clock = "pump") -> Response:
    """Two shots side by side, shot times counted on a clock."""
    return as_json(compare.compare_shots(context, first, second, clock))


@router.get(
    "/compare-several", operation_id="compareSeveral", response_model=compare.ComparedSeveral
)
def compare_several(
    context: AtBench,
    shots: Annotated[list[int], Query(max_length=compare.MOST_COMPARED)],
    warmth: Warmth = "hot",
    served: Served = "straight",
    clock: Clock = "pump",
) -> Response:
    """Several shots side by side, sorted by liking."""
    found = compare.compare_several_shots(context, shots, warmth=warmth, served=served, clock=clock)
    return as_json(found)


@router.get("/in-milk", operation_id="readInMilk")
def read_in_milk(
    tds_pct: Annotated[TdsPct, Query()],
    yield_g: Annotated[CupG, Query()],
    milk_g: Annotated[MilkG, Query()],
) -> InMilk:
    """How strong a drink is in so much milk."""
    return in_milk(tds_pct, yield_g, milk_g)


@router.get("/house/lines", operation_id="readHouseLines")
def read_house_lines(context: AtBench) -> form.HouseLines:
    """Which lines of the form are scored here."""
    return form.read_house_lines(context)


@router.put("/house/lines", operation_id="chooseHouseLines")
def choose_house_lines(context: AtBench, chosen: form.HouseLines) -> form.HouseLines:
    """Choose which lines of the form are scored here."""
    return form.choose_house_lines(context, chosen)


@router.get("/coffees/{coffee_id}/target", operation_id="readTarget")
def read_target(context: AtBench, coffee_id: int) -> Target:
    """What a coffee is to taste of."""
    return target.read_target(context, coffee_id)


@router.put("/coffees/{coffee_id}/target", operation_id="setTarget")
def set_target(context: AtBench, coffee_id: int, aim: Target) -> Target:
    """Say what a coffee is to taste of."""
    return target.set_target(context, coffee_id, aim)


@router.get("/shots/{shot_id}/off-target", operation_id="readOffTarget")
def read_off_target(context: AtBench, shot_id: int) -> target.OffTarget:
    """How far a shot is from its coffee's target."""
    return target.read_off_target(context, shot_id)


@router.get("/tasters", operation_id="listTasters")
def list_tasters(context: AtBench) -> list[str]:
    """Everybody who ever tasted."""
    return sessions.list_tasters(context)


@router.get("/tastings", operation_id="listTastings")
def list_tastings(
    context: AtBench,
    limit: Annotated[int, Query(ge=1, le=200)] = 20,
    before: int | None = None,
) -> list[table.SessionLine]:
    """Tastings of several cups or by several people, the newest first."""
    return sessions.list_sessions(context, limit=limit, before=before)


@router.post("/tastings", operation_id="startTasting", status_code=201)
def start_tasting(context: AtBench, setup: SessionSetup) -> table.TastingSession:
    """Set a tasting up: orders and codes are drawn."""
    return sessions.start_session(context, setup)


@router.post("/tastings/preview", operation_id="previewTasting")
def preview_tasting(context: AtBench, setup: SessionSetup) -> sessions.SessionPreview:
    """What a tasting would serve and could tell; nothing is stored."""
    return sessions.preview_session(context, setup)


@router.get(
    "/tastings/{session_id}/seats/{taster_id}/link.svg",
    operation_id="drawSeatLink",
    response_class=Response,
)
def draw_seat_link(request: Request, context: AtBench, session_id: int, taster_id: int) -> Response:
    """A taster's link as a QR code."""
    address = request.app.state.phone_address or f"http://{request.url.netloc}"
    drawn = links.draw_seat_link(context, session_id, taster_id, address)
    return Response(drawn, media_type="image/svg+xml")


class Phones(BaseModel):
    """Where phones in the house's network find a tasting, None where they are not let in."""

    address: str | None


@router.get("/phones", operation_id="readPhones")
def read_phones(request: Request) -> Phones:
    """Where phones find a tasting."""
    return Phones(address=request.app.state.phone_address)


@router.get("/tastings/{session_id}", operation_id="readTasting")
def read_tasting(context: AtBench, session_id: int) -> table.TastingSession:
    """A tasting as its host sees it."""
    return sessions.read_session(context, session_id)


@router.delete("/tastings/{session_id}", operation_id="removeTasting", status_code=204)
def remove_tasting(context: AtBench, session_id: int) -> None:
    """Remove a tasting with all that was said at it."""
    sessions.remove_session(context, session_id)


@router.get("/tastings/{session_id}/serving", operation_id="readServingSheet")
def read_serving_sheet(context: AtBench, session_id: int) -> serving.ServingSheet:
    """Which code is what, for whoever pours."""
    return serving.read_serving_sheet(context, session_id)


@router.put("/tastings/{session_id}/cups/{cup}/withdrawn", operation_id="withdrawCup")
def withdraw_cup(
    context: AtBench, session_id: int, cup: int, withdrawal: sessions.Withdrawal
) -> table.TastingSession:
    """Say that a cup does not count, and why; or that it does."""
    return sessions.withdraw_cup(context, session_id, cup, withdrawal)


@router.post("/tastings/{session_id}/close", operation_id="closeTasting")
def close_tasting(
    context: AtBench, session_id: int, closing: sessions.Closing
) -> table.TastingSession:
    """Close a tasting, which reveals it."""
    return sessions.close_session(context, session_id, closing)


@router.get("/tastings/{session_id}/results", operation_id="readTastingResults")
def read_tasting_results(context: AtBench, session_id: int) -> results.SessionResults:
    """What a closed tasting says."""
    return results.read_results(context, session_id)
