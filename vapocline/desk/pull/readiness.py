"""Before a pull: what is arranged, what devices tell, and what is still missing."""

from __future__ import annotations

import re
from contextlib import closing
from datetime import datetime, time, timedelta
from typing import NamedTuple

from pydantic import BaseModel, ConfigDict

from vapocline.core.base.amounts import grams
from vapocline.core.base.document import Answer
from vapocline.core.base.problems import DeviceError, Problem
from vapocline.core.base.quantities import WarmUpMin
from vapocline.core.learn.doses import Doses
from vapocline.core.machine.care import switch_on_at
from vapocline.core.machine.check import machine_problems
from vapocline.core.machine.machine import Machine
from vapocline.core.plan.start_water import StartWater, meant_water
from vapocline.core.profile.profile import Profile
from vapocline.core.pull.cues import Cue, cue_sheet
from vapocline.core.pull.house_checks import of_house
from vapocline.core.pull.portafilter import other_warmth
from vapocline.core.pull.readiness import Intended, Item, Standing, checklist
from vapocline.core.pull.steering import ByHand, worked_by_hand
from vapocline.desk.bench.bench import Bench, other_modes, read_bench
from vapocline.desk.bench.setup import fresh, plan_for
from vapocline.desk.context import Context
from vapocline.desk.plan.forecast import cached_prediction
from vapocline.desk.plan.profiles import read_version
from vapocline.desk.pull.house_checks import kept_lines, moment_of
from vapocline.desk.pull.request import PullRequest
from vapocline.desk.pull.retention import retention_of
from vapocline.desk.shelf.connections import machine_address, scale_address_of
from vapocline.desk.shelf.doses import read_doses
from vapocline.devices.adapters import open_machine, open_scale
from vapocline.devices.messages import MachineStatus, ScaleStatus
from vapocline.devices.probing import probe
from vapocline.store import shelf
from vapocline.store.database import transaction
from vapocline.store.tables import MachineRow


class WarmUp(Answer):
    """The countdown from switched on; `ready_at` None before it was said when that was. To be warm
    at a time of day, `warm_at`, it is to be switched on at `switch_on_at`."""

    on_since: datetime | None
    ready_at: datetime | None
    with_steam: bool
    warm_up_min: float
    steam_min: float
    warm_at: time | None
    switch_on_at: time | None


class Prepared(Answer):
    """The checklist, the countdown, and the cues of a machine worked by hand; `meant_water` where
    the version is meant for other water than is set."""

    items: list[Item]
    meant_water: StartWater | None
    warm_up: WarmUp
    by_hand: ByHand | None
    cues: list[Cue]


class Switched(BaseModel):
    """A machine switched on so many minutes ago, or off with None; with or without steam."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    minutes_ago: WarmUpMin | None = 0
    with_steam: bool = False


def prepare(context: Context, request: PullRequest, wait_s: float | None = None) -> Prepared:
    """What is ready and what is not. `wait_s` is how long each device may take to answer, by
    default as long as a page that looks again anyway can wait. Raises NotFoundError."""
    bench = fresh(read_bench(context))
    profile = read_version(context, request.profile_id, request.number).profile
    with transaction(context.sessions) as session:
        row = shelf.read_one(session, MachineRow, bench.machine.id)
        warm_up = _warm_up(row, bench)
        house, own = kept_lines(session)
        moment = moment_of(context, session, bench)
        setting = _setting(bench, request)
        retained = None if request.dry else retention_of(session, bench, setting)
    misfit = machine_problems(profile, bench.machine)
    says = [_misfit_words(problem, profile) for problem in misfit[:1]]
    if misfit and (able := other_modes(context, bench.machine, profile)):
        says.append(f"set it to {' or '.join(able)}, which can")
    standing = _standing(context, row, says, wait_s)
    water_ml, portafilter, meant = None, "", None
    if not misfit:
        plan, _ = plan_for(bench, profile, context.resources.members)
        water_ml = cached_prediction(plan.model_dump_json(by_alias=True)).water_in_ml.value
        portafilter, meant = other_warmth(plan), None if request.dry else meant_water(plan)
    doses = None if bench.grinder is None else read_doses(context, bench.grinder.id)
    inside = None if retained is None else retained.words
    foreseen = _Foreseen(water_ml, portafilter, warm_up.ready_at, doses, inside)
    intended = _intended(bench, request, foreseen)
    by_hand = hand_of(row, bench.machine)
    items = checklist(standing, intended, request.confirmed, context.now(), dry=request.dry)
    return Prepared(
        items=items if request.dry else of_house(items, house.when, own, request.confirmed, moment),
        meant_water=meant,
        warm_up=warm_up,
        by_hand=by_hand,
        cues=cue_sheet(profile, bench.machine) if by_hand else [],
    )


def _misfit_words(problem: Problem, profile: Profile) -> str:
    """What the machine cannot take, by the name of its phase: "Rise: 9.5; takes at most 9 bar"."""
    phase = re.match(r"phases\.(\d+)", problem.field)
    where = "the profile" if phase is None else profile.phases[int(phase[1])].name
    return f"{where}: {problem.got}; takes {problem.accepted}"


def hand_of(row: MachineRow, machine: Machine) -> ByHand | None:
    """How a pull is worked by hand, if it is: cue by cue on any machine not connected."""
    return worked_by_hand(machine) if row.wired else "steps"


def switch(context: Context, machine_id: int, switched: Switched) -> WarmUp:
    """Note when a machine was switched on. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        row = shelf.read_one(session, MachineRow, machine_id, lock=True)
        ago = switched.minutes_ago
        row.on_since = None if ago is None else context.now() - timedelta(minutes=ago)
        row.with_steam = switched.with_steam
    return _warm_up(row, read_bench(context))


