"""Care: what machines and grinders want done, when it falls due, and that it was done."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from datetime import datetime, time, timedelta
from typing import Annotated, Literal

import numpy as np
from pydantic import AfterValidator, BaseModel, ConfigDict
from pydantic_core import PydanticCustomError
from sqlalchemy.orm import Session

from vapocline.core.base.document import Answer
from vapocline.core.base.problems import NotFoundError
from vapocline.core.coffee.water import facts_of
from vapocline.core.formats.registry import EVENT
from vapocline.core.machine.calibration.measured import CALIBRATION_WORDS
from vapocline.core.machine.care import (
    CALIBRATION_DAYS,
    CHANGED_WORDS,
    OF_SHOTS,
    CareJob,
    CareState,
    CareTask,
    GoneBy,
    Interval,
    better_words,
    care_state,
    gone_by,
    grinder_jobs,
    group_words,
    machine_jobs,
    switch_on_at,
    uneven_words,
)
from vapocline.core.shot.events import Marked
from vapocline.desk.context import Context
from vapocline.desk.shelf.machines import machine_of
from vapocline.desk.shelf.waters import plain_water
from vapocline.store import care, shelf
from vapocline.store.care import Thing
from vapocline.store.database import transaction
from vapocline.store.tables import (
    BenchRow,
    CalibrationRow,
    CareIntervalRow,
    EventRow,
    GrinderRow,
    MachineRow,
)

CaredFor = Literal["machine", "grinder"]
LOOKED: tuple[CareTask, ...] = ("screen_look", "screen_clean")
UNEVEN_MARKS = ("dry_side", "spurt")
_Change = Callable[[Session, Thing], None]
RANK: dict[CareState, int] = {"due": 0, "soon": 1, "fine": 2}


class CareLine(Answer):
    """One thing to do: when it was last `done_at`, what went `by` since in the interval's unit, and
    why it is due for another reason. Without an `interval` it is not asked for."""

    task: CareTask
    words: str
    how: str
    interval: Interval | None
    usual: Interval
    done_at: datetime | None
    by: float
    state: CareState
    because: str | None
    outcome: str | None


class CalibrationDue(Answer):
    """A calibration in use, its age, when it is due by that alone, and why it is to be measured
    again."""

    what: str
    words: str
    measured_at: datetime
    due_at: datetime
    state: CareState
    because: str | None


class ThingCare(Answer):
    """Everything one machine or grinder wants, what is due first. `warm_at` is when a machine is to
    be warm, `switch_on_at` when to switch it on for that; times of day here."""

    kind: CaredFor
    id: int
    name: str
    on_bench: bool
    lines: list[CareLine]
    calibrations: list[CalibrationDue]
    warm_at: time | None = None
    switch_on_at: time | None = None

    @property
    def due(self) -> list[str]:
        """What is due, in words."""
        tasks = [one.words for one in self.lines if one.state == "due"]
        measured = [f"measure {one.words} again" for one in self.calibrations if one.state == "due"]
        return tasks + measured


class IntervalSaid(BaseModel):
    """How often a thing is wanted here: so often, `usual` as we say, or never with neither."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    interval: Interval | None = None
    usual: bool = False


def _of_the_day(at: time) -> time:
    if at.tzinfo is not None:
        raise PydanticCustomError("time", "time", {"accepted": "a time of day here, as 07:00"})
    return at


class WarmBy(BaseModel):
    """When a machine is to be warm, the time of day here; None for no time."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    warm_at: Annotated[time, AfterValidator(_of_the_day)] | None


def list_care(context: Context) -> list[ThingCare]:
    """Every machine and grinder with what it wants, those on the bench first."""
    with transaction(context.sessions) as session:
        bench = shelf.read_bench(session, context.bench_id)
        rows: list[Thing] = [
            *shelf.read_all(session, MachineRow),
            *shelf.read_all(session, GrinderRow),
        ]
        found = [_care_of(context, session, row, bench) for row in rows]
    return sorted(found, key=lambda one: not one.on_bench)


def list_due(context: Context) -> list[str]:
    """What is due on the bench's machine and grinder, in words."""
    with transaction(context.sessions) as session:
        bench = shelf.read_bench(session, context.bench_id)
        rows: list[Thing] = [bench.machine]
        if bench.grinder is not None:
            rows.append(bench.grinder)
        return [words for row in rows for words in _care_of(context, session, row, bench).due]


def say_done(
    context: Context, kind: CaredFor, number: int, task: CareTask, *, taken_back: bool = False
) -> ThingCare:
    """Note that a task was done now, or take the last such note back. Raises NotFoundError."""

    def change(session: Session, row: Thing) -> None:
        if taken_back:
            care.take_back_done(session, row, task)
        else:
            care.add_done(session, row, task, context.now())

    return _changed(context, kind, number, task, change)


def say_interval(
    context: Context, kind: CaredFor, number: int, task: CareTask, said: IntervalSaid
) -> ThingCare:
    """Say how often a task is wanted. Raises NotFoundError."""

    def change(session: Session, row: Thing) -> None:
        if said.usual:
            care.forget_interval(session, row, task)
        elif said.interval is None:
            care.write_interval(session, row, task, None, None)
        else:
            care.write_interval(session, row, task, said.interval.every, said.interval.unit)

    return _changed(context, kind, number, task, change)


