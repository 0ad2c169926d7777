"""The puck as it shows itself in the first seconds, and what would bring the shot back."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import scipy  # its parts are imported where they are first used

from vapocline.core.base.amounts import grams
from vapocline.core.base.arrays import Floats
from vapocline.core.base.document import Answer
from vapocline.core.base.problems import OrderError
from vapocline.core.base.rounding import to_step
from vapocline.core.profile.differences import UNITS
from vapocline.core.puck import columns
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.parameters import Parameters, parameters_for
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.ranges import MEMBER_CELLS, MEMBER_STEP_S
from vapocline.core.pull.simulation import TICK_S, ShotSimulation
from vapocline.core.pull.steering import in_force, nudge_of
from vapocline.core.shot.events import Event, Held, Nudged, PhaseBegan, Released, corrections_in
from vapocline.core.shot.traces import Sample

# What one can tell on each gauge: residuals are counted in these.
TELL_BAR, TELL_ML_S, TELL_G = 0.4, 0.3, 1.0
PRIOR = 0.20  # standard deviation of ln-permeability before anything is seen
WIDEST = 0.9
MOST_NUDGES = 6
WORTH_A_WORD_S = 3.0
WORTH_IT = 0.75  # a way back must leave less than this of the trouble


class Recovery(Answer):
    """What to do. `nudge` is the change of the variable in force; None where none would help."""

    words: str
    nudge: float | None
    control: str | None
    runs_as_um: float
    shot_time_s: float | None
    shot_time_otherwise_s: float | None


class Outcome(NamedTuple):
    """A shot as it would end; time, pressure and weight sample by sample."""

    shot_time_s: float
    pressure: Floats
    stopped: bool
    cup_g: Floats


def identify(plan: Plan, events: Sequence[Event], samples: Sequence[Sample]) -> Parameters:
    """The plan's parameters with the permeability that explains the samples best.

    Maximum a posteriori over one number, ln-permeability, with a normal prior; pressure, flow and
    weight each counted in what one can tell on its gauge, where there is one. Where none tells
    anything the plan's parameters are returned.
    """
    nominal = parameters_for(plan.setup)
    seen = samples[::5]
    t = np.array([sample.time_s for sample in seen])
    pressure = np.array([sample.pressure_bar for sample in seen])
    flow = np.array([sample.water_in_ml_s for sample in seen])
    cup = np.array([sample.cup_g for sample in seen])

    def misfit(log_k: float) -> float:
        rows = _replayed(plan, events, _with(nominal, log_k), until_s=float(t[-1]))
        at = np.clip(np.round(t / TICK_S).astype(int), 0, len(rows) - 1)
        distance = [
            (pressure - rows[at, columns.S_P]) / TELL_BAR,
            (flow - rows[at, columns.S_Q_IN]) / TELL_ML_S,
            (cup - rows[at, columns.S_CUP]) / TELL_G,
        ]
        # Neighbouring samples say much the same: a second of them counts as one.
        seconds = max(1.0, float(t[-1]))
        known = [part[~np.isnan(part)] for part in distance]
        told = sum(float(np.mean(part**2)) for part in known if part.size)
        return told * seconds + (log_k / PRIOR) ** 2

    found = scipy.optimize.minimize_scalar(
        misfit, bounds=(-WIDEST, WIDEST), method="bounded", options={"xatol": 0.01}
    )
    return _with(nominal, float(found.x))


def find_recovery(
    plan: Plan, forecast: Prediction, events: Sequence[Event], samples: Sequence[Sample]
) -> Recovery | None:
    """What would bring a shot back towards its plan, or None where it will come right by itself."""
    puck = identify(plan, events, samples)
    ratio = puck.permeability / parameters_for(plan.setup).permeability
    runs_as = plan.setup.grind_um * math.sqrt(ratio)
    now = samples[-1]
    wanted = Outcome(
        forecast.shot_time_s.value or plan.profile.stop.time_s,
        _evenly(forecast),
        True,
        np.zeros(0),
    )
    as_it_is = _outcome(plan, events, puck, now.time_s, 0.0)
    phase = plan.profile.phases[min(now.phase, len(plan.profile.phases) - 1)]
    control = in_force(plan.setup.machine, phase)
    like = _like(runs_as - plan.setup.grind_um)
    if control is None:
        words = f"{like}: it should end at {_time(as_it_is)}. There is nothing to adjust here"
        return _said(words, None, None, runs_as, (as_it_is, as_it_is))
    step = nudge_of(control, plan.setup.machine)
    tried = {
        count: _outcome(plan, events, puck, now.time_s, count * step)
        for count in range(-MOST_NUDGES, MOST_NUDGES + 1)
    }
    cost = {count: _cost(tried[count], wanted, abs(count)) for count in tried}
    best = min(cost, key=lambda count: cost[count])
    if best == 0 or cost[best] > WORTH_IT * cost[0]:
        return _no_way_back(like, runs_as, as_it_is, wanted)
    by = to_step(best * step, step)
    verb = "Raise" if by > 0 else "Lower"
    words = (
        f"{like}. {verb} {control} by {abs(by):g} {UNITS[control]}: "
        f"{_time(tried[best])} rather than {_time(as_it_is)}, planned {wanted.shot_time_s:.0f} s"
    )
    return _said(words, by, control, runs_as, (tried[best], as_it_is))


def _no_way_back(
    like: str, runs_as_um: float, as_it_is: Outcome, wanted: Outcome
) -> Recovery | None:
    """Where steering does not help but the shot will be far off: what stopping on time gives."""
    late = as_it_is.shot_time_s - wanted.shot_time_s
    if abs(late) < WORTH_A_WORD_S:
        return None
    words = f"{like}: {_time(as_it_is)}, planned {wanted.shot_time_s:.0f} s. No nudge fixes that"
    at = round(wanted.shot_time_s / (2 * TICK_S))
    if 0 < at < as_it_is.cup_g.size and late > 0:
        words += f"; stopped on time the cup holds {grams(as_it_is.cup_g[at], 0)}"
    return _said(words, None, None, runs_as_um, (as_it_is, as_it_is))


def _said(
    words: str,
    nudge: float | None,
    control: str | None,
    runs_as_um: float,
    ends: tuple[Outcome, Outcome],
) -> Recovery:
    then, otherwise = ends
    return Recovery(
        words=words,
        nudge=nudge,
        control=control,
        runs_as_um=round(runs_as_um, 1),
        shot_time_s=round(then.shot_time_s, 1),
        shot_time_otherwise_s=round(otherwise.shot_time_s, 1),
    )


def _like(off_um: float) -> str:
    if abs(off_um) < 2:
        return "The puck runs as planned"
    return f"The puck runs like {abs(off_um):.0f} µm {'coarser' if off_um > 0 else 'finer'}"


def _time(outcome: Outcome) -> str:
    return f"{outcome.shot_time_s:.0f} s" if outcome.stopped else "no end in sight"


def _cost(outcome: Outcome, wanted: Outcome, nudges: int) -> float:
    """How far a shot ends from its plan: time in 2 s, pressure in what one can tell; calm hands."""
    length = min(outcome.pressure.size, wanted.pressure.size)
    distance = outcome.pressure[:length] - wanted.pressure[:length]
    late = (outcome.shot_time_s - wanted.shot_time_s) / 2.0
    return late**2 + float(np.mean((distance / 0.7) ** 2)) + 0.02 * nudges


def _evenly(forecast: Prediction) -> Floats:
    series = forecast.series
    t = np.arange(0.0, series.time_s[-1], 2 * TICK_S)
    pressure: Floats = np.interp(t, series.time_s, series.pressure_bar)
    return pressure


def _with(nominal: Parameters, log_k: float) -> Parameters:
    return nominal._replace(permeability=nominal.permeability * math.exp(log_k))


def _replayed(plan: Plan, events: Sequence[Event], puck: Parameters, *, until_s: float) -> Floats:
    simulation = _simulation(plan, puck)
    _replay(simulation, events, until_s)
    return simulation.samples[: simulation.sampled]


def _outcome(
    plan: Plan, events: Sequence[Event], puck: Parameters, now_s: float, nudge: float
) -> Outcome:
    """The shot to its end, with one more nudge from now on."""
    simulation = _simulation(plan, puck)
    _replay(simulation, events, now_s)
    if nudge and not simulation.stopped:
        try:
            simulation.nudge(nudge)
        except OrderError:  # out of what the machine takes: no way back
            return Outcome(math.inf, np.zeros(1), False, np.zeros(1))
    simulation.advance_to(math.inf)
    stop = float(simulation.state.now[columns.STOP_T])
    rows = simulation.samples[: simulation.sampled : 2]
    return Outcome(
        stop if not math.isnan(stop) else simulation.time_s,
        rows[:, columns.S_P].copy(),
        not math.isnan(stop) and stop < plan.profile.stop.time_s - 1e-6,
        rows[:, columns.S_CUP].copy(),
    )


def _simulation(plan: Plan, puck: Parameters) -> ShotSimulation:
    return ShotSimulation(
        plan.profile, plan.setup.machine, puck, cells=MEMBER_CELLS, step_s=MEMBER_STEP_S
    )


def _replay(simulation: ShotSimulation, events: Sequence[Event], until_s: float) -> None:
    """Advance to a time, doing at each moment what was done."""
    for event in sorted(corrections_in(events), key=lambda one: one.time_s):
        if event.time_s >= until_s:
            break
        simulation.advance_to(event.time_s)
        if simulation.stopped:
            return
        _do(simulation, event)
    simulation.advance_to(until_s)


def _do(simulation: ShotSimulation, event: Event) -> None:
    """Do once more what a hand did."""
    match event:
        case Nudged(by=by):
            simulation.nudge(by)
        case PhaseBegan(after="skip"):
            simulation.skip()
        case PhaseBegan(after="hand"):
            simulation.signal()
        case Held() | Released():
            simulation.hold(isinstance(event, Held))
        case _:
            pass
