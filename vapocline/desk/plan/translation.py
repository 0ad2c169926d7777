"""Translate a draft to another machine."""

from __future__ import annotations

from collections.abc import Iterator
from contextvars import copy_context
from queue import SimpleQueue
from threading import Thread
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from vapocline.core.base.document import Answer
from vapocline.core.base.problems import VapoclineError
from vapocline.core.machine.machine import Machine
from vapocline.core.plan.translate.translation import Gates, Translation, Wish, compared, translate
from vapocline.core.profile.profile import Profile
from vapocline.core.puck.plan import Plan, on
from vapocline.desk.bench.bench import Bench, read_bench
from vapocline.desk.bench.setup import plan_for
from vapocline.desk.context import Context
from vapocline.desk.shelf.machines import read_machine


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


def translating(context: Context, asked: TranslationAsked) -> Iterator[Progress | Done | Failed]:
    """Translate a draft, reporting how far it has come; closing the iterator stops the search.

    Raises Refused, NotFoundError before the first line.
    """
    plan, machine = _source(context, asked)
    return _searched(plan, machine, Wish(smooth=asked.smooth, gates=asked.gates))


def _searched(plan: Plan, machine: Machine, wish: Wish) -> Iterator[Progress | Done | Failed]:
    reports: SimpleQueue[Progress | Done | Failed] = SimpleQueue()
    wanted = [True]

    def watch(share: float, profile: Profile, distance: float) -> bool:
        reports.put(Progress(share=round(share, 3), distance=round(distance, 3), profile=profile))
        return wanted[0]

    def work() -> None:
        try:
            reports.put(Done(translation=translate(plan, machine, wish, watch)))
        except VapoclineError as error:
            reports.put(Failed(message=str(error)))
        except BaseException:
            reports.put(Failed(message="The translation failed; nothing was changed."))
            raise

    within = copy_context()  # with the budget of who asked
    Thread(target=within.run, args=(work,), name="translation", daemon=True).start()
    try:
        while True:
            one = reports.get()
            yield one
            if not isinstance(one, Progress):
                return
    finally:
        wanted[0] = False
