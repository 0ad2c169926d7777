"""What moves the water: pump, needle valve, spring and hand levers, with their limits.

Each step finds what is commanded, what that would need, what the machine can give, and the pressure
that balances the head. Equations: docs/model.md, "Water path".
"""

from __future__ import annotations

import math

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.puck.bed import bed_flow
from vapocline.core.puck.columns import (
    ATMOSPHERE_BAR,
    BINDING,
    BINDS_FLOOR,
    BINDS_FLOW_LIMIT,
    BINDS_PRESSURE_LIMIT,
    BINDS_PUMP,
    BINDS_RELIEF,
    BINDS_SOFT_START,
    BINDS_STROKE,
    CONDUCTANCE,
    DRIVE,
    DUMPED,
    HEAD,
    LANE_UPTAKE,
    LANES,
    ON_SINCE,
    PHASE,
    PHASE_CUP,
    PHASE_TIME,
    PHASE_WATER,
    Q_IN,
    REFERENCE_BAR,
    SCALE,
    STROKE_FROM,
    TIME,
    VENTED,
    WATER,
    WETTING_PRESSURE,
    P,
    borrowed,
    compiled,
    inlined,
)
from vapocline.core.puck.parameters import Parameters
from vapocline.core.puck.program import (
    ALONG_TIME,
    ALONG_WATER,
    FLOW,
    FORCE,
    LINEAR,
    OFF,
    PRESSURE,
    SMOOTH,
    SPRING,
    SPRING_SHAPE,
    VALVE,
    Program,
)

RISE_S = 0.15  # the pump's time from rest to full flow
ENOUGH_ML = 1e-10  # the head's balance is closed to so much in a step
WORTH_A_WORD_BAR = 0.05  # a command missed by less is not held by anything
DRAIN_S, DRAIN_BAR = 1.0, 0.1  # the head drains once its pressure is gone
PUMP, PISTON = -1.0, -2.0  # what feeds, where it is not a valve


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
def _sprung(program: Program, i: int, pressed_ml: float) -> float:
    """What the springs engaged press with after so much water, bar."""
    last = program.spring_ml.shape[1] - 1
    for k in range(last):
        begin, end = program.spring_ml[i, k], program.spring_ml[i, k + 1]
        if pressed_ml < end:
            share = max(0.0, pressed_ml - begin) / (end - begin)
            low, high = program.spring_bar[i, k], program.spring_bar[i, k + 1]
            return low + (high - low) * share
    return program.spring_bar[i, last]


@inlined
def target_of(program: Program, now: Floats, i: int) -> float:
    """The value commanded at this moment, in the command's unit; levers in bar."""
    if program.control[i] == SPRING:
        return _sprung(program, i, now[WATER] - now[PHASE_WATER])
    x = _progress(program, now, i)
    shape = program.shape[i]
    if shape == LINEAR:
        f = x
    elif shape == SMOOTH:
        f = x * x * (3.0 - 2.0 * x)
    elif shape == SPRING_SHAPE:  # like a spring losing force: fast first, then slower
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
def _feed(p: Parameters, wanted: float, source: float, pressure: float) -> float:
    """What is delivered against a pressure, mL/s: by the pump's curve, a valve, or a piston."""
    if source >= 0.0:  # a valve's free flow
        return source * math.sqrt(max(0.0, 1.0 - pressure / p.valve_pump_bar))
    if source == PISTON:
        return wanted
    return min(wanted, max(0.0, p.top_flow_ml_s * (1.0 - pressure / p.pump_max_bar)))


@compiled
def _pressure_after(
    now: Floats, lanes: Floats, p: Parameters, head: float, wanted: float, source: float, dt: float
) -> float:
    """Gauge pressure that balances the head at the step's end (implicit; rising, so bracketed)."""
    now, lanes = borrowed(now), borrowed(lanes)
    low, high = 0.0, 40.0
    x = min(max(now[P], low), high)
    for _ in range(60):
        gap = _head_at(p, x) - head - dt * (_feed(p, wanted, source, x) - bed_flow(lanes, x))
        if abs(gap) < ENOUGH_ML or high - low < 1e-10 or (x == 0.0 and gap >= 0.0):
            break
        if gap > 0.0:
            high = x
        else:
            low = x
        slope = p.head_trapped_ml * ATMOSPHERE_BAR / (x + ATMOSPHERE_BAR) ** 2 + p.hose_ml_bar
        for i in range(LANES):
            if lanes[i, CONDUCTANCE] * (x + lanes[i, DRIVE]) > lanes[i, LANE_UPTAKE]:
                slope += dt * lanes[i, CONDUCTANCE]
        step = x - gap / slope
        x = step if low < step < high else 0.5 * (low + high)
    return x


@inlined
def _needed(lanes: Floats, p: Parameters, head: float, pressure: float, dt: float) -> float:
    """The flow that would bring the head to a pressure within the step, mL/s."""
    return (_head_at(p, pressure) - head) / dt + bed_flow(lanes, pressure)


