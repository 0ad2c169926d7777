"""The compiled walk through a shot: one fixed step at a time, exits located within the step.

Three parallel lanes share the water above the puck. In each a sharp wetting front (Green and Ampt
1911) runs down through cells; wet cells resist by Darcy's law, take up water, lose gas, and give
three solute classes to the passing water (Moroney et al. 2015). Equations and sources:
docs/model.md. Numbers live in `State`, so that a run can be advanced in pieces, as a
machine does.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import NamedTuple, ParamSpec, TypeVar, cast

import numpy as np
from numba import njit

from vapocline.core.puck.parameters import Parameters
from vapocline.core.puck.program import (
    ALONG_TIME,
    ALONG_WATER,
    BY_CUP,
    BY_FIRST_DRIP,
    BY_FLOW_ABOVE,
    BY_FLOW_BELOW,
    BY_HAND,
    BY_PRESSURE_ABOVE,
    BY_PRESSURE_BELOW,
    BY_SECONDS,
    BY_WATER,
    FLOW,
    LINEAR,
    OFF,
    PRESSURE,
    SMOOTH,
    SPRING,
    STOP_CUP,
    STOP_HAND,
    STOP_PLAN,
    STOP_TIME,
    STOP_WATER,
    VALVE,
    Floats,
    Program,
)

Arguments = ParamSpec("Arguments")
Result = TypeVar("Result")


# Freedoms for the compiler that change the last digits only; what is not a number stays so.
FAST = {"arcp", "contract", "nsz", "reassoc"}


def compiled(function: Callable[Arguments, Result]) -> Callable[Arguments, Result]:
    """Compile without the interpreter's lock; a second process finds it in the cache."""
    made = njit(cache=True, nogil=True, error_model="numpy", fastmath=FAST)(function)
    return cast(Callable[Arguments, Result], made)


def inlined(function: Callable[Arguments, Result]) -> Callable[Arguments, Result]:
    """Compile into the caller: small parts that run for every cell."""
    made = njit(cache=True, nogil=True, error_model="numpy", inline="always", fastmath=FAST)(
        function
    )
    return cast(Callable[Arguments, Result], made)


ATMOSPHERE_BAR = 1.013
WATER_J_ML_K = 4.18
GRAIN_J_G_K = 1.5
ROOM_C = 22.0
FIRST_DRIP_G = 0.1  # the weight in the cup that counts as the first drip
RISE_S = 0.15  # the pump's time from rest to full flow
TAIL_S = 6.0  # how long after the stop drips are followed

LANE_WEIGHTS = np.array([0.25, 0.5, 0.25])
LANE_OFFSETS = np.array([-1.22, 0.0, 1.22])
LANES = 3
CLASSES = 3

# Columns of `State.now`.
(
    TIME, HEAD, P, Q_IN, Q_CUP, WATER, VENTED, DUMPED, TEMPERATURE,
    SPOUT_WATER, SPOUT_0, SPOUT_1, SPOUT_2, CUP_WATER, CUP_0, CUP_1, CUP_2, SCALE,
    PHASE, PHASE_TIME, PHASE_WATER, PHASE_CUP, PEAK, P_SEEN, Q_SEEN,
    FIRST_DRIP, STOP_T, STOP_CODE, CUP_AT_STOP, HAND, HAND_STOP, BINDING, SAMPLES, FINES_OUT,
) = range(34)  # fmt: skip
NOW_COLUMNS = 34
# Columns of `State.lanes`.
PORE, KAPPA, LODGED, MOBILE, LANE_Q = range(5)
# Columns of `State.cells`: pore water mL, uptake mL, gas (mL/g × wetness), solids left, solute g.
WET, UPTAKE, GAS, SOLID, SOLUTE = 0, 1, 2, 3, 6
CELL_COLUMNS = 9
# Columns of the samples.
SAMPLE_COLUMNS = 10
(
    S_TIME, S_P, S_Q_IN, S_Q_CUP, S_CUP, S_TDS, S_PUCK_C, S_TARGET, S_PHASE, S_BINDING,
) = range(10)  # fmt: skip

