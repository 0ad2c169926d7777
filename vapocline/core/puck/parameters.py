"""The model's numbers: constants with their reasons, and how coffee and grind move them."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import NamedTuple, cast

import numpy as np

from vapocline.core.coffee.coffee import Process, Roast
from vapocline.core.machine.machine import Machine, SoftStart, ValveAhead
from vapocline.core.puck.constants import CONSTANTS, Constants
from vapocline.core.puck.plan import Setup
from vapocline.core.puck.unknowns import BY_NAME, Unknown


class Parameters(NamedTuple):
    """Everything the kernel needs to know of one puck on one machine. Units are in the names."""

    # bed
    dose_g: float
    area_cm2: float
    depth_cm: float
    void_fraction: float
    permeability: float  # conductance of a fresh medium bed, mL·cm/s/bar, grind and area included
    unevenness: float  # spread of ln-permeability between lanes, before it is wetted
    unevenness_pressed: float  # how much a hard first wetting adds
    unevenness_released: float  # and a pressure let go, per 9 bar
    unevenness_top: float
    film_cm: float  # basket holes and screen, as an equal depth of bed
    capillary_bar: float
    # what the grains do
    gas_ml_g: float  # carbon dioxide left at wetting
    rested: float  # days of rest over the time in which its gas falls to a third
    gas_back_bar: float  # back pressure on the front per mL/g
    gas_tau_s: float
    gas_keeps_bar: float  # so much pressure halves the pace at which gas leaves
    gas_block: float  # c_g
    gas_hinders: float  # h: extraction, per mL/g
    compaction_per_bar: float  # a
    compaction_gas: float  # b, at 9 bar
    compaction_power: float
    compaction_rise_s: float
    compaction_recovery_s: float
    uptake_ml_g: float  # u_max
    uptake_tau_s: float
    swelling: float  # s_w
    erosion: float  # γ
    fines_block: float  # c_f
    fines_rate: float
    fines_speed_ml_s: float
    fines_lock_s: float
    # extraction
    fines_share: float  # φ, of the dose
    partition: float  # θ: solute the water in grains holds, over what free water does
    dispersion_cm: float
    fineness: float  # 300 µm over the nominal size
    size_ratio: float  # how the rates follow it
    bright_pct: float
    sweet_pct: float
    bitter_pct: float
    bright_per_s: float
    sweet_per_s: float
    bitter_per_s: float
    # heat
    water_c: float
    set_water_c: float  # what was set for it to be so
    water_follows_s: float  # until a phase's own water is two thirds there; 0 where it cannot
    puck_start_c: float
    heat_loss_w_k: float
    boiler_ml: float  # 0 for water that never sags
    heater_w: float
    # machine
    head_free_ml: float
    head_trapped_ml: float
    hose_ml_bar: float
    pressure_lag_s: float
    flow_lag_s: float
    top_flow_ml_s: float
    pump_max_bar: float
    relief_bar: float
    floor_bar: float
    dumps_when_off: float  # 1 dumps when the pump stops, 0 holds
    dump_tau_s: float
    drain_share: float  # of the free head, lost when it dumps
    spout_tau_s: float
    scale_lag_s: float
    valve_pump_bar: float
    soft_start_s: float  # 0 for a pump that comes up at once
    preamble_s: float  # what the machine does before any program: 0 for nothing
    preamble_wet_s: float
    preamble_ml_s: float
    # in the glass
    crema_ml_per_g: float


RECORD = np.dtype([(name, np.float64) for name in Parameters._fields])


def record_of(p: Parameters) -> Parameters:
    """The same numbers as one record, which the kernel takes by reference instead of by copy.

    It reads like the tuple, field by field, and is typed as one.
    """
    return cast(Parameters, np.array([tuple(p)], dtype=RECORD).view(np.recarray)[0])


REFERENCE_GRIND_UM = 300.0  # nominal size at which permeability, fines and rates are stated
REFERENCE_AREA_CM2 = math.pi / 4 * 5.85**2
REFERENCE_DOSE_G = 18.0
# The basket in which a machine's free head is stated, with the reference dose in it.
REFERENCE_BASKET_ML, REFERENCE_DENSITY_G_ML = 46.2, 0.46
LEAST_HEAD_ML = 1.5  # a basket filled to the brim still has its screen's room
MOST_FINES = 0.5  # of the dose

# By roast, light to dark. Light grains are denser, give off gas slower; dark ones hold more gas
# at first, lose it fast and are more brittle (directions from product.md's schools; sizes are
# ours, to be moved by logged shots). `step` is how far it lies from medium: see Constants.
ROASTS: dict[Roast, dict[str, float]] = {
    "light": {"density": 0.49, "gas": 6.2, "gas_days": 17, "erosion": 3.2, "step": -1.0},
    "medium-light": {"density": 0.475, "gas": 6.6, "gas_days": 15, "erosion": 2.9, "step": -0.5},
    "medium": {"density": 0.46, "gas": 7.0, "gas_days": 13, "erosion": 2.6, "step": 0.0},
    "medium-dark": {"density": 0.44, "gas": 7.4, "gas_days": 11, "erosion": 2.3, "step": 0.5},
    "dark": {"density": 0.42, "gas": 7.8, "gas_days": 9, "erosion": 2.0, "step": 1.0},
}
# By process: dried in the fruit, beans keep more that dissolves fast and break into more fines.
# Directions as tasters report them; sizes are ours and small.
PROCESSES: dict[Process, dict[str, float]] = {
    "washed": {"rate": 1.0, "fines": 1.0},
    "honey": {"rate": 1.02, "fines": 1.05},
    "natural": {"rate": 1.04, "fines": 1.12},
    "unknown": {"rate": 1.0, "fines": 1.0},
}
# Taking caffeine out leaves a bean more porous and brittle: it loses gas sooner, drinks and
# dissolves faster, and grinds to more fines.
DECAF = {"gas": 0.6, "density": 0.97, "rate": 1.08, "fines": 1.25, "uptake_tau": 0.85}
# A basket that narrows downward holds a deeper bed over a smaller screen, fed less evenly.
TAPERED = {"area": 0.94, "unevenness": 0.03}

STALE_GAS_ML_G = 0.3  # what never leaves
MOST_GAS_ML_G = 12.0


BLEND_PACE = 0.5  # its roasts age apart: it changes half as fast, until its own shots say otherwise


def gas_left_ml_g(
    roast: Roast, rest_days: float, *, decaf: bool = False, blend: bool = False
) -> float:
    """Carbon dioxide left in the grains, mL/g: an exponential loss from the day of roasting."""
    fresh = ROASTS[roast]["gas"]
    lost = math.exp(-rest_days * (BLEND_PACE if blend else 1.0) / ROASTS[roast]["gas_days"])
    return (STALE_GAS_ML_G + (fresh - STALE_GAS_ML_G) * lost) * (DECAF["gas"] if decaf else 1.0)


# Crema, mL on each g of drink: what a marked glass reads too much. It grows with the gas left in
# the grains: about 0.4 on a coffee rested twelve days, until the coffee's own is measured.
CREMA_ALWAYS_ML_G, CREMA_PER_GAS = 0.06, 0.10

# A drilled disc in the puck's place: next to nothing to wet, drink or dissolve, and a steady
# resistance of a usual puck's size, 1.6 mL/s at 9 bar.
INSERT = {
    "depth_cm": 0.02,
    "permeability": 0.011,
    "unevenness": 0.0,
    "capillary_bar": 0.0,
    "gas_ml_g": 0.0,
    "compaction_per_bar": 0.0,
    "compaction_gas": 0.0,
    "uptake_ml_g": 1e-6,
    "fines_share": 0.0,
    "swelling": 0.0,
    "erosion": 0.0,
    "fines_block": 0.0,
    "bright_pct": 1e-6,
    "sweet_pct": 1e-6,
    "bitter_pct": 1e-6,
    "crema_ml_per_g": 0.0,
}


def crema_ml_per_g(gas_ml_g: float) -> float:
    """Crema on each gram of drink, mL, from the gas left in the grains, mL/g."""
    return CREMA_ALWAYS_ML_G + CREMA_PER_GAS * gas_ml_g


def parameters_for(setup: Setup, constants: Constants = CONSTANTS) -> Parameters:
    """The kernel's parameters for one setup: at nominal values, moved by what is known of it."""
    nominal = _nominal(setup, constants)
    if setup.knowledge is None or setup.insert:
        return nominal
    return moved(nominal, setup.knowledge.means())


