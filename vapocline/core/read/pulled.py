"""One shot with everything the rules need: its recording, replay, forecast and key moments."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Literal, NamedTuple

import numpy as np

from vapocline.core.base.arrays import Mask
from vapocline.core.profile.profile import Phase
from vapocline.core.puck import columns
from vapocline.core.puck.figures import BEFORE_PRESSING
from vapocline.core.puck.parameters import parameters_for
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import run
from vapocline.core.puck.program import program_of
from vapocline.core.read.record import GRID_S, Record, box_mean, slope
from vapocline.core.read.replay import Replay
from vapocline.core.shot.events import Mark
from vapocline.core.shot.result import FIRST_DRIP_G

PRESSED_BAR = 4.0
RESTED_BAR, RESTS_S = (0.5, 1.0), 3.0  # below the first after the second, so long, is a rest
STARTS_S = 0.8  # of a phase, in which no command is met yet


class PlannedShot(NamedTuple):
    """What the plan should have done on the puck it was planned for."""

    stop_s: float
    first_drip_s: float
    press_s: float | None
    cup_at_press_g: float
    second_phase_s: float | None


class RecordedPhase(NamedTuple):
    """A phase of the recording, from when to when."""

    phase: int
    start_s: float
    end_s: float


class Seen(NamedTuple):
    """A mark somebody set, at its time."""

    at_s: float
    mark: Mark


class Pulled(NamedTuple):
    """A shot with what its rules need; `forecast` is None without a plan, and the replay then
    follows the recorded pressure.

    `usual_…` is how the coffee's earlier pulls ran, None where there are none. `open_ln_k` is one
    standard deviation of what the forecast leaves open of the fitted ln-permeability.
    `pulled_before`: an earlier pull was read beside it.
    """

    record: Record
    plan: Plan | None
    replay: Replay | None
    forecast: PlannedShot | None
    first_drip_s: float | None
    spans: tuple[RecordedPhase, ...]
    marks: tuple[Seen, ...]
    by_hand: bool
    stopped_by: str | None
    target_g: float | None
    usual_ln_k: float | None
    open_ln_k: float
    pulled_before: bool
    usual_press_s: float | None
    usual_gap_more_ml: float | None
    usual_held_more_ml: float | None

    @property
    def whole_g(self) -> float:
        """What was in the cup at the stop, g; 0 where nobody weighed."""
        if "cup" not in self.record.known:
            return 0.0
        return float(np.nanmax(self.record.cup_g[self.record.until_stop()]))

    @property
    def rests_unseen(self) -> bool:
        """Whether the recorded pressure was followed, and rests on the way: then it does not show
        what was pumped into the puck."""
        if self.replay is None or not self.replay.of_pressure:
            return False
        pressure = box_mean(self.record.pressure_bar, 0.5)[self.record.until_stop()]
        pressed = np.maximum.accumulate(pressure) > RESTED_BAR[1]
        rests = runs(pressed & (pressure < RESTED_BAR[0]))
        return any((after - first) * GRID_S > RESTS_S for first, after in rests)

    def phase_of(self, span: RecordedPhase) -> Phase | None:
        """What was planned of a span."""
        if self.plan is None or not 0 <= span.phase < len(self.plan.profile.phases):
            return None
        return self.plan.profile.phases[span.phase]

    def phase_at(self, time_s: float) -> int | None:
        """Which phase ran at a moment."""
        for span in self.spans:
            if span.start_s <= time_s < span.end_s:
                return span.phase
        return self.spans[-1].phase if self.spans else None

    def press_s(self) -> float | None:
        """When the first phase began that presses; without a plan, when pressure came up."""
        if self.plan is not None and self.spans:
            for span in self.spans:
                phase = self.phase_of(span)
                if phase is not None and phase.kind not in BEFORE_PRESSING:
                    return span.start_s
            return None
        high = np.flatnonzero(np.nan_to_num(self.record.pressure_bar) > PRESSED_BAR)
        return float(self.record.time_s[high[0]]) if high.size else None


def spans_of(record: Record, from_s: float) -> tuple[RecordedPhase, ...]:
    """The phases as recorded, from the program's begin on; empty where none were recorded."""
    ran = record.until_stop()
    phase = record.phase[ran]
    if phase.size == 0 or (not phase.any() and not np.isfinite(record.asked[ran]).any()):
        return ()
    starts = np.flatnonzero(np.diff(phase, prepend=-1.0))
    ends = [*starts[1:].tolist(), phase.size]
    found = []
    for first, after in zip(starts.tolist(), ends, strict=True):
        end = float(record.time_s[after]) if after < phase.size else record.stop_s
        start = max(from_s, float(record.time_s[first]))
        if end > start:
            found.append(RecordedPhase(int(phase[first]), start, end))
    return tuple(found)


def first_drip(record: Record, lag_s: float) -> float | None:
    """When the first drip fell, s: the weight's line traced to the drip's threshold, lag out."""
    if "cup" not in record.known:
        return None
    cup = box_mean(record.cup_g, 0.5)
    least = max(FIRST_DRIP_G, 4.4 * record.noise_g / np.sqrt(5))
    above = cup >= least
    # A splash that goes back is no drip.
    stays = np.flatnonzero(above & (np.minimum.accumulate(cup[::-1])[::-1] >= 0.7 * least))
    if stays.size == 0:
        return None
    at = int(stays[0])
    pace = max(0.2, float(slope(cup, 1.0)[min(at + 5, cup.size - 1)]))
    over = (float(cup[at]) - FIRST_DRIP_G) / pace
    return max(0.0, float(record.time_s[at]) - min(1.0, over) - lag_s)


def forecast_of(plan: Plan) -> PlannedShot:
    """The nominal shot of a plan, for what reading compares with."""
    parameters = parameters_for(plan.setup)
    state, samples = run(parameters, program_of(plan.profile, plan.setup.machine))
    pressing = [phase.kind not in BEFORE_PRESSING for phase in plan.profile.phases]
    began_s = state.log[:, 0]
    press = float(began_s[pressing.index(True)]) if any(pressing) else math.nan
    time_s, cup = samples[:, columns.S_TIME], samples[:, columns.S_CUP]
    return PlannedShot(
        stop_s=float(state.now[columns.STOP_T]),
        first_drip_s=float(state.now[columns.FIRST_DRIP]),
        press_s=None if math.isnan(press) else press,
        cup_at_press_g=0.0 if math.isnan(press) else float(np.interp(press, time_s, cup)),
        second_phase_s=float(began_s[1]) if began_s.size > 1 and began_s[1] > 0 else None,
    )


def beyond_usual(value: float, usual: float | None) -> float:
    """How far a difference from the forecast lies beyond the span from 0 to what is usual."""
    low, high = min(0.0, usual or 0.0), max(0.0, usual or 0.0)
    return value - min(max(value, low), high)


def runs(mask: Mask) -> Sequence[tuple[int, int]]:
    """The stretches where a mask holds, as first and one past the last."""
    edges = np.flatnonzero(np.diff(np.concatenate(([0], mask.astype(np.int8), [0]))))
    return list(zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True))


ControlledVariable = Literal["pressure", "flow"]


def commanded_variable(phase: Phase | None) -> ControlledVariable | None:
    """Whether a phase commands bar or mL/s; None for turns, rest and levers."""
    if phase is None or phase.command.control not in ("pressure", "flow"):
        return None
    return "pressure" if phase.command.control == "pressure" else "flow"
