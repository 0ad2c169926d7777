"""Steer a running shot."""

from __future__ import annotations

import logging
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from vapocline.core.base.problems import (
    ConflictError,
    DeviceError,
    Problem,
    Refused,
    UnavailableError,
)
from vapocline.core.shot.events import Mark
from vapocline.desk.context import Context
from vapocline.desk.pull.lanes import send
from vapocline.desk.pull.relay import hand_over, hand_over_closing
from vapocline.desk.pull.resume import end_orphan
from vapocline.desk.shelf.connections import machine_address
from vapocline.devices.messages import Hold, Level, MarkIt, Nudge, Order, PlainOrder
from vapocline.store import shots
from vapocline.store.database import transaction

CARRIES = {"nudge": "by", "level": "level", "mark": "mark"}
log = logging.getLogger(__name__)
CLOSING_S = 10.0
ANYONE_MAY = ("mark",)  # whoever sees it needs no leave; nor does a stop


class OrderGiven(BaseModel):
    """What is to be done to a running shot, by which page.

    `by` goes with a nudge, in the unit of what is in force; `level` with a level held by hand;
    `mark` with something seen.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    page: Annotated[str, Field(max_length=80)] = ""
    do: Literal[
        "stop", "next", "skip", "hold", "go_on", "take", "give_back", "nudge", "level", "mark"
    ]
    by: float | None = None
    level: float | None = None
    mark: Mark | None = None


def give_order(context: Context, shot_id: int, given: OrderGiven) -> None:
    """Do something to a running shot.

    Raises NotFoundError, ConflictError when it is over or another page commands it, Refused for an
    order that lacks what it carries, OrderError or DeviceError with the machine's own reason.
    """
    if given.do == "stop":
        stop_shot(context, shot_id)
        return
    order = _order(given)
    recording = context.resources.recordings.get(shot_id)
    try:
        address, commander = _standing(context, shot_id)
    except UnavailableError:
        if recording is None:
            raise
        # The database is away, and a hand at the machine cannot wait for it.
        address, commander = recording.address, recording.commander
    if given.do not in ANYONE_MAY and commander not in (None, given.page):
        raise ConflictError("Another page commands this shot: take control first.")
    if recording is not None:
        recording.lanes.order(order)
    elif not hand_over(context, shot_id, order):
        send(address, order)  # nobody records it: its machine may run all the same


def stop_shot(context: Context, shot_id: int) -> None:
    """Stop a running shot, by whoever asks, whoever records it. Where this process does, nothing is
    read before: neither the database nor another order can hold the stop up. A shot that
    has ended needs no stop. Raises as `give_order`."""
    stop = PlainOrder(do="stop")
    recording = context.resources.recordings.get(shot_id)
    if recording is not None:
        recording.lanes.order(stop)
        return
    try:
        address, _commander = _standing(context, shot_id)
    except ConflictError:
        if _is_done(context, shot_id):  # a page asks twice when the first answer is slow
            return
        raise
    if not hand_over(context, shot_id, stop):
        send(address, stop)


def _order(given: OrderGiven) -> Order:
    name = CARRIES.get(given.do)
    if name is not None and getattr(given, name) is None:
        raise Refused([Problem(name, "nothing", f"what a {given.do} needs")])
    match given.do:
        case "nudge":
            return Nudge(by=given.by or 0.0)
        case "level":
            return Level(level=given.level or 0.0)
        case "mark":
            return MarkIt(mark=given.mark or "first_drip")
        case "hold" | "go_on":
            return Hold(on=given.do == "hold")
        case _:
            return PlainOrder(do=given.do)


def _standing(context: Context, shot_id: int) -> tuple[str, str | None]:
    with transaction(context.sessions) as session:
        row = shots.read_standing(session, shot_id)
        if row.state != "running":
            raise ConflictError(f"Shot {shot_id} is over.")
        return machine_address(context.resources, row.machine), row.commander


def _is_done(context: Context, shot_id: int) -> bool:
    with transaction(context.sessions) as session:
        return shots.read_standing(session, shot_id).state == "done"


def take_command(context: Context, shot_id: int, page: str) -> None:
    """Let a page command a running shot; whoever did before watches. Raises ConflictError."""
    with transaction(context.sessions) as session:
        row = shots.read_standing(session, shot_id)
        if row.state != "running":
            raise ConflictError(f"Shot {shot_id} is over.")
        row.commander = page
        shots.notify(session, {"shot": shot_id, "commander": page})
    if (recording := context.resources.recordings.get(shot_id)) is not None:
        recording.commander = page


def close_record(context: Context, shot_id: int) -> None:
    """End the record of a shot that its machine does not end, after ordering the pump to stop.

    Raises NotFoundError, ConflictError when it is over, or a process that does not answer records
    it.
    """
    try:
        stop_shot(context, shot_id)
    except DeviceError as error:
        log.warning("shot %s is closed, but the pump was not stopped: %s", shot_id, error)
    recording = context.resources.recordings.get(shot_id)
    if recording is not None:
        recording.close_by_hand()
        recording.over.wait(CLOSING_S)
    elif not hand_over_closing(context, shot_id):
        end_orphan(context.resources, shot_id, "The record was closed by hand.")
