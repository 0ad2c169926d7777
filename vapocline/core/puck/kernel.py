"""The compiled walk through a shot: one fixed step at a time, exits located within the step.

Equations and sources: docs/model.md. Numbers live in `State`, so that a run can be advanced in
pieces, as a machine does.
"""

from __future__ import annotations

import math

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.puck.actuator import DRAIN_BAR, actuate, target_of
from vapocline.core.puck.bed import (
    bed_flow,
    give_off,
    lane_flow,
    pass_water,
    pore_ml,
    resist,
    settle,
)
from vapocline.core.puck.columns import (
    BINDING,
    CLASSES,
    CONDUCTANCE,
    CUP_0,
    CUP_1,
    CUP_2,
    CUP_WATER,
    DRIVE,
    DUMPED,
    FEED_C,
    FIRST_DRIP,
    HEAD,
    HOLD,
    LANE_UPTAKE,
    LANES,
    MEAN_GAS,
    P_SEEN,
    PEAK,
    PHASE,
    PHASE_CUP,
    PHASE_TIME,
    PHASE_WATER,
    PORE,
    Q_CUP,
    Q_IN,
    Q_LEAST,
    Q_SEEN,
    REFERENCE_BAR,
    S_BINDING,
    S_CUP,
    S_P,
    S_PHASE,
    S_PUCK_C,
    S_Q_CUP,
    S_Q_IN,
    S_TARGET,
    S_TDS,
    S_TIME,
    S_WATER,
    SAMPLES,
    SCALE,
    SPOUT_WATER,
    STOP_CODE,
    STOP_T,
    TAIL_S,
    TEMPERATURE,
    TIME,
    WATER,
    WETTING_PRESSURE,
    P,
    State,
    borrowed,
    compiled,
    inlined,
)
from vapocline.core.puck.parameters import Parameters
from vapocline.core.puck.phases import (
    before_program,
    begin_program,
    crossing,
    cup_weight,
    due,
    has_settled,
    move_on,
)
from vapocline.core.puck.program import (
    OFF,
    Program,
)
from vapocline.core.shot.result import FIRST_DRIP_G

EXIT_TOLERANCE_S = 1e-7  # an exit this close counts as met
DRIPS_STEP_S = 0.1  # after the stop, when only drips follow
WATER_J_ML_K = 4.18
GRAIN_J_G_K = 1.5
ROOM_C = 22.0
COLD_C = 20.0  # what fills the boiler up
HEATER_BAND_K = 2.0  # below the set temperature the heater comes on in proportion, over so much
BARE_LOSS_W_K = 0.6  # more heat lost while the head above the puck is empty


@compiled
def _fill_cup(now: Floats, passed: Floats, p: Parameters, dt: float) -> float:
    """From under the puck over the spout into the cup, and onto the scale with its lag."""
    now, passed = borrowed(now), borrowed(passed)
    leave = dt / p.spout_tau_s / (1.0 + dt / p.spout_tau_s)
    out = 0.0
    for j in range(CLASSES + 1):
        total = now[SPOUT_WATER + j] + passed[j]
        now[SPOUT_WATER + j] = total * (1.0 - leave)
        now[CUP_WATER + j] += total * leave
        if j == 0:
            out = total * leave
        passed[j] = 0.0
    now[Q_CUP] = out / dt
    weight = now[CUP_WATER] + now[CUP_0] + now[CUP_1] + now[CUP_2]
    seen = 1.0 - math.exp(-dt / p.scale_lag_s) if p.scale_lag_s > 0.0 else 1.0
    now[SCALE] += (weight - now[SCALE]) * seen
    return weight


@inlined
def _wanted_c(now: Floats, program: Program, p: Parameters) -> float:
    """The water asked for now: the shot's, or the phase's, as far off as the shot's is."""
    i = int(now[PHASE])
    if i < program.water_c.size and not math.isnan(program.water_c[i]):
        return p.water_c + program.water_c[i] - p.set_water_c
    return p.water_c


