"""What was asked of a machine, as recorded, made a program the puck model can run."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from vapocline.core.puck.parameters import Parameters
from vapocline.core.puck.program import (
    ALONG_TIME,
    BY_SECONDS,
    FORCE,
    LINEAR,
    OFF,
    PRESSURE,
    SPRING,
    SPRING_POINTS,
    Program,
)
from vapocline.core.read.record import Record, box_mean, bridged

PIECE_S = 0.4  # a recorded command is followed in straight pieces this long
HAND_PIECE_S = 0.3
FREE = {  # a machine that follows a recorded pressure exactly
    "pressure_lag_s": 0.02,
    "flow_lag_s": 0.02,
    "soft_start_s": 0.0,
    "valve_pump_bar": 0.0,
    "floor_bar": 0.0,
    "relief_bar": 25.0,
    "pump_max_bar": 40.0,
    "top_flow_ml_s": 40.0,
}


def says_commands(record: Record) -> bool:
    """Whether it was recorded what the machine was asked for."""
    ran = record.until_stop()
    return bool(np.isfinite(record.asked[ran]).mean() > 0.2)


class CommandRow(NamedTuple):
    """One piece of a program: what is commanded, from where to where, for how long."""

    control: int
    start: float
    end: float
    lasts_s: float
    limit: float = np.inf
    of: int = 0  # the plan's phase


def as_commanded(record: Record, planned: Program, parameters: Parameters) -> Program:
    """The commands that were recorded, piece by piece, in the planned kinds of control.

    So skips, nudges, holds and levels by hand are followed without being told apart. A lever's
    phases stay whole: their pressure follows the stroke, not the clock.
    """
    rows = list(_commanded_rows(record, planned, parameters.preamble_s))
    if not rows:
        return planned._replace(stop_cup_g=np.inf, stop_water_ml=np.inf, stop_time_s=record.stop_s)
    return _of_rows(rows, planned, record.stop_s)


def _commanded_rows(record: Record, planned: Program, from_s: float) -> Iterator[CommandRow]:
    ran = record.until_stop()
    time_s, phase = record.time_s[ran], record.phase[ran].astype(int)
    phase = np.clip(phase, 0, planned.control.size - 1)
    starts = np.flatnonzero(np.diff(phase, prepend=-1))
    for first, after in pairwise([*starts.tolist(), time_s.size]):
        begins = max(float(time_s[first]), from_s)
        ends = float(time_s[after]) if after < time_s.size else record.stop_s
        of = int(phase[first])
        control = int(planned.control[of])
        if ends - begins < 1e-6:
            continue
        if control in (OFF, SPRING, FORCE):
            yield CommandRow(control, planned.start[of], planned.end[of], ends - begins, np.inf, of)
            continue
        # A change of the command falls between two samples: a piece takes what holds inside it.
        asked = bridged(record.asked[first:after])
        inside = time_s[first:after]
        knots = np.arange(begins, ends, PIECE_S)
        if ends - knots[-1] < PIECE_S / 2 and knots.size > 1:
            knots = knots[:-1]
        limit = float(planned.limit[of])
        for a, b in pairwise([*knots.tolist(), ends]):
            low, high = np.interp((a, b), inside, asked)
            yield CommandRow(control, float(low), float(high), b - a, limit, of)


def along_pressure(record: Record, parameters: Parameters) -> Program:
    """The recorded pressure as the command."""
    measured = np.maximum(0.0, box_mean(record.pressure_bar, 0.5))
    knots = np.arange(parameters.preamble_s, record.stop_s, HAND_PIECE_S)
    levels = np.interp([*knots, record.stop_s], record.time_s, measured)
    rows = [
        CommandRow(PRESSURE, float(a), float(b), float(end - start))
        for (a, b), (start, end) in zip(
            pairwise(levels), pairwise([*knots.tolist(), record.stop_s]), strict=True
        )
    ]
    return _of_rows(rows, None, record.stop_s)


def _of_rows(rows: list[CommandRow], planned: Program | None, stop_s: float) -> Program:
    count = len(rows)
    springs = np.zeros((count, SPRING_POINTS))
    strokes, water_c = np.full(count, np.inf), np.full(count, np.nan)
    spring_ml, spring_bar, over = springs.copy(), springs.copy(), [row.lasts_s for row in rows]
    along = np.full(count, ALONG_TIME)
    shape = np.full(count, LINEAR)
    if planned is not None:
        of = np.array([row.of for row in rows])
        whole = np.isin(planned.control[of], (SPRING, FORCE))
        spring_ml, spring_bar = planned.spring_ml[of], planned.spring_bar[of]
        water_c = planned.water_c[of]
        strokes = np.where(whole, planned.stroke_ml[of], np.inf)
        along = np.where(whole, planned.along[of], along)
        shape = np.where(whole, planned.shape[of], shape)
        over = np.where(whole, planned.over[of], over).tolist()
    zero = np.zeros(1)
    return Program(
        control=np.array([row.control for row in rows], dtype=np.int64),
        start=np.array([row.start for row in rows]),
        end=np.array([row.end for row in rows]),
        along=along.astype(np.int64),
        over=np.array(over, dtype=np.float64),
        shape=shape.astype(np.int64),
        limit=np.array([row.limit for row in rows]),
        stroke_ml=strokes,
        spring_ml=spring_ml,
        spring_bar=spring_bar,
        exit_when=np.full((count, 1), BY_SECONDS, dtype=np.int64),
        exit_value=np.array([[row.lasts_s] for row in rows]),
        stop_cup_g=np.inf,
        stop_water_ml=np.inf,
        stop_time_s=stop_s,
        valve_turns=zero if planned is None else planned.valve_turns,
        valve_flow_ml_s=zero if planned is None else planned.valve_flow_ml_s,
        water_c=water_c,
    )
