"""How each kind of finding is told, for whoever asks: the rules of the modules beside, in words."""

from __future__ import annotations

from vapocline.core.read.findings import FindingKind

HOW_TOLD: dict[FindingKind, str] = {
    "record": "By moments without a reading, and by changes of weight that no drip makes.",
    "meter": "Late in the cup water in and cup out rise alike; here they do not.",
    "ran_like": "The model was run on one permeability that fits the whole shot best; it lies "
    "beyond what pulls of this coffee spread. Permeability goes with the square of the grind.",
    "opened": "Flow over pressure, less what the model and earlier pulls show at the same weight, "
    "rises in a step that explains more than any slow change.",
    "run_away": "Flow over pressure, less what the model and earlier pulls show at the same "
    "weight, rises on and on.",
    "early_resistance": "Flow over pressure, less what the model and earlier pulls show at the "
    "same weight, rises slowly and is level from the middle of the cup on.",
    "loosened": "Flow over pressure rises beyond what the model and earlier pulls show; a step and "
    "a slow change explain it as well.",
    "not_reached": "Seconds under the command, through the machine's lag, beyond those of the "
    "model on this very puck.",
    "overshoot": "Above the command, through the machine's lag, for longer than the model is.",
    "water_count": "What was pumped less what is in the cup, as the first grams fall, beside the "
    "model's.",
    "late_meeting": "The area between water in and cup out from the first grams on, beyond the "
    "model's.",
    "choked": "Under full pressure the cup gains less than 0.3 g/s for five seconds or more.",
    "over_soaked": "The weight when the press began, beside the forecast's.",
    "first_drip": "The line of the first gram, traced back, with the scale's lag taken out.",
    "level": "Nine tenths of the cup's flow within 8 % of its middle.",
    "stop": "A line through the weight of the last second, with the lag taken out.",
    "by_hand": "The shift in time by which the hand's curve fits its cue best.",
    "pre_infusion_end": "When the press began, beside the forecast and earlier pulls.",
    "temperature": "The group's middle while water flows, beside what was set.",
    "wetting": "By the marks that were set at the machine.",
}
