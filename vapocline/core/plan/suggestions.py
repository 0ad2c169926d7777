"""Suggestions that compute: a flow for a pressure band, when to decline, how long to pre-infuse,
and the same profile counted along water."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from vapocline.core.base.amounts import grams, millilitres
from vapocline.core.base.document import Answer, Document
from vapocline.core.base.problems import Problem, Refused
from vapocline.core.base.quantities import PressureBar
from vapocline.core.base.rounding import to_step
from vapocline.core.machine.steps import to_machine_steps
from vapocline.core.profile.profile import (
    CupExit,
    Exit,
    FlowCommand,
    Phase,
    PressureCommand,
    Profile,
    SecondsExit,
    WaterExit,
)
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.check import refuse_unrunnable
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import predict
from vapocline.core.puck.ranges import side_by_side

SHIFT_UM = 20.0  # a grind shift worth guarding against
LEVEL = 1.05  # a flow that rises by no more over a third of the pour
RUNAWAY = 1.15  # how much the cup's flow may grow over what it was when the puck was full
DECLINE_TO, DECLINE_OVER_S = 0.55, 20.0
DECLINE_STARTS = 12
THROUGH_G = 1.5  # in the cup: the puck is wet right through


class FlowForBand(Document):
    """Which flow lands this phase's pressure in a band, bar."""

    what: Literal["flow_for_band"] = "flow_for_band"
    phase: int
    low_bar: PressureBar = 7
    high_bar: PressureBar = 9


class DeclineStart(Document):
    """When to let the pressure fall so that the flow does not run away."""

    what: Literal["decline_start"] = "decline_start"


class PreInfusionLength(Document):
    """How long this phase must be for the water to get through the puck."""

    what: Literal["pre_infusion_length"] = "pre_infusion_length"
    phase: int


class IndexByWater(Document):
    """The same profile with its moves and times counted along water pumped."""

    what: Literal["index_by_water"] = "index_by_water"


SuggestionAsk = Annotated[
    FlowForBand | DeclineStart | PreInfusionLength | IndexByWater, Field(discriminator="what")
]


class Suggested(Answer):
    """A changed profile and why; `reached` is False where it is only the nearest there is.

    `changed` is False where the profile is right as it is, or nothing can be suggested.
    """

    words: str
    reached: bool
    changed: bool
    profile: Profile
    before: Prediction
    after: Prediction
    shifts: list[Shifted]


class Shifted(Answer):
    """What a grind shift does to both: shot time s, extraction points, peak bar, as spreads."""

    name: str
    shot_time_s: float | None
    extraction_yield_pct: float | None
    peak_pressure_bar: float | None


def suggest(plan: Plan, ask: SuggestionAsk) -> Suggested:
    """Work a suggestion out. Raises Refused where the plan cannot run or the phase does not fit."""
    refuse_unrunnable(plan)
    plan = plan.model_copy(update={"members": 1})
    before = predict(plan)
    match ask:
        case FlowForBand():
            found = _flow_for_band(plan, ask)
        case DeclineStart():
            found = _decline_start(plan, before)
        case PreInfusionLength():
            found = _pre_infusion_length(plan, ask.phase)
        case IndexByWater():
            found = _index_by_water(plan, before)
    words, reached, profile = found
    profile = to_machine_steps(profile, plan.setup.machine)
    changed = profile != plan.profile
    after = predict(_with(plan, profile)) if changed else before
    shifts = (
        [_shift("counted in time", plan), _shift("counted in water", _with(plan, profile))]
        if isinstance(ask, IndexByWater) and changed
        else []
    )
    return Suggested(
        words=words, reached=reached, changed=changed, profile=profile, before=before, after=after,
        shifts=shifts,
    )  # fmt: skip


SuggestedProfile = tuple[str, bool, Profile]


def _with(plan: Plan, profile: Profile) -> Plan:
    return plan.model_copy(update={"profile": profile})


def _replaced(profile: Profile, index: int, phase: Phase) -> Profile:
    phases = (*profile.phases[:index], phase, *profile.phases[index + 1 :])
    return profile.model_copy(update={"phases": phases})


