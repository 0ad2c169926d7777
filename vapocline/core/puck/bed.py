"""The bed: how it resists, drinks, gives off its solids, is pressed together and clogged.

Three parallel lanes of cells that wet from above with a sharp front (Green and Ampt 1911): the
cells above it are full, the one it stands in is partly wet. Wet cells resist by Darcy's law; fines
are in equilibrium with the water around them, coarse grains give three solute classes to it and
take them back (Moroney et al. 2015). Loops over cells come in two kinds: those in which every cell
stands alone, which the compiler turns into vector code, and the one sweep that carries water and
solutes downward. Nothing here slices an array: a view costs more than a cell's arithmetic.
"""

from __future__ import annotations

import math

from vapocline.core.base.arrays import Floats
from vapocline.core.puck.columns import (
    CLASSES,
    CONDUCTANCE,
    DRIVE,
    FULL,
    GAS,
    KAPPA,
    LANE_OFFSET,
    LANE_Q,
    LANE_UPTAKE,
    LANES,
    LODGED,
    MEAN_GAS,
    MOBILE,
    PART,
    PORE,
    RESISTANCE,
    SOLID,
    SOLUTE,
    UPTAKE,
    WETTING_PRESSURE,
    P,
    borrowed,
    compiled,
    inlined,
    weight_of,
)
from vapocline.core.puck.parameters import Parameters

SATED = 1e-4  # of what grains drink: with less left to drink they count as full
UPTAKE_BAR = 6.0  # so much pressure doubles the pace at which grains drink


@inlined
def _exp(x: float) -> float:
    """e to a small power, |x| < 2: a Taylor polynomial of x/16, squared four times; 1e-6 relative.

    Unlike the library's it becomes vector code; it runs for every cell of every step.
    """
    t = x * 0.0625
    e = 1.0 + t * (1.0 + t * (0.5 + t * (1.0 / 6.0 + t * (1.0 / 24.0))))
    e *= e
    e *= e
    e *= e
    return e * e


@inlined
def pore_ml(p: Parameters) -> float:
    """Room for water between the grains of the whole bed, mL."""
    return p.area_cm2 * p.depth_cm * p.void_fraction


@inlined
def storage_factor(p: Parameters) -> float:
    """Solute a wet cell holds for what its free water does: the fines hold their share."""
    return 1.0 + p.partition * p.fines_share * p.uptake_ml_g * p.dose_g / pore_ml(p)


@inlined
def lane_spread(now: Floats, p: Parameters) -> float:
    """Spread of ln-permeability between the lanes, after how hard the bed was wetted."""
    made = p.unevenness * (1.0 + p.unevenness_pressed * now[WETTING_PRESSURE])
    return made / math.sqrt(1.0 + (made / p.unevenness_top) ** 2)


@compiled
def resist(now: Floats, lanes: Floats, cells: Floats, p: Parameters, fluid: float) -> None:
    """Each lane's conductance, mL/s/bar, drive, bar, and what its grains would drink, mL/s."""
    now, lanes, cells = borrowed(now), borrowed(lanes), borrowed(cells)
    n = cells.shape[2]
    pressed = 1.0 + now[P] / UPTAKE_BAR
    spread = lane_spread(now, p)
    for i in range(LANES):
        _lane_resistance(lanes, cells, p, i)
        lanes[i, LANE_UPTAKE] *= pressed / p.uptake_tau_s
        lanes[i, CONDUCTANCE] = (
            weight_of(i)
            * p.permeability
            * math.exp(LANE_OFFSET * (i - 1) * spread - lanes[i, KAPPA])
            / (1.0 + p.fines_block * lanes[i, LODGED])
            * fluid
            / lanes[i, RESISTANCE]
        )
        through = lanes[i, FULL] >= n
        lanes[i, DRIVE] = 0.0 if through else p.capillary_bar - p.gas_back_bar * lanes[i, MEAN_GAS]


@inlined
def _cell_resistance(
    cells: Floats, p: Parameters, i: int, c: int, per_w: float, swelling: float, per_storage: float
) -> float:
    """A wet cell's resistance over a fresh one's."""
    coarse = 0.01 * (1.0 - p.fines_share)
    dissolved = coarse * (
        p.bright_pct * (1.0 - cells[i, SOLID, c])
        + p.sweet_pct * (1.0 - cells[i, SOLID + 1, c])
        + p.bitter_pct * (1.0 - cells[i, SOLID + 2, c])
    )
    held = cells[i, SOLUTE, c] + cells[i, SOLUTE + 1, c] + cells[i, SOLUTE + 2, c]
    gas = cells[i, GAS, c] * per_w
    return (
        (1.0 + swelling * cells[i, UPTAKE, c] * per_w)
        * (1.0 + p.gas_block * gas * gas)
        * _exp(2.5 * held * per_w * per_storage - p.erosion * max(0.0, dissolved))
    )