def moved(p: Parameters, values: Mapping[str, float]) -> Parameters:
    """Parameters with unknowns moved off what is assumed: logarithms, sums or exponents by name."""
    changed: dict[str, float] = {}
    for name, value in values.items():
        unknown = BY_NAME[name]
        for field in unknown.fields:
            now = changed.get(field, getattr(p, field))
            changed[field] = _moved_field(p, unknown, now, value)
    return p._replace(**changed)


def _moved_field(p: Parameters, unknown: Unknown, now: float, value: float) -> float:
    if unknown.kind == "shift":
        return now + value
    if unknown.kind == "staling":
        return min(MOST_GAS_ML_G, now * math.exp(value * p.rested))
    return now * math.exp(value * strength_of(unknown, p))


def strength_of(unknown: Unknown, p: Parameters) -> float:
    """How far a field's logarithm follows an unknown: a factor's wholly, an exponent's by the
    grind's fineness, staling by how long the coffee has rested."""
    if unknown.kind == "power":
        # Finer passes less and gives off more: sizes are given as fineness here.
        fineness = math.log(p.fineness)
        return -fineness if unknown.name == "permeability by grind" else fineness
    return p.rested if unknown.kind == "staling" else 1.0


def _nominal(setup: Setup, constants: Constants) -> Parameters:
    k = constants
    roast, process = ROASTS[setup.roast], PROCESSES[setup.process]
    decaf = DECAF if setup.decaf else dict.fromkeys(DECAF, 1.0)
    fineness = REFERENCE_GRIND_UM / setup.grind_um
    density = density_g_ml(setup)
    gas = gas_left_ml_g(setup.roast, setup.rest_days, decaf=setup.decaf, blend=setup.blend)
    crema = crema_ml_per_g(gas) if setup.crema_ml_per_g is None else setup.crema_ml_per_g
    numbers = dict(
        dose_g=setup.dose_g,
        gas_ml_g=gas,
        # Not slowed for a blend: how fast it stales is then twice as uncertain.
        rested=setup.rest_days / ROASTS[setup.roast]["gas_days"],
        gas_back_bar=k.gas_back_bar,
        gas_tau_s=k.gas_tau_s,
        gas_keeps_bar=k.gas_keeps_bar,
        gas_block=k.gas_block,
        gas_hinders=k.gas_hinders,
        compaction_per_bar=k.compaction_per_bar,
        compaction_gas=k.compaction_gas,
        compaction_power=k.compaction_power,
        compaction_rise_s=k.compaction_rise_s,
        compaction_recovery_s=k.compaction_recovery_s,
        uptake_ml_g=k.uptake_ml_g,
        uptake_tau_s=k.uptake_tau_s * decaf["uptake_tau"],
        swelling=k.swelling,
        erosion=roast["erosion"] * k.erosion,
        water_c=setup.water_c,
        set_water_c=setup.water_c,
        puck_start_c=setup.puck_start_c,
        heat_loss_w_k=0.4,
        crema_ml_per_g=crema,
        drain_share=k.drain_share,
        **_bed_part(setup, k, density, fineness),
        **_extraction_part(setup, k, process["rate"] * decaf["rate"], fineness),
        **_machine_part(setup.machine),
    )
    numbers["head_free_ml"] = head_free_ml(setup)
    if setup.insert:
        numbers |= INSERT
    # All of one type: the kernel is compiled once, not again for a whole number here and there.
    return Parameters(**{name: float(value) for name, value in numbers.items()})


