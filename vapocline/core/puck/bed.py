"""The bed: how it resists, drinks, gives off its solids, is pressed together and clogged.

Three parallel lanes of cells that wet from above with a sharp front (Green and Ampt 1911); wet
cells resist by Darcy's law and give three solute classes to the passing water (Moroney et al.
2015). Loops over cells come in two kinds: those in which every cell stands alone, which the
compiler turns into vector code, and the one sweep that carries water and solutes downward. Nothing
here slices an array: a view costs two atomic operations, more than a cell's arithmetic.
"""

from __future__ import annotations

import math

from vapocline.core.base.arrays import Floats
from vapocline.core.puck.columns import (
    CLASSES,
    CONDUCTANCE,
    DRIVE,
    GAS,
    KAPPA,
    LANE_OFFSETS,
    LANE_Q,
    LANE_UPTAKE,
    LANE_WEIGHTS,
    LANES,
    LODGED,
    MEAN_GAS,
    MOBILE,
    PORE,
    RESISTANCE,
    SOLID,
    SOLUTE,
    THIRST,
    UPTAKE,
    WET,
    WET_CELLS,
    P,
    compiled,
    inlined,
)
from vapocline.core.puck.parameters import Parameters


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


@compiled
def resist(now: Floats, lanes: Floats, cells: Floats, p: Parameters, fluid: float) -> None:
    """Each lane's conductance, mL/s/bar, drive, bar, and what its grains would drink, mL/s."""
    dz = p.depth_cm / cells.shape[2]
    pressed = 1.0 + now[P] / 6.0
    pore_all = p.area_cm2 * p.depth_cm * p.void_fraction
    for i in range(LANES):
        _lane_resistance(lanes, cells, p, i, dz)
        lanes[i, LANE_UPTAKE] *= pressed / p.uptake_tau_s
        lanes[i, CONDUCTANCE] = (
            LANE_WEIGHTS[i]
            * p.permeability
            * math.exp(LANE_OFFSETS[i] * p.unevenness - lanes[i, KAPPA])
            / (1.0 + p.fines_block * lanes[i, LODGED])
            * fluid
            / lanes[i, RESISTANCE]
        )
        through = lanes[i, PORE] >= LANE_WEIGHTS[i] * pore_all * (1.0 - 1e-9)
        lanes[i, DRIVE] = 0.0 if through else p.capillary_bar - p.gas_back_bar * lanes[i, MEAN_GAS]


@inlined
def _lane_resistance(lanes: Floats, cells: Floats, p: Parameters, i: int, dz: float) -> None:
    """Equal depth of fresh bed, cm, mean gas of the wet part, mL/g, and thirst left, mL."""
    n = cells.shape[2]
    dose = p.dose_g / n * LANE_WEIGHTS[i]
    pore = LANE_WEIGHTS[i] * p.area_cm2 * p.depth_cm * p.void_fraction / n
    per_pore, full = 1.0 / pore, p.uptake_ml_g * dose
    swelling = p.swelling / full
    bright, sweet, bitter = 0.01 * p.bright_pct, 0.01 * p.sweet_pct, 0.01 * p.bitter_pct
    total = all_gas = wetness = thirst = 0.0
    for c in range(int(lanes[i, WET_CELLS])):
        w = cells[i, WET, c] * per_pore
        per_w = 1.0 / w
        here = cells[i, GAS, c] * per_w
        dissolved = (
            bright * (1.0 - cells[i, SOLID, c])
            + sweet * (1.0 - cells[i, SOLID + 1, c])
            + bitter * (1.0 - cells[i, SOLID + 2, c])
        )
        held = cells[i, SOLUTE, c] + cells[i, SOLUTE + 1, c] + cells[i, SOLUTE + 2, c]
        solute = held * per_w * per_pore
        total += (
            w
            * (1.0 + swelling * cells[i, UPTAKE, c] * per_w)
            * (1.0 + p.gas_block * here * here)
            * _exp(2.5 * solute - p.erosion * dissolved)
        )
        all_gas += cells[i, GAS, c]
        wetness += w
        thirst += max(0.0, full * w - cells[i, UPTAKE, c])
    lanes[i, RESISTANCE] = p.film_cm + dz * total
    lanes[i, MEAN_GAS] = all_gas / wetness if wetness > 0.0 else p.gas_ml_g
    lanes[i, LANE_UPTAKE] = thirst


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
def _carry(cells: Floats, i: int, row: int, c: int, carried: float, left: float) -> float:
    """One class through one well mixed cell; returns what flows out of it, g."""
    mass = cells[i, row, c] + carried
    cells[i, row, c] = mass * left
    return mass - mass * left


