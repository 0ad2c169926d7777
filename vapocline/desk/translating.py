"""Check a draft against a machine, mend what does not fit, translate it to another machine."""

from __future__ import annotations

from collections.abc import Iterator
from queue import SimpleQueue
from threading import Thread
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from vapocline.core.machine import Machine
from vapocline.core.plan import Plan
from vapocline.core.problems import VapoclineError
from vapocline.core.profile import Profile
from vapocline.core.puck.answer import Answer, Prediction
from vapocline.core.puck.predict import predict
from vapocline.core.translate.difference import ShotDifference, difference
from vapocline.core.translate.mend import (
    Misfit,
    Sight,
    able,
    effects,
    mended,
    misfits,
    sight,
)
from vapocline.core.translate.shots import on, ran
from vapocline.core.translate.translation import (
    Gates,
    Translation,
    Wish,
    compared,
    translate,
)
from vapocline.desk.bench import Bench, plan_for, read_bench
from vapocline.desk.context import Desk
from vapocline.desk.shelf import read_machine


class Checked(Answer):
    """A draft against a machine; empty misfits are a fit."""

    machine_id: int
    machine_name: str
    misfits: list[Misfit]


class Mended(Answer):
    """A draft with a misfit mended, what is left, and what the mend does to the shot.

    The shot before is the draft's on a machine like this one that can run it; `difference` and
    `prediction` are None while something else keeps the mended draft from running.
    """

    profile: Profile
    misfits: list[Misfit]
    difference: ShotDifference | None
    prediction: Prediction | None


class MendEffect(Answer):
    """What mending one field does to the shot; an empty field is all of them together."""

    field: str
    difference: ShotDifference


class MendAsked(BaseModel):
    """A draft, and the field whose misfit to mend; None mends all."""

    model_config = ConfigDict(extra="forbid")

    profile: Profile
    field: str | None = None


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
    apart: float
    profile: Profile


class Done(Answer):
    """The end of a translation."""

    is_: Annotated[Literal["done"], Field(alias="is")] = "done"
    translation: Translation


class Failed(Answer):
    """A translation that could not be made, and why."""

    is_: Annotated[Literal["failed"], Field(alias="is")] = "failed"
    message: str


def check(desk: Desk, profile: Profile, machine_id: int | None = None) -> Checked:
    """A draft against the bench's machine or another. Raises NotFoundError."""
    machine = read_bench(desk).machine if machine_id is None else read_machine(desk, machine_id)
    return Checked(
        machine_id=machine.id,
        machine_name=machine.name,
        misfits=misfits(profile, machine),
    )


def mend(desk: Desk, asked: MendAsked) -> Mended:
    """Mend one misfit of a draft on the bench, or all. Raises Refused."""
    plan = plan_for(read_bench(desk), asked.profile)[0]
    seen = sight(plan)
    profile = mended(asked.profile, seen, asked.field)
    left = misfits(profile, seen.machine)
    found, prediction = _effect(seen, profile)
    return Mended(profile=profile, misfits=left, difference=found, prediction=prediction)


def wanted(desk: Desk, profile: Profile) -> Prediction:
    """The shot a draft means: on the bench, by a machine like the bench's that can run it.

    Raises Refused where none can.
    """
    plan = plan_for(read_bench(desk), profile)[0]
    return predict(on(plan, able(profile, plan.setup.machine)))


def mend_effects(desk: Desk, profile: Profile) -> list[MendEffect]:
    """What each mend of a draft on the bench would do to the shot. Raises Refused."""
    plan = plan_for(read_bench(desk), profile)[0]
    return [
        MendEffect(field=field, difference=found) for field, found in effects(profile, sight(plan))
    ]


def _effect(seen: Sight, profile: Profile) -> tuple[ShotDifference | None, Prediction | None]:
    after = on(seen.plan, seen.machine, profile)
    try:
        prediction = predict(after)
    except VapoclineError:
        return None, None
    return difference(seen.shot, ran(after)), prediction


def _source(desk: Desk, asked: TranslationAsked) -> tuple[Plan, Machine]:
    """The draft on the machine it was made for, and the machine that is to take it."""
    bench: Bench = read_bench(desk)
    plan = plan_for(bench, asked.profile)[0]
    if asked.from_machine_id is not None:
        plan = on(plan, read_machine(desk, asked.from_machine_id))
    return plan, read_machine(desk, asked.machine_id)


def compare_translation(desk: Desk, asked: ComparedAsked) -> Translation:
    """What a program makes of a draft's shot, without a search. Raises Refused, NotFoundError."""
    plan, machine = _source(desk, asked)
    return compared(plan, machine, asked.translated)


def translating(desk: Desk, asked: TranslationAsked) -> Iterator[Progress | Done | Failed]:
    """Translate a draft, telling how far it has come; closing the iterator stops the search.

    Raises Refused, NotFoundError before the first is told.
    """
    plan, machine = _source(desk, asked)
    return _told(plan, machine, Wish(smooth=asked.smooth, gates=asked.gates))


def _told(plan: Plan, machine: Machine, wish: Wish) -> Iterator[Progress | Done | Failed]:
    said: SimpleQueue[Progress | Done | Failed] = SimpleQueue()
    wanted = [True]

    def watch(share: float, profile: Profile, apart: float) -> bool:
        said.put(Progress(share=round(share, 3), apart=round(apart, 3), profile=profile))
        return wanted[0]

    def work() -> None:
        try:
            said.put(Done(translation=translate(plan, machine, wish, watch)))
        except VapoclineError as error:
            said.put(Failed(message=str(error)))
        except BaseException:
            said.put(Failed(message="The translation failed; nothing was changed."))
            raise

    Thread(target=work, name="translation", daemon=True).start()
    try:
        while True:
            one = said.get()
            yield one
            if not isinstance(one, Progress):
                return
    finally:
        wanted[0] = False
