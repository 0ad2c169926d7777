"""The model's own constants: one table, so that a fit can move them and a test can vary them.

They are calibrated, not measured: `python -m benchmarks.fit` moves them until the rows of
`tests/core/puck/rows.py` hold. What each does: docs/model.md.
"""

from __future__ import annotations

from typing import NamedTuple


class Constants(NamedTuple):
    """Numbers no coffee, grinder or machine brings along. Units are in the names.

    Roast factors are logarithms, of light and of dark against medium; half of each for the roasts
    between.
    """

    # how the bed resists
    permeability: float = 0.8254  # K, mL·cm/s/bar over the reference area
    permeability_power: float = 2  # of grain size (Kozeny and Carman)
    compaction_per_bar: float = 0.02879
    compaction_gas: float = 0.04084  # at 9 bar, per mL/g
    compaction_power: float = 3.5  # of pressure over 9 bar, where gas softens the grains
    compaction_rise_s: float = 3
    compaction_recovery_s: float = 15.11
    gas_block: float = 0.00441
    gas_back_bar: float = 0.3397
    swelling: float = 0.1727
    erosion: float = 1.322  # times the roast's own
    # gas and water in the grains
    gas_tau_s: float = 18.11
    gas_keeps_bar: float = 4  # so much pressure halves the pace at which gas leaves
    gas_hinders: float = 0.09931  # extraction, per mL/g
    uptake_ml_g: float = 0.4933
    uptake_tau_s: float = 3.113
    # unevenness that is made
    unevenness_power: float = 2.714  # of fineness
    unevenness_pressed: float = 1.204  # by a hard first wetting
    unevenness_top: float = 1.5
    unevenness_released: float = 0.15  # by a pressure let go, per 9 bar
    # fines
    fines_share: float = 0.2061
    fines_power: float = 0.5875  # of fineness
    fines_block: float = 2.849
    fines_rate: float = 0.01954
    fines_speed_ml_s: float = 1.791
    fines_lock_s: float = 18.28
    # extraction
    partition: float = 2.317  # solute a grain's water holds, over what free water does
    dispersion_cm: float = 0.04
    rate_power: float = 1.137  # of fineness
    bright_pct: float = 8.635
    sweet_pct: float = 11.34
    bitter_pct: float = 8.31
    bright_per_s: float = 0.684
    sweet_per_s: float = 0.2569
    bitter_per_s: float = 0.08134
    # head
    drain_share: float = 0.6  # of the free head, lost where a group lets its pressure go
    # roast
    permeability_light: float = 0.05057
    permeability_dark: float = -0.03843
    fines_light: float = -0.0323
    fines_dark: float = 0.07396
    solids_light: float = 0.01267
    solids_dark: float = -0.1063
    rate_light: float = 0.01936
    rate_dark: float = 0.09844


CONSTANTS = Constants()
