"""Pull a shot: check, arm, start, and steer it while it runs."""

from __future__ import annotations

from threading import Thread
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from vapocline.core.plan import Plan
from vapocline.core.problems import ConflictError, DeviceError, OrderError, Problem, Refused
from vapocline.core.puck.answer import Prediction
from vapocline.core.pull.readiness import missing
from vapocline.desk.context import Desk
from vapocline.desk.preparing import (
    Arranged,
    PullRequest,
    Rehearsal,
    arranged,
    hand_of,
    prepare,
)
from vapocline.desk.reaching import is_weighed, machine_address, scale_address_of
from vapocline.desk.recording import Recording, close_shot, record, release
from vapocline.devices.adapters import open_machine, open_scale
from vapocline.devices.machine import MachinePort
from vapocline.devices.messages import GoWrong, Hold, Level, Mark, MarkIt, Nudge, Order, Plain
from vapocline.store import journal, profiles, shelf, shots
from vapocline.store.database import transaction
from vapocline.store.tables import MachineRow, ShotRow

CARRIES = {"nudge": "by", "level": "level", "mark": "mark"}
ANYONE_MAY = ("stop", "mark")  # whoever sees it needs no leave


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


def begin_pull(desk: Desk, request: PullRequest) -> int:
    """Start a shot on the bench's machine and record it in the background; returns its number.

    Raises Refused with everything that is missing and was not let pass, DeviceError.
    """
    prepared = prepare(desk, request)
    lacking = [item for item in missing(prepared.items) if item.check not in request.despite]
    if lacking:
        raise Refused(
            [Problem(f"checks.{item.check}", item.words, "this to be so first") for item in lacking]
        )
    recording = _begin(desk, request)
    Thread(target=record, args=(recording,), name=f"shot-{recording.shot_id}", daemon=True).start()
    return recording.shot_id


def pull(desk: Desk, request: PullRequest) -> int:
    """Pull a whole shot, unchecked, and return its number once the last drip is in."""
    recording = _begin(desk, request)
    record(recording)
    return recording.shot_id


def _begin(desk: Desk, request: PullRequest) -> Recording:
    """Everything that can refuse comes before the pump: the plan, the line, the machine's word."""
    set_up = arranged(desk, request)
    with transaction(desk.sessions) as session:
        row = shelf.read_one(session, MachineRow, set_up.bench.machine.id)
        address, scale_address = machine_address(desk, row), scale_address_of(desk, row)
        hand_run, scaled = hand_of(row, set_up.bench.machine) is not None, is_weighed(row)
        _refuse_other_series(session, request)
    machine = open_machine(address)
    keeper = desk.engine.connect()  # one connection throughout: the lock lives and dies with it
    try:
        machine.basket(set_up.tamped)
        machine.load(set_up.plan.profile)
        _rehearse(machine, request.rehearse)
        if scale_address is not None:
            _tare(scale_address)
        with Session(keeper, expire_on_commit=False) as session:
            shot = _row(session, desk, request, set_up)
            shot.hand_run = hand_run
            session.add(shot)
            session.flush()
            shots.hold_recording(session, shot.id)
            session.commit()
            try:
                shot.token = machine.start(by_hand=hand_run)
            except DeviceError:
                session.delete(shot)
                session.commit()
                raise
            session.commit()
    except BaseException:
        machine.close()
        release(keeper)
        raise
    return Recording(
        desk=desk,
        shot_id=shot.id,
        plan=set_up.plan,
        forecast=set_up.forecast,
        address=address,
        scale_address=scale_address,
        scaled=scaled,
        hand_run=hand_run,
        keeper=keeper,
        machine=machine,
        commander=request.page or None,
    )


def _refuse_other_series(session: Session, request: PullRequest) -> None:
    """A series is of one version. Raises NotFoundError, Refused for a pull of another."""
    if request.series_id is None:
        return
    of = shots.read_series(session, request.series_id).version
    if (of.profile_id, of.number) != (request.profile_id, request.number):
        got = f"{request.series_id}, a series of version {of.number} of profile {of.profile_id}"
        raise Refused([Problem("series_id", got, "a series of the version that is pulled")])


def _rehearse(machine: MachinePort, rehearse: Rehearsal | None) -> None:
    if rehearse is not None:
        machine.order(GoWrong(fault=rehearse.fault, at_s=rehearse.at_s, share=rehearse.share))


def _tare(address: str) -> None:
    """Set the scale to zero; one that does not answer is no reason not to pull: that was asked."""
    try:
        scale = open_scale(address)
    except DeviceError:
        return
    try:
        scale.tare()
    except DeviceError:
        pass
    finally:
        scale.close()