def _phase_at(plan: Plan, index: int, control: str) -> Phase:
    phases = plan.profile.phases
    if not 0 <= index < len(phases):
        raise Refused([Problem("phase", str(index), f"a phase from 0 to {len(phases) - 1}")])
    phase = phases[index]
    if control and phase.command.control != control:
        raise Refused([Problem("phase", phase.command.control, f"a phase that commands {control}")])
    return phase


def _flow_for_band(plan: Plan, ask: FlowForBand) -> SuggestedProfile:
    phase = _phase_at(plan, ask.phase, "flow")
    if ask.low_bar >= ask.high_bar:
        raise Refused(
            [Problem("low_bar", f"{ask.low_bar:g}", f"less than {ask.high_bar:g}, the band's top")]
        )
    command = phase.command
    assert isinstance(command, FlowCommand)
    held = phase.over == 0 or command.from_ == command.to
    # A limit inside the band would hide what the flow does.
    bare = phase.model_copy(update={"limit": phase.limit.model_copy(update={"pressure_bar": None})})

    def at(flow: float, base: Phase) -> Profile:
        moved = command.model_copy(update={"from_": flow, "to": flow} if held else {"to": flow})
        return _replaced(plan.profile, ask.phase, base.model_copy(update={"command": moved}))

    def peak(flow: float) -> float:
        return _peak_in(predict(_with(plan, at(flow, bare))), ask.phase)

    machine = plan.setup.machine
    middle, low, high = (ask.low_bar + ask.high_bar) / 2, 0.3, machine.top_flow_ml_s
    for _ in range(3):  # the peak rises with the flow: each scan is a tenth of the one before
        flows = [low + (high - low) * i / 10 for i in range(11)]
        peaks = side_by_side(peak, flows)
        best = min(range(11), key=lambda i: abs(peaks[i] - middle))
        low, high = flows[max(0, best - 1)], flows[min(10, best + 1)]
    step = machine.steps.flow_ml_s
    flow = max(step, to_step(flows[best], step, machine.top_flow_ml_s))
    profile = at(flow, phase)
    reached_bar = _peak_in(predict(_with(plan, profile)), ask.phase)
    reached = ask.low_bar <= reached_bar <= ask.high_bar
    words = f"{flow:g} mL/s in {phase.name.lower()} brings its pressure to {reached_bar:.1f} bar"
    if not reached:
        words += f"; no flow lands between {ask.low_bar:g} and {ask.high_bar:g} in this puck"
    return words, reached, profile


def _peak_in(shot: Prediction, phase: int) -> float:
    series = shot.series
    pairs = zip(series.pressure_bar, series.phase, strict=True)
    return max((bar for bar, at in pairs if at == phase), default=0.0)


def _decline_start(plan: Plan, before: Prediction) -> SuggestedProfile:
    """The latest start of the decline after which the cup's flow stays within bounds."""
    profile = plan.profile
    at = _last_press(profile)
    hold, start = profile.phases[at], before.phases[at].start_s
    if start is None or before.shot_time_s.value is None:
        raise Refused([Problem("phase", hold.name, "a shot that comes to its press")])
    bound = RUNAWAY * _flow_when_full(before)
    room = before.shot_time_s.value - start
    step = max(plan.setup.machine.steps.seconds, 0.5)
    lasts = sorted(
        {max(step, to_step(room * i / DECLINE_STARTS, step)) for i in range(DECLINE_STARTS)}
    )
    tried = [_declining(profile, at, seconds) for seconds in lasts]
    shots = side_by_side(lambda one: predict(_with(plan, one)), tried)
    peaks = [_peak_flow_after(shot, at + 1) for shot in shots]
    good = [i for i, peak in enumerate(peaks) if peak <= bound]
    late = before.late_flow_ml_s.value
    if late is not None and (late <= bound or _levels_off(before)):
        within = f"within {bound:.1f}" if late <= bound else "and rises no more"
        words = (
            f"The flow ends at {late:.1f} mL/s, {within}: it does not run away, so it need not "
            "fall sooner"
        )
        return words, True, profile
    best = good[-1] if good else min(range(len(peaks)), key=lambda i: peaks[i])
    words = (
        f"Let it fall {lasts[best]:g} s into {hold.name.lower()}: the cup's flow then stays under "
        f"{max(peaks[best], bound):.1f} mL/s, where it would have ended at "
        f"{before.late_flow_ml_s.value or 0:.1f}"
    )
    return words, bool(good), tried[best]


