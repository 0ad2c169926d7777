"""What logged shots can teach: each unknown of a puck on a machine, how far it may lie from what is
assumed, and what it belongs to.

Spreads are one standard deviation, ours to start with. What differs from pull to pull is in
priors.py.
"""

from __future__ import annotations

from typing import Literal, NamedTuple

# What an unknown belongs to: it is the same wherever that is the same.
UnknownLevel = Literal["machine", "coffee and grinder", "coffee", "preparation"]
# How it moves its parameters: by a factor (spread of its logarithm), by a sum, by an exponent on
# fineness, or by an exponent on how much of its rest a coffee has had.
UnknownKind = Literal["factor", "shift", "power", "staling"]


class Unknown(NamedTuple):
    """One thing to learn. Without `fields` it belongs to a gauge, not to the puck.

    `needs_strength`: only a measured strength can teach it.
    """

    name: str
    level: UnknownLevel
    kind: UnknownKind
    spread: float
    fields: tuple[str, ...]
    words: str
    needs_strength: bool = False


RATES = ("bright_per_s", "sweet_per_s", "bitter_per_s")
SOLIDS = ("bright_pct", "sweet_pct", "bitter_pct")
UNKNOWNS = (
    Unknown("head", "machine", "factor", 0.25, ("head_free_ml",), "room above the puck"),
    Unknown("trapped air", "machine", "factor", 0.30, ("head_trapped_ml",), "air under the screen"),
    Unknown("hose", "machine", "factor", 0.30, ("hose_ml_bar",), "how much the hoses expand"),
    Unknown("pressure lag", "machine", "factor", 0.25, ("pressure_lag_s",),
            "how fast pressure follows its command"),
    Unknown("gauge lag", "machine", "factor", 0.50, (), "how late the gauges show a change"),
    Unknown("gauge offset", "machine", "shift", 0.10, (),
            "how much too high the pressure gauge reads"),
    Unknown("meter", "machine", "factor", 0.04, (), "how much too high the flow meter reads"),
    Unknown("permeability", "coffee and grinder", "factor", 0.36, ("permeability",),
            "how easily water flows through the puck"),
    Unknown("permeability by grind", "coffee and grinder", "power", 0.35, ("permeability",),
            "how strongly its flow follows the grind"),
    Unknown("fines", "coffee and grinder", "factor", 0.40, ("fines_block",),
            "how much fines block the way out"),
    Unknown("compaction", "coffee", "factor", 0.30, ("compaction_per_bar",),
            "how much pressure presses the puck together"),
    Unknown("gas compaction", "coffee", "factor", 0.40, ("compaction_gas",),
            "how much more it compacts while it holds gas"),
    Unknown("gas", "coffee", "factor", 0.20, ("gas_ml_g",), "gas left in the grains"),
    Unknown("staling", "coffee", "staling", 0.30, ("gas_ml_g",),
            "how slowly the gas leaves in the bag"),
    Unknown("erosion", "coffee", "factor", 0.25, ("erosion",),
            "how much the puck opens as it dissolves"),
    Unknown("uptake", "coffee", "factor", 0.12, ("uptake_ml_g",), "water the grains absorb"),
    Unknown("uptake time", "coffee", "factor", 0.30, ("uptake_tau_s",),
            "how slowly they absorb it"),
    Unknown("rate", "coffee", "factor", 0.15, RATES, "how fast it extracts", True),
    Unknown("rate by grind", "coffee", "power", 0.30, ("size_ratio",),
            "how strongly that speed follows the grind", True),
    Unknown("solids", "coffee", "factor", 0.06, SOLIDS, "how much there is to dissolve", True),
    Unknown("saturation", "coffee", "factor", 0.20, ("partition",),
            "how much the grains' own water holds back", True),
    Unknown("unevenness", "preparation", "factor", 0.50, ("unevenness",),
            "how unevenly water flows through the puck"),
)  # fmt: skip
BY_NAME = {one.name: one for one in UNKNOWNS}