def _bed_part(setup: Setup, k: Constants, density: float, fineness: float) -> dict[str, float]:
    tapered = setup.basket_shape == "tapered"
    area = math.pi / 4 * (setup.basket_diameter_mm / 10) ** 2 * (TAPERED["area"] if tapered else 1)
    wide = area / REFERENCE_AREA_CM2
    fines = _fines_share(setup, k, fineness)
    uneven = setup.unevenness + (TAPERED["unevenness"] if tapered else 0)
    roast = _by_roast(setup.roast, k.permeability_light, k.permeability_dark)
    return {
        "area_cm2": area,
        "depth_cm": setup.dose_g / (density * area),
        "void_fraction": 0.35,
        "permeability": k.permeability * roast * fineness**-k.permeability_power * wide,
        "unevenness": uneven * fineness**k.unevenness_power,
        "unevenness_pressed": k.unevenness_pressed,
        "unevenness_released": k.unevenness_released,
        "unevenness_top": k.unevenness_top,
        "film_cm": 0.03,
        "capillary_bar": 0.10,
        # so many fines lie on each square centimetre of the outlet
        "fines_block": k.fines_block
        * fines
        / k.fines_share
        * (setup.dose_g / REFERENCE_DOSE_G)
        / wide,
        "fines_rate": k.fines_rate,
        "fines_speed_ml_s": k.fines_speed_ml_s * wide,
        "fines_lock_s": k.fines_lock_s,
        "fines_share": fines,
    }