def _last_press(profile: Profile) -> int:
    """The last held pressure, by whose length the decline is timed."""
    held = [
        i
        for i, phase in enumerate(profile.phases)
        if isinstance(phase.command, PressureCommand)
        and phase.kind not in ("fill", "pre-infusion", "bloom")
        and (phase.over == 0 or phase.command.from_ == phase.command.to)
    ]
    if not held:
        raise Refused([Problem("phases", "none", "a phase that holds a pressure, to fall from")])
    return held[-1]


def _declining(profile: Profile, at: int, seconds: float) -> Profile:
    """The hold cut to some seconds; the decline after it is the profile's own or a plain one."""
    hold = profile.phases[at]
    others: list[Exit] = [rule for rule in hold.exits if rule.when not in ("seconds", "water_ml")]
    cut = hold.model_copy(update={"exits": (*others, SecondsExit(value=seconds))})
    profile = _replaced(profile, at, cut)
    if any(phase.kind == "decline" for phase in profile.phases[at + 1 :]):
        return profile
    assert isinstance(hold.command, PressureCommand)
    level = hold.command.to
    decline = Phase(
        name="Decline",
        kind="decline",
        command=PressureCommand(from_=level, to=round(DECLINE_TO * level, 1)),
        over=DECLINE_OVER_S,
        exits=(SecondsExit(value=60),),
    )
    phases = (*profile.phases[: at + 1], decline, *profile.phases[at + 1 :])
    return profile.model_copy(update={"phases": phases})


def _flow_when_full(shot: Prediction) -> float:
    """Cup flow when water in meets cup out, mL/s, or midway through where they never do."""
    drip, stop = shot.first_drip_s.value or 0.0, shot.shot_time_s.value or 0.0
    at = shot.meet_s.value if shot.meet_s.value is not None else (drip + stop) / 2
    series = shot.series
    return next(flow for t, flow in zip(series.time_s, series.cup_out_ml_s, strict=True) if t >= at)


def _levels_off(shot: Prediction) -> bool:
    """Whether the cup's flow hardly rises over the last third of the pour."""
    drip, stop = shot.first_drip_s.value or 0.0, shot.shot_time_s.value or 0.0
    at = drip + 2 / 3 * (stop - drip)
    series = shot.series
    then = float(np.interp(at, series.time_s, series.cup_out_ml_s))
    return (shot.late_flow_ml_s.value or 0.0) <= LEVEL * then


def _peak_flow_after(shot: Prediction, phase: int) -> float:
    series, stop = shot.series, shot.shot_time_s.value or 0.0
    flows = [
        flow
        for t, flow, at in zip(series.time_s, series.cup_out_ml_s, series.phase, strict=True)
        if at >= phase and t <= stop
    ]
    return max(flows, default=math.inf)


def _pre_infusion_length(plan: Plan, index: int) -> SuggestedProfile:
    """As long as the water needs to fill the head and the puck, at this phase's own command."""
    phase = _phase_at(plan, index, "")
    if phase.command.control == "off":
        raise Refused([Problem("phase", phase.name, "a phase that lets water in")])
    guard = SecondsExit(value=120)
    open_ended = phase.model_copy(update={"exits": (CupExit(value=THROUGH_G), guard)})
    shot = predict(_with(plan, _replaced(plan.profile, index, open_ended)))
    run = shot.phases[index]
    if run.start_s is None or run.end_s is None:
        raise Refused([Problem("phase", phase.name, "a phase the shot comes to")])
    length = run.end_s - run.start_s
    if run.ended_on != "cup_g":
        words = f"At this command the water does not get through the puck in {length:.0f} s"
        return words, False, plan.profile
    seconds = max(0.5, to_step(length, max(0.5, plan.setup.machine.steps.seconds)))
    water = _water_at(shot, run.end_s)
    kept = [rule for rule in phase.exits if rule.when not in ("seconds", "water_ml")]
    fitted = phase.model_copy(update={"exits": (*kept, SecondsExit(value=seconds))})
    head = plan.setup.machine.head_free_ml
    sooner = _leaves_sooner(plan, index, seconds)
    words = (
        f"{seconds:g} s: {millilitres(water, 0)}, of which {millilitres(head)} fill the head, wet "
        f"the puck right through and put {grams(THROUGH_G)} in the cup"
        f"{sooner}"
    )
    return words, True, _replaced(plan.profile, index, fitted)