# What holds the achieved off the commanded.
BINDS_FLOW_LIMIT, BINDS_PRESSURE_LIMIT, BINDS_PUMP, BINDS_RELIEF, BINDS_FLOOR = 1, 2, 4, 8, 16


class State(NamedTuple):
    """Where a shot stands: scalars, lanes (3, 5), cells (3, n, 9), and the phases' log (m, 3)."""

    now: Floats
    lanes: Floats
    cells: Floats
    log: Floats  # start s, end s, what ended it; one row a phase


def fresh_state(p: Parameters, phases: int, cells: int) -> State:
    """A dry puck under an empty head at the moment the pump starts."""
    state = State(
        np.zeros(NOW_COLUMNS),
        np.zeros((LANES, 5)),
        np.zeros((LANES, cells, CELL_COLUMNS)),
        np.full((phases, 3), np.nan),
    )
    state.now[TEMPERATURE] = p.puck_start_c
    state.now[FIRST_DRIP] = state.now[STOP_T] = state.now[CUP_AT_STOP] = np.nan
    state.now[STOP_CODE] = -1
    state.lanes[:, MOBILE] = 1.0
    state.cells[:, :, SOLID : SOLID + CLASSES] = 1.0
    state.log[0, 0] = 0.0
    return state


@inlined
def _progress(program: Program, now: Floats, i: int) -> float:
    """How far along its move a phase is, 0 to 1."""
    if program.over[i] <= 0.0:
        return 1.0
    if program.along[i] == ALONG_TIME:
        done = now[TIME] - now[PHASE_TIME]
    elif program.along[i] == ALONG_WATER:
        done = now[WATER] - now[PHASE_WATER]
    else:
        done = now[SCALE] - now[PHASE_CUP]
    return min(1.0, max(0.0, done / program.over[i]))


@inlined
def _target(program: Program, now: Floats, i: int) -> float:
    """The value commanded at this moment, in the command's unit."""
    x = _progress(program, now, i)
    shape = program.shape[i]
    if shape == LINEAR:
        f = x
    elif shape == SMOOTH:
        f = x * x * (3.0 - 2.0 * x)
    elif shape == SPRING:  # a spring losing force as it is displaced: fast first, then slower
        f = (1.0 - math.exp(-2.0 * x)) / (1.0 - math.exp(-2.0))
    else:  # a step keeps its first value until the length is over
        f = 1.0 if x >= 1.0 else 0.0
    return program.start[i] + (program.end[i] - program.start[i]) * f


@inlined
def _head_at(p: Parameters, pressure: float) -> float:
    """Water in the head at a gauge pressure, mL: free part, squeezed air (Boyle), hose."""
    air = p.head_trapped_ml * pressure / (pressure + ATMOSPHERE_BAR)
    return p.head_free_ml + air + p.hose_ml_bar * pressure


@inlined
def _lane_flow(conductance: float, drive: float, uptake: float, pressure: float) -> float:
    """Flow into one lane, mL/s: Darcy, but never less than the grains draw in."""
    return max(conductance * max(0.0, pressure + drive), uptake)


@inlined
def _bed_flow(conductance: Floats, drive: Floats, uptake: Floats, pressure: float) -> float:
    total = 0.0
    for i in range(LANES):
        total += _lane_flow(conductance[i], drive[i], uptake[i], pressure)
    return total


@inlined
def _feed(p: Parameters, wanted: float, valve_free: float, pressure: float) -> float:
    """What the pump delivers against a pressure, mL/s: by its curve, or through the valve."""
    if valve_free >= 0.0:
        return valve_free * math.sqrt(max(0.0, 1.0 - pressure / p.valve_pump_bar))
    return min(wanted, max(0.0, p.top_flow_ml_s * (1.0 - pressure / p.pump_max_bar)))


