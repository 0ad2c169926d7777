"""When a rule of reading speaks: one table, each threshold with its reason.

Tuned on simulated recordings with the truth known: `./vapo bench read` prints what they find and
how often they are wrong.
"""

from __future__ import annotations

from typing import Literal, NamedTuple

Gauges = Literal["good", "poor"]


class Threshold(NamedTuple):
    """A limit of a rule, with good gauges and with poor ones, its unit, and why that much."""

    good: float
    poor: float
    unit: str
    reason: str


ThresholdName = Literal[
    "gap_s",
    "knock_g",
    "meter_share",
    "ran_like",
    "ran_like_sds",
    "ran_like_sds_beside",
    "long_drink",
    "ramp_size",
    "ramp_gain",
    "ramp_size_by_cup",
    "slow_ramp_size_alone",
    "at_once",
    "not_reached_s",
    "not_reached_ramp_s",
    "under_bar",
    "under_ml_s",
    "relief_flat_bar",
    "overshoot_bar",
    "overshoot_ml_s",
    "overshoot_s",
    "retained_ml",
    "gap_area_ml",
    "gap_area_soaked",
    "gap_area_share",
    "choked_g_s",
    "choked_s",
    "soaked_g",
    "soaked_more_g",
    "level_share",
    "early_end_s",
    "early_end_share",
    "off_c",
    "sag_c",
    "covered_s",
    "hand_s",
]

THRESHOLDS: dict[ThresholdName, Threshold] = {
    "gap_s": Threshold(0.4, 0.4, "s", "or three samples: below it a line across loses nothing"),
    "knock_g": Threshold(0.6, 0.6, "g", "or seven times the scale's noise: drips add, never take"),
    "meter_share": Threshold(0.035, 0.06, "", "late in a shot cup and water flow alike to 2 %"),
    "ran_like": Threshold(
        0.25, 0.30, "of ln k", "the least: three standard deviations between two good pulls"
    ),
    "ran_like_sds": Threshold(
        2.2, 2.2, "sd", "of what the forecast leaves open: one good shot in forty lies beyond"
    ),
    "ran_like_sds_beside": Threshold(
        1.9, 1.9, "sd", "the same beside an earlier pull, with which it may lie as well"
    ),
    "long_drink": Threshold(
        1.7, 1.7, "times", "coarse beds of drinks beyond 1 : 3 spread by so much more"
    ),
    "ramp_size": Threshold(0.10, 0.12, "of ln R", "repeats of a good shot stay within 0.07"),
    "slow_ramp_size_alone": Threshold(
        0.4, 0.4, "of ln R", "without an earlier pull: some coffees wear by so much on their own"
    ),
    "ramp_gain": Threshold(3.0, 3.5, "", "how much better a ramp fits than none"),
    "ramp_size_by_cup": Threshold(
        0.25, 0.30, "of ln R", "without a flow meter the cup's own flow stands in"
    ),
    "at_once": Threshold(1.3, 1.3, "", "how much better a quick ramp fits than a slow one"),
    "not_reached_s": Threshold(2.5, 2.5, "s", "longer under the command than the replay is"),
    "not_reached_ramp_s": Threshold(4.0, 4.0, "s", "a ramp waits for a puck that fills later"),
    "under_bar": Threshold(0.3, 0.3, "bar", "a pump holds its command closer than this"),
    "under_ml_s": Threshold(0.2, 0.35, "mL/s", "a flow meter's noise, smoothed"),
    "relief_flat_bar": Threshold(
        0.25, 0.5, "bar", "eight tenths of the time: a valve holds what opens it"
    ),
    "overshoot_bar": Threshold(0.4, 0.5, "bar", "peaks at 0.58 of its drive through a lag"),
    "overshoot_ml_s": Threshold(0.3, 0.45, "mL/s", "above a flow meter's noise, smoothed"),
    "overshoot_s": Threshold(0.35, 0.35, "s", "longer above than the replay is"),
    "retained_ml": Threshold(3.5, 3.5, "mL", "a head's room varies by less between pulls"),
    "gap_area_ml": Threshold(2.5, 3.0, "mL", "between water in and cup out after the first drip"),
    "gap_area_soaked": Threshold(
        1.4, 1.4, "times", "a puck that drips before the press goes on drinking meanwhile"
    ),
    "gap_area_share": Threshold(0.035, 0.06, "", "of a long drink's water: meters are off by that"),
    "choked_g_s": Threshold(0.3, 0.3, "g/s", "an espresso drips faster than this when pressed"),
    "choked_s": Threshold(5.0, 5.0, "s", "a shot may begin slowly"),
    "soaked_g": Threshold(4.5, 4.5, "g", "in the cup before the press"),
    "soaked_more_g": Threshold(3.0, 3.0, "g", "more than forecast before the press"),
    "level_share": Threshold(0.08, 0.08, "", "nine tenths of the cup flow within so much of it"),
    "early_end_s": Threshold(2.5, 2.5, "s", "pulls alike end a short pre-infusion within this"),
    "early_end_share": Threshold(0.20, 0.20, "", "and a longer one within so much of its length"),
    "off_c": Threshold(1.5, 1.5, "K", "what a probe and a boiler are off anyway"),
    "sag_c": Threshold(2.0, 2.0, "K", "a good group falls less under a shot"),
    "covered_s": Threshold(4.0, 4.0, "s", "an even puck covers its face sooner after the bead"),
    "hand_s": Threshold(0.8, 0.8, "s", "nobody turns a lever to the second"),
}


def threshold(name: ThresholdName, gauges: Gauges) -> float:
    """The limit of a rule for a recording by good or by poor gauges."""
    row = THRESHOLDS[name]
    return row.good if gauges == "good" else row.poor
