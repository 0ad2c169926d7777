"""How long and how heavy a shot may be: one limit for what devices say, what is recorded and
stored, and what is exchanged. A plan ends within 300 s; then the last drips fall."""

from __future__ import annotations

LONGEST_S = 360.0  # from pump on to the last sample
MOST_SAMPLES = 20_000
LIGHTEST_G, HEAVIEST_G = -500.0, 5000.0  # that a scale can show
LEAST_ML_S, MOST_ML_S = -5.0, 60.0  # that a meter can show
