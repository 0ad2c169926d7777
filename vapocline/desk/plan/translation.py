"""Translate a draft to another machine."""

from __future__ import annotations

import asyncio
import time
from collections.abc import AsyncGenerator
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from vapocline.core.base.cancellation import Cancelled, cancel_check
from vapocline.core.base.document import Answer
from vapocline.core.base.problems import VapoclineError
from vapocline.core.machine.machine import Machine
from vapocline.core.plan.translate.translation import Gates, Translation, Wish, compared, translate
from vapocline.core.profile.profile import Profile
from vapocline.core.puck.plan import Plan, on
from vapocline.desk.bench.bench import Bench, read_bench
from vapocline.desk.bench.setup import plan_for
from vapocline.desk.context import Context, Resources
from vapocline.desk.shelf.machines import read_machine
from vapocline.store import translations
from vapocline.store.database import transaction
from vapocline.store.live import LiveNews

RETRY_S = 1.0
BUDGET_S = 60.0  # of computing; the heaviest takes a tenth of it on two cores
BROKE = "The translation failed; nothing was changed."


class TranslationAsked(BaseModel):
    """A draft, the machine it is for, and the one it was made on: the bench's where none is named.

    `smooth` joins the stages into moves; `gates` says what is to end them.
    """

    model_config = ConfigDict(extra="forbid")

    profile: Profile
    machine_id: int
    from_machine_id: int | None = None
    smooth: bool = False
    gates: Gates = "time"


class ComparedAsked(TranslationAsked):
    """A translation already there, to be measured against the draft."""

    translated: Profile


class Progress(Answer):
    """How far a translation has come, and the nearest program so far."""

    is_: Annotated[Literal["progress"], Field(alias="is")] = "progress"
    share: float
    distance: float
    profile: Profile


class Done(Answer):
    """The end of a translation."""

    is_: Annotated[Literal["done"], Field(alias="is")] = "done"
    translation: Translation


class Failed(Answer):
    """A translation that could not be made, and why."""

    is_: Annotated[Literal["failed"], Field(alias="is")] = "failed"
    message: str


def _source(context: Context, asked: TranslationAsked) -> tuple[Plan, Machine]:
    """The draft on the machine it was made for, and the machine that is to take it."""
    bench: Bench = read_bench(context)
    plan = plan_for(bench, asked.profile)[0]
    if asked.from_machine_id is not None:
        plan = on(plan, read_machine(context, asked.from_machine_id))
    return plan, read_machine(context, asked.machine_id)


def compare_translation(context: Context, asked: ComparedAsked) -> Translation:
    """What a program makes of a draft's shot, without a search. Raises Refused, NotFoundError."""
    plan, machine = _source(context, asked)
    return compared(plan, machine, asked.translated)


class TookTooLong(Cancelled):
    """A translation reached its time limit."""


class TranslationJob(BaseModel):
    """What a worker needs to translate."""

    plan: Plan
    machine: Machine
    smooth: bool
    gates: Gates


ProgressLine = Annotated[Progress | Done | Failed, Field(discriminator="is_")]
LINE: TypeAdapter[Progress | Done | Failed] = TypeAdapter(ProgressLine)


def ask_translation(context: Context, asked: TranslationAsked) -> int:
    """Queue a translation of a draft; gives its number. Raises Refused, NotFoundError."""
    plan, machine = _source(context, asked)
    job = TranslationJob(plan=plan, machine=machine, smooth=asked.smooth, gates=asked.gates)
    with transaction(context.sessions) as session:
        return translations.ask(session, job.model_dump(mode="json", by_alias=True))


async def follow_translation(
    context: Context, live: LiveNews, number: int
) -> AsyncGenerator[Progress | Done | Failed, None]:
    """A line each time the search came nearer, and one at its end, whoever works it out; closing
    the iterator calls it off."""
    last: Progress | Done | Failed | None = None
    try:
        async with live.watch("translation", number) as news:
            while not isinstance(last, Done | Failed):
                now = await asyncio.to_thread(_came, context.resources, number)
                if now is not None and now != last:
                    last = now
                    yield now
                elif await news.get() is None:  # the line to the database was lost: look again
                    await asyncio.sleep(RETRY_S)
    finally:
        # Whoever closes us may be cancelled: that must not keep the search going.
        await asyncio.shield(asyncio.to_thread(_forget, context.resources, number))


def work_out_translation(resources: Resources, number: int) -> None:
    """Translate what was asked under a number, as long as anybody follows it. Raises Cancelled."""
    with transaction(resources.sessions) as session:
        wanted = translations.read(session, number)
    if wanted is None:
        return
    job = TranslationJob.model_validate(wanted.asked)
    called_off, until = cancel_check.get(), time.monotonic() + BUDGET_S

    def in_time() -> None:
        called_off()
        if time.monotonic() > until:
            raise TookTooLong(f"This took longer than {BUDGET_S:g} s and was cancelled.")

    def watch(share: float, profile: Profile, distance: float) -> bool:
        near = Progress(share=round(share, 3), distance=round(distance, 3), profile=profile)
        return _report(resources, number, near)

    wish = Wish(smooth=job.smooth, gates=job.gates)
    end: Done | Failed
    token = cancel_check.set(in_time)
    try:
        end = Done(translation=translate(job.plan, job.machine, wish, watch))
    except VapoclineError as error:
        if isinstance(error, Cancelled) and not isinstance(error, TookTooLong):
            raise
        end = Failed(message=str(error))
    except Exception:
        _report(resources, number, Failed(message=BROKE))
        raise
    finally:
        cancel_check.reset(token)
    _report(resources, number, end)


def _came(resources: Resources, number: int) -> Progress | Done | Failed | None:
    with transaction(resources.sessions) as session:
        found = translations.read(session, number)
    if found is None:
        return Failed(message=BROKE)
    return None if found.came is None else LINE.validate_python(found.came)


def _report(resources: Resources, number: int, line: Progress | Done | Failed) -> bool:
    with transaction(resources.sessions) as session:
        return translations.report(session, number, line.model_dump(mode="json", by_alias=True))


def _forget(resources: Resources, number: int) -> None:
    with transaction(resources.sessions) as session:
        translations.forget(session, number)
