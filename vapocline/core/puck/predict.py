"""Predict a shot: from a plan to figures, phases, what binds, and curves."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from vapocline.core.check import refuse_unrunnable
from vapocline.core.plan import Plan
from vapocline.core.profile import Profile
from vapocline.core.puck import kernel
from vapocline.core.puck.parameters import Parameters, parameters_for
from vapocline.core.puck.program import CONTROLS, Floats, Program, ended_on, program_of

# Chosen together: halving the step and doubling the cells moves extraction by < 0.1 points.
CELLS = 24
STEP_S = 0.1 / 3
MEETS_WITHIN = 0.04  # water in and cup out have met when they differ by less than this share
LEAST_FLOW_ML_S = 0.2  # below this the two flows are not compared
LEAST_BINDING_S = 0.3  # shorter touches of a limit are not worth a word


class Answer(BaseModel):
    """A part of the answer: frozen, by its written names."""

    model_config = ConfigDict(frozen=True, populate_by_name=True)


class Figure(Answer):
    """One predicted number; `value` is the nominal run, None where it never happens."""

    value: float | None
    p10: float | None
    p50: float | None
    p90: float | None


class Classes(Answer):
    """Share of the drink by weight, %, of each solute class."""

    bright: Figure
    sweet: Figure
    bitter: Figure


class PhaseRun(Answer):
    """When a phase ran, s from pump on, and what ended it; None where the shot never came to it."""

    start_s: float | None
    end_s: float | None
    ended_on: str | None


What = Literal["flow limit", "pressure limit", "pump curve", "relief valve", "plumbed feed"]


class Binding(Answer):
    """A limit that held the achieved off the commanded, from when to when, s."""

    what: What
    from_s: float = Field(alias="from")
    to_s: float = Field(alias="to")
    words: str


class Series(Answer):
    """Curves on one clock, one value a sample; `commanded` is None where the pump is off."""

    time_s: list[float]
    pressure_bar: list[float]
    water_in_ml_s: list[float]
    cup_out_ml_s: list[float]
    cup_g: list[float]
    tds_pct: list[float]
    puck_c: list[float]
    commanded: list[float | None]
    control: list[str | None]
    phase: list[int]
    pressure_bar_p10: list[float]
    pressure_bar_p90: list[float]
    water_in_ml_s_p10: list[float]
    water_in_ml_s_p90: list[float]
    cup_out_ml_s_p10: list[float]
    cup_out_ml_s_p90: list[float]
    cup_g_p10: list[float]
    cup_g_p90: list[float]


class Prediction(Answer):
    """The answer to a plan, as `./vapo predict` and the API give it. Units are in the names."""

    format: Literal["vapocline/prediction"] = "vapocline/prediction"
    version: Literal[1] = 1
    shot_time_s: Figure
    first_drip_s: Figure
    cup_g: Figure
    cup_at_stop_g: Figure
    ratio: Figure
    tds_pct: Figure
    ey_pct: Figure
    peak_pressure_bar: Figure
    water_in_ml: Figure
    stays_behind_ml: Figure
    meet_s: Figure
    unevenness: Figure
    classes: Classes
    phases: list[PhaseRun]
    stopped_on: str
    binding: list[Binding]
    series: Series


def predict(plan: Plan) -> Prediction:
    """Run the nominal puck through the plan.

    Raises Refused, naming every field, where the plan cannot run. Ranges equal the value until
    an ensemble is asked of the model.
    """
    refuse_unrunnable(plan)
    parameters = parameters_for(plan.setup)
    program = program_of(plan.profile, plan.setup.machine)
    state, samples = run(parameters, program)
    return _answer(plan, parameters, program, state, samples)


def run(
    parameters: Parameters, program: Program, *, cells: int = CELLS, step_s: float = STEP_S
) -> tuple[kernel.State, Floats]:
    """A whole shot: the final state, and samples of shape (rows, kernel.SAMPLE_COLUMNS)."""
    sample_s = sample_interval_s(program.stop_time_s)
    rows = int((program.stop_time_s + kernel.TAIL_S) / sample_s) + 2
    state = kernel.fresh_state(parameters, program.control.size, cells)
    samples = np.zeros((rows, kernel.SAMPLE_COLUMNS))
    kernel.advance(state, program, parameters, samples, np.inf, step_s, sample_s)
    return state, samples[: int(state.now[kernel.SAMPLES])]


def sample_interval_s(longest_s: float) -> float:
    """Time between samples: a tenth of a second, wider where a shot may be very long."""
    return 0.1 if longest_s <= 120 else 0.2


def _answer(
    plan: Plan, parameters: Parameters, program: Program, state: kernel.State, samples: Floats
) -> Prediction:
    now = state.now
    dose = plan.setup.dose_g
    solids = now[kernel.CUP_0 : kernel.CUP_2 + 1]
    cup = float(now[kernel.CUP_WATER] + solids.sum())
    drank = cup >= kernel.FIRST_DRIP_G
    share = [_figure(100 * part / cup, 3) if drank else _figure(None) for part in solids]
    return Prediction(
        shot_time_s=_figure(now[kernel.STOP_T]),
        first_drip_s=_figure(now[kernel.FIRST_DRIP]),
        cup_g=_figure(cup),
        cup_at_stop_g=_figure(now[kernel.CUP_AT_STOP]),
        ratio=_figure(cup / dose),
        tds_pct=_figure(100 * solids.sum() / cup if drank else None),
        ey_pct=_figure(100 * solids.sum() / dose),
        peak_pressure_bar=_figure(now[kernel.PEAK]),
        water_in_ml=_figure(now[kernel.WATER]),
        stays_behind_ml=_figure(now[kernel.WATER] - now[kernel.CUP_AT_STOP]),
        meet_s=_figure(meeting_s(samples, now[kernel.FIRST_DRIP], now[kernel.STOP_T])),
        unevenness=_figure(_unevenness(state, parameters), 3),
        classes=Classes(bright=share[0], sweet=share[1], bitter=share[2]),
        phases=_phases(state),
        stopped_on=ended_on(int(now[kernel.STOP_CODE])),
        binding=_bindings(plan.profile, samples),
        series=_series(program, samples),
    )


def _figure(value: float | None, digits: int = 2) -> Figure:
    rounded = None if value is None or np.isnan(value) else round(float(value), digits)
    return Figure.model_construct(value=rounded, p10=rounded, p50=rounded, p90=rounded)


def meeting_s(samples: Floats, first_drip_s: float, stop_s: float) -> float | None:
    """When cup out first comes up to water in after the first drip; None where it never does."""
    time = samples[:, kernel.S_TIME]
    water, cup = samples[:, kernel.S_Q_IN], samples[:, kernel.S_Q_CUP]
    met = (time > first_drip_s) & (time < stop_s) & (water > LEAST_FLOW_ML_S)
    met &= cup >= (1 - MEETS_WITHIN) * water
    return float(time[np.argmax(met)]) if met.any() else None


def _unevenness(state: kernel.State, p: Parameters) -> float:
    """Spread of the lanes' extraction: their standard deviation over their mean, weighted."""
    left = state.cells[:, :, kernel.SOLID : kernel.SOLID + kernel.CLASSES].mean(axis=1)
    taken = (1 - left) @ np.array([p.bright_pct, p.sweet_pct, p.bitter_pct])
    mean = float(kernel.LANE_WEIGHTS @ taken)
    if mean <= 0:
        return 0.0
    return float(np.sqrt(kernel.LANE_WEIGHTS @ (taken - mean) ** 2)) / mean