@compiled
def pass_water(
    now: Floats,
    lanes: Floats,
    cells: Floats,
    passed: Floats,
    p: Parameters,
    i: int,
    inflow: float,
    heat: float,
    dt: float,
) -> None:
    """Move one lane's water for a step and carry its solutes; `passed` gets what leaves.

    Implicit upwind: each cell is well mixed at the step's end, so that nothing can go negative.
    """
    uptake = lanes[i, LANE_UPTAKE]
    share = min(1.0, inflow / (uptake * dt)) if uptake > 0.0 else 0.0
    _dissolve(lanes, cells, p, i, heat * p.size_ratio * dt)
    _thirst(cells, p, i, (1.0 + now[P] / 6.0) * dt / p.uptake_tau_s * share, dt)
    n = cells.shape[2]
    pore = LANE_WEIGHTS[i] * p.area_cm2 * p.depth_cm * p.void_fraction / n
    water, held, reached = inflow, 0.0, 0
    in_0 = in_1 = in_2 = 0.0
    for c in range(n):
        if water <= 0.0 and cells[i, WET, c] <= 0.0:
            break
        drunk = min(water, cells[i, THIRST, c])
        cells[i, UPTAKE, c] += drunk
        water -= drunk
        filled = min(water, pore - cells[i, WET, c])
        water -= filled
        wet_ml = cells[i, WET, c] + filled
        if wet_ml <= 0.0:
            break
        cells[i, WET, c] = wet_ml
        cells[i, GAS, c] += p.gas_ml_g * filled / pore
        held += wet_ml
        reached += 1
        left = wet_ml / (wet_ml + water)
        in_0 = _carry(cells, i, SOLUTE, c, in_0, left)
        in_1 = _carry(cells, i, SOLUTE + 1, c, in_1, left)
        in_2 = _carry(cells, i, SOLUTE + 2, c, in_2, left)
    lanes[i, PORE] = held
    lanes[i, WET_CELLS] = reached
    lanes[i, LANE_Q] = 0.0
    if reached == n:
        lanes[i, LANE_Q] = water / dt
        passed[0] += water
        passed[1] += in_0
        passed[2] += in_1
        passed[3] += in_2


@inlined
def _dissolve(lanes: Floats, cells: Floats, p: Parameters, i: int, pace: float) -> None:
    """Solids to water in every wet cell of a lane: first order, slower as the water fills up."""
    n = cells.shape[2]
    pore = LANE_WEIGHTS[i] * p.area_cm2 * p.depth_cm * p.void_fraction / n
    dose = 0.01 * p.dose_g / n * LANE_WEIGHTS[i]
    k0, k1, k2 = p.bright_per_s * pace, p.sweet_per_s * pace, p.bitter_per_s * pace
    g0, g1, g2 = p.bright_pct * dose, p.sweet_pct * dose, p.bitter_pct * dose
    for c in range(int(lanes[i, WET_CELLS])):
        held = cells[i, SOLUTE, c] + cells[i, SOLUTE + 1, c] + cells[i, SOLUTE + 2, c]
        room = max(0.0, 1.0 - held / (cells[i, WET, c] * p.saturation_g_ml))
        x = room * cells[i, WET, c] / pore
        kept_0 = cells[i, SOLID, c] / (1.0 + k0 * x)
        kept_1 = cells[i, SOLID + 1, c] / (1.0 + k1 * x)
        kept_2 = cells[i, SOLID + 2, c] / (1.0 + k2 * x)
        cells[i, SOLUTE, c] += g0 * (cells[i, SOLID, c] - kept_0)
        cells[i, SOLUTE + 1, c] += g1 * (cells[i, SOLID + 1, c] - kept_1)
        cells[i, SOLUTE + 2, c] += g2 * (cells[i, SOLID + 2, c] - kept_2)
        cells[i, SOLID, c] = kept_0
        cells[i, SOLID + 1, c] = kept_1
        cells[i, SOLID + 2, c] = kept_2


@inlined
def _thirst(cells: Floats, p: Parameters, i: int, pace: float, dt: float) -> None:
    """What each cell's grains may drink in the step, mL, and the gas that leaves them."""
    n = cells.shape[2]
    pore = LANE_WEIGHTS[i] * p.area_cm2 * p.depth_cm * p.void_fraction / n
    full = p.uptake_ml_g * p.dose_g / n * LANE_WEIGHTS[i] / pore
    kept = math.exp(-dt / p.gas_tau_s)
    for c in range(n):
        cells[i, THIRST, c] = max(0.0, full * cells[i, WET, c] - cells[i, UPTAKE, c]) * pace
        cells[i, GAS, c] *= kept


@inlined
def settle(lanes: Floats, p: Parameters, i: int, pressure: float, dt: float) -> None:
    """Compaction, slowly recovered, and fines: locked by swelling or carried to the outlet."""
    pore_all = LANE_WEIGHTS[i] * p.area_cm2 * p.depth_cm * p.void_fraction
    pressed = (p.compaction_per_bar + p.compaction_gas * lanes[i, MEAN_GAS]) * pressure
    lanes[i, KAPPA] = max(lanes[i, KAPPA] * (1.0 - dt / p.compaction_tau_s), pressed)
    speed = lanes[i, LANE_Q] / LANE_WEIGHTS[i]
    carried = p.fines_rate * max(0.0, speed - p.fines_speed_ml_s) * dt
    locked = lanes[i, PORE] / pore_all * dt / p.fines_lock_s
    mobile = lanes[i, MOBILE] / (1.0 + carried + locked)
    lanes[i, LODGED] += mobile * carried
    lanes[i, MOBILE] = mobile


assert CLASSES == 3  # the three classes are written out above, for speed
