"""Recordings with the truth known: simulated shots on pucks that are not what the plan takes them
for, with faults planted, told by gauges that lag and are noisy."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from functools import cache
from typing import Any, NamedTuple

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.machine.machine import Machine
from vapocline.core.plan.styles.catalogue import STYLES
from vapocline.core.plan.styles.fit import fit, style_named
from vapocline.core.puck import columns, kernel
from vapocline.core.puck.parameters import Parameters, parameters_for, record_of
from vapocline.core.puck.plan import Plan, Setup
from vapocline.core.puck.predict import CELLS
from vapocline.core.puck.priors import members_of
from vapocline.core.puck.program import Program, program_of
from vapocline.core.shot.traces import Traces, cup_flow_ml_s
from vapocline.devices.simulators.truth import PULL, TOGETHER, factors, moved

SLUICE = Machine(name="Sluice", relief_bar=10, top_flow_ml_s=8.5)
KEYS = tuple(style.key for style in STYLES)
PIECE_S = 0.05


class Gauges(NamedTuple):
    """How a machine's gauges tell: noise, a lag, samples a second, the scale's step."""

    bar: float
    ml_s: float
    g: float
    hz: float
    lag_s: float


GOOD = Gauges(0.04, 0.05, 0.03, 20, 0.2)
POOR = Gauges(0.15, 0.2, 0.3, 4, 0.5)


@dataclass(frozen=True)
class Fault:
    """What is planted. Times in s from pump on; sizes of ln-permeability unless a unit is named.

    `opens` at `at_s` at once; `wears` from there on, so
    much in `over_s`; `resists` until `at_s`. `lifts_bar`
    above the command for 1.5 s from `at_s`. `truth` are factors on the puck and machine.
    """

    at_s: float = math.inf
    opens: float = 0.0
    wears: float = 0.0
    over_s: float = 10.0
    resists: float = 0.0
    lifts: float = 0.0
    meter: float = 1.0
    truth: dict[str, float] = field(default_factory=dict)
    unevenness: float | None = None
    longer_s: float = 0.0  # the phase before the press
    gap_s: float = 0.0
    knock_g: float = 0.0


SOUND = Fault()


class Recording(NamedTuple):
    """A recording with its plan, when its pump stopped, and its drink's true strength."""

    plan: Plan
    traces: Traces
    stop_s: float
    drip_s: float
    tds_pct: float


@cache
def styled(key: str, rest_days: float = 12) -> Plan:
    """A style fitted for a usual coffee at some days of rest."""
    setup = Setup(dose_g=18, machine=SLUICE, rest_days=rest_days)
    made = fit(style_named(key), setup, 36)
    return Plan(members=1, setup=made.setup, profile=made.profile)


def recording(
    plan: Plan,
    seed: int,
    fault: Fault = SOUND,
    gauges: Gauges = GOOD,
    *,
    pair: int | None = None,
    as_priors_say: bool = False,
) -> Recording:
    """Pull a plan once on a puck of its own, as pulls of a known coffee vary.

    `pair` numbers a strange coffee and grinder, whose constants lie wide of what is assumed.
    `as_priors_say`: the puck lies anywhere that the forecast's own priors leave open.
    """
    dice = np.random.default_rng(seed)
    if as_priors_say:
        truth = members_of(parameters_for(plan.setup), 1, seed)[0]
    else:
        truth = _of_known_coffee(plan, dice)
    if pair is not None:
        truth = moved(truth, factors(TOGETHER, np.random.default_rng([pair, 77])))
    truth = moved(truth._replace(unevenness=fault.unevenness or truth.unevenness), fault.truth)
    program = program_of(_longer(plan, fault).profile, plan.setup.machine)
    state, samples = _pull(truth, program, fault)
    return _told(plan, state, samples, fault, gauges, dice)


def _of_known_coffee(plan: Plan, dice: np.random.Generator) -> Parameters:
    truth = moved(parameters_for(plan.setup), factors(PULL, dice))
    ground, even = (math.exp(sd * dice.normal()) for sd in (0.015, 0.25))
    return moved(truth, {"permeability": ground**2, "unevenness": even})


def _longer(plan: Plan, fault: Fault) -> Plan:
    if not fault.longer_s:
        return plan
    phases = list(plan.profile.phases)
    last = next(i for i, p in enumerate(phases) if p.kind in ("ramp", "hold", "decline", "finish"))
    held: Any = phases[last - 1]
    exits = ({"when": "seconds", "value": held_s(plan, last - 1) + fault.longer_s},)
    phases[last - 1] = type(held).model_validate(held.written() | {"exits": exits})
    return plan.model_copy(
        update={"profile": plan.profile.model_copy(update={"phases": tuple(phases)})}
    )


