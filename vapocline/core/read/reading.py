"""Reading one recorded shot: everything its curve says, with evidence, and what it cannot say."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Literal, NamedTuple

import numpy as np

from vapocline.core.base.document import Answer
from vapocline.core.puck.parameters import parameters_for
from vapocline.core.puck.plan import Plan, Setup, knowing
from vapocline.core.puck.priors import members_of
from vapocline.core.read.cannot_tell import cannot_tell
from vapocline.core.read.command_rules import not_reached, overshoot, relief_opened
from vapocline.core.read.derived import Derived, derived_of
from vapocline.core.read.detection import HOW_DETECTED
from vapocline.core.read.findings import (
    FINDING_KINDS,
    MEASURED,
    CannotTell,
    EarlyResistance,
    Finding,
    GaveWay,
    MeterOff,
    NotReached,
)
from vapocline.core.read.group_rules import temperature, wetting
from vapocline.core.read.puck_rules import gave_way, ran_like
from vapocline.core.read.pulled import PlannedShot, Pulled, Seen, first_drip, forecast_of, spans_of
from vapocline.core.read.record import Record, record_of
from vapocline.core.read.record_rules import broken
from vapocline.core.read.replay import Replay, replay_of
from vapocline.core.read.resistance import Resistance, resistance_of
from vapocline.core.read.timing_rules import by_hand, pre_infusion_end
from vapocline.core.read.unplanned_rules import commands_in, not_reached_unplanned
from vapocline.core.read.verdict import verdict_of
from vapocline.core.read.water_rules import (
    choked,
    first_drip_seen,
    gap_more_ml,
    held_more_ml,
    late_meeting,
    level,
    meter_off,
    over_soaked,
    stop_seen,
    water_count,
)
from vapocline.core.shot.traces import Traces

MOST_FINDINGS = 3  # that head the page; the rest are notes
LEAST_PHASE_S = 2.0
GIVES_S = 1.0  # a ramp's begin is known to so much
BY_THE_WAY = ("pre_infusion_end", "by_hand", "temperature")  # notes that come after the others
USUAL_DOSE_G = 18.0  # of a recording of which nothing else is known
SPREAD_MEMBERS = 64
FIT_WIDENS = 1.2  # fines, wear and gas move the fitted permeability as well: `./vapo bench read`
METER_BETTER = 0.85  # so much smaller is the refit's error with a meter that is really off
HEAD_HIDES_S = 4.0  # a wrong head looks like a loosening this soon after the drip


class Reading(Answer):
    """What a curve says. `findings` are in order of size, the weightiest first. `commands_in` is
    what recorded commands are of where no plan says it."""

    format: Literal["vapocline/reading"] = "vapocline/reading"
    version: Literal[1] = 1
    verdict: str
    findings: list[Finding]
    cannot_tell: list[CannotTell]
    ran_like_ln_k: float | None = None
    first_drip_s: float | None = None
    stop_s: float | None = None
    derived: Derived | None = None
    commands_in: Literal["bar", "mL/s"] | None = None

    def document(self) -> dict[str, object]:
        """As `./vapo read` prints it."""
        return {
            "format": self.format,
            "version": self.version,
            "verdict": self.verdict,
            "findings": [
                {
                    "kind": one.kind, "weight": one.weight, "from_s": one.from_s,
                    "to_s": one.to_s, "words": one.words, "figures": one.figures(),
                }
                for one in self.findings
            ],
            "cannot_tell": [one.model_dump() for one in self.cannot_tell],
        }  # fmt: skip


class Circumstances(NamedTuple):
    """What is known of a pull besides its traces and its plan; `setup` where there is no plan."""

    stop_s: float | None = None
    stopped_by: str | None = None
    by_hand: bool = False
    marks: tuple[Seen, ...] = ()
    target_g: float | None = None
    setup: Setup | None = None


class Earlier(NamedTuple):
    """An earlier pull of the same plan and coffee, for what is usual: how its puck ran, its
    resistance by weight, when its press began, what it drank late and what it held at first beyond
    the replay, mL."""

    ln_k: float
    resistance: Resistance | None
    press_s: float | None
    gap_more_ml: float | None
    held_more_ml: float | None


def read_curve(
    traces: Traces,
    plan: Plan | None,
    circumstances: Circumstances | None = None,
    earlier: Sequence[Earlier] = (),
) -> Reading:
    """Everything a shot's curve says. Never fails on odd traces: it lists what cannot be said.

    Raises Cancelled.
    """
    known = circumstances or Circumstances()
    record = record_of(traces, known.stop_s)
    if record is None:
        because = "the recording is shorter than 3 s or has fewer than 20 samples"
        return Reading(
            verdict="Too short a recording to read.",
            findings=[],
            cannot_tell=[CannotTell(kind=kind, because=because) for kind in FINDING_KINDS],
        )
    pulled = _pulled(record, plan, known, earlier)
    meter, relief = None, relief_opened(pulled)
    if relief is None:
        meter, pulled = _metered(pulled, known, earlier)
    missed = [relief[0]] if relief else [*not_reached(pulled), *not_reached_unplanned(pulled)]
    over = overshoot(pulled)
    if missed:  # what the machine did not give must not be laid on the puck
        own = pulled.record if relief is None else pulled.record.without_water(relief[1])
        pulled = _pulled(own, plan, known, earlier, by_pressure=True)
    resistance = _resistance(pulled)
    found: list[Finding | None] = [*broken(record), meter, *over]
    found += _rules(pulled, resistance, earlier, missed)
    findings = _ordered([one for one in found if one is not None])
    return Reading(
        verdict=verdict_of(pulled, findings),
        findings=findings,
        cannot_tell=[
            untold
            for untold in cannot_tell(pulled, resistance)
            if untold.kind not in {finding.kind for finding in findings}
        ],
        ran_like_ln_k=None
        if pulled.plan is None or pulled.replay is None
        else round(pulled.replay.ln_k, 3),
        first_drip_s=None if pulled.first_drip_s is None else round(pulled.first_drip_s, 2),
        stop_s=round(record.stop_s, 2),
        derived=derived_of(pulled, resistance),
        commands_in=commands_in(pulled),
    )


def earlier_of(traces: Traces, plan: Plan, known: Circumstances) -> Earlier | None:
    """What an earlier pull lends to the reading of a later one; None where it says too little."""
    record = record_of(traces, known.stop_s)
    if record is None:
        return None
    pulled = _pulled(record, plan, known, ())
    if pulled.replay is None:
        return None
    return Earlier(
        pulled.replay.ln_k,
        _resistance(pulled),
        pulled.press_s(),
        gap_more_ml(pulled),
        held_more_ml(pulled),
    )


def _metered(
    pulled: Pulled, known: Circumstances, earlier: Sequence[Earlier]
) -> tuple[MeterOff | None, Pulled]:
    """What the flow meter is off, and the shot read with it corrected."""
    meter = meter_off(pulled)
    if meter is None:
        return None, pulled
    water = pulled.record.water_ml_s * (1 + meter.off_pct / 100)
    again = _pulled(pulled.record._replace(water_ml_s=water), pulled.plan, known, earlier)
    # A cup that gains more than is pumped can only be the meter; less may be a puck that still
    # drinks, unless the whole shot agrees.
    if meter.off_pct > 0 or _better(again.replay, pulled.replay):
        return meter, again
    return None, pulled


def _pulled(
    record: Record,
    plan: Plan | None,
    known: Circumstances,
    earlier: Sequence[Earlier],
    *,
    by_pressure: bool = False,
) -> Pulled:
    """The shot as the rules take it; `by_pressure` replays the recorded pressure."""
    forecast = None if plan is None else forecast_of(plan)
    # Every puck is compared with the nominal one, whatever was known when it was planned.
    expected = None if plan is None else _expected_ln_k(plan)
    left_open = 0.0 if plan is None else _open_ln_k(plan, pulled_before=bool(earlier))
    plan = None if plan is None else knowing(plan, None)
    if not _phases_told(record, forecast):  # then commands cannot be set against their phases
        record = record._replace(asked=np.full(record.time_s.size, math.nan))
    setup = known.setup if plan is None else plan.setup
    profile = None if plan is None or known.by_hand or by_pressure else plan.profile
    replay = replay_of(record, setup or Setup(dose_g=USUAL_DOSE_G), profile)
    if plan is None and replay is not None and not replay.explains():
        replay = None  # it was another puck than the assumed one
    lag = replay.lag_s + replay.parameters.scale_lag_s if replay is not None else 0.2
    preamble = plan.setup.machine.preamble if plan is not None else None
    return Pulled(
        record=record,
        plan=plan,
        replay=replay,
        forecast=forecast,
        first_drip_s=first_drip(record, lag),
        spans=spans_of(record, preamble.lasts_s if preamble else 0.0),
        marks=known.marks,
        by_hand=known.by_hand,
        stopped_by=known.stopped_by,
        target_g=known.target_g,
        usual_ln_k=_middle([pull.ln_k for pull in earlier] or [expected]),
        open_ln_k=left_open,
        pulled_before=bool(earlier),
        usual_press_s=_middle([pull.press_s for pull in earlier]),
        usual_gap_more_ml=_middle([pull.gap_more_ml for pull in earlier]),
        usual_held_more_ml=_middle([pull.held_more_ml for pull in earlier]),
    )


def _expected_ln_k(plan: Plan) -> float | None:
    """The permeability that the coffee's shots had taught before this one, against what is assumed
    of any; None where nothing was learnt."""
    if plan.setup.knowledge is None:
        return None
    known, assumed = (parameters_for(one.setup) for one in (plan, knowing(plan, None)))
    return math.log(known.permeability / assumed.permeability)


def _open_ln_k(plan: Plan, *, pulled_before: bool) -> float:
    """One standard deviation of ln-permeability that the forecast's own priors, or what shots
    taught, leave open of one pull."""
    setup = plan.setup
    known = setup.dialled_in or pulled_before
    members = members_of(
        parameters_for(setup),
        SPREAD_MEMBERS,
        1,
        known=known,
        knowledge=setup.knowledge,
        grind_spread=setup.grind_spread,
        dose_spread=setup.dose_spread,
    )
    return FIT_WIDENS * float(np.std([math.log(one.permeability) for one in members]))


def _middle(values: Sequence[float | None]) -> float | None:
    known = [value for value in values if value is not None]
    return float(np.median(known)) if known else None


def _phases_told(record: Record, forecast: PlannedShot | None) -> bool:
    """Whether the record says which phase ran: not where it never moves on as it should."""
    second = None if forecast is None else forecast.second_phase_s
    return bool(record.phase.any()) or second is None or second > record.stop_s - LEAST_PHASE_S


def _better(one: Replay | None, other: Replay | None) -> bool:
    return one is not None and other is not None and one.error < METER_BETTER * other.error


def _resistance(pulled: Pulled) -> Resistance | None:
    if pulled.first_drip_s is None:
        return None
    return resistance_of(pulled.record, pulled.replay, pulled.first_drip_s)


def _rules(
    pulled: Pulled,
    resistance: Resistance | None,
    earlier: Sequence[Earlier],
    missed: Sequence[NotReached],
) -> list[Finding | None]:
    """The rules in the order of explanation: puck, limits, head, gap, soak; then the measured."""
    before = [
        pull.resistance
        for pull in earlier
        if pull.resistance is not None
        and resistance is not None
        and pull.resistance.by_water == resistance.by_water
    ]
    choke, count = choked(pulled), water_count(pulled)
    loosened = None if resistance is None or choke else gave_way(pulled, resistance, before)
    if loosened is not None and count is not None and _hidden_by_head(pulled, loosened):
        loosened = None
    lag = 0.2 if pulled.replay is None else pulled.replay.lag_s + 0.2
    return [
        None if choke else ran_like(pulled, loosened),
        loosened,
        *(one for one in missed if not _after(loosened, one)),
        *by_hand(pulled),
        count,
        None if count or choke else late_meeting(pulled),
        choke,
        over_soaked(pulled),
        pre_infusion_end(pulled),
        temperature(pulled),
        wetting(pulled),
        first_drip_seen(pulled),
        level(pulled),
        stop_seen(pulled, lag),
    ]


def _after(loosened: GaveWay | None, one: NotReached) -> bool:
    """Whether a command was missed only because the puck had given way, which is reported."""
    if loosened is None or isinstance(loosened, EarlyResistance):
        return False
    return one.from_s >= loosened.from_s - GIVES_S


def _hidden_by_head(pulled: Pulled, found: GaveWay) -> bool:
    """A small head fakes an opening soon after the drip: the head explains it."""
    drip = pulled.first_drip_s or 0.0
    return found.from_s < drip + HEAD_HIDES_S


def _ordered(found: Sequence[Finding]) -> list[Finding]:
    """The record and the meter first, then by size; at most three findings, the rest notes."""
    first: dict[str, int] = {"record": 0, "meter": 1}
    weighty = sorted(
        (one for one in found if one.weight == "finding"),
        key=lambda one: (first.get(one.kind, 2), -one.size_s),
    )
    kept = [one for one in weighty if one.kind not in first][:MOST_FINDINGS]
    demoted = [
        one if one.kind in first or one in kept else one.model_copy(update={"weight": "note"})
        for one in weighty
    ]
    notes = [one for one in found if one.weight == "note"]
    notes.sort(key=lambda one: (one.kind in MEASURED, one.kind in BY_THE_WAY, -one.size_s))
    return [
        one.model_copy(
            update={"size_s": round(one.size_s, 1), "how": one.how or HOW_DETECTED[one.kind]}
        )
        for one in (*[d for d in demoted if d.weight == "finding"],
                    *[d for d in demoted if d.weight == "note"], *notes)
    ]  # fmt: skip