@compiled
def _pressure_after(
    p: Parameters,
    head: float,
    wanted: float,
    valve_free: float,
    conductance: Floats,
    drive: Floats,
    uptake: Floats,
    guess: float,
    dt: float,
) -> float:
    """Gauge pressure that balances the head at the step's end (implicit; rising, so bracketed)."""
    low, high = 0.0, 40.0
    x = min(max(guess, low), high)
    for _ in range(60):
        gap = (
            _head_at(p, x)
            - head
            - dt * (_feed(p, wanted, valve_free, x) - _bed_flow(conductance, drive, uptake, x))
        )
        if abs(gap) < 1e-12 or high - low < 1e-11 or (x == 0.0 and gap >= 0.0):
            break
        if gap > 0.0:
            high = x
        else:
            low = x
        slope = p.head_trapped_ml * ATMOSPHERE_BAR / (x + ATMOSPHERE_BAR) ** 2 + p.hose_ml_bar
        for i in range(LANES):
            if conductance[i] * (x + drive[i]) > uptake[i]:
                slope += dt * conductance[i]
        step = x - gap / slope
        x = step if low < step < high else 0.5 * (low + high)
    return x


@compiled
def _resistances(
    state: State, p: Parameters, resistance: Floats, mean_gas: Floats, uptake_rate: Floats
) -> None:
    """Per lane: equal depth of wet bed, cm, mean gas of the wet part, mL/g, and uptake, mL/s."""
    cells = state.cells.shape[1]
    dz = p.depth_cm / cells
    dose_cell = p.dose_g / cells
    pressed = 1.0 + state.now[P] / 6.0
    for i in range(LANES):
        pore_cell = LANE_WEIGHTS[i] * p.area_cm2 * p.depth_cm * p.void_fraction / cells
        total = p.film_cm
        gas = wetness = uptake = 0.0
        for c in range(cells):
            wet = state.cells[i, c, WET] / pore_cell
            if wet <= 0.0:
                break
            grams = dose_cell * LANE_WEIGHTS[i] * wet
            taken = state.cells[i, c, UPTAKE] / grams
            gas_here = state.cells[i, c, GAS] / wet
            dissolved = 0.01 * (
                p.bright_pct * (1.0 - state.cells[i, c, SOLID])
                + p.sweet_pct * (1.0 - state.cells[i, c, SOLID + 1])
                + p.bitter_pct * (1.0 - state.cells[i, c, SOLID + 2])
            )
            solute = (
                state.cells[i, c, SOLUTE]
                + state.cells[i, c, SOLUTE + 1]
                + state.cells[i, c, SOLUTE + 2]
            ) / state.cells[i, c, WET]
            total += (
                dz
                * wet
                * (1.0 + p.swelling * taken / p.uptake_ml_g)
                * (1.0 + p.gas_block * gas_here * gas_here)
                * math.exp(2.5 * solute - p.erosion * dissolved)
            )
            gas += state.cells[i, c, GAS]
            wetness += wet
            uptake += max(0.0, p.uptake_ml_g * grams - state.cells[i, c, UPTAKE])
        resistance[i] = total
        mean_gas[i] = gas / wetness if wetness > 0.0 else p.gas_ml_g
        uptake_rate[i] = uptake / p.uptake_tau_s * pressed


