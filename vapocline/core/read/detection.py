"""How each kind of finding is detected, in a sentence for the page; the rules are in *_rules.py."""

from __future__ import annotations

from vapocline.core.read.findings import FindingKind

HOW_DETECTED: dict[FindingKind, str] = {
    "record": "By moments without a reading, and by changes of weight that no drip makes.",
    "meter": "Late in the cup water in and cup out rise alike; here they do not.",
    "ran_like": "The model was fitted to the whole shot with one permeability, which lies outside "
    "the spread of this coffee's pulls. Permeability goes with the square of the grind.",
    "opened": "Flow over pressure, less what the model and earlier pulls show at the same weight, "
    "rises in a step that explains more than any slow change.",
    "run_away": "Flow over pressure, less what the model and earlier pulls show at the same "
    "weight, rises on and on.",
    "early_resistance": "Flow over pressure, less what the model and earlier pulls show at the "
    "same weight, rises slowly and is level from the middle of the cup on.",
    "loosened": "Flow over pressure rises beyond what the model and earlier pulls show; a step and "
    "a slow change explain it as well.",
    "not_reached": "Seconds under the command, allowing for the machine's lag, beyond those of the "
    "model fitted to this puck.",
    "overshoot": "Above the command, allowing for the machine's lag, for longer than the model is.",
    "water_count": "What was pumped less what is in the cup, as the first grams fall, beside the "
    "model's.",
    "late_meeting": "The area between water in and cup out from the first grams on, beyond the "
    "model's.",
    "choked": "Under full pressure the cup gains less than 0.3 g/s for five seconds or more.",
    "over_soaked": "The weight when the press began, beside the forecast's.",
    "first_drip": "The line of the first gram, traced back and corrected for the scale's lag.",
    "level": "Nine tenths of the cup's flow within 8 % of its middle.",
    "stop": "A line through the weight of the last second, corrected for the scale's lag.",
    "by_hand": "The shift in time by which the hand's curve fits its cue best.",
    "pre_infusion_end": "When the press began, beside the forecast and earlier pulls.",
    "temperature": "The group's middle while water flows, beside what was set.",
    "wetting": "By the marks that were set at the machine.",
}