def _warm_up(row: MachineRow, bench: Bench) -> WarmUp:
    machine = bench.machine
    takes = machine.warm_up_min + (machine.steam_min if row.with_steam else 0.0)
    since = row.on_since
    return WarmUp(
        on_since=since,
        ready_at=None if since is None else since + timedelta(minutes=takes),
        with_steam=row.with_steam,
        warm_up_min=machine.warm_up_min,
        steam_min=machine.steam_min,
        warm_at=row.warm_at,
        switch_on_at=switch_on_at(row.warm_at, takes),
    )


def _standing(
    context: Context, row: MachineRow, misfit: list[str], wait_s: float | None
) -> Standing:
    """What the devices tell; one that does not answer tells nothing."""

    def ask(patience_s: float) -> MachineStatus:
        with closing(open_machine(machine_address(context.resources, row), patience_s)) as machine:
            return machine.status()

    try:
        status = probe(ask, "machine", wait_s)
    except DeviceError as error:
        return Standing(machine_answers=False, machine_says=str(error))
    says = f"{row.name} still runs a shot" if status.running else None
    if misfit:
        says = f"{row.name} cannot run this: {'; '.join(misfit)}"
    found = Standing(
        machine_answers=True,
        machine_says=says,
        wired=row.wired,
        group_c=status.group_c,
        water_left_ml=status.water_left_ml,
    )
    where = scale_address_of(context.resources, row)
    return found if where is None else found.model_copy(update=_on_the_scale(where, wait_s))


def _on_the_scale(address: str, wait_s: float | None) -> dict[str, object]:
    def ask(patience_s: float) -> ScaleStatus:
        with closing(open_scale(address, patience_s)) as scale:
            return scale.status()

    try:
        status = probe(ask, "scale", wait_s)
    except DeviceError:
        return {"scale": True}
    return {"scale": True, "weight_g": status.weight_g, "cup": status.cup}


def _within(doses: Doses | None, weighed_g: float | None, wanted_g: float) -> float | None:
    """How far off a grinder's doses usually are, where a weighed one is too far off to be one."""
    if doses is None or weighed_g is None or not doses.far(weighed_g - wanted_g):
        return None
    return doses.most_off_g


class _Foreseen(NamedTuple):
    """What is known of the pull besides the bench."""

    water_ml: float | None
    portafilter: str
    ready_at: datetime | None
    doses: Doses | None
    retained: str | None


def _setting(bench: Bench, request: PullRequest) -> float | None:
    """The grind as set, or as it is on the bench."""
    return bench.grind_setting if request.grind_setting is None else request.grind_setting


def _intended(bench: Bench, request: PullRequest, foreseen: _Foreseen) -> Intended:
    coffee, setting, prepared = bench.coffee, _setting(bench, request), bench.preparation
    fresh_on = None if coffee is None else coffee.freshness
    bag = coffee.bags[0] if coffee and coffee.bags else None
    left = None if bag is None else bag.remaining_g
    grind = None
    if bench.grinder is not None and setting is not None:
        grind = f"{setting:g} on {bench.grinder.name}"
    which_bag = None
    if bag is not None:
        roasted = f"roasted {bag.roasted_on:%-d %B}" if bag.roasted_on else "no roast date"
        which_bag = roasted if left is None else f"{roasted}, {grams(left, 0)} left"
    return Intended(
        machine=bench.machine.name,
        mode=bench.machine_mode,
        water_c=bench.water_c,
        puck_start_c=bench.puck_start_c,
        water_ml=foreseen.water_ml,
        water=None if bench.water is None else bench.water.name,
        portafilter=foreseen.portafilter,
        dose_g=bench.dose_g,
        levelled=bench.levelled,
        dose_tolerance_g=bench.dose_tolerance_g,
        weighed_g=request.weighed_g,
        doses_within_g=_within(foreseen.doses, request.weighed_g, bench.dose_g),
        coffee=coffee.name if coffee else None,
        bag=which_bag,
        bag_short_g=bench.dose_g - left if left is not None and left < bench.dose_g else None,
        stale=None if fresh_on is None or fresh_on.state == "best" else fresh_on.words,
        grind=grind,
        retained=foreseen.retained,
        preparation=None if prepared is None else f"{prepared.name}: {prepared.steps}",
        ready_at=foreseen.ready_at,
    )