@compiled
def _wet_cells(
    state: State,
    p: Parameters,
    i: int,
    inflow: float,
    uptake_total: float,
    heat_factor: float,
    dt: float,
    passed: Floats,
) -> None:
    """Move one lane's water for a step and carry its solutes; `passed` gets what leaves below.

    Implicit upwind: each cell is well mixed at the step's end, so that nothing can go negative.
    """
    cells = state.cells.shape[1]
    dose_cell = p.dose_g / cells * LANE_WEIGHTS[i]
    pore_cell = LANE_WEIGHTS[i] * p.area_cm2 * p.depth_cm * p.void_fraction / cells
    scale = min(1.0, inflow / (uptake_total * dt)) if uptake_total > 0.0 else 0.0
    pressed = (1.0 + state.now[P] / 6.0) * dt / p.uptake_tau_s * scale
    gas_kept = math.exp(-dt / p.gas_tau_s)
    water = inflow
    in_0 = in_1 = in_2 = 0.0
    for c in range(cells):
        if water <= 0.0 and state.cells[i, c, WET] <= 0.0:
            break
        before = state.cells[i, c, WET]
        grams = dose_cell * before / pore_cell
        drunk = min(water, max(0.0, p.uptake_ml_g * grams - state.cells[i, c, UPTAKE]) * pressed)
        state.cells[i, c, UPTAKE] += drunk
        water -= drunk
        filled = min(water, pore_cell - before)
        water -= filled
        wet_ml = before + filled
        state.cells[i, c, WET] = wet_ml
        if wet_ml <= 0.0:
            break
        wet = wet_ml / pore_cell
        state.cells[i, c, GAS] = state.cells[i, c, GAS] * gas_kept + p.gas_ml_g * filled / pore_cell
        held = (
            state.cells[i, c, SOLUTE]
            + state.cells[i, c, SOLUTE + 1]
            + state.cells[i, c, SOLUTE + 2]
        )
        room = max(0.0, 1.0 - held / (before * p.saturation_g_ml)) if before > 0.0 else 1.0
        pace = heat_factor * p.size_ratio * room * wet * dt
        left = 1.0 / (1.0 + water / wet_ml)
        in_0 = _dissolve(state, i, c, 0, p.bright_per_s * pace, p.bright_pct, dose_cell, in_0, left)
        in_1 = _dissolve(state, i, c, 1, p.sweet_per_s * pace, p.sweet_pct, dose_cell, in_1, left)
        in_2 = _dissolve(state, i, c, 2, p.bitter_per_s * pace, p.bitter_pct, dose_cell, in_2, left)
        if c == cells - 1:
            passed[0] += water
            passed[1] += in_0
            passed[2] += in_1
            passed[3] += in_2
            state.lanes[i, LANE_Q] = water / dt
            return
    state.lanes[i, LANE_Q] = 0.0


@inlined
def _dissolve(
    state: State,
    i: int,
    c: int,
    j: int,
    rate: float,
    pct: float,
    dose_cell: float,
    carried: float,
    left: float,
) -> float:
    """One class in one cell: solids to water, water onward; returns what flows out, g."""
    solid = state.cells[i, c, SOLID + j]
    kept = solid / (1.0 + rate)
    state.cells[i, c, SOLID + j] = kept
    mass = state.cells[i, c, SOLUTE + j] + carried + 0.01 * pct * dose_cell * (solid - kept)
    state.cells[i, c, SOLUTE + j] = mass * left
    return mass * (1.0 - left)


@compiled
def _fill_cup(now: Floats, p: Parameters, passed: Floats, dt: float) -> float:
    """From under the puck over the spout into the cup, and onto the scale with its lag."""
    leave = dt / p.spout_tau_s / (1.0 + dt / p.spout_tau_s)
    out = 0.0
    for j in range(CLASSES + 1):
        total = now[SPOUT_WATER + j] + passed[j]
        now[SPOUT_WATER + j] = total * (1.0 - leave)
        now[CUP_WATER + j] += total * leave
        if j == 0:
            out = total * leave
    now[Q_CUP] = out / dt
    weight = now[CUP_WATER] + now[CUP_0] + now[CUP_1] + now[CUP_2]
    seen = 1.0 - math.exp(-dt / p.scale_lag_s) if p.scale_lag_s > 0.0 else 1.0
    now[SCALE] += (weight - now[SCALE]) * seen
    return weight