@inlined
def _lane_resistance(lanes: Floats, cells: Floats, p: Parameters, i: int) -> None:
    """Equal depth of fresh bed, cm, mean gas of the wet part, mL/g, and thirst left, mL."""
    n = cells.shape[2]
    most = p.uptake_ml_g * p.dose_g / n * weight_of(i)
    swelling = p.swelling / most
    per_storage = n / (weight_of(i) * pore_ml(p) * storage_factor(p))
    total = all_gas = thirst = 0.0
    full, w = int(lanes[i, FULL]), lanes[i, PART]
    for c in range(full):
        total += _cell_resistance(cells, p, i, c, 1.0, swelling, per_storage)
        all_gas += cells[i, GAS, c]
        thirst += max(0.0, most - cells[i, UPTAKE, c])
    if w > 0.0:
        total += w * _cell_resistance(cells, p, i, full, 1.0 / w, swelling, per_storage)
        all_gas += cells[i, GAS, full]
        thirst += max(0.0, most * w - cells[i, UPTAKE, full])
    wetness = full + w
    lanes[i, RESISTANCE] = p.film_cm + p.depth_cm / n * total
    lanes[i, MEAN_GAS] = all_gas / wetness if wetness > 0.0 else p.gas_ml_g
    lanes[i, LANE_UPTAKE] = thirst if thirst > SATED * most * n else 0.0


@inlined
def lane_flow(conductance: float, drive: float, uptake: float, pressure: float) -> float:
    """Flow into one lane, mL/s: Darcy, but never less than the grains draw in."""
    return max(conductance * max(0.0, pressure + drive), uptake)


@inlined
def bed_flow(lanes: Floats, pressure: float) -> float:
    """Flow into the whole bed at a pressure, mL/s."""
    total = 0.0
    for i in range(LANES):
        total += lane_flow(lanes[i, CONDUCTANCE], lanes[i, DRIVE], lanes[i, LANE_UPTAKE], pressure)
    return total


@inlined
def _dissolve(
    lanes: Floats, cells: Floats, p: Parameters, i: int, j: int, pct: float, k: float
) -> None:
    """One class between coarse grains and water: linear, two ways, implicit; k for the step."""
    n = cells.shape[2]
    dose = p.dose_g / n * weight_of(i)
    grain = p.partition * p.uptake_ml_g * dose
    pore = weight_of(i) * pore_ml(p) / n
    back = grain * (1.0 - p.fines_share) / (pore + grain * p.fines_share)
    paced = (1.0 - _exp(-k * (1.0 + back))) / (1.0 + back)
    grams = 0.01 * (1.0 - p.fines_share) * dose * pct
    out, returned, per_gram = paced * grams, paced * back, 1.0 / grams
    full, w = int(lanes[i, FULL]), lanes[i, PART]
    for c in range(full):
        moved = out * cells[i, SOLID + j, c] - returned * cells[i, SOLUTE + j, c]
        cells[i, SOLUTE + j, c] += moved
        cells[i, SOLID + j, c] -= moved * per_gram
    if w > 0.0:
        moved = w * out * cells[i, SOLID + j, full] - returned * cells[i, SOLUTE + j, full]
        cells[i, SOLUTE + j, full] += moved
        cells[i, SOLID + j, full] -= moved * per_gram


@compiled
def give_off(
    lanes: Floats, cells: Floats, p: Parameters, i: int, pace: float, gas_kept: float
) -> None:
    """What a lane's grains do by themselves in a step: give solids to the water, let gas out."""
    lanes, cells = borrowed(lanes), borrowed(cells)
    k = pace * p.size_ratio / (1.0 + p.gas_hinders * lanes[i, MEAN_GAS])
    _dissolve(lanes, cells, p, i, 0, p.bright_pct, p.bright_per_s * k)
    _dissolve(lanes, cells, p, i, 1, p.sweet_pct, p.sweet_per_s * k)
    _dissolve(lanes, cells, p, i, 2, p.bitter_pct, p.bitter_per_s * k)
    for c in range(min(cells.shape[2], int(lanes[i, FULL]) + 1)):
        cells[i, GAS, c] *= gas_kept