def _phases(state: kernel.State) -> list[PhaseRun]:
    return [
        PhaseRun(
            start_s=None if np.isnan(start) else round(float(start), 3),
            end_s=None if np.isnan(end) else round(float(end), 3),
            ended_on=None if np.isnan(code) else ended_on(int(code)),
        )
        for start, end, code in state.log
    ]


_LIMITS: tuple[tuple[int, What], ...] = (
    (kernel.BINDS_FLOW_LIMIT, "flow limit"),
    (kernel.BINDS_PRESSURE_LIMIT, "pressure limit"),
    (kernel.BINDS_PUMP, "pump curve"),
    (kernel.BINDS_RELIEF, "relief valve"),
    (kernel.BINDS_FLOOR, "plumbed feed"),
)


def _bindings(profile: Profile, samples: Floats) -> list[Binding]:
    """Every limit met for long enough to matter, in order of time."""
    found = []
    flags = samples[:, kernel.S_BINDING].astype(np.int64)
    for bit, what in _LIMITS:
        edges = np.flatnonzero(np.diff(np.concatenate(([0], (flags & bit) > 0, [0])).astype(int)))
        for first, after in zip(edges[::2], edges[1::2], strict=True):
            held = samples[first:after]
            start, end = held[0, kernel.S_TIME], held[-1, kernel.S_TIME]
            if end - start >= LEAST_BINDING_S:
                words = _binding_words(what, profile, held)
                found.append(
                    Binding(what=what, from_s=round(start, 2), to_s=round(end, 2), words=words)
                )
    return sorted(found, key=lambda binding: binding.from_s)


def _binding_words(what: What, profile: Profile, held: Floats) -> str:
    phase = profile.phases[min(int(held[0, kernel.S_PHASE]), len(profile.phases) - 1)]
    control = phase.command.control
    achieved = held[:, kernel.S_P if control == "pressure" else kernel.S_Q_IN]
    under = float(np.nanmax(held[:, kernel.S_TARGET] - achieved)) if control != "valve" else 0.0
    unit = "bar" if control == "pressure" else "mL/s"
    gap = f"up to {under:.1f} {unit} under" if under >= 0.05 else "as commanded"
    match what:
        case "flow limit":
            return f"flow limit {phase.limit.flow_ml_s:g} mL/s holds it {gap}"
        case "pressure limit":
            return f"pressure limit {phase.limit.pressure_bar:g} bar holds it {gap}"
        case "pump curve":
            return f"the pump gives all it can, {gap}"
        case "relief valve":
            return "the relief valve opens"
        case "plumbed feed":
            return "the plumbed feed pushes harder than commanded"


def _series(program: Program, samples: Floats) -> Series:
    rounded = np.round(samples, 3)
    phase = samples[:, kernel.S_PHASE].astype(int)
    controls: list[str | None] = [CONTROLS[code] for code in program.control]
    controls.append(None)
    traces: dict[str, Any] = {
        "pressure_bar": rounded[:, kernel.S_P].tolist(),
        "water_in_ml_s": rounded[:, kernel.S_Q_IN].tolist(),
        "cup_out_ml_s": rounded[:, kernel.S_Q_CUP].tolist(),
        "cup_g": rounded[:, kernel.S_CUP].tolist(),
    }
    for name, values in list(traces.items()):
        traces[f"{name}_p10"] = traces[f"{name}_p90"] = values
    return Series.model_construct(
        time_s=rounded[:, kernel.S_TIME].tolist(),
        tds_pct=rounded[:, kernel.S_TDS].tolist(),
        puck_c=rounded[:, kernel.S_PUCK_C].tolist(),
        commanded=[None if np.isnan(x) else x for x in rounded[:, kernel.S_TARGET].tolist()],
        control=[controls[i] for i in phase],
        phase=phase.tolist(),
        **traces,
    )