@compiled
def _actuate(
    state: State,
    program: Program,
    p: Parameters,
    dt: float,
    conductance: Floats,
    drive: Floats,
    uptake: Floats,
) -> float:
    """Pump, valve, limits, relief and dump for one step; sets P, Q_IN and the head's water."""
    now = state.now
    i = int(now[PHASE])
    running = i < program.control.size
    control = program.control[i] if running else OFF
    limit = program.limit[i] if running else math.inf
    target = _target(program, now, i) if running and control != OFF else 0.0
    head, before = now[HEAD], now[P]
    wanted, valve_free, binding = 0.0, -1.0, 0
    aim = before
    if control == PRESSURE:
        aim = before + (max(target, p.floor_bar) - before) * (
            1.0 - math.exp(-dt / p.pressure_lag_s)
        )
        need = (_head_at(p, aim) - head) / dt + _bed_flow(conductance, drive, uptake, aim)
        wanted = max(0.0, min(need, limit, now[Q_IN] + p.top_flow_ml_s * dt / RISE_S))
        if need > limit:
            binding = BINDS_FLOW_LIMIT
    elif control == FLOW:
        lag = 1.0 - math.exp(-dt / p.flow_lag_s) if p.flow_lag_s > 0.0 else 1.0
        wanted = now[Q_IN] + (target - now[Q_IN]) * lag
        if limit < math.inf:
            need = (_head_at(p, limit) - head) / dt + _bed_flow(conductance, drive, uptake, limit)
            if need < wanted:
                wanted, binding = max(0.0, need), BINDS_PRESSURE_LIMIT
    elif control == VALVE:
        valve_free = np.interp(target, program.valve_turns, program.valve_flow_ml_s)
        if limit < math.inf:
            need = (_head_at(p, limit) - head) / dt + _bed_flow(conductance, drive, uptake, limit)
            if need < _feed(p, wanted, valve_free, limit):
                wanted, valve_free, binding = max(0.0, need), -1.0, BINDS_PRESSURE_LIMIT
    if p.floor_bar > 0.0 and control != OFF:  # a plumbed feed pushes whatever the pump does
        floor = (_head_at(p, p.floor_bar) - head) / dt
        floor = min(p.top_flow_ml_s, floor + _bed_flow(conductance, drive, uptake, p.floor_bar))
        if valve_free < 0.0 and floor > wanted:
            wanted, binding = floor, BINDS_FLOOR
    after = _pressure_after(p, head, wanted, valve_free, conductance, drive, uptake, before, dt)
    feed = _feed(p, wanted, valve_free, after)
    if control == OFF and p.dumps > 0.0:
        dumped = before * math.exp(-dt / p.dump_tau_s)
        if dumped < after:
            after = dumped
            lost = head - dt * _bed_flow(conductance, drive, uptake, after) - _head_at(p, after)
            now[DUMPED] += max(0.0, lost)
            head -= max(0.0, lost)
    if after > p.relief_bar:
        after = p.relief_bar
        spat = (
            head + dt * (feed - _bed_flow(conductance, drive, uptake, after)) - _head_at(p, after)
        )
        now[VENTED] += max(0.0, spat)
        head -= max(0.0, spat)
        binding = BINDS_RELIEF
    if valve_free < 0.0 and feed < wanted - 1e-9 and after > 0.0:
        binding |= BINDS_PUMP
    if control == PRESSURE and binding == BINDS_FLOW_LIMIT and target - after < 0.05:
        binding = 0
    now[BINDING] = binding
    now[P] = after
    now[Q_IN] = feed
    return head


