"""What the Shelf draws: a machine's reach with pucks in it, a lever's stroke, a bed."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from vapocline.core.base.document import Answer
from vapocline.core.base.quantities import RANGES
from vapocline.core.machine.machine import HandLever, Machine, SpringLever, ValveAhead
from vapocline.core.profile.profile import (
    Phase,
    PressureCommand,
    Profile,
    SecondsExit,
    SpringCommand,
    Stop,
)
from vapocline.core.puck.parameters import (
    REFERENCE_BASKET_ML,
    head_free_ml,
    parameters_for,
)
from vapocline.core.puck.plan import Plan, Setup
from vapocline.core.puck.predict import predict
from vapocline.core.puck.program import sprung

PUCK_BARS = (2.0, 4.0, 6.0, 9.0)
PUCKS_UM = (("40 µm finer", -40.0), ("as on the bench", 0.0), ("40 µm coarser", 40.0))
PRESSED_S = 120.0
DRAWN_S = 8.0  # a lever stays drawn for so long before it is let go
AT_REST_ML_S = 0.02
HARD_KG = 30.0
STRONG_PUMP_BAR, STRONG_FLOW_ML_S = 25.0, 30.0


class DrawnCurve(Answer):
    """A curve in pressure over flow, with what it is."""

    words: str
    flow_ml_s: list[float]
    pressure_bar: list[float]


class Reach(Answer):
    """What a machine can give: its limits as lines, and how pucks lie in it."""

    pump: DrawnCurve
    relief_bar: float
    floor_bar: float
    pucks: list[DrawnCurve]


class DrawnSpring(Answer):
    """The pressure of a spring, or of all together, by the water that the lever pressed out."""

    words: str
    pressed_ml: list[float]
    pressure_bar: list[float]


class DrawnStroke(Answer):
    """A spring lever let go once, to its end, over the puck on the bench.

    It stays drawn for `drawn_s`. `springs` are each apart, `together` is what presses.
    `water_in_ml_s` is what flows into the puck along the stroke, over `pressed_ml`; `cup_g` what is
    in the cup at its end.
    """

    stroke_ml: float
    line_bar: float
    drawn_s: float
    springs: list[DrawnSpring]
    together: DrawnSpring
    pressed_ml: list[float]
    water_in_ml_s: list[float]
    cup_g: float | None


class DrawnPress(Answer):
    """A lever pressed by hand: the pressure, bar, and the bench's puck's flow, mL/s, by force."""

    stroke_ml: float
    force_kg: list[float]
    pressure_bar: list[float]
    water_in_ml_s: list[float]


class Bed(Answer):
    """A basket to scale, mm, with a dose in it: the bed, and the room above it."""

    diameter_mm: float
    bottom_mm: float
    depth_mm: float
    bed_mm: float
    head_mm: float
    head_ml: float
    measured: bool


def reach_of(machine: Machine, setup: Setup) -> Reach:
    """The pump's (or the open valve's) curve, and the puck on the bench ground finer and coarser.

    Each puck is pressed steadily at some pressures by a pump without limits; its point is the flow
    late in the cup.
    """
    return Reach(
        pump=_given(machine),
        relief_bar=machine.relief_bar,
        floor_bar=machine.floor_bar,
        pucks=[line for words, by in PUCKS_UM if (line := _puck(setup, by, words)) is not None],
    )


def _given(machine: Machine) -> DrawnCurve:
    control = machine.control
    if isinstance(control, ValveAhead):
        top, stalls, words = max(control.free_flow_ml_s), control.pump_bar, "valve fully open"
        flow = np.linspace(0, top, 41)
        bar = stalls * (1 - (flow / top) ** 2)
    else:
        top, stalls, words = machine.top_flow_ml_s, machine.pump_max_bar, "the pump at its most"
        flow = np.linspace(0, top, 41)
        bar = stalls * (1 - flow / top)
    return DrawnCurve(
        words=words, flow_ml_s=flow.round(3).tolist(), pressure_bar=bar.round(3).tolist()
    )


def _puck(setup: Setup, by_um: float, words: str) -> DrawnCurve | None:
    if not RANGES["grind_um"].low <= setup.grind_um + by_um <= RANGES["grind_um"].high:
        return None
    strong = setup.machine.model_copy(
        update={
            "relief_bar": STRONG_PUMP_BAR,
            "pump_max_bar": STRONG_PUMP_BAR,
            "top_flow_ml_s": STRONG_FLOW_ML_S,
            "control": Machine.model_fields["control"].default,
            "preamble": None,
            "floor_bar": 0.0,
        }
    )
    ground = setup.model_copy(update={"grind_um": setup.grind_um + by_um, "machine": strong})
    flows, bars = [0.0], [0.0]
    for bar in PUCK_BARS:
        plan = Plan(members=1, setup=ground, profile=_steady(bar, 2 * setup.dose_g))
        late = predict(plan).late_flow_ml_s.value
        if late is not None:
            flows.append(round(late, 3))
            bars.append(bar)
    return DrawnCurve(words=words, flow_ml_s=flows, pressure_bar=bars)


def stroke_of(lever: SpringLever, setup: Setup) -> DrawnStroke:
    """A spring lever's pressure over its stroke, and the flow of the bench's puck along it.

    The lever is drawn with the line's pressure on the puck for some seconds, then let go with all
    its springs; nothing but the end of the stroke ends it. `setup` is on that lever's machine.
    """
    engaged: Literal[1, 2] = 2 if len(lever.springs) == 2 else 1
    phases = (
        _held(lever.line_bar, DRAWN_S),
        Phase(
            name="Press",
            kind="hold",
            command=SpringCommand(springs=engaged),
            exits=(SecondsExit(value=PRESSED_S),),
        ),
    )
    stop = Stop(cup_g=None, time_s=DRAWN_S + PRESSED_S)
    profile = Profile(name="One stroke", phases=phases, stop=stop)
    unbound = setup.machine.model_copy(update={"relief_bar": STRONG_PUMP_BAR})  # drawn all the same
    setup = setup.model_copy(update={"machine": unbound})
    answer = predict(Plan(members=1, setup=setup, profile=profile))
    series = answer.series
    water, flow = np.asarray(series.water_ml), np.asarray(series.water_in_ml_s)
    pressing = (np.asarray(series.phase) == 1) & (np.asarray(series.time_s) > DRAWN_S)
    pressed = water[pressing] - (water[pressing][0] if pressing.any() else 0.0)
    moves = flow[pressing] > AT_REST_ML_S
    return DrawnStroke(
        stroke_ml=lever.stroke_ml,
        line_bar=lever.line_bar,
        drawn_s=DRAWN_S,
        springs=[
            _spring(lever.model_copy(update={"springs": (one,)}), f"spring {number}")
            for number, one in enumerate(lever.springs, 1)
        ],
        together=_spring(lever, "both springs" if engaged > 1 else "the spring"),
        pressed_ml=pressed[moves].round(2).tolist(),
        water_in_ml_s=flow[pressing][moves].round(3).tolist(),
        cup_g=answer.cup_at_stop_g.value,
    )


def _spring(lever: SpringLever, words: str) -> DrawnSpring:
    water, bar = sprung(lever, len(lever.springs))
    inside = water <= lever.stroke_ml
    return DrawnSpring(
        words=words,
        pressed_ml=water[inside].round(2).tolist(),
        pressure_bar=bar[inside].round(3).tolist(),
    )


def press_of(lever: HandLever, setup: Setup) -> DrawnPress:
    """A hand lever's pressure by force, with the flow of the bench's puck late in the cup."""
    puck = _puck(setup, 0.0, "as on the bench")
    force = np.linspace(0.0, HARD_KG, 31)
    bar = force * lever.bar_per_kg
    flow = np.interp(bar, puck.pressure_bar, puck.flow_ml_s) if puck else np.zeros_like(bar)
    known = bar <= PUCK_BARS[-1]  # beyond it nothing was computed
    return DrawnPress(
        stroke_ml=lever.stroke_ml,
        force_kg=force.round(2).tolist(),
        pressure_bar=bar.round(3).tolist(),
        water_in_ml_s=flow[known].round(3).tolist(),
    )


def _held(bar: float, seconds: float) -> Phase:
    return Phase(
        name="Soak",
        kind="hold",
        command=PressureCommand(from_=bar, to=bar),
        exits=(SecondsExit(value=seconds),),
    )


def _steady(bar: float, yield_g: float) -> Profile:
    stop = Stop(cup_g=yield_g, time_s=PRESSED_S)
    return Profile(name="Steady", phases=(_held(bar, PRESSED_S),), stop=stop)


def bed_of(setup: Setup) -> Bed:
    """The dose of a set-up in its basket, to scale; unmeasured volumes are the model's own."""
    p = parameters_for(setup)
    area_mm2 = p.area_cm2 * 100
    volume = setup.basket_volume_ml or REFERENCE_BASKET_ML
    bottom = 2 * math.sqrt(area_mm2 / math.pi)
    mean_mm2 = math.pi / 4 * ((setup.basket_diameter_mm + bottom) / 2) ** 2
    depth = volume * 1000 / mean_mm2
    bed = min(depth, p.depth_cm * 10)
    return Bed(
        diameter_mm=setup.basket_diameter_mm,
        bottom_mm=round(bottom, 1),
        depth_mm=round(depth, 1),
        bed_mm=round(bed, 1),
        head_mm=round(depth - bed, 1),
        head_ml=round(head_free_ml(setup), 1),
        measured=setup.basket_volume_ml is not None,
    )
