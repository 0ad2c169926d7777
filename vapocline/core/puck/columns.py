"""Where a shot stands, as arrays: their columns, and how the parts of the kernel are compiled."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple, ParamSpec, TypeVar, cast

import numpy as np
from numba import njit

from vapocline.core.base.arrays import Floats
from vapocline.core.puck.parameters import Parameters

Arguments = ParamSpec("Arguments")
Result = TypeVar("Result")

# Freedoms for the compiler that change the last digits only; what is not a number stays so.
FAST = {"arcp", "contract", "nsz", "reassoc"}


def compiled(function: Callable[Arguments, Result]) -> Callable[Arguments, Result]:
    """Compile without the interpreter's lock; a second process finds it in the cache."""
    made = njit(cache=True, nogil=True, error_model="numpy", fastmath=FAST)(function)
    return cast(Callable[Arguments, Result], made)


def inlined(function: Callable[Arguments, Result]) -> Callable[Arguments, Result]:
    """Compile into the caller: small parts that run many times a step."""
    made = njit(cache=True, nogil=True, error_model="numpy", fastmath=FAST, inline="always")(
        function
    )
    return cast(Callable[Arguments, Result], made)


ATMOSPHERE_BAR = 1.013
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
    FIRST_DRIP, STOP_T, STOP_CODE, CUP_AT_STOP, HAND, HAND_STOP, BINDING, SAMPLES, ON_SINCE,
    STROKE_FROM, SKIP, HOLD,
) = range(37)  # fmt: skip
NOW_COLUMNS = 37
# Columns of `State.lanes`: pore water mL, compaction, fines, flow mL/s, wet cells, and what one
# step works out: resistance cm, gas mL/g, uptake mL/s, conductance, drive bar.
(
    PORE, KAPPA, LODGED, MOBILE, LANE_Q, WET_CELLS,
    RESISTANCE, MEAN_GAS, LANE_UPTAKE, CONDUCTANCE, DRIVE,
) = range(11)  # fmt: skip
LANE_COLUMNS = 11
# Rows of `State.cells` in each lane: pore water mL, uptake mL, gas (mL/g × wetness), what the
# grains may drink in the step mL, solids left of each class, solute of each class g.
WET, UPTAKE, GAS, THIRST, SOLID, SOLUTE = 0, 1, 2, 3, 4, 7
CELL_ROWS = 10
# Columns of the samples.
SAMPLE_COLUMNS = 11
(
    S_TIME, S_P, S_Q_IN, S_Q_CUP, S_CUP, S_TDS, S_PUCK_C, S_TARGET, S_PHASE, S_BINDING, S_WATER,
) = range(11)  # fmt: skip

# What holds the achieved off the commanded.
BINDS_FLOW_LIMIT, BINDS_PRESSURE_LIMIT, BINDS_PUMP, BINDS_RELIEF, BINDS_FLOOR = 1, 2, 4, 8, 16
BINDS_STROKE, BINDS_SOFT_START = 32, 64


class State(NamedTuple):
    """Scalars, lanes (3, 11), cells (3, 10, n), the phases' log (m, 3), and what a step passes."""

    now: Floats
    lanes: Floats
    cells: Floats
    log: Floats  # start s, end s, what ended it; one row a phase
    passed: Floats  # below the bed in one step: water mL, solute of each class g


def fresh_state(p: Parameters, phases: int, cells: int) -> State:
    """A dry puck under an empty head at the moment the pump starts."""
    state = State(
        np.zeros(NOW_COLUMNS),
        np.zeros((LANES, LANE_COLUMNS)),
        np.zeros((LANES, CELL_ROWS, cells)),
        np.full((phases, 3), np.nan),
        np.zeros(CLASSES + 1),
    )
    state.now[TEMPERATURE] = p.puck_start_c
    state.now[FIRST_DRIP] = state.now[STOP_T] = state.now[CUP_AT_STOP] = np.nan
    state.now[STOP_CODE] = -1
    state.lanes[:, MOBILE] = 1.0
    state.cells[:, SOLID : SOLID + CLASSES] = 1.0
    state.log[0, 0] = 0.0
    return state