@compiled
def _step(state: State, program: Program, p: Parameters, dt: float) -> float:
    """Advance everything by dt seconds."""
    now = state.now
    conductance, drive = np.empty(LANES), np.empty(LANES)
    uptake, gas, depth = np.empty(LANES), np.empty(LANES), np.empty(LANES)
    _resistances(state, p, depth, gas, uptake)
    warm = now[TEMPERATURE] - 93.0
    fluid = math.exp(0.0118 * warm)
    pore_all = p.area_cm2 * p.depth_cm * p.void_fraction
    for i in range(LANES):
        kappa, lodged = state.lanes[i, KAPPA], state.lanes[i, LODGED]
        conductance[i] = (
            LANE_WEIGHTS[i]
            * p.permeability
            * math.exp(LANE_OFFSETS[i] * p.unevenness - kappa)
            / (1.0 + p.fines_block * lodged)
            * fluid
            / depth[i]
        )
        through = state.lanes[i, PORE] >= LANE_WEIGHTS[i] * pore_all * (1.0 - 1e-9)
        drive[i] = 0.0 if through else p.capillary_bar - p.gas_back_bar * gas[i]
    head = _actuate(state, program, p, dt, conductance, drive, uptake)
    pressure, feed = now[P], now[Q_IN]
    flow = _bed_flow(conductance, drive, uptake, pressure)
    share = min(1.0, (head + feed * dt) / (flow * dt)) if flow > 0.0 else 0.0
    now[HEAD] = head + feed * dt - flow * share * dt
    now[WATER] += feed * dt
    passed = np.zeros(CLASSES + 1)
    heat_factor = math.exp(0.028 * warm)
    for i in range(LANES):
        inflow = _lane_flow(conductance[i], drive[i], uptake[i], pressure) * share * dt
        _wet_cells(state, p, i, inflow, uptake[i], heat_factor, dt, passed)
        pore = 0.0
        for c in range(state.cells.shape[1]):
            pore += state.cells[i, c, WET]
        state.lanes[i, PORE] = pore
        _settle(state, p, i, gas[i], pressure, pore / (LANE_WEIGHTS[i] * pore_all), dt)
    heat = p.dose_g * GRAIN_J_G_K
    for i in range(LANES):
        heat += WATER_J_ML_K * state.lanes[i, PORE]
    carried = flow * share * WATER_J_ML_K * dt
    now[TEMPERATURE] = (
        heat * now[TEMPERATURE] + carried * p.water_c + p.heat_loss_w_k * dt * ROOM_C
    ) / (heat + carried + p.heat_loss_w_k * dt)
    weight = _fill_cup(now, p, passed, dt)
    now[TIME] += dt
    now[PEAK] = max(now[PEAK], pressure)
    now[P_SEEN] = max(now[P_SEEN], pressure)
    now[Q_SEEN] = max(now[Q_SEEN], feed)
    return weight


@inlined
def _settle(
    state: State, p: Parameters, i: int, gas: float, pressure: float, wetness: float, dt: float
) -> None:
    """Compaction, slowly recovered, and fines: locked by swelling or carried to the outlet."""
    lanes = state.lanes
    pressed = (p.compaction_per_bar + p.compaction_gas * gas) * pressure
    lanes[i, KAPPA] = max(lanes[i, KAPPA] * (1.0 - dt / p.compaction_tau_s), pressed)
    speed = lanes[i, LANE_Q] / LANE_WEIGHTS[i]
    carried = p.fines_rate * max(0.0, speed - p.fines_speed_ml_s) * dt
    locked = wetness * dt / p.fines_lock_s
    mobile = lanes[i, MOBILE] / (1.0 + carried + locked)
    lanes[i, LODGED] += mobile * carried
    lanes[i, MOBILE] = mobile


@inlined
def _crossing(before: float, after: float, level: float) -> float:
    """Where in the step a rising value met its level, 0 to 1, or 2 for not at all."""
    if after < level:
        return 2.0
    if after <= before or before >= level:
        return 0.0
    return (level - before) / (after - before)


