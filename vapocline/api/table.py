"""Routes of a tasting's table: all that a phone may ask, each taster for their own place."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Header, Response, WebSocket

from vapocline.api.dependencies import ERRORS, AtBench, as_json, send_news
from vapocline.desk.read import shots
from vapocline.desk.taste import news, results, seat

router = APIRouter(prefix="/api", responses=ERRORS)


def place_of(
    taster_id: int,
    secret: Annotated[
        str, Header(alias="Vapocline-Seat", description="The secret in the taster's link.")
    ] = "",
) -> seat.OwnSeat:
    """Whose place is meant, and by what right."""
    return seat.OwnSeat(taster_id, secret)


AtPlace = Annotated[seat.OwnSeat, Depends(place_of)]


@router.get("/tables/{join_code}", operation_id="readTable")
def read_table(context: AtBench, join_code: str) -> seat.Table:
    """A tasting by the code that a phone joins it with."""
    return seat.read_table(context, join_code)


@router.get("/tables/{join_code}/results", operation_id="readTableResults")
def read_table_results(context: AtBench, join_code: str) -> results.SessionResults:
    """What a closed tasting says, for a phone at the table."""
    return results.read_table_results(context, join_code)


@router.get(
    "/tables/{join_code}/cups/{cup}/curve",
    operation_id="readCupCurve",
    response_model=shots.ShotTraces,
)
def read_cup_curve(context: AtBench, join_code: str, cup: int) -> Response:
    """The curve of a cup's shot, where it is not blind."""
    return as_json(seat.read_curve(context, join_code, cup))


@router.get("/tables/{join_code}/seats/{taster_id}", operation_id="readSeat")
def read_seat(context: AtBench, join_code: str, place: AtPlace) -> seat.Seat:
    """A taster's place at a tasting."""
    return seat.read_seat(context, join_code, place)


@router.put("/tables/{join_code}/seats/{taster_id}/score", operation_id="sayScore", status_code=204)
def say_score(context: AtBench, join_code: str, place: AtPlace, said: seat.ScoreSaid) -> None:
    """Give a score, or take it back."""
    seat.say_score(context, join_code, place, said)


@router.put(
    "/tables/{join_code}/seats/{taster_id}/remark", operation_id="sayRemark", status_code=204
)
def say_remark(context: AtBench, join_code: str, place: AtPlace, said: seat.RemarkSaid) -> None:
    """Give a cup words and notes."""
    seat.say_remark(context, join_code, place, said)


@router.put(
    "/tables/{join_code}/seats/{taster_id}/choice", operation_id="sayChoice", status_code=204
)
def say_choice(context: AtBench, join_code: str, place: AtPlace, said: seat.ChoiceSaid) -> None:
    """Answer a round's question, or take the answer back."""
    seat.say_choice(context, join_code, place, said)


@router.websocket("/tables/{join_code}/live")
async def live_table(socket: WebSocket, join_code: str) -> None:
    """A message whenever something changes at a tasting; the page then reads it again."""
    opened = socket.app.state.opened
    await send_news(socket, news.follow_table(opened.context, opened.live, join_code))