def held_s(plan: Plan, index: int) -> float:
    """How long a phase lasts on the nominal puck."""
    program = program_of(plan.profile, plan.setup.machine)
    state, _samples = _pull(parameters_for(plan.setup), program, SOUND)
    return float(state.log[index, 1] - state.log[index, 0])


def _pull(truth: Parameters, program: Program, fault: Fault) -> tuple[columns.State, Any]:
    rows = int((program.stop_time_s + columns.TAIL_S) / PIECE_S) + 2
    state = columns.fresh_state(truth, program.control.size, CELLS)
    samples = np.zeros((rows, columns.SAMPLE_COLUMNS))
    now, over = 0.0, False
    steady = record_of(truth)
    changes = bool(fault.opens or fault.wears or fault.resists)
    while not over:
        p = record_of(_at(truth, fault, now)) if changes else steady
        lifted = fault.lifts and fault.at_s <= now < fault.at_s + 1.5
        over = kernel.advance(
            state, _lifted(program, fault.lifts) if lifted else program, p, samples,
            now + 0.2, 0.05, PIECE_S,
        )  # fmt: skip
        now += 0.2
    samples = samples[: int(state.now[columns.SAMPLES])]
    if fault.lifts:
        inside = (samples[:, 0] >= fault.at_s) & (samples[:, 0] < fault.at_s + 1.5)
        samples[inside, columns.S_TARGET] -= fault.lifts
    return state, samples


def _lifted(program: Program, by: float) -> Program:
    return program._replace(start=program.start + by, end=program.end + by)


def _at(truth: Parameters, fault: Fault, time_s: float) -> Parameters:
    more = 0.0
    if fault.opens:
        more += fault.opens * min(1.0, max(0.0, (time_s - fault.at_s) / 0.4))
    if fault.wears:
        more += fault.wears * max(0.0, (time_s - fault.at_s) / fault.over_s)
    if fault.resists:
        more -= fault.resists * min(1.0, max(0.0, (fault.at_s - time_s) / 5.0))
    return truth._replace(permeability=truth.permeability * math.exp(more))


def _told(
    plan: Plan, state: columns.State, samples: Any, fault: Fault, gauges: Gauges, dice: Any
) -> Recording:
    time_s = samples[:, columns.S_TIME]
    at = np.arange(0.0, time_s[-1], 1 / gauges.hz)
    stop = float(state.now[columns.STOP_T])

    def through(column: int, noise: float, lag_s: float) -> Any:
        return seen_by_gauge(samples, column, lag_s, at) + noise * dice.normal(size=at.size)

    cup = np.round(through(columns.S_CUP, gauges.g, gauges.lag_s + 0.2) / 0.1) * 0.1
    water = through(columns.S_Q_IN, gauges.ml_s, gauges.lag_s) * fault.meter
    last = np.clip(np.searchsorted(time_s, at + 1e-9, side="right") - 1, 0, time_s.size - 1)
    if fault.knock_g:
        cup = cup + np.where(at > fault.at_s, fault.knock_g, 0.0)
    traces = Traces(
        time_s=at,
        pressure_bar=through(columns.S_P, gauges.bar, gauges.lag_s),
        water_in_ml_s=water,
        cup_out_ml_s=cup_flow_ml_s(at, cup),
        cup_g=cup,
        group_c=np.full(at.size, plan.setup.water_c) + 0.1 * dice.normal(size=at.size),
        commanded=samples[last, columns.S_TARGET],
        phase=np.minimum(samples[last, columns.S_PHASE], len(plan.profile.phases) - 1),
        by_hand=np.full(at.size, math.nan),
    )
    if fault.gap_s:
        kept = (at < fault.at_s) | (at >= fault.at_s + fault.gap_s)
        traces = Traces(**{name: getattr(traces, name)[kept] for name in vars(traces)})
    solids = float(state.now[columns.CUP_0 : columns.CUP_2 + 1].sum())
    cup_g = float(state.now[columns.CUP_WATER]) + solids
    tds = 100 * solids / cup_g if cup_g else 0.0
    return Recording(plan, traces, stop, float(state.now[columns.FIRST_DRIP]), tds)


def seen_by_gauge(samples: Floats, column: int, lag_s: float, at: Floats) -> Floats:
    """A channel of samples PIECE_S apart through a gauge's first-order lag, at some times."""
    follows, now, out = 1 - math.exp(-PIECE_S / lag_s), 0.0, []
    for value in samples[:, column].tolist():
        now += (value - now) * follows
        out.append(now)
    return np.interp(at, samples[:, columns.S_TIME], out)


def without(traces: Traces, *channels: str) -> Traces:
    """The same recording on a machine that does not measure some channels."""
    blank = {name: 0.0 if name == "phase" else math.nan for name in channels}
    return replace(traces, **{name: np.full(traces.time_s.size, of) for name, of in blank.items()})