@compiled
def _due(program: Program, was: Floats, now: Floats, dt: float) -> tuple[float, int]:
    """The first stop or exit met in the step just made: (where in it 0 to 1, code), or (2, -1)."""
    first, code = 2.0, -1
    i = int(was[PHASE])
    t0 = was[TIME]
    for kind in range(4):
        if kind == 0:
            at = _crossing(was[SCALE], now[SCALE], program.stop_cup_g)
            found = STOP_CUP
        elif kind == 1:
            at = _crossing(was[WATER], now[WATER], program.stop_water_ml)
            found = STOP_WATER
        elif kind == 2:
            at = _crossing(t0, t0 + dt, program.stop_time_s)
            found = STOP_TIME
        else:
            at = 0.0 if was[HAND_STOP] > 0.0 else 2.0
            found = STOP_HAND
        if at < first:
            first, code = at, found
    for e in range(program.exit_when.shape[1]):
        when, level = program.exit_when[i, e], program.exit_value[i, e]
        at = 2.0
        if when == BY_SECONDS:
            at = _crossing(t0 - was[PHASE_TIME], t0 + dt - was[PHASE_TIME], level)
        elif when == BY_PRESSURE_ABOVE:
            at = _crossing(was[P], now[P], level)
        elif when == BY_PRESSURE_BELOW and now[P_SEEN] > level:
            at = _crossing(-was[P], -now[P], -level)
        elif when == BY_FLOW_ABOVE:
            at = _crossing(was[Q_IN], now[Q_IN], level)
        elif when == BY_FLOW_BELOW and now[Q_SEEN] > level:
            at = _crossing(-was[Q_IN], -now[Q_IN], -level)
        elif when == BY_WATER:
            at = _crossing(was[WATER] - was[PHASE_WATER], now[WATER] - was[PHASE_WATER], level)
        elif when == BY_CUP:
            at = _crossing(was[SCALE], now[SCALE], level)
        elif when == BY_FIRST_DRIP:
            at = _crossing(
                was[CUP_WATER] + was[CUP_0] + was[CUP_1] + was[CUP_2],
                now[CUP_WATER] + now[CUP_0] + now[CUP_1] + now[CUP_2],
                FIRST_DRIP_G,
            )
        elif when == BY_HAND:
            at = 0.0 if was[HAND] > 0.0 else 2.0
        if at < first:
            first, code = at, when
    return first, code


@compiled
def _move_on(state: State, code: int) -> None:
    """Close the phase in the log and open the next; a stop, or the last phase, ends the shot."""
    now = state.now
    i = int(now[PHASE])
    state.log[i, 1] = now[TIME]
    state.log[i, 2] = code
    last = i + 1 >= state.log.shape[0]
    if code >= STOP_CUP or last:
        now[STOP_T] = now[TIME]
        now[STOP_CODE] = code if code >= STOP_CUP else STOP_PLAN
        now[CUP_AT_STOP] = now[CUP_WATER] + now[CUP_0] + now[CUP_1] + now[CUP_2]
        now[PHASE] = state.log.shape[0]
        return
    now[PHASE] = i + 1
    now[PHASE_TIME] = now[TIME]
    now[PHASE_WATER] = now[WATER]
    now[PHASE_CUP] = now[SCALE]
    now[HAND] = 0.0
    state.log[i + 1, 0] = now[TIME]


@compiled
def _sample(program: Program, now: Floats, out: Floats) -> None:
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
    commands = i < program.control.size and program.control[i] != OFF
    out[row, S_TARGET] = _target(program, now, i) if commands else math.nan
    out[row, S_PHASE] = now[PHASE]
    out[row, S_BINDING] = now[BINDING]
    now[SAMPLES] = row + 1


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
    now = state.now
    was, was_lanes = np.empty_like(now), np.empty_like(state.lanes)
    was_cells = np.empty_like(state.cells)
    if now[SAMPLES] == 0:
        _sample(program, now, out)
    while now[SAMPLES] < out.shape[0]:
        next_sample = now[SAMPLES] * sample_s
        ends = now[STOP_T] + TAIL_S if now[STOP_CODE] >= 0 else math.inf
        if now[TIME] >= ends - 1e-9:
            return True
        if now[TIME] >= until_s - 1e-9:
            return False
        h = min(dt, next_sample - now[TIME])
        was[:] = now
        if now[STOP_CODE] < 0:
            was_lanes[:] = state.lanes
            was_cells[:] = state.cells
        weight = _step(state, program, p, h)
        if now[STOP_CODE] < 0:
            at, code = _due(program, was, now, h)
            if at <= 1.0:
                now[:] = was
                state.lanes[:] = was_lanes
                state.cells[:] = was_cells
                if at * h > 1e-9:
                    weight = _step(state, program, p, at * h)
                _move_on(state, code)
        if math.isnan(now[FIRST_DRIP]) and weight >= FIRST_DRIP_G:
            now[FIRST_DRIP] = now[TIME]
        if now[TIME] >= next_sample - 1e-9:
            _sample(program, now, out)
    return True
