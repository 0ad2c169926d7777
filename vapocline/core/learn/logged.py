"""A logged shot as learning takes it: set-up, commands and measurements."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from vapocline.core.base.amounts import grams
from vapocline.core.puck.plan import Plan
from vapocline.core.read.findings import Finding, RecordBroken
from vapocline.core.shot.result import lasting_peak_bar
from vapocline.core.shot.traces import Traces

LEAST_YIELD_G = 5.0  # less in the cup is no shot to learn from
# What a puck does that no model of a sound one follows, and a record that cannot be relied on.
VOIDS = {
    "opened": "its puck opened a channel",
    "run_away": "its resistance kept falling",
    "choked": "it choked",
    "record": "its record has a long gap",
}


@dataclass(frozen=True)
class LoggedShot:
    """One shot: its plan with the set-up as tamped, and its measurements; None is unknown.

    `steered` where a hand changed its course or its end. `version` names the profile's version and
    `bag` the bag, so that one can be held out; `preparation` the way its puck was made and `basket`
    what it lay in, empty where nobody said; `void` says why the shot does not count.
    """

    name: str
    plan: Plan
    traces: Traces | None = None
    shot_time_s: float | None = None
    first_drip_s: float | None = None
    yield_g: float | None = None
    peak_pressure_bar: float | None = None
    tds_pct: float | None = None
    by_hand: bool = False
    steered: bool = False
    version: str = ""
    bag: str | None = None
    preparation: str = ""
    basket: str = ""
    void: str | None = None

    @property
    def by_plan(self) -> bool:
        """Whether it ran as its plan says: then the plan predicts it."""
        return not (self.by_hand or self.steered)

    @property
    def peak_bar(self) -> float | None:
        """Its peak as it is compared: what lasted, where the pressure was logged."""
        if self.traces is None:
            return self.peak_pressure_bar
        return lasting_peak_bar(self.traces.time_s, self.traces.pressure_bar)

    @property
    def extraction_yield_pct(self) -> float | None:
        """From the measured strength, %; None without one."""
        if self.tds_pct is None or self.yield_g is None:
            return None
        return self.tds_pct * self.yield_g / self.plan.setup.dose_g


def void_because(findings: Sequence[Finding]) -> str | None:
    """Why a shot that was read so does not count; None where it does."""
    weighty = (one for one in findings if one.weight == "finding" and one.kind in VOIDS)
    return next((VOIDS[one.kind] for one in weighty if not _is_knock(one)), None)


def _is_knock(finding: Finding) -> bool:
    """A cup that was knocked: its jump is left out, and the rest of the record stands."""
    return isinstance(finding, RecordBroken) and finding.knocked_g is not None


def counts(shot: LoggedShot) -> str | None:
    """Why a shot teaches nothing; None where it counts."""
    if shot.void is not None:
        return shot.void
    if shot.plan.setup.insert:
        return "it was a dry run"
    if shot.shot_time_s is None or shot.shot_time_s < 3:
        return "its shot time is unknown"
    if shot.yield_g is None:
        return "its yield is unknown"
    if shot.yield_g < LEAST_YIELD_G:
        return f"less than {grams(LEAST_YIELD_G)} came out"
    return None
