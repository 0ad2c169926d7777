"""Check a draft against a machine and fix what does not fit."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from vapocline.core.base.document import Answer
from vapocline.core.base.problems import VapoclineError
from vapocline.core.plan.translate.difference import ShotDifference, difference
from vapocline.core.plan.translate.fixes import FixContext, able, effects, fix_context, fixed
from vapocline.core.plan.translate.misfits import Misfit, misfits
from vapocline.core.plan.translate.runs import run_plan
from vapocline.core.profile.profile import Profile
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.plan import on
from vapocline.core.puck.predict import predict
from vapocline.desk.bench.bench import other_modes, read_bench
from vapocline.desk.bench.setup import plan_for
from vapocline.desk.context import Context
from vapocline.desk.shelf.machines import read_machine


class Checked(Answer):
    """A draft against a machine; empty misfits are a fit. Where there are some, `runs_in` are those
    of the machine's other modes that take it."""

    machine_id: int
    machine_name: str
    misfits: list[Misfit]
    runs_in: list[str]


class Fixed(Answer):
    """A draft with a misfit fixed, what is left, and what the fix does to the shot.

    The shot before is the draft's on a machine like this one that can run it; `difference` and
    `prediction` are None while something else keeps the fixed draft from running.
    """

    profile: Profile
    misfits: list[Misfit]
    difference: ShotDifference | None
    prediction: Prediction | None


class FixEffect(Answer):
    """What fixing one field does to the shot; an empty field is all of them together."""

    field: str
    difference: ShotDifference


class FixRequest(BaseModel):
    """A draft, and the field whose misfit to fix; None fixes all."""

    model_config = ConfigDict(extra="forbid")

    profile: Profile
    field: str | None = None


def check(context: Context, profile: Profile, machine_id: int | None = None) -> Checked:
    """A draft against the bench's machine or another. Raises NotFoundError."""
    machine = (
        read_bench(context).machine if machine_id is None else read_machine(context, machine_id)
    )
    found = misfits(profile, machine)
    return Checked(
        machine_id=machine.id,
        machine_name=machine.name,
        misfits=found,
        runs_in=other_modes(context, machine, profile) if found else [],
    )


def fix(context: Context, asked: FixRequest) -> Fixed:
    """Fix one misfit of a draft on the bench, or all. Raises Refused."""
    plan = plan_for(read_bench(context), asked.profile)[0]
    seen = fix_context(plan)
    profile = fixed(asked.profile, seen, asked.field)
    left = misfits(profile, seen.machine)
    found, prediction = _effect(seen, profile)
    return Fixed(profile=profile, misfits=left, difference=found, prediction=prediction)


def wanted(context: Context, profile: Profile) -> Prediction:
    """The shot a draft means: on the bench, by a machine like the bench's that can run it.

    Raises Refused where none can.
    """
    plan = plan_for(read_bench(context), profile)[0]
    return predict(on(plan, able(profile, plan.setup.machine)))


def fix_effects(context: Context, profile: Profile) -> list[FixEffect]:
    """What each fix of a draft on the bench would do to the shot. Raises Refused."""
    plan = plan_for(read_bench(context), profile)[0]
    return [
        FixEffect(field=field, difference=found)
        for field, found in effects(profile, fix_context(plan))
    ]


def _effect(seen: FixContext, profile: Profile) -> tuple[ShotDifference | None, Prediction | None]:
    after = on(seen.plan, seen.machine, profile)
    try:
        prediction = predict(after)
    except VapoclineError:
        return None, None
    return difference(seen.shot, run_plan(after)), prediction