def _leaves_sooner(plan: Plan, index: int, seconds: float) -> str:
    """What to add where another exit of the phase comes before that length is up."""
    run = predict(plan).phases[index]
    if run.start_s is None or run.end_s is None or run.ended_on in (None, "seconds"):
        return ""
    lasts = run.end_s - run.start_s
    return f"; its other exit comes first, after {lasts:.1f} s" if lasts < seconds - 0.2 else ""


def _water_at(shot: Prediction, t: float) -> float:
    series = shot.series
    return next(
        (water for at, water in zip(series.time_s, series.water_ml, strict=True) if at >= t),
        series.water_ml[-1],
    )


def _index_by_water(plan: Plan, shot: Prediction) -> SuggestedProfile:
    """Lengths and times turned to the water they come to in the nominal shot."""
    phases = []
    for index, phase in enumerate(plan.profile.phases):
        run = shot.phases[index]
        if run.start_s is None or run.end_s is None or phase.command.control in ("off", "spring"):
            phases.append(phase)
            continue
        phases.append(_by_water(phase, run.start_s, run.end_s, shot))
    profile = plan.profile.model_copy(update={"phases": tuple(phases)})
    words = (
        "Counted along water, a finer grind only takes longer: the same water meets the same "
        "pressure. Below, what a grind change does to each"
    )
    return words, True, profile


def _by_water(phase: Phase, start: float, end: float, shot: Prediction) -> Phase:
    began = _water_at(shot, start)

    def water_after(seconds: float) -> float:
        return round(max(1.0, _beyond(shot, start + seconds, end) - began), 0)

    changes: dict[str, object] = {}
    if phase.along == "time" and phase.over > 0:
        changes |= {"along": "water", "over": water_after(phase.over)}
    exits: list[Exit] = []
    flows = (
        phase.command.control not in ("force",)
        and min(getattr(phase.command, "from_", 0.0), getattr(phase.command, "to", 0.0)) > 0
    )
    for rule in phase.exits:
        if isinstance(rule, SecondsExit) and flows and not _is_guard(rule, start, end):
            exits.append(WaterExit(value=water_after(rule.value)))
        else:
            exits.append(rule)
    return phase.model_copy(update=changes | {"exits": tuple(exits)})


def _is_guard(rule: SecondsExit, start: float, end: float) -> bool:
    """Whether an exit in seconds is only there for safety: the phase ended well before it."""
    return rule.value > 1.05 * (end - start) + 0.2


def _beyond(shot: Prediction, t: float, end: float) -> float:
    """Water by a time, going on at the last flow where the phase was over before it."""
    if t <= end:
        return _water_at(shot, t)
    series = shot.series
    at = next((i for i, s in enumerate(series.time_s) if s >= end), len(series.time_s) - 1)
    return series.water_ml[at] + (t - end) * series.water_in_ml_s[max(0, at - 2)]


def _shift(name: str, plan: Plan) -> Shifted:
    """How far a shot's figures differ, ground a step finer and a step coarser."""
    finer, coarser = side_by_side(predict, [_reground(plan, -SHIFT_UM), _reground(plan, +SHIFT_UM)])

    def spread(figure: Callable[[Prediction], float | None]) -> float | None:
        a, b = figure(finer), figure(coarser)
        return None if a is None or b is None else round(abs(a - b), 2)

    return Shifted(
        name=name,
        shot_time_s=spread(lambda shot: shot.shot_time_s.value),
        extraction_yield_pct=spread(lambda shot: shot.extraction_yield_pct.value),
        peak_pressure_bar=spread(lambda shot: shot.peak_pressure_bar.value),
    )


def _reground(plan: Plan, by_um: float) -> Plan:
    size = plan.setup.grind_um + by_um
    return plan.model_copy(update={"setup": plan.setup.model_copy(update={"grind_um": size})})