def _row(session: Session, desk: Desk, request: PullRequest, set_up: Arranged) -> ShotRow:
    bench, bags = set_up.bench, set_up.bench.coffee.bags if set_up.bench.coffee else []
    version = profiles.read_version(session, request.profile_id, request.number)
    return ShotRow(
        state="running",
        started_at=desk.now(),
        version_id=version.id,
        coffee_id=bench.coffee.id if bench.coffee else None,
        bag_id=bags[0].id if bags else None,
        grinder_id=bench.grinder.id if bench.grinder else None,
        machine_id=bench.machine.id,
        dose_g=set_up.dose_g,
        yield_g=bench.yield_g,
        grind_setting=set_up.grind_setting,
        rest_days=bench.coffee.rest_days if bench.coffee else None,
        water_c=bench.water_c,
        plan=set_up.plan.written(),
        forecast=set_up.forecast.model_dump(mode="json", by_alias=True),
        asked={
            "dose_g": bench.dose_g,
            "grind_setting": bench.grind_setting,
            "dose_tolerance_g": bench.dose_tolerance_g,
        },
        commander=request.page or None,
        series_id=request.series_id,
    )


def give_order(desk: Desk, shot_id: int, given: OrderGiven) -> None:
    """Do something to a running shot.

    Raises NotFoundError, ConflictError when it is over or another page commands it, Refused for an
    order that lacks what it carries, OrderError or DeviceError with the machine's own reason.
    """
    order = _order(given)
    recording = desk.recordings.get(shot_id)
    try:
        address, commander = _standing(desk, shot_id)
    except DBAPIError:
        if recording is None:
            raise
        # The database is away, and a hand at the machine cannot wait for it.
        address, commander = recording.address, recording.commander
    if given.do not in ANYONE_MAY and commander not in (None, given.page):
        raise ConflictError("Another page commands this shot: take the controls over first.")
    if recording is None:
        machine = open_machine(address)
        try:
            machine.order(order)
        finally:
            machine.close()
        return
    with recording.hands:
        _over_second_line(recording, order)


def _over_second_line(recording: Recording, order: Order) -> None:
    """The line that is kept for orders; a broken one is made again once."""
    if recording.hand is not None:
        try:
            recording.hand.order(order)
            return
        except OrderError:
            raise
        except DeviceError:
            recording.hand.close()
    recording.hand = open_machine(recording.address)
    recording.hand.order(order)


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
            return Plain(do=given.do)


def _standing(desk: Desk, shot_id: int) -> tuple[str, str | None]:
    with transaction(desk.sessions) as session:
        row = shots.read_standing(session, shot_id)
        if row.state != "running":
            raise ConflictError(f"Shot {shot_id} is over.")
        return machine_address(desk, row.machine), row.commander


def take_command(desk: Desk, shot_id: int, page: str) -> None:
    """Let a page command a running shot; whoever did before watches. Raises ConflictError."""
    with transaction(desk.sessions) as session:
        row = shots.read_standing(session, shot_id)
        if row.state != "running":
            raise ConflictError(f"Shot {shot_id} is over.")
        row.commander = page
        shots.notify(session, {"shot": shot_id, "commander": page})
    if (recording := desk.recordings.get(shot_id)) is not None:
        recording.commander = page


def take_up_orphans(desk: Desk) -> list[int]:
    """Shots whose recorder died: heard on where the machine still runs them, else closed as they
    are. Returns the numbers of those closed."""
    closed = []
    with desk.sessions() as session:
        running = list(shots.read_running(session))
    for shot_id in running:
        keeper = desk.engine.connect()
        with Session(keeper) as session:
            if not shots.hold_recording(session, shot_id):
                release(keeper)
                continue  # its recorder lives
            row = shots.read_shot(session, shot_id)
            taken_up = _taken_up(desk, session, row)
            session.commit()
        if taken_up is None:
            close_shot(desk, shot_id, "incomplete", "Vapocline stopped while this shot ran.")
            release(keeper)
            closed.append(shot_id)
        else:
            taken_up.keeper = keeper
            Thread(target=record, args=(taken_up,), name=f"shot-{shot_id}", daemon=True).start()
    return closed


def _taken_up(desk: Desk, session: Session, row: ShotRow) -> Recording | None:
    """The recording of a shot that its machine still remembers, ready to go on; else None."""
    try:
        address, scale = machine_address(desk, row.machine), scale_address_of(desk, row.machine)
        machine = open_machine(address)
    except DeviceError:
        return None
    try:
        known = row.token is not None and machine.status().shot == row.token
    except DeviceError:
        known = False
    if not known:
        machine.close()
        return None
    kept = journal.read(session, row)
    dripped = any(event["what"] == "first_drip" for event in kept.events)
    stop_s = next((event["t"] for event in kept.events if event["what"] == "stop"), None)
    t = kept.columns["time_s"][-1] if kept.columns["time_s"] else 0.0
    return Recording(
        desk=desk,
        shot_id=row.id,
        plan=Plan.model_validate(row.plan),
        forecast=Prediction.model_validate(row.forecast),
        address=address,
        scale_address=scale,
        scaled=is_weighed(row.machine),
        hand_run=row.hand_run,
        keeper=None,
        machine=machine,
        heard=kept.heard,
        events=[{"t": t, "what": "taken_up"}],
        dripped=dripped,
        stop_s=stop_s,
        commander=row.commander,
    )
