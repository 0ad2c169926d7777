"""Where a shot stands, as arrays: their columns, and how the parts of the kernel are compiled."""

from __future__ import annotations

import hashlib
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any, NamedTuple, ParamSpec, TypeVar, cast

import numba
import numpy as np
from numba import njit, types
from numba.core import cgutils
from numba.extending import intrinsic, overload
from numpy.typing import NDArray

from vapocline.core.base.arrays import Floats
from vapocline.core.puck.parameters import Parameters

# Numba's cache notices changes of one file only, but the kernel is compiled from several: cached
# code goes into a folder named after a hash of all their source.
PUCK = Path(__file__).parent
SOURCES = (*sorted(PUCK.glob("*.py")), PUCK.parent / "shot" / "result.py")
SOURCE_HASH = hashlib.sha256(b"".join(file.read_bytes() for file in SOURCES)).hexdigest()[:12]
if not numba.config.CACHE_DIR:  # type: ignore[attr-defined]  # unless the user chose a folder
    numba.config.CACHE_DIR = str(PUCK / "__pycache__" / f"kernel-{SOURCE_HASH}")  # type: ignore[attr-defined]

Arguments = ParamSpec("Arguments")
ResultT = TypeVar("ResultT")
Array = TypeVar("Array", bound=NDArray[Any])

# Freedoms for the compiler that change the last digits only; what is not a number stays so.
FAST = {"arcp", "contract", "nsz", "reassoc"}


def compiled_before() -> bool:
    """Whether some process has compiled the kernel here, as it stands, on this Python."""
    version = f"py{sys.version_info.major}{sys.version_info.minor}"
    folder = Path(numba.config.CACHE_DIR)  # type: ignore[attr-defined]
    return any(folder.rglob(f"kernel.*.{version}.nbi"))


def compiled(function: Callable[Arguments, ResultT]) -> Callable[Arguments, ResultT]:
    """Compile without the interpreter's lock; a second process finds it in the cache."""
    made = njit(cache=True, nogil=True, error_model="numpy", fastmath=FAST)(function)
    return cast(Callable[Arguments, ResultT], made)


def inlined(function: Callable[Arguments, ResultT]) -> Callable[Arguments, ResultT]:
    """Compile into the caller: small parts that run many times a step."""
    made = njit(cache=True, nogil=True, error_model="numpy", fastmath=FAST, inline="always")(
        function
    )
    return cast(Callable[Arguments, ResultT], made)


@intrinsic
def _uncounted(_typing: Any, array: Any) -> Any:
    """An array's struct without its owner."""

    def code(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        struct = context.make_array(signature.args[0])(context, builder, arguments[0])
        for owner in ("meminfo", "parent"):
            none = cgutils.get_null_value(getattr(struct, owner).type)  # type: ignore[no-untyped-call]
            setattr(struct, owner, none)
        return struct._getvalue()

    return array(array), code


def borrowed(array: Array) -> Array:
    """The same array in compiled code, without reference counting; the caller keeps it alive.

    Passing a counted array between functions costs two atomic operations each time, a third of a
    whole run.
    """
    return array


@overload(borrowed, inline="always")
def _borrowed(array):  # type: ignore[no-untyped-def]  # numba compares the signatures
    if not isinstance(array, types.Array):
        return None
    return lambda array: _uncounted(array)  # type: ignore[call-arg]  # noqa: PLW0108


REFERENCE_BAR = 9.0  # at which compaction by gas and a hard wetting are stated
ATMOSPHERE_BAR = 1.013
TAIL_S = 6.0  # how long after the stop drips are followed

LANES = 3
LANE_WEIGHTS = np.array([0.25, 0.5, 0.25])
LANE_OFFSET = 1.22  # spread of a normal distribution in three parts of these weights
CLASSES = 3

# Columns of `State.now`.
(
    TIME, HEAD, P, Q_IN, Q_CUP, WATER, VENTED, DUMPED, TEMPERATURE,
    SPOUT_WATER, SPOUT_0, SPOUT_1, SPOUT_2, CUP_WATER, CUP_0, CUP_1, CUP_2, SCALE,
    PHASE, PHASE_TIME, PHASE_WATER, PHASE_CUP, PEAK, P_SEEN, Q_SEEN,
    FIRST_DRIP, STOP_T, STOP_CODE, CUP_AT_STOP, HAND, HAND_STOP, BINDING, SAMPLES, ON_SINCE,
    STROKE_FROM, SKIP, HOLD, WETTING_PRESSURE, FEED_C, Q_LEAST,
) = range(40)  # fmt: skip
NOW_COLUMNS = 40
# Columns of `State.lanes`: pore water mL, compaction, fines, flow mL/s, full cells, how wet the
# next one is, and what one step works out: resistance cm, gas mL/g, uptake mL/s, conductance,
# drive bar.
(
    PORE, KAPPA, LODGED, MOBILE, LANE_Q, FULL, PART,
    RESISTANCE, MEAN_GAS, LANE_UPTAKE, CONDUCTANCE, DRIVE,
) = range(12)  # fmt: skip
LANE_COLUMNS = 12
# Rows of `State.cells` in each lane: uptake mL, gas (mL/g × wetness), share of each class still in
# coarse grains, solute of each class in water and fines, g.
UPTAKE, GAS, SOLID, SOLUTE = 0, 1, 2, 5
CELL_ROWS = 8
# Columns of the samples.
SAMPLE_COLUMNS = 11
(
    S_TIME, S_P, S_Q_IN, S_Q_CUP, S_CUP, S_TDS, S_PUCK_C, S_TARGET, S_PHASE, S_BINDING, S_WATER,
) = range(11)  # fmt: skip

# What holds the achieved off the commanded.
BINDS_FLOW_LIMIT, BINDS_PRESSURE_LIMIT, BINDS_PUMP, BINDS_RELIEF, BINDS_FLOOR = 1, 2, 4, 8, 16
BINDS_STROKE, BINDS_SOFT_START = 32, 64


@inlined
def weight_of(i: int) -> float:
    """A lane's share of the bed: LANE_WEIGHTS, as the compiler likes it."""
    return 0.5 if i == 1 else 0.25


class State(NamedTuple):
    """Scalars, lanes (3, 12), cells (3, 8, n), the phases' log (m, 3), and what a step passes."""

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
    state.now[FEED_C] = p.water_c
    state.now[FIRST_DRIP] = state.now[STOP_T] = state.now[CUP_AT_STOP] = np.nan
    state.now[STOP_CODE] = -1
    state.now[Q_LEAST] = np.inf
    state.lanes[:, MOBILE] = 1.0
    state.cells[:, SOLID : SOLID + CLASSES] = 1.0
    if p.preamble_s <= 0.0:
        state.log[0, 0] = 0.0
    return state