@inlined
def _wanted(
    now: Floats, lanes: Floats, program: Program, p: Parameters, i: int, dt: float
) -> tuple[float, float, int]:
    """What a running phase asks for: (flow mL/s, its source, the active limit)."""
    control, limit = program.control[i], program.limit[i]
    head, target = now[HEAD], target_of(program, now, i)
    binding = 0
    if control == PRESSURE:
        if p.soft_start_s > 0.0:
            risen = min(1.0, (now[TIME] + dt - now[ON_SINCE]) / p.soft_start_s)
            if target * risen < target - WORTH_A_WORD_BAR:
                binding = BINDS_SOFT_START
            target *= risen
        step = (max(target, p.floor_bar) - now[P]) * (1.0 - math.exp(-dt / p.pressure_lag_s))
        need = _needed(lanes, p, head, now[P] + step, dt)
        if need > limit:
            binding |= BINDS_FLOW_LIMIT
        rising = now[Q_IN] + p.top_flow_ml_s * dt / RISE_S
        return max(0.0, min(need, limit, rising)), PUMP, binding
    if control in (SPRING, FORCE):
        step = (target - now[P]) * (1.0 - math.exp(-dt / p.pressure_lag_s))
        need = max(0.0, _needed(lanes, p, head, now[P] + step, dt))
        left = max(0.0, program.stroke_ml[i] - (now[WATER] - now[STROKE_FROM])) / dt
        return min(need, left), PISTON, BINDS_STROKE if left < need else 0
    if control == FLOW:
        lag = 1.0 - math.exp(-dt / p.flow_lag_s) if p.flow_lag_s > 0.0 else 1.0
        wanted, source = now[Q_IN] + (target - now[Q_IN]) * lag, PUMP
    else:
        wanted = 0.0
        source = np.interp(target, program.valve_turns, program.valve_flow_ml_s)
    if limit < math.inf:
        need = _needed(lanes, p, head, limit, dt)
        if need < (_feed(p, wanted, source, limit) if control == VALVE else wanted):
            return max(0.0, need), PUMP, BINDS_PRESSURE_LIMIT
    return wanted, source, binding


@compiled
def actuate(now: Floats, lanes: Floats, program: Program, p: Parameters, dt: float) -> float:
    """One step of whatever moves the water; sets pressure and flow, returns the head's water."""
    now, lanes = borrowed(now), borrowed(lanes)
    i = int(now[PHASE])
    control = program.control[i] if i < program.control.size else OFF
    head, before = now[HEAD], now[P]
    wanted, source, binding = 0.0, PUMP, 0
    if now[TIME] < p.preamble_s - 1e-9:  # the machine's own wetting, whatever the program
        control = FLOW
        wanted = p.preamble_ml_s if now[TIME] < p.preamble_wet_s else 0.0
    elif control != OFF:
        wanted, source, binding = _wanted(now, lanes, program, p, i, dt)
        if p.floor_bar > 0.0 and source == PUMP:  # a plumbed feed pushes whatever the pump does
            floor = min(p.top_flow_ml_s, _needed(lanes, p, head, p.floor_bar, dt))
            if floor > wanted:
                wanted, binding = floor, BINDS_FLOOR
    elif i < program.control.size and p.floor_bar > 0.0 and p.dumps_when_off <= 0.0:
        # The pump rests within a program, and nothing is drained: the plumbed feed presses on.
        wanted = max(0.0, min(p.top_flow_ml_s, _needed(lanes, p, head, p.floor_bar, dt)))
        binding = BINDS_FLOOR
    after = _pressure_after(now, lanes, p, head, wanted, source, dt)
    feed = _feed(p, wanted, source, after)
    if control == OFF and p.dumps_when_off > 0.0:
        dumped = before * math.exp(-dt / p.dump_tau_s)
        if dumped < after:
            after = dumped
            lost = head - dt * bed_flow(lanes, after) - _head_at(p, after)
            now[DUMPED] += max(0.0, lost)
            head -= max(0.0, lost)
            now[WETTING_PRESSURE] += (
                p.unevenness_released * max(0.0, before - after) / REFERENCE_BAR
            )
        drained = (head - (1.0 - p.drain_share) * p.head_free_ml) * (1.0 - math.exp(-dt / DRAIN_S))
        if after <= DRAIN_BAR and drained > 0.0:
            now[DUMPED] += drained
            head -= drained
    if after > p.relief_bar:
        after = p.relief_bar
        spat = head + dt * (feed - bed_flow(lanes, after)) - _head_at(p, after)
        now[VENTED] += max(0.0, spat)
        head -= max(0.0, spat)
        binding = BINDS_RELIEF
    if source == PUMP and feed < wanted - 1e-9 and after > 0.0:
        binding |= BINDS_PUMP
    near = control == PRESSURE and target_of(program, now, i) - after < WORTH_A_WORD_BAR
    if near and binding == BINDS_FLOW_LIMIT:
        binding = 0
    now[BINDING] = binding
    now[P] = after
    now[Q_IN] = feed
    return head
