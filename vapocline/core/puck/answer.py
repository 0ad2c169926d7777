"""What a prediction answers, as `./vapo predict` and the API give it. Units are in the names."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from vapocline.core.base.document import Answer, Plain, Versioned, nested_parts_changed


class Figure(Answer):
    """One predicted number; `value` is the nominal run's, None where it never happens.

    Eight in ten of the ensemble lie from `p10` to `p90`; with one member all equal the value.
    """

    value: float | None
    p10: float | None
    p50: float | None
    p90: float | None


class Classes(Answer):
    """Share of the drink by weight, %, of each solute class."""

    bright: Figure
    sweet: Figure
    bitter: Figure


class PhaseRun(Answer):
    """When a phase ran, s from pump on, and what ended it; None where the shot never came to it."""

    start_s: float | None
    end_s: float | None
    ended_on: str | None


LimitKind = Literal[
    "flow limit",
    "pressure limit",
    "pump curve",
    "relief valve",
    "plumbed feed",
    "stroke",
    "soft start",
]


class Binding(Answer):
    """A limit that held the achieved off the commanded, from when to when, s, in words.

    `share` is the part of the ensemble in which it does so in the same phase, 0 to 1.
    """

    what: LimitKind
    from_s: float = Field(alias="from")
    to_s: float = Field(alias="to")
    phase: int
    words: str
    share: float | None = None


class Series(Answer):
    """Curves on one clock, one value a sample; `commanded` is None where the pump is off.

    `water_ml` is what was pumped by then. A lever's command is given in bar. The ranges are of the
    members that still run at that moment, None where too few do.
    """

    time_s: list[float]
    pressure_bar: list[float]
    water_in_ml_s: list[float]
    cup_out_ml_s: list[float]
    cup_g: list[float]
    tds_pct: list[float]
    puck_c: list[float]
    water_ml: list[float]
    dial_bar: list[float]
    commanded: list[float | None]
    control: list[str | None]
    phase: list[int]
    pressure_bar_p10: list[float | None]
    pressure_bar_p90: list[float | None]
    water_in_ml_s_p10: list[float | None]
    water_in_ml_s_p90: list[float | None]
    cup_out_ml_s_p10: list[float | None]
    cup_out_ml_s_p90: list[float | None]
    cup_g_p10: list[float | None]
    cup_g_p90: list[float | None]


RENAMED_FIGURES = {"cup_g": "yield_g", "ey_pct": "extraction_yield_pct"}  # in version 2


def _figures_renamed(document: Plain) -> Plain:
    return {RENAMED_FIGURES.get(name, name): part for name, part in document.items()}


class Prediction(Versioned):
    """The answer to a plan. Shot time is given on three clocks; `shot_time_s` is from pump on.

    `ranges` are those of a coffee and grinder dialled in here, wide ones, or what its own shots
    leave open, `learnt_shots` of them; `assumed` says in
    words what stood in for what nobody has said of the set-up. `preamble` says what the machine
    does before any program, for `preamble_s`.
    """

    UPGRADES = (_figures_renamed, nested_parts_changed, nested_parts_changed)

    format: Literal["vapocline/prediction"] = "vapocline/prediction"
    version: Literal[4] = 4
    members: int
    ranges: Literal["known", "new", "learnt"] = "known"
    learnt_shots: int = 0
    preamble_s: float = 0.0
    preamble: str | None = None
    assumed: list[str] = Field(default_factory=list)
    shot_time_s: Figure
    shot_time_from_first_drip_s: Figure
    shot_time_from_full_pressure_s: Figure
    first_drip_s: Figure
    pre_infusion_end_s: Figure
    full_pressure_s: Figure
    yield_g: Figure
    cup_at_stop_g: Figure
    ratio: Figure
    tds_pct: Figure
    extraction_yield_pct: Figure
    peak_pressure_bar: Figure
    water_in_ml: Figure
    stays_behind_ml: Figure
    meet_s: Figure
    late_flow_ml_s: Figure
    crema_ml: Figure
    glass_ml: Figure
    unevenness: Figure
    classes: Classes
    phases: list[PhaseRun]
    stopped_on: str
    binding: list[Binding]
    series: Series
