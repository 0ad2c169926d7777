"""Routes of pulling."""

from __future__ import annotations

import asyncio
import contextlib
from typing import Annotated

import orjson
from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import BaseModel, ConfigDict, Field
from starlette.websockets import WebSocketState

from vapocline.api.dependencies import DEVICES, ERRORS, ORDERS, STOPS, AtBench, run_on
from vapocline.core.base.problems import NotFoundError, VapoclineError
from vapocline.core.machine.calibration.measured import DryRun
from vapocline.core.pull.house_checks import HouseChecks
from vapocline.desk.context import Context
from vapocline.desk.pull import dry_run, house_checks, orders, readiness, start
from vapocline.desk.pull.live import follow
from vapocline.desk.pull.request import PullRequest
from vapocline.desk.read import shots

router = APIRouter(prefix="/api", responses=ERRORS)
STOP = '{"do":"stop"}'


class Page(BaseModel):
    """Which page asks."""

    model_config = ConfigDict(extra="forbid")

    page: Annotated[str, Field(min_length=1, max_length=80)]


@router.post("/pulls/check", operation_id="preparePull")
async def prepare_pull(context: AtBench, asked: PullRequest) -> readiness.Prepared:
    """What is ready for a pull and what is missing; nothing is started."""
    return await run_on(DEVICES, readiness.prepare, context, asked)


@router.get("/checks", operation_id="readHouseChecks")
def read_house_checks(context: AtBench) -> HouseChecks:
    """What the house asks before a pull."""
    return house_checks.read_house_checks(context)


@router.put("/checks", operation_id="chooseHouseChecks")
def choose_house_checks(context: AtBench, chosen: HouseChecks) -> HouseChecks:
    """Ask these from now on."""
    return house_checks.choose_house_checks(context, chosen)


@router.post("/shots", operation_id="pullShot", status_code=201)
async def pull_shot(context: AtBench, asked: PullRequest) -> shots.ShotLine:
    """Start a pull."""
    shot_id = await run_on(ORDERS, start.begin_pull, context, asked)
    return await run_on(ORDERS, shots.read_shot, context, shot_id)


@router.post("/shots/{shot_id}/orders", operation_id="orderShot", status_code=204)
async def order_shot(context: AtBench, shot_id: int, given: orders.OrderGiven) -> None:
    """Do something to a running shot."""
    await run_on(
        STOPS if given.do == "stop" else ORDERS, orders.give_order, context, shot_id, given
    )


@router.post("/shots/{shot_id}/commander", operation_id="takeCommand", status_code=204)
def take_command(context: AtBench, shot_id: int, page: Page) -> None:
    """Command a running shot from this page; the one before watches."""
    orders.take_command(context, shot_id, page.page)


@router.post("/shots/{shot_id}/close", operation_id="closeShot", status_code=204)
async def close_shot(context: AtBench, shot_id: int) -> None:
    """End the record of a shot whose machine does not end it; what came is kept."""
    await run_on(ORDERS, orders.close_record, context, shot_id)


@router.post("/machines/{machine_id}/switched", operation_id="switchMachine")
def switch_machine(
    context: AtBench, machine_id: int, switched: readiness.Switched
) -> readiness.WarmUp:
    """Note when a machine was switched on."""
    return readiness.switch(context, machine_id, switched)


@router.get("/dry-runs/{shot_id}", operation_id="readDryRun")
def read_dry_run(context: AtBench, shot_id: int) -> DryRun:
    """When each stage of a dry run began, against its plan."""
    return dry_run.time_stages(context, shot_id)


@router.websocket("/shots/{shot_id}/live")
async def live_shot(socket: WebSocket, shot_id: int) -> None:
    """A shot as it runs: columns of new rows, events, and at the end its state.

    `{"do": "stop"}` stops it, answered by `{"stop": null}` or the reason why not.
    """
    await socket.accept()
    opened = socket.app.state.opened
    hearing = asyncio.create_task(_hear(socket, opened.context, shot_id))
    try:
        async for message in follow(opened.context, opened.live, shot_id):
            await socket.send_text(orjson.dumps(message).decode())
    except NotFoundError:
        await socket.close(code=4404)
    except WebSocketDisconnect:
        return
    finally:
        hearing.cancel()
        with contextlib.suppress(asyncio.CancelledError, WebSocketDisconnect, RuntimeError):
            await hearing
    if socket.application_state is WebSocketState.CONNECTED:
        await socket.close()


async def _hear(socket: WebSocket, context: Context, shot_id: int) -> None:
    """Stop the shot when the watching page says so."""
    async for text in socket.iter_text():
        if text != STOP:
            continue
        try:
            await run_on(STOPS, orders.stop_shot, context, shot_id)
            refusal = None
        except VapoclineError as error:
            refusal = str(error)
        await socket.send_text(orjson.dumps({"stop": refusal}).decode())
