"""Rules: which move answers what was found, who says so, what they promise, and who says otherwise.

A rule is one entry here; nothing else knows of it. Promises are signs on lines of the tasting form.
The schools are practitioners' positions in our own words; they contradict each other, and each is
shown with what the model and the user's own cups say.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, NamedTuple

from vapocline.core.taste.tasting import Line

SchoolName = Literal[
    "extraction first", "grind first", "shape the pressure", "soak it", "drink first",
    "gentle water", "by temperature", "by roast",
]  # fmt: skip
Trigger = Literal[
    "too acidic", "too bitter", "too dry", "thin", "heavy", "muddled", "flat", "not sweet",
    "too weak", "too strong", "too much pressure", "short finish",
    "opened", "run_away", "loosened", "choked", "late_meeting", "over_soaked",
    "very fresh", "dark roast", "light roast", "nothing wrong",
]  # fmt: skip


class Rule(NamedTuple):
    """One move for one trigger: who says so and why, the line of taste it moves and which way, and
    what others hold against it."""

    trigger: Trigger
    move: str
    school: SchoolName
    promise: Mapping[Line, int]
    reason: str
    against: str = ""


NOBODY_AGAINST = "No other voice is known here."


class RuleWords(NamedTuple):
    """A trigger in words, and where it comes from."""

    words: str
    source: Literal["taste", "finding", "figure", "coffee", "none"]


TRIGGERS: dict[Trigger, RuleWords] = {
    "too acidic": RuleWords("more acidic than wanted", "taste"),
    "too bitter": RuleWords("more bitter than wanted", "taste"),
    "too dry": RuleWords("drier than wanted", "taste"),
    "thin": RuleWords("less body than wanted", "taste"),
    "heavy": RuleWords("more body than wanted", "taste"),
    "muddled": RuleWords("less distinct than wanted", "taste"),
    "flat": RuleWords("less acidity than wanted", "taste"),
    "not sweet": RuleWords("less sweet than wanted", "taste"),
    "short finish": RuleWords("a shorter finish than wanted", "taste"),
    "too weak": RuleWords("weaker than wanted", "figure"),
    "too strong": RuleWords("stronger than wanted", "figure"),
    "too much pressure": RuleWords("more pressure than a commanded flow should need", "figure"),
    "opened": RuleWords("the puck opened a channel", "finding"),
    "run_away": RuleWords("the flow ran away", "finding"),
    "loosened": RuleWords("the puck gave way", "finding"),
    "choked": RuleWords("it choked", "finding"),
    "late_meeting": RuleWords("water in and cup out met late", "finding"),
    "over_soaked": RuleWords("the soak ran long", "finding"),
    "very fresh": RuleWords("very fresh coffee", "coffee"),
    "dark roast": RuleWords("a dark roast", "coffee"),
    "light roast": RuleWords("a light roast", "coffee"),
    "nothing wrong": RuleWords("nothing wrong", "none"),
}

RULES: tuple[Rule, ...] = (
    Rule("too acidic", "finer", "grind first", {"acidity": -1, "sweetness": +1, "body": +1},
         "Sour means too little came out: a finer grind holds the water longer.",
         "Finer packs unevenly; keep the grind and change the shape first."),
    Rule("too acidic", "longer_drink", "drink first", {"acidity": -1, "sweetness": +1, "body": -1},
         "More water brings out what dilutes and balances the acids.",
         "A longer drink is thinner, not rounder."),
    Rule("too acidic", "longer_soak", "soak it", {"acidity": -1, "sweetness": +1},
         "A puck wetted through gives evenly, and mellows.",
         "Others find that a longer soak brightens."),
    Rule("too acidic", "warmer", "by temperature", {"acidity": -1, "sweetness": +1},
         "Hotter water takes more out, and faster.",
         "It takes the bitter part along."),
    Rule("too bitter", "shorter_press", "shape the pressure", {"bitterness": -1, "acidity": +1},
         "What comes while the flow runs away under full pressure is harsh: fall sooner.",
         "A fall takes longer to the weight, and so more out, more bitter."),
    Rule("too bitter", "coarser", "grind first", {"bitterness": -1, "acidity": +1, "body": -1},
         "Bitter means too much came out: coarser lets go of the water sooner.",
         "Keep the grind and shape the pressure first."),
    Rule("too bitter", "cooler", "by temperature", {"bitterness": -1, "sweetness": -1},
         "Cooler water is gentler on what dissolves late.",
         "It flattens what was sweet."),
    Rule("too bitter", "shorter_drink", "drink first", {"bitterness": -1, "body": +1},
         "Stop before the last, bitter part.",
         "Thicker, not sweeter."),
    Rule("too bitter", "falling_end", "shape the pressure", {"bitterness": -1},
         "A puck wears as it gives: let the pressure fall with it.",
         "A falling end takes more out."),
    Rule("too dry", "shorter_press", "shape the pressure", {"dryness": -1, "bitterness": -1},
         "Dryness comes where water runs fast through a worn puck: fall sooner.",
         "A fall takes more out."),
    Rule("too dry", "coarser", "grind first", {"dryness": -1, "body": -1},
         "Fewer fines, less that parches."),
    Rule("too dry", "gentler_fill", "gentle water", {"dryness": -1, "clarity": +1},
         "A puck wetted gently stays whole, and gives evenly.",
         "A slow filling leaves the top wet long before the bottom."),
    Rule("too dry", "shorter_drink", "drink first", {"dryness": -1, "body": +1},
         "Leave the last part in the basket."),
    Rule("thin", "longer_soak", "soak it", {"body": +1},
         "More of the puck takes part once it is wetted through.",
         "An overlong soak is lighter and cleaner."),
    Rule("thin", "finer", "grind first", {"body": +1, "bitterness": +1},
         "Finer gives more, sooner."),
    Rule("thin", "shorter_drink", "drink first", {"body": +1},
         "The same in less water."),
    Rule("thin", "more_coffee", "extraction first", {"body": +1, "acidity": +1},
         "More coffee in the same drink is heavier.",
         "A deeper puck gives less of itself."),
    Rule("thin", "falling_end", "shape the pressure", {"body": +1},
         "A falling end is said to take more out, with more body.",
         "Others find that it only trims harshness."),
    Rule("heavy", "shorter_soak", "soak it", {"body": -1, "clarity": +1},
         "Less time under water, less of everything."),
    Rule("heavy", "longer_drink", "drink first", {"body": -1, "clarity": +1},
         "More water opens it up."),
    Rule("heavy", "lower_peak", "shape the pressure", {"body": -1, "clarity": +1},
         "Low pressure is gentle and clear.",
         "Low pressure is thin."),
    Rule("muddled", "lower_peak", "shape the pressure", {"clarity": +1, "body": -1},
         "Less pressure presses fewer fines into the cup."),
    Rule("muddled", "longer_drink", "drink first", {"clarity": +1, "body": -1},
         "More water sets flavours apart."),
    Rule("muddled", "gentler_fill", "gentle water", {"clarity": +1},
         "Fill gently and the puck gives evenly."),
    Rule("muddled", "coarser", "grind first", {"clarity": +1, "body": -1},
         "Fewer fines, clearer flavours."),
    Rule("flat", "longer_tail", "shape the pressure", {"acidity": +1},
         "A long tail is said to bring brightness.",
         "A long tail turns bitter."),
    Rule("flat", "shorter_press", "shape the pressure", {"acidity": +1},
         "A short press keeps brightness."),
    Rule("flat", "coarser", "grind first", {"acidity": +1, "bitterness": -1},
         "Less out of the coffee leaves more of its brightness."),
    Rule("flat", "warmer", "by temperature", {"sweetness": +1},
         "Warmer lifts a dull cup, more by what is sweet than by what is bright.",
         "Warmer takes acidity away: flat becomes flatter."),
    Rule("not sweet", "longer_press", "shape the pressure", {"sweetness": +1},
         "Pressure in the middle of a shot is where the sweet part comes."),
    Rule("not sweet", "shorter_tail", "shape the pressure", {"sweetness": +1, "bitterness": -1},
         "What runs at the end covers it."),
    Rule("not sweet", "gentler_fill", "gentle water", {"sweetness": +1},
         "An even puck is a sweet one."),
    Rule("not sweet", "finer", "extraction first", {"sweetness": +1, "bitterness": +1},
         "More out of the coffee is sweeter until it is bitter."),
    Rule("short finish", "finer", "extraction first", {"finish": +1, "body": +1},
         "More out of the coffee stays longer."),
    Rule("short finish", "longer_soak", "soak it", {"finish": +1},
         "Evenly wetted, nothing of it is missing at the end."),
    Rule("too weak", "warmer", "by temperature", {"body": +1},
         "Where the time is right, one or two degrees bring the strength."),
    Rule("too weak", "finer", "grind first", {"body": +1},
         "Finer is stronger, and slower."),
    Rule("too weak", "shorter_drink", "drink first", {"body": +1},
         "The same in less water."),
    Rule("too weak", "longer_soak", "soak it", {"body": +1},
         "Saturate slowly, and more takes part."),
    Rule("too much pressure", "flow_for_pressure", "shape the pressure", {"bitterness": -1},
         "Pressure goes with flow: at this puck's resistance less flow brings it into the band."),
    Rule("too much pressure", "coarser", "grind first", {"bitterness": -1, "body": -1},
         "The flow is as it should be: it is the puck that resists too much.",
         "Keep the grind and let the flow follow the puck."),
    Rule("too acidic", "much_longer_drink", "drink first", {"acidity": -1, "body": -1},
         "Bright as a short drink, it may be balanced as a longer one.",
         "A longer drink is thinner, not rounder."),
    Rule("too strong", "longer_drink", "drink first", {"body": -1},
         "The same in more water."),
    Rule("too strong", "less_coffee", "extraction first", {"body": -1},
         "Less coffee gives more of itself, and less in all."),
    Rule("opened", "gentler_fill", "gentle water", {"dryness": -1, "bitterness": -1},
         "A puck that is struck by water opens: fill more gently."),
    Rule("opened", "lower_peak", "shape the pressure", {"dryness": -1},
         "Less pressure, less force on a weak spot."),
    Rule("opened", "coarser", "grind first", {"dryness": -1},
         "A finer puck opens more easily."),
    Rule("run_away", "shorter_press", "shape the pressure", {"bitterness": -1, "dryness": -1},
         "The flow ran away while pressure was still high: fall sooner."),
    Rule("run_away", "lower_peak", "shape the pressure", {"bitterness": -1},
         "Less pressure wears the puck less."),
    Rule("run_away", "less_flow", "gentle water", {"bitterness": -1},
         "Aim at less flow than the worn puck lets through."),
    Rule("loosened", "shorter_press", "shape the pressure", {"bitterness": -1, "dryness": -1},
         "Whichever way it gave way, less pressure late is kinder."),
    Rule("loosened", "gentler_fill", "gentle water", {"dryness": -1},
         "Fill more gently, in case it was a channel."),
    Rule("choked", "coarser", "grind first", {"bitterness": -1},
         "Too fine for this pressure."),
    Rule("choked", "less_coffee", "extraction first", {"bitterness": -1},
         "A shallower puck lets more through."),
    Rule("choked", "longer_soak", "soak it", {"bitterness": -1},
         "Wetted longer it resists less at first.",
         "It swells, and resists more."),
    Rule("late_meeting", "gentler_fill", "gentle water", {"acidity": -1},
         "Fill no faster than the puck takes it up."),
    Rule("late_meeting", "longer_soak", "soak it", {"acidity": -1, "body": +1},
         "Let it drink before it is pressed."),
    Rule("over_soaked", "soak_until_drip", "soak it", {"body": +1, "acidity": +1},
         "Once it drips the puck is wetted: go on then."),
    Rule("over_soaked", "finer", "grind first", {"body": +1},
         "A finer puck holds the soak back."),
    Rule("very fresh", "longer_soak", "soak it", {"acidity": -1, "sweetness": +1},
         "Gas keeps water off the grains: let it out at low pressure first."),
    Rule("very fresh", "lower_peak", "shape the pressure", {"bitterness": -1},
         "Low pressure runs faster through coffee full of gas.",
         "More pressure holds the gas in the water."),
    Rule("very fresh", "higher_peak", "shape the pressure", {"body": +1},
         "More pressure holds the gas in the water.",
         "Low pressure runs faster through coffee full of gas."),
    Rule("dark roast", "cooler", "by roast", {"bitterness": -1},
         "Dark roasts give easily: cooler water leaves the smoke behind."),
    Rule("dark roast", "shorter_drink", "by roast", {"bitterness": -1, "body": +1},
         "Dark roasts are at their best short."),
    Rule("dark roast", "falling_end", "by roast", {"bitterness": -1},
         "Press as a lever does, and let it fall."),
    Rule("light roast", "finer", "by roast", {"acidity": -1, "sweetness": +1},
         "Light roasts give slowly: finer and longer.",
         "They loosen early and want less, falling pressure."),
    Rule("light roast", "longer_drink", "by roast", {"acidity": -1, "clarity": +1},
         "Light roasts need more water to give what they have."),
    Rule("light roast", "falling_end", "by roast", {"clarity": +1},
         "Light pucks loosen early and want falling pressure.",
         "They want longer and more pressure."),
    Rule("nothing wrong", "longer_soak", "soak it", {},
         "The next thing to learn about a coffee: what a soak does to it."),
    Rule("nothing wrong", "falling_end", "shape the pressure", {},
         "The next thing to learn about a coffee: what a fall does to it."),
)  # fmt: skip


def rules_for(triggers: frozenset[Trigger]) -> list[Rule]:
    """The rules that answer any of these, in their own order."""
    return [rule for rule in RULES if rule.trigger in triggers]