@compiled
def pass_water(
    now: Floats,
    lanes: Floats,
    cells: Floats,
    passed: Floats,
    p: Parameters,
    i: int,
    inflow: float,
    dt: float,
) -> None:
    """Move one lane's water for a step and carry its solutes; `passed` gets what leaves.

    Implicit upwind: each cell is well mixed at the step's end, so that nothing can go negative.
    Water that grains drink takes its solute along. `inflow` is the step's, mL.
    """
    now, lanes, cells, passed = borrowed(now), borrowed(lanes), borrowed(cells), borrowed(passed)
    n = cells.shape[2]
    weight = weight_of(i)
    pore, dose = weight * pore_ml(p) / n, p.dose_g / n * weight
    most, stored = p.uptake_ml_g * dose, pore * storage_factor(p)
    spread, per_stored = p.dispersion_cm * n / p.depth_cm - 0.5, 1.0 / stored
    fine = 0.01 * p.fines_share * dose
    grams = 0.01 * (1.0 - p.fines_share) * dose
    per_0, per_1, per_2 = (
        1.0 / (grams * p.bright_pct),
        1.0 / (grams * p.sweet_pct),
        1.0 / (grams * p.bitter_pct),
    )
    uptake = lanes[i, LANE_UPTAKE]
    thirsty = uptake > 0.0 or lanes[i, FULL] < n
    pace = (1.0 + now[P] / UPTAKE_BAR) * dt / p.uptake_tau_s
    if uptake * dt > inflow:
        pace *= inflow / (uptake * dt)
    full, w = int(lanes[i, FULL]), lanes[i, PART]
    water = inflow
    in_0 = in_1 = in_2 = 0.0
    above, above_0, above_1, above_2 = -1, 0.0, 0.0, 0.0  # the cell before, not yet written
    for c in range(n):
        if water <= 0.0:
            break
        front = c == full
        if thirsty:
            wet = w if front else 1.0
            drunk = min(water, max(0.0, most * wet - cells[i, UPTAKE, c]) * pace)
            taken = drunk / water
            cells[i, UPTAKE, c] += drunk
            cells[i, SOLID, c] += in_0 * taken * per_0
            cells[i, SOLID + 1, c] += in_1 * taken * per_1
            cells[i, SOLID + 2, c] += in_2 * taken * per_2
            in_0 -= in_0 * taken
            in_1 -= in_1 * taken
            in_2 -= in_2 * taken
            water -= drunk
        here = stored
        if front:
            room = pore * (1.0 - w)
            if water >= room:  # the cell is full, the front stands in the next
                filled, here = 1.0 - w, stored
                water -= room
                full, w = full + 1, 0.0
            else:
                filled, water = water / pore, 0.0
                w += filled
                here = stored * w
            cells[i, GAS, c] += p.gas_ml_g * filled
            in_0 += fine * p.bright_pct * filled
            in_1 += fine * p.sweet_pct * filled
            in_2 += fine * p.bitter_pct * filled
        spill = water / (here + water) if water > 0.0 else 0.0
        out_0 = spill * cells[i, SOLUTE, c] + spill * in_0
        out_1 = spill * cells[i, SOLUTE + 1, c] + spill * in_1
        out_2 = spill * cells[i, SOLUTE + 2, c] + spill * in_2
        kept_0 = cells[i, SOLUTE, c] + in_0 - out_0
        kept_1 = cells[i, SOLUTE + 1, c] + in_1 - out_1
        kept_2 = cells[i, SOLUTE + 2, c] + in_2 - out_2
        in_0 = out_0
        in_1 = out_1
        in_2 = out_2
        if above >= 0:
            if not front:
                courant = water * per_stored  # the scheme itself spreads by (1 + Courant)/2 cells
                mixed = max(0.0, spread - 0.5 * courant) * courant
                mixed /= 1.0 + 2.0 * mixed
                moved_0 = mixed * above_0 - mixed * kept_0
                moved_1 = mixed * above_1 - mixed * kept_1
                moved_2 = mixed * above_2 - mixed * kept_2
                above_0 -= moved_0
                above_1 -= moved_1
                above_2 -= moved_2
                kept_0 += moved_0
                kept_1 += moved_1
                kept_2 += moved_2
            cells[i, SOLUTE, above] = above_0
            cells[i, SOLUTE + 1, above] = above_1
            cells[i, SOLUTE + 2, above] = above_2
        above, above_0, above_1, above_2 = c, kept_0, kept_1, kept_2
    if above >= 0:
        cells[i, SOLUTE, above] = above_0
        cells[i, SOLUTE + 1, above] = above_1
        cells[i, SOLUTE + 2, above] = above_2
    lanes[i, FULL], lanes[i, PART] = full, w
    lanes[i, PORE] = (full + w) * pore
    lanes[i, LANE_Q] = 0.0
    if full == n:
        lanes[i, LANE_Q] = water / dt
        passed[0] += water
        passed[1] += in_0
        passed[2] += in_1
        passed[3] += in_2


@inlined
def settle(lanes: Floats, p: Parameters, i: int, pressed: float, inflow: float, dt: float) -> None:
    """Compaction, which comes and goes, and fines: locked by swelling or carried to the outlet.

    `pressed` is the compaction this pressure leads to, `inflow` the lane's, mL/s.
    """
    tau = p.compaction_rise_s if pressed > lanes[i, KAPPA] else p.compaction_recovery_s
    lanes[i, KAPPA] = (lanes[i, KAPPA] * tau + pressed * dt) / (tau + dt)
    speed = inflow / weight_of(i)
    carried = p.fines_rate * max(0.0, speed - p.fines_speed_ml_s) * dt
    locked = lanes[i, PORE] / (weight_of(i) * pore_ml(p)) * dt / p.fines_lock_s
    mobile = lanes[i, MOBILE] / (1.0 + carried + locked)
    lanes[i, LODGED] += mobile * carried
    lanes[i, MOBILE] = mobile


assert CLASSES == 3  # the three classes are written out above, for speed