@inlined
def _update_temperatures(
    now: Floats, program: Program, p: Parameters, heat: float, into: float, dt: float
) -> None:
    """Puck and supply water temperature: a boiler cools with the draw and is heated again, and
    follows what a phase asks for.

    `heat` is what the puck holds, J/K, `into` the flow into it, mL/s.
    """
    wanted_c = _wanted_c(now, program, p)
    if p.boiler_ml > 0.0:
        mass = WATER_J_ML_K * p.boiler_ml
        wanted = (wanted_c - now[FEED_C]) / HEATER_BAND_K
        drawn = WATER_J_ML_K * now[Q_IN] * (now[FEED_C] - COLD_C)
        now[FEED_C] += dt / mass * (p.heater_w * min(1.0, max(0.0, wanted)) - drawn)
        now[FEED_C] = max(COLD_C, now[FEED_C])
    elif p.water_follows_s > 0.0:
        now[FEED_C] += (wanted_c - now[FEED_C]) * (1.0 - math.exp(-dt / p.water_follows_s))
    carried = into * WATER_J_ML_K * dt
    lost = p.heat_loss_w_k * dt
    if now[DUMPED] > 0.0 and now[P] < DRAIN_BAR:  # less hot water on the puck
        lost += BARE_LOSS_W_K * dt * max(0.0, 1.0 - now[HEAD] / p.head_free_ml)
    now[TEMPERATURE] = (heat * now[TEMPERATURE] + carried * now[FEED_C] + lost * ROOM_C) / (
        heat + carried + lost
    )


@compiled
def _step(
    now: Floats,
    lanes: Floats,
    cells: Floats,
    passed: Floats,
    program: Program,
    p: Parameters,
    dt: float,
) -> float:
    """Advance everything by dt seconds; returns the cup's weight, g.

    The state comes array by array: taking one out of the tuple costs two atomic operations.
    """
    now, lanes, cells, passed = borrowed(now), borrowed(lanes), borrowed(cells), borrowed(passed)
    warm = now[TEMPERATURE] - 93.0
    resist(now, lanes, cells, p, math.exp(0.0118 * warm))
    head = actuate(now, lanes, program, p, dt)
    pressure, feed = now[P], now[Q_IN]
    flow = bed_flow(lanes, pressure)
    share = min(1.0, (head + feed * dt) / (flow * dt)) if flow > 0.0 else 0.0
    now[HEAD] = max(0.0, head + feed * dt - flow * share * dt)
    now[WATER] += feed * dt
    pace = math.exp(0.028 * warm) * dt
    gas_kept = math.exp(-dt / (p.gas_tau_s * (1.0 + pressure / p.gas_keeps_bar)))
    pressed = (pressure / REFERENCE_BAR) ** p.compaction_power * p.compaction_gas
    heat, wetted = p.dose_g * GRAIN_J_G_K, 0.0
    for i in range(LANES):
        uptake = lanes[i, LANE_UPTAKE]
        into = share * lane_flow(lanes[i, CONDUCTANCE], lanes[i, DRIVE], uptake, pressure)
        give_off(lanes, cells, p, i, pace, gas_kept)
        wetted -= lanes[i, PORE]
        pass_water(now, lanes, cells, passed, p, i, into * dt, dt)
        wetted += lanes[i, PORE]
        leads_to = p.compaction_per_bar * pressure + pressed * lanes[i, MEAN_GAS]
        settle(lanes, p, i, leads_to, into, dt)
        heat += WATER_J_ML_K * lanes[i, PORE]
    now[WETTING_PRESSURE] += pressure / REFERENCE_BAR * wetted / pore_ml(p)
    _update_temperatures(now, program, p, heat, flow * share, dt)
    weighed = now[SCALE]
    weight = _fill_cup(now, passed, p, dt)
    now[TIME] += dt
    if now[HOLD] > 0.0:  # the phase stands still: what it counts begins that much later
        now[PHASE_TIME] += dt
        now[PHASE_WATER] += feed * dt
        now[PHASE_CUP] += now[SCALE] - weighed
    now[PEAK] = max(now[PEAK], pressure)
    now[P_SEEN] = max(now[P_SEEN], pressure)
    now[Q_SEEN] = max(now[Q_SEEN], feed)
    if now[Q_LEAST] < math.inf or has_settled(now, program):
        now[Q_LEAST] = min(now[Q_LEAST], feed)
    return weight


@compiled
def _sample(program: Program, p: Parameters, now: Floats, out: Floats) -> None:
    row = int(now[SAMPLES])
    solids = now[CUP_0] + now[CUP_1] + now[CUP_2]
    weight = now[CUP_WATER] + solids
    out[row, S_TIME] = now[TIME]
    out[row, S_P] = now[P]
    out[row, S_Q_IN] = now[Q_IN]
    out[row, S_Q_CUP] = now[Q_CUP]
    out[row, S_CUP] = weight
    out[row, S_TDS] = 100.0 * solids / weight if weight > FIRST_DRIP_G else 0.0
    out[row, S_PUCK_C] = now[TEMPERATURE]
    i = int(now[PHASE])
    waits = i == 0 and before_program(now, p)
    commands = i < program.control.size and program.control[i] != OFF and not waits
    out[row, S_TARGET] = target_of(program, now, i) if commands else math.nan
    out[row, S_PHASE] = now[PHASE]
    out[row, S_BINDING] = now[BINDING]
    out[row, S_WATER] = now[WATER]
    now[SAMPLES] = row + 1