def say_warm_by(context: Context, machine_id: int, said: WarmBy) -> ThingCare:
    """Say when a machine is to be warm. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        row = shelf.read_one(session, MachineRow, machine_id, lock=True)
        row.warm_at = said.warm_at
        session.flush()
        return _care_of(context, session, row, shelf.read_bench(session, context.bench_id))


def _changed(
    context: Context, kind: CaredFor, number: int, task: CareTask, change: _Change
) -> ThingCare:
    with transaction(context.sessions) as session:
        row: Thing = (
            shelf.read_one(session, MachineRow, number, lock=True)
            if kind == "machine"
            else shelf.read_one(session, GrinderRow, number, lock=True)
        )
        bench = shelf.read_bench(session, context.bench_id)
        if task not in {job.task for job in _jobs(row, bench)}:
            raise NotFoundError(f"{row.name} has nothing such as {task} to be done.")
        change(session, row)
        return _care_of(context, session, row, bench)


def _jobs(row: Thing, bench: BenchRow) -> list[CareJob]:
    if isinstance(row, GrinderRow):
        return grinder_jobs()
    water = bench.water if row.id == bench.machine_id else None
    hardness = None if water is None else facts_of(plain_water(water)).hardness_mg_l
    return machine_jobs(machine_of(row), hardness)


def _care_of(context: Context, session: Session, row: Thing, bench: BenchRow) -> ThingCare:
    kind: CaredFor = "grinder" if isinstance(row, GrinderRow) else "machine"
    lines, calibrations = _lines(context, session, row, bench), _calibrations(context, session, row)
    warm_at, on_at = None, None
    if isinstance(row, MachineRow):
        machine = machine_of(row)
        takes = machine.warm_up_min + (machine.steam_min if row.with_steam else 0.0)
        warm_at, on_at = row.warm_at, switch_on_at(row.warm_at, takes)
    return ThingCare(
        kind=kind,
        id=row.id,
        name=row.name,
        on_bench=row.id == (bench.grinder_id if kind == "grinder" else bench.machine_id),
        lines=sorted(lines, key=lambda one: (one.interval is None, RANK[one.state])),
        calibrations=sorted(calibrations, key=lambda one: RANK[one.state]),
        warm_at=warm_at,
        switch_on_at=on_at,
    )


def _lines(context: Context, session: Session, row: Thing, bench: BenchRow) -> Iterator[CareLine]:
    jobs, done = _jobs(row, bench), care.read_done(session, row)
    began = care.read_beginning(session, row)
    since: dict[str, datetime] = {job.task: done.get(job.task, began) for job in jobs}
    pulled = care.read_pulled_since(session, row, since)
    said = care.read_intervals(session, row)
    for job in jobs:
        gone, own = pulled[job.task], said.get(job.task)
        days = (context.now() - since[job.task]) / timedelta(days=1)
        by = GoneBy(days=max(0.0, days), shots=gone.shots, litres=gone.water_ml / 1000)
        interval = job.usual if own is None else _interval(own)
        because, outcome = _of_marks(session, row, job.task, done.get(job.task))
        due = because is not None and interval is not None
        yield CareLine(
            task=job.task,
            words=job.words,
            how=job.how,
            interval=interval,
            usual=job.usual,
            done_at=done.get(job.task),
            by=round(gone_by(by, (interval or job.usual).unit), 1),
            state="due" if due else "fine" if interval is None else care_state(interval, by),
            because=because,
            outcome=outcome,
        )


def _interval(row: CareIntervalRow) -> Interval | None:
    if row.every is None:
        return None
    return Interval.model_validate({"every": row.every, "unit": row.unit})


def _of_marks(
    session: Session, row: Thing, task: CareTask, done_at: datetime | None
) -> tuple[str | None, str | None]:
    """Why the screen is to be looked at, and what came of it."""
    if isinstance(row, GrinderRow) or task not in LOOKED:
        return None, None
    since = _marked(care.read_marks(session, row, limit=OF_SHOTS, after=done_at))
    because = uneven_words(since) if task == "screen_look" else None
    if done_at is None:
        return because, None
    until = _marked(care.read_marks(session, row, limit=OF_SHOTS, until=done_at))
    return because, better_words(until, since)


def _marked(shots: Sequence[Sequence[EventRow]]) -> list[bool]:
    events = [[EVENT.read(row.document) for row in rows] for rows in shots]
    return [
        any(isinstance(one, Marked) and one.mark in UNEVEN_MARKS for one in of_shot)
        for of_shot in events
    ]


def _calibrations(context: Context, session: Session, row: Thing) -> Iterator[CalibrationDue]:
    subject = "grinder" if isinstance(row, GrinderRow) else "machine"
    for calibration in shelf.read_calibrations(session, subject, row.id):
        # A dry run is looked at again whenever it is run.
        if calibration.in_use and calibration.what != "dry-run":
            yield _calibration(context, session, row, calibration)


def _calibration(
    context: Context, session: Session, row: Thing, calibration: CalibrationRow
) -> CalibrationDue:
    days = (context.now() - calibration.measured_at) / timedelta(days=1)
    because = f"{days:.0f} days ago" if days >= CALIBRATION_DAYS else None
    changed = row.changed_at if isinstance(row, MachineRow) else None
    if changed is not None and changed > calibration.measured_at:
        because = CHANGED_WORDS
    if calibration.what == "group-temperature" and isinstance(row, MachineRow):
        logged = care.read_group_c(session, row, limit=OF_SHOTS, after=calibration.measured_at)
        off = [float(np.nanmedian(c)) - set_c for set_c, c in logged if not np.all(np.isnan(c))]
        because = group_words(off) or because
    return CalibrationDue(
        what=calibration.what,
        words=CALIBRATION_WORDS[calibration.what],  # type: ignore[index]
        measured_at=calibration.measured_at,
        due_at=calibration.measured_at + timedelta(days=CALIBRATION_DAYS),
        state="fine" if because is None else "due",
        because=because,
    )
