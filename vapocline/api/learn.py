"""Routes of what shots taught."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Query, WebSocket

from vapocline.api.dependencies import ERRORS, AtBench, send_news
from vapocline.core.learn.doses import Doses
from vapocline.core.learn.fit import VariantOf
from vapocline.core.learn.next_shot import NextShot
from vapocline.core.learn.overshoot import Overshoot
from vapocline.desk.bench.bench import Bench
from vapocline.desk.learn import forecasts, news, next_shot, puck, taught, variants
from vapocline.desk.learn.taught import Three
from vapocline.desk.shelf.doses import read_doses
from vapocline.desk.shelf.machines import read_machine
from vapocline.desk.shelf.overshoot import read_overshoot

router = APIRouter(prefix="/api", responses=ERRORS)


def together_of(coffee_id: int, grinder_id: int, machine_id: int) -> Three:
    """The three that a path names."""
    return Three(coffee_id, grinder_id, machine_id)


OfThree = Annotated[Three, Depends(together_of)]
THREE = "/learn/of/{coffee_id}/{grinder_id}/{machine_id}"


@router.get("/learn/forecasts", operation_id="readForecastRecord")
def read_forecast_record(
    context: AtBench, limit: Annotated[int, Query(ge=1, le=forecasts.MOST)] = forecasts.MOST
) -> forecasts.ForecastRecord:
    """The last forecasts for what stands on the bench, beside what happened."""
    return forecasts.read_forecast_record(context, limit)


@router.get("/learn/together/{kind}/{number}", operation_id="listTogether")
def list_together(
    context: AtBench, kind: taught.KnowledgeOf, number: int
) -> list[taught.TogetherLine]:
    """What a coffee, grinder or machine was pulled with."""
    return taught.list_together(context, kind, number)


@router.get("/learn/used/{of}/{number}", operation_id="readVariantUsed")
def read_variant_used(context: AtBench, of: VariantOf, number: int) -> list[variants.VariantUsed]:
    """Where a way of preparing or a basket was used, and what was learnt of it."""
    return variants.read_variant_used(context, of, number)


@router.get("/learn/doses/{grinder_id}", operation_id="readDoses")
def read_doses_of(context: AtBench, grinder_id: int) -> Doses | None:
    """How well a grinder's weighed doses hit what was asked for."""
    return read_doses(context, grinder_id)


@router.get("/learn/overshoot/{machine_id}", operation_id="readOvershoot")
def read_overshoot_of(context: AtBench, machine_id: int) -> Overshoot | None:
    """What still lands in the cup after a stop on a machine, as its own shots say."""
    return read_overshoot(context, machine_id, read_machine(context, machine_id))


@router.get(THREE, operation_id="readTaught")
def read_taught(context: AtBench, together: OfThree) -> taught.Taught:
    """What shots taught of a coffee by a grinder on a machine."""
    return taught.read_taught(context, together)


@router.get(THREE + "/next-shot", operation_id="readNextShot")
def read_next_shot(context: AtBench, together: OfThree) -> NextShot | None:
    """Which shot would teach most."""
    return next_shot.read_next_shot(context, together)


@router.put(THREE + "/choice", operation_id="chooseKnowledge")
def choose(context: AtBench, together: OfThree, choice: taught.KnowledgeChoice) -> taught.Taught:
    """Let forecasts take the newest, nothing, or what was learnt before."""
    return taught.choose(context, together, choice)


@router.post(THREE + "/job", operation_id="askToLearn")
def ask_again(context: AtBench, together: OfThree) -> taught.Taught:
    """Ask for learning now."""
    return taught.ask_again(context, together)


@router.delete(THREE + "/job", operation_id="callOffLearning")
def call_off(context: AtBench, together: OfThree) -> taught.Taught:
    """Call off learning that waits or runs."""
    return taught.call_off(context, together)


@router.put("/shots/{shot_id}/puck-on-bench", operation_id="putPuckOnBench")
def put_puck_on_bench(context: AtBench, shot_id: int) -> Bench:
    """Identify a shot's puck and put it on the bench."""
    return puck.put_puck_on_bench(context, shot_id)


@router.delete("/bench/puck", operation_id="takePuckAway")
def take_puck_away(context: AtBench) -> Bench:
    """Remove a shot's puck from the bench."""
    return puck.take_puck_away(context)


@router.websocket("/learn/live")
async def live_learning(socket: WebSocket) -> None:
    """A message while something is learnt and when that is over; pages then read it again."""
    await send_news(socket, news.follow_house(socket.app.state.opened.live))