def _extraction_part(setup: Setup, k: Constants, rate: float, fineness: float) -> dict[str, float]:
    solids = _by_roast(setup.roast, k.solids_light, k.solids_dark)
    rate *= _by_roast(setup.roast, k.rate_light, k.rate_dark)
    return {
        "partition": k.partition,
        "dispersion_cm": k.dispersion_cm,
        "fineness": fineness,
        "size_ratio": fineness**k.rate_power,
        "bright_pct": k.bright_pct * solids,
        "sweet_pct": k.sweet_pct * solids,
        "bitter_pct": k.bitter_pct * solids,
        "bright_per_s": k.bright_per_s * rate,
        "sweet_per_s": k.sweet_per_s * rate,
        "bitter_per_s": k.bitter_per_s * rate,
    }


def _by_roast(roast: Roast, light: float, dark: float) -> float:
    """A roast's factor from its logarithms at light and at dark; 1 for medium."""
    step = ROASTS[roast]["step"]
    return math.exp(abs(step) * (light if step < 0 else dark))


def _fines_share(setup: Setup, k: Constants, fineness: float) -> float:
    """Share of the dose in fines: the grinder's at 300 µm, more where it grinds finer."""
    at_reference = k.fines_share if setup.fines_pct is None else setup.fines_pct / 100
    coffee = PROCESSES[setup.process]["fines"] * (DECAF["fines"] if setup.decaf else 1.0)
    coffee *= _by_roast(setup.roast, k.fines_light, k.fines_dark)
    share: float = at_reference * fineness**k.fines_power * coffee
    return min(MOST_FINES, share)


def density_g_ml(setup: Setup) -> float:
    """Of the dry bed: the coffee's own where it is known, else its roast's."""
    decaf = DECAF["density"] if setup.decaf else 1.0
    return setup.density_g_ml or ROASTS[setup.roast]["density"] * decaf


def head_free_ml(setup: Setup) -> float:
    """Room above the bed: the machine's with a reference dose, less what more coffee takes up."""
    basket = REFERENCE_BASKET_ML if setup.basket_volume_ml is None else setup.basket_volume_ml
    more_room = basket - setup.dose_g / density_g_ml(setup)
    reference_room = REFERENCE_BASKET_ML - REFERENCE_DOSE_G / REFERENCE_DENSITY_G_ML
    return max(LEAST_HEAD_ML, setup.machine.head_free_ml + more_room - reference_room)


def _machine_part(machine: Machine) -> dict[str, float]:
    control, preamble = machine.control, machine.preamble
    return {
        "preamble_s": preamble.lasts_s if preamble else 0.0,
        "preamble_wet_s": preamble.wet_s if preamble else 0.0,
        "preamble_ml_s": preamble.flow_ml_s if preamble else 0.0,
        "head_free_ml": machine.head_free_ml,
        "head_trapped_ml": machine.head_trapped_ml,
        "hose_ml_bar": machine.hose_ml_bar,
        "boiler_ml": machine.boiler_ml or 0.0,
        "heater_w": machine.heater_w,
        "water_follows_s": machine.water_follows_s or 0.0,
        "pressure_lag_s": machine.pressure_lag_s,
        "flow_lag_s": machine.flow_lag_s,
        "top_flow_ml_s": machine.top_flow_ml_s,
        "pump_max_bar": machine.pump_max_bar,
        "relief_bar": machine.relief_bar,
        "floor_bar": machine.floor_bar,
        "dumps_when_off": float(machine.when_off == "dump"),
        "dump_tau_s": 0.3,
        "spout_tau_s": 0.2,
        "scale_lag_s": machine.scale_lag_s,
        "valve_pump_bar": control.pump_bar if isinstance(control, ValveAhead) else 0.0,
        "soft_start_s": control.rise_s if isinstance(control, SoftStart) else 0.0,
    }
