"""What a machine and a grinder want done, and when it falls due: by days, shots or litres.

Intervals are ours, for where nobody said otherwise; the maker's manual comes first.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, time, timedelta
from typing import Annotated, Literal, NamedTuple, get_args

from pydantic import BaseModel, ConfigDict, Field

from vapocline.core.base.amounts import temperature_apart
from vapocline.core.base.document import Answer
from vapocline.core.machine.machine import HandLever, Machine, SpringLever

CareTask = Literal[
    "rinse",
    "back_flush",
    "screen_look",
    "screen_clean",
    "gasket",
    "boiler_water",
    "descale",
    "brush",
    "burrs",
]
CARE_TASKS: tuple[CareTask, ...] = get_args(CareTask)
CareUnit = Literal["days", "shots", "litres"]
CareState = Literal["due", "soon", "fine"]
SOON = 0.85  # of the interval
# Calcium carbonate that may have come by before descaling, mg: some of it stays as scale.
SCALE_MG = 12_000.0
LEAST_HARDNESS = 20.0  # softer water leaves nothing worth descaling
UNEVEN, OF_SHOTS = 3, 10  # of the newest shots, marked as dripping on one side or spurting
CALIBRATION_DAYS = 180.0
GROUP_OFF_C = 1.0  # logged off what was set, before a calibrated group is measured again


class Interval(BaseModel):
    """After how many days, shots or litres something is due."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    every: Annotated[float, Field(gt=0, le=100_000)]
    unit: CareUnit


class CareJob(NamedTuple):
    """Something to do: what, how, and how often where nobody said."""

    task: CareTask
    words: str
    how: str
    usual: Interval


class GoneBy(Answer):
    """What went by since something was done: days, shots pulled, litres through them."""

    days: float
    shots: int
    litres: float


def machine_jobs(machine: Machine, hardness_mg_l: float | None) -> list[CareJob]:
    """What a machine wants done; with a water of known hardness also when to descale."""
    by_lever = isinstance(machine.control, SpringLever | HandLever)
    jobs = [
        _job(
            "rinse", 30, "shots", "Rinse the group",
            "Wipe screen and gasket, let water run; where many are pulled, every evening.",
        ),
        _job(
            "back_flush", 200, "shots", "Back-flush with cleaner",
            "A blind basket, ten seconds on, ten off, five times; then rinse the same way.",
        ),
        _job(
            "screen_look", 100, "shots", "Look at the screen",
            "Water alone: an even rain is right, a single stream is not.",
        ),
        _job("screen_clean", 300, "shots", "Clean the screen", "Take it out, brush it, soak it."),
        _job("gasket", 365, "days", "Renew the gasket", "Once the handle turns further, or drips."),
        _job(
            "boiler_water", 14, "days", "Renew the boiler's water",
            "Draw at most 120 mL at once, so that the element stays covered.",
        ),
    ]  # fmt: skip
    if by_lever:  # no valve lets go of the pressure above the puck
        jobs = [one for one in jobs if one.task != "back_flush"]
    if machine.boiler_ml is None:
        jobs = [one for one in jobs if one.task != "boiler_water"]
    if hardness_mg_l is not None and hardness_mg_l >= LEAST_HARDNESS:
        litres = float(f"{SCALE_MG / hardness_mg_l:.2g}")
        how = f"As the maker says, or not at all; this water brings {hardness_mg_l:.0f} mg/L."
        jobs.append(_job("descale", litres, "litres", "Descale", how))
    return jobs


def grinder_jobs() -> list[CareJob]:
    """What a grinder wants done."""
    return [
        _job("brush", 150, "shots", "Brush out the burrs", "Old grounds turn rancid and clump."),
        _job(
            "burrs", 20_000, "shots", "Look at the burrs",
            "Blunt edges crush: more fines, a slower shot at the same setting.",
        ),
    ]  # fmt: skip


def _job(task: CareTask, every: float, unit: CareUnit, words: str, how: str) -> CareJob:
    return CareJob(task, words, how, Interval(every=every, unit=unit))


def gone_by(since: GoneBy, unit: CareUnit) -> float:
    """How much of a unit went by."""
    return float(getattr(since, unit))


def care_state(interval: Interval, since: GoneBy) -> CareState:
    """Whether it is due. What is asked every few days is not due where nothing was pulled."""
    share = gone_by(since, interval.unit) / interval.every
    if share < SOON or (interval.unit == "days" and since.shots == 0):
        return "fine"
    return "due" if share >= 1 else "soon"


def uneven_words(marked: Sequence[bool]) -> str | None:
    """Why the screen is to be looked at, by which of the newest shots were marked as dripping on
    one side or spurting, the newest first."""
    newest = marked[:OF_SHOTS]
    if sum(newest) < UNEVEN:
        return None
    return f"{sum(newest)} of the last {len(newest)} shots dripped on one side or spurted"


def better_words(before: Sequence[bool], after: Sequence[bool]) -> str | None:
    """What came of looking at the screen: how many shots were marked before it and since; None
    where none were marked before."""
    if sum(before) < UNEVEN or not after:
        return None
    was, now = (f"{sum(marked)} of {len(marked)}" for marked in (before, after))
    return f"marked uneven: {was} shots before, {now} since"


def group_words(off_c: Sequence[float]) -> str | None:
    """Why a calibrated group is to be measured again, by how far off what was set the newest shots
    were logged, °C."""
    if len(off_c) < UNEVEN:
        return None
    middle = sorted(off_c)[len(off_c) // 2]
    if abs(middle) <= GROUP_OFF_C:
        return None
    way = "above" if middle > 0 else "below"
    return f"the group was logged {temperature_apart(abs(middle), 1)} {way} what was set"


# What a machine's calibrations were measured with, besides what they set themselves.
MEASURED_WITH = (
    "control", "relief_bar", "floor_bar", "top_flow_ml_s", "pump_max_bar", "when_off", "boiler_ml",
    "heater_w", "preamble", "gauge_at",
)  # fmt: skip
CHANGED_WORDS = "the machine was changed since"


def outdates_calibrations(before: Machine, after: Machine) -> bool:
    """Whether a change of a machine asks for its calibrations to be measured again."""
    return any(getattr(before, name) != getattr(after, name) for name in MEASURED_WITH)


def switch_on_at(warm_at: time | None, takes_min: float) -> time | None:
    """The time of day to switch on, to be warm at another; it may be of the day before."""
    if warm_at is None:
        return None
    day = datetime(2000, 1, 2, warm_at.hour, warm_at.minute)
    return (day - timedelta(minutes=takes_min)).time().replace(second=0)
