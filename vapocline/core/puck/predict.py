"""Predict a shot: from a plan to figures, phases, active limits, and curves with their ranges."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any, Literal, NamedTuple

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.base.cancellation import check_cancelled
from vapocline.core.puck import columns, kernel
from vapocline.core.puck.answer import Binding, Classes, Figure, PhaseRun, Prediction, Series
from vapocline.core.puck.assumptions import assumed
from vapocline.core.puck.binding import bindings_of
from vapocline.core.puck.check import refuse_unrunnable
from vapocline.core.puck.figures import Figures, figures_of
from vapocline.core.puck.parameters import Parameters, parameters_for, record_of
from vapocline.core.puck.plan import Plan, Setup
from vapocline.core.puck.program import CONTROLS, Program, ended_on, program_of
from vapocline.core.puck.ranges import TRACES, DrawnShot, Ranges, ranges_of

# Chosen together: halving the step and four times the cells move extraction by < 0.15 points.
CELLS = 24
STEP_S = 0.05
DIGITS = {"unevenness": 3, "bright": 3, "sweet": 3, "bitter": 3, "first_drip_s": 3}


def predict(plan: Plan, shots: Sequence[DrawnShot] | None = None) -> Prediction:
    """Run the nominal puck through the plan, and with members the ensemble around it: `shots` where
    they differ in more than what is not known of the plan's puck.

    Raises Refused, naming every field, where the plan cannot run. One member gives no ranges: they
    equal the value.
    """
    refuse_unrunnable(plan)
    parameters = parameters_for(plan.setup)
    program = program_of(plan.profile, plan.setup.machine)
    state, samples = run(parameters, program)
    figures = figures_of(plan.profile, parameters, state, samples)
    if plan.members == 1:
        return _answer(plan, state, figures, None, _series(plan, program, samples, None))
    ranges = ranges_of(plan, parameters, program, figures, samples, shots=shots)
    return _answer(plan, state, figures, ranges, _series(plan, program, samples, ranges))


def run(
    parameters: Parameters, program: Program, *, cells: int = CELLS, step_s: float = STEP_S
) -> tuple[columns.State, Floats]:
    """A whole shot: the final state, and samples of shape (rows, columns.SAMPLE_COLUMNS).

    Raises Cancelled.
    """
    check_cancelled()
    sample_s = sample_interval_s(program.stop_time_s)
    rows = int((program.stop_time_s + columns.TAIL_S) / sample_s) + 2
    state = columns.fresh_state(parameters, program.control.size, cells)
    samples = np.zeros((rows, columns.SAMPLE_COLUMNS))
    numbers = record_of(parameters)
    kernel.advance(state, program, numbers, samples, np.inf, step_s, sample_s)
    return state, samples[: int(state.now[columns.SAMPLES])]


def gas_at_ml_g(plan: Plan, time_s: float) -> float:
    """Gas left in the wetted grains at a moment of the shot, mL/g of coffee."""
    parameters, program = parameters_for(plan.setup), program_of(plan.profile, plan.setup.machine)
    state = columns.fresh_state(parameters, program.control.size, CELLS)
    samples = np.zeros((int(time_s) + 2, columns.SAMPLE_COLUMNS))
    kernel.advance(state, program, record_of(parameters), samples, time_s, STEP_S, 1.0)
    return float(columns.LANE_WEIGHTS @ state.lanes[:, columns.MEAN_GAS])


def sample_interval_s(longest_s: float) -> float:
    """Time between samples: a tenth of a second, wider where a shot may be very long."""
    return 0.1 if longest_s <= 120 else 0.2


def _answer(
    plan: Plan, state: columns.State, figures: Figures, ranges: Ranges | None, drawn: Drawn
) -> Prediction:
    said: dict[str, Any] = {
        name: _figure(name, value, ranges) for name, value in figures._asdict().items()
    }
    preamble = plan.setup.machine.preamble
    classes = Classes(**{name: said.pop(name) for name in ("bright", "sweet", "bitter")})
    return Prediction.model_construct(
        members=plan.members,
        ranges=_kind_of_ranges(plan.setup),
        learnt_shots=0 if plan.setup.knowledge is None else plan.setup.knowledge.shots,
        assumed=assumed(plan.setup),
        preamble_s=0.0 if preamble is None else preamble.lasts_s,
        preamble=None if preamble is None else preamble.words,
        classes=classes,
        phases=_phases(state),
        stopped_on=ended_on(int(state.now[columns.STOP_CODE])),
        binding=drawn.binding,
        series=drawn.series,
        **said,
    )


def _kind_of_ranges(setup: Setup) -> Literal["known", "new", "learnt"]:
    if setup.knowledge is not None:
        return "learnt"
    return "known" if setup.dialled_in else "new"


def _figure(name: str, value: float, ranges: Ranges | None) -> Figure:
    digits = DIGITS.get(name, 2)
    low, middle, high = (value,) * 3 if ranges is None else ranges.figures[name]
    return Figure.model_construct(
        value=_rounded(value, digits),
        p10=_rounded(low, digits),
        p50=_rounded(middle, digits),
        p90=_rounded(high, digits),
    )


def _rounded(value: float, digits: int) -> float | None:
    return None if math.isnan(value) else round(float(value), digits)


def _phases(state: columns.State) -> list[PhaseRun]:
    return [
        PhaseRun(
            start_s=_rounded(start, 3),
            end_s=_rounded(end, 3),
            ended_on=None if np.isnan(code) else ended_on(int(code)),
        )
        for start, end, code in state.log
    ]


class Drawn(NamedTuple):
    """What is read off the samples: the curves, and what bound them."""

    series: Series
    binding: list[Binding]


def _series(plan: Plan, program: Program, samples: Floats, ranges: Ranges | None) -> Drawn:
    rounded = np.round(samples, 3)
    phase = samples[:, columns.S_PHASE].astype(int).tolist()
    controls: list[str | None] = [CONTROLS[code] for code in program.control]
    controls.append(None)
    machine = plan.setup.machine
    before = machine.preamble.lasts_s - 1e-6 if machine.preamble else 0.0
    own = int(np.searchsorted(samples[:, columns.S_TIME], before))
    lost = machine.dial_drop * samples[:, columns.S_Q_IN] ** 2
    dial = np.maximum(0.0, samples[:, columns.S_P] + machine.dial_zero_bar + lost)
    traces: dict[str, Any] = {name: rounded[:, at].tolist() for name, at in TRACES.items()}
    for name, values in list(traces.items()):
        for end in ("p10", "p90"):
            edge = values if ranges is None else _with_gaps(ranges.traces[f"{name}_{end}"])
            traces[f"{name}_{end}"] = edge
    series = Series.model_construct(
        time_s=rounded[:, columns.S_TIME].tolist(),
        tds_pct=rounded[:, columns.S_TDS].tolist(),
        puck_c=rounded[:, columns.S_PUCK_C].tolist(),
        water_ml=rounded[:, columns.S_WATER].tolist(),
        dial_bar=np.round(dial, 3).tolist(),
        commanded=_with_gaps(rounded[:, columns.S_TARGET]),
        control=[None] * own + [controls[i] for i in phase[own:]],
        phase=phase,
        **traces,
    )
    return Drawn(series, _bindings(plan, samples, ranges))


def _bindings(plan: Plan, samples: Floats, ranges: Ranges | None) -> list[Binding]:
    found = bindings_of(plan.profile, samples)
    if ranges is None:
        return found
    share = ranges.bound
    return [
        one.model_copy(update={"share": round(share.get((one.what, one.phase), 0.0), 2)})
        for one in found
    ]


def _with_gaps(values: Floats) -> list[float | None]:
    """A list with None for what is not a number."""
    rounded = np.round(values, 3)
    listed: list[float | None] = rounded.tolist()
    for at in np.flatnonzero(np.isnan(rounded)).tolist():
        listed[at] = None
    return listed