@inlined
def _borrowed_program(program: Program) -> Program:
    return Program(
        borrowed(program.control),
        borrowed(program.start),
        borrowed(program.end),
        borrowed(program.along),
        borrowed(program.over),
        borrowed(program.shape),
        borrowed(program.limit),
        borrowed(program.stroke_ml),
        borrowed(program.spring_ml),
        borrowed(program.spring_bar),
        borrowed(program.exit_when),
        borrowed(program.exit_value),
        program.stop_cup_g,
        program.stop_water_ml,
        program.stop_time_s,
        borrowed(program.valve_turns),
        borrowed(program.valve_flow_ml_s),
        borrowed(program.water_c),
    )


@compiled
def _copy(source: Floats, target: Floats) -> None:
    for k in range(source.size):
        target[k] = source[k]


@inlined
def _restore(
    was: Floats, was_lanes: Floats, was_cells: Floats, now: Floats, lanes: Floats, cells: Floats
) -> None:
    _copy(was, now)
    _copy(was_lanes, lanes)
    _copy(was_cells, cells)


@compiled
def advance(
    state: State,
    program: Program,
    p: Parameters,
    out: Floats,
    until_s: float,
    dt: float,
    sample_s: float,
) -> bool:
    """Run on until a time or the last drips; True when the shot is over.

    `out` (rows, SAMPLE_COLUMNS) takes a row every `sample_s`; a full `out` ends the run too.
    """
    now, lanes, cells = borrowed(state.now), borrowed(state.lanes), borrowed(state.cells)
    log, passed, out = borrowed(state.log), borrowed(state.passed), borrowed(out)
    program = _borrowed_program(program)
    flat_lanes, flat_cells = borrowed(lanes.reshape(-1)), borrowed(cells.reshape(-1))
    kept = np.empty_like(now), np.empty_like(flat_lanes), np.empty_like(flat_cells)
    was, was_lanes, was_cells = borrowed(kept[0]), borrowed(kept[1]), borrowed(kept[2])
    if now[SAMPLES] == 0:
        _sample(program, p, now, out)
    while now[SAMPLES] < out.shape[0]:
        next_sample = now[SAMPLES] * sample_s
        running = now[STOP_CODE] < 0
        ends = math.inf if running else now[STOP_T] + TAIL_S
        if now[TIME] >= ends - 1e-9:
            return True
        if now[TIME] >= until_s - 1e-9:
            return False
        h = min(dt if running else DRIPS_STEP_S, next_sample - now[TIME])
        waits = running and before_program(now, p)
        if waits:
            h = min(h, p.preamble_s - now[TIME])
        _copy(now, was)
        if running:  # an exit met within the step has it taken again
            _copy(flat_lanes, was_lanes)
            _copy(flat_cells, was_cells)
        weight = _step(now, lanes, cells, passed, program, p, h)
        if running:
            at, code = due(program, p, was, now, h)
            if at <= 1.0:
                _restore(was, was_lanes, was_cells, now, flat_lanes, flat_cells)
                over = True
                if at * h > EXIT_TOLERANCE_S:
                    weight = _step(now, lanes, cells, passed, program, p, at * h)
                    again, code = due(program, p, was, now, at * h)
                    over = again <= 1.0  # else the curve bends: it is met in the next step
                    if again < 1.0:
                        _restore(was, was_lanes, was_cells, now, flat_lanes, flat_cells)
                        weight = _step(now, lanes, cells, passed, program, p, again * at * h)
                if over:
                    move_on(now, log, program, code)
            elif waits and not before_program(now, p):
                begin_program(now, log)
        if math.isnan(now[FIRST_DRIP]) and weight >= FIRST_DRIP_G:
            at = crossing(cup_weight(was), weight, FIRST_DRIP_G)
            now[FIRST_DRIP] = was[TIME] + at * (now[TIME] - was[TIME])
        if now[TIME] >= next_sample - 1e-9:
            _sample(program, p, now, out)
    kept[0][0] = kept[1][0] = kept[2][0] = 0.0  # used last: so that they are held until here
    return True
