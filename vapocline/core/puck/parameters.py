"""The model's numbers: constants with their reasons, and how coffee and grind move them."""

from __future__ import annotations

import math
from typing import NamedTuple, cast

import numpy as np

from vapocline.core.coffee.coffee import Process, Roast
from vapocline.core.machine.machine import Machine, SoftStart, ValveAhead
from vapocline.core.puck.plan import Setup


class Parameters(NamedTuple):
    """Everything the kernel needs to know of one puck on one machine. Units are in the names."""

    # bed
    dose_g: float
    area_cm2: float
    depth_cm: float
    void_fraction: float
    permeability: float  # conductance of a fresh medium bed, mL·cm/s/bar, grind and area included
    unevenness: float  # spread of ln-permeability between lanes
    film_cm: float  # basket holes and screen, as an equal depth of bed
    capillary_bar: float
    # what the grains do
    gas_ml_g: float  # carbon dioxide left at wetting
    gas_back_bar: float  # back pressure on the front per mL/g
    gas_tau_s: float
    gas_block: float  # c_g
    compaction_per_bar: float  # a
    compaction_gas: float  # b
    compaction_tau_s: float
    uptake_ml_g: float  # u_max
    uptake_tau_s: float
    swelling: float  # s_w
    erosion: float  # γ
    fines_block: float  # c_f
    fines_rate: float
    fines_speed_ml_s: float
    fines_lock_s: float
    # extraction
    size_ratio: float  # d_ref/d
    bright_pct: float
    sweet_pct: float
    bitter_pct: float
    bright_per_s: float
    sweet_per_s: float
    bitter_per_s: float
    saturation_g_ml: float
    # heat
    water_c: float
    puck_start_c: float
    heat_loss_w_k: float
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
    spout_tau_s: float
    scale_lag_s: float
    valve_pump_bar: float
    soft_start_s: float  # 0 for a pump that comes up at once
    # in the glass
    crema_ml_per_g: float


RECORD = np.dtype([(name, np.float64) for name in Parameters._fields])


def record_of(p: Parameters) -> Parameters:
    """The same numbers as one record, which the kernel takes by reference instead of by copy.

    It reads like the tuple, field by field, and is typed as one.
    """
    return cast(Parameters, np.array([tuple(p)], dtype=RECORD).view(np.recarray)[0])


REFERENCE_GRIND_UM = 300.0  # surface-mean size at which `permeability` and the rates are stated
REFERENCE_AREA_CM2 = math.pi / 4 * 5.85**2

# Set so that 18 g at 300 µm, rested, medium, 58.5 mm, flat 9 bar gives 36 g in about 25 s.
PERMEABILITY = 0.80  # mL·cm/s/bar over the reference area

# By roast, light to dark. Light grains are denser, give off gas slower and dissolve slower; dark
# ones hold more gas at first, lose it fast and are more brittle (directions from product.md's
# schools; sizes are ours, to be moved by logged shots).
ROASTS: dict[Roast, dict[str, float]] = {
    "light": {"density": 0.49, "gas": 6.2, "gas_days": 17, "erosion": 3.2, "rate": 0.84},
    "medium-light": {"density": 0.475, "gas": 6.6, "gas_days": 15, "erosion": 2.9, "rate": 0.92},
    "medium": {"density": 0.46, "gas": 7.0, "gas_days": 13, "erosion": 2.6, "rate": 1.0},
    "medium-dark": {"density": 0.44, "gas": 7.4, "gas_days": 11, "erosion": 2.3, "rate": 1.08},
    "dark": {"density": 0.42, "gas": 7.8, "gas_days": 9, "erosion": 2.0, "rate": 1.16},
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


def gas_left_ml_g(roast: Roast, rest_days: float) -> float:
    """Carbon dioxide left in the grains, mL/g: an exponential loss from the day of roasting."""
    fresh = ROASTS[roast]["gas"]
    lost = math.exp(-rest_days / ROASTS[roast]["gas_days"])
    return STALE_GAS_ML_G + (fresh - STALE_GAS_ML_G) * lost


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


def parameters_for(setup: Setup) -> Parameters:
    """The kernel's parameters for one setup, at nominal values."""
    roast, process = ROASTS[setup.roast], PROCESSES[setup.process]
    decaf = DECAF if setup.decaf else dict.fromkeys(DECAF, 1.0)
    tapered = setup.basket_shape == "tapered"
    machine = setup.machine
    area = math.pi / 4 * (setup.basket_diameter_mm / 10) ** 2 * (TAPERED["area"] if tapered else 1)
    rate = roast["rate"] * process["rate"] * decaf["rate"]
    fines = process["fines"] * decaf["fines"]
    size = setup.grind_um / REFERENCE_GRIND_UM
    density = setup.density_g_ml or roast["density"] * decaf["density"]
    gas = gas_left_ml_g(setup.roast, setup.rest_days) * decaf["gas"]
    crema = crema_ml_per_g(gas) if setup.crema_ml_per_g is None else setup.crema_ml_per_g
    numbers = dict(
        dose_g=setup.dose_g,
        area_cm2=area,
        depth_cm=setup.dose_g / (density * area),
        void_fraction=0.35,
        # Kozeny and Carman: permeability goes with the square of the grain size.
        permeability=PERMEABILITY * size**2 * area / REFERENCE_AREA_CM2,
        unevenness=setup.unevenness + (TAPERED["unevenness"] if tapered else 0),
        film_cm=0.03,
        capillary_bar=0.10,
        gas_ml_g=gas,
        gas_back_bar=0.03,
        gas_tau_s=9.0,
        gas_block=0.005,
        compaction_per_bar=0.010,
        compaction_gas=0.024,
        compaction_tau_s=60.0,
        uptake_ml_g=0.55,
        uptake_tau_s=7.0 * decaf["uptake_tau"],
        swelling=0.25,
        erosion=roast["erosion"],
        fines_block=1.5,
        fines_rate=0.10 * fines,
        fines_speed_ml_s=0.35,
        fines_lock_s=8.0,
        size_ratio=1 / size,
        bright_pct=8.5,
        sweet_pct=13.0,
        bitter_pct=9.0,
        bright_per_s=0.34 * rate,
        sweet_per_s=0.105 * rate,
        bitter_per_s=0.033 * rate,
        saturation_g_ml=0.45,
        water_c=setup.water_c,
        puck_start_c=setup.puck_start_c,
        heat_loss_w_k=0.4,
        crema_ml_per_g=crema,
        **_machine_part(machine),
    )
    if setup.insert:
        numbers |= INSERT
    # All of one type: the kernel is compiled once, not again for a whole number here and there.
    return Parameters(**{name: float(value) for name, value in numbers.items()})


def _machine_part(machine: Machine) -> dict[str, float]:
    control = machine.control
    return {
        "head_free_ml": machine.head_free_ml,
        "head_trapped_ml": machine.head_trapped_ml,
        "hose_ml_bar": 0.05,
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
