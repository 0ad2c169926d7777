"""What the model must show, as rows of numbers: the tables of docs/model.md, with their bounds.

The tests assert each row; `python -m benchmarks.fit` fits the constants to them, and with
`--rounds 0` only prints them. A row may be measured under other constants, for the fit to move.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np

from tests.factories import bloomed, flow, plan, pressure, seconds, soaked, until_cup, valve
from vapocline.core.machine.machine import Machine, ValveAhead
from vapocline.core.profile.profile import FirstDripExit, Limit, Phase, PressureAboveExit
from vapocline.core.puck import columns
from vapocline.core.puck.constants import CONSTANTS, Constants
from vapocline.core.puck.figures import Figures, figures_of
from vapocline.core.puck.parameters import parameters_for
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import run
from vapocline.core.puck.program import program_of


class Shot:
    """One run: its figures, and its curves up to the stop."""

    def __init__(self, one: Plan, constants: Constants, **grid: Any) -> None:
        parameters = parameters_for(one.setup, constants)
        program = program_of(one.profile, one.setup.machine)
        self.state, samples = run(parameters, program, **grid)
        self.figures: Figures = figures_of(one.profile, parameters, self.state, samples)
        self.samples = samples[samples[:, columns.S_TIME] <= self.figures.shot_time_s + 1e-9]

    @property
    def time_s(self) -> float:
        return self.figures.shot_time_s

    @property
    def extraction(self) -> float:
        return self.figures.extraction_yield_pct

    @property
    def peak_bar(self) -> float:
        return self.figures.peak_pressure_bar

    def of(self, column: int) -> np.ndarray:
        return self.samples[:, column]

    def at_stop(self, column: int) -> float:
        return float(self.of(column)[-1])

    def at(self, time_s: float, column: int) -> float:
        return float(np.interp(time_s, self.of(columns.S_TIME), self.of(column)))


class Puck:
    """Shots under one set of constants, on one `grid` of cells and steps; each is run once."""

    def __init__(self, constants: Constants = CONSTANTS, **grid: Any) -> None:
        self.constants, self.grid = constants, grid
        self.known: dict[str, Shot] = {}

    def shot(self, *phases: Phase, **setup: Any) -> Shot:
        one = plan(*phases, **setup)
        key = one.model_dump_json()
        if key not in self.known:
            self.known[key] = Shot(one, self.constants, **self.grid)
        return self.known[key]

    def flat(self, bar: float = 9, **setup: Any) -> Shot:
        return self.shot(pressure(bar), **setup)

    @cached_property
    def by_grind(self) -> dict[int, Shot]:
        """Flat 9 bar from 360 down to 200 µm."""
        return {size: self.flat(grind_um=size) for size in range(360, 199, -20)}

    def best_grind(self) -> tuple[float, float]:
        """The size at which flat 9 bar takes most out, µm, and how much that is, %: a parabola."""
        sizes = np.array(list(self.by_grind))
        taken = np.array([one.extraction for one in self.by_grind.values()])
        top = int(np.clip(np.argmax(taken), 1, len(sizes) - 2))
        bend = np.polyfit(sizes[top - 1 : top + 2], taken[top - 1 : top + 2], 2)
        size = float(np.clip(-bend[1] / (2 * bend[0]), sizes.min(), sizes.max()))
        return size, float(max(np.polyval(bend, size), taken.max()))


class Row(NamedTuple):
    """A number the model must give: within `low` to `high`, and one `unit` is a large miss."""

    name: str
    low: float
    high: float
    scale: float
    value: Callable[[Puck], float]


VALVE = Machine(
    name="Needle",
    control=ValveAhead(pump_bar=9, turns=(0, 1, 4), free_flow_ml_s=(0, 2.4, 8)),
    relief_bar=12,
)
GASSY = {"roast": "medium-light", "process": "natural"}
NO_MORE = float("inf")


def soak_to(bar: float) -> tuple[Phase, ...]:
    """Fill at 2 mL/s until a pressure, then press."""
    return flow(2, None, PressureAboveExit(value=bar), seconds(40)), pressure(9)


SLOW_SATURATE = (flow(1.2, None, FirstDripExit(), seconds(60)), pressure(9))
OPEN = soaked(4.5, limit=Limit(pressure_bar=9))
LONG = {"dose_g": 15, "roast": "light", "cup_g": 75}


def _ratio(a: float, b: float) -> float:
    return 100 * (a / b - 1)


def _flat_rows() -> list[Row]:
    return [
        Row("flat 9: time, s", 23, 27, 1, lambda p: p.flat().time_s),
        Row("flat 9: first drip, s", 5, 7.95, 0.25, lambda p: p.flat().figures.first_drip_s),
        Row("flat 9: EY, %", 19.5, 20.9, 0.4, lambda p: p.flat().extraction),
        Row("flat 9: TDS, %", 9, 10.5, 0.3, lambda p: p.flat().figures.tds_pct),
        Row("finer by 20 µm: time, %", 7, 15, 2,
            lambda p: _ratio(p.flat(grind_um=280).time_s, p.flat().time_s)),
        Row("coarser by 20 µm: time, %", -12, -5, 2,
            lambda p: _ratio(p.flat(grind_um=320).time_s, p.flat().time_s)),
        Row("finer by 20 µm: EY", 0.1, NO_MORE, 0.2,
            lambda p: p.flat(grind_um=280).extraction - p.flat().extraction),
        Row("coarser by 20 µm: EY", -NO_MORE, -0.1, 0.2,
            lambda p: p.flat(grind_um=320).extraction - p.flat().extraction),
        Row("86 to 97 °C: EY", 0.4, 1.6, 0.3,
            lambda p: p.flat(water_c=97).extraction - p.flat(water_c=86).extraction),
        Row("uneven preparation: first drip, s", -NO_MORE, -0.1, 0.2,
            lambda p: p.flat(unevenness=0.4).figures.first_drip_s
            - p.flat(unevenness=0.0).figures.first_drip_s),
        Row("uneven preparation: EY", -NO_MORE, -0.3, 0.3,
            lambda p: p.flat(unevenness=0.4).extraction - p.flat(unevenness=0.0).extraction),
        Row("drips after the stop at 9 bar, g", 0.4, 1.5, 0.2,
            lambda p: p.flat().figures.yield_g - p.flat().figures.cup_at_stop_g),
        Row("drips after the stop at 4 bar, g", 0.4, 1.5, 0.2,
            lambda p: p.flat(4).figures.yield_g - p.flat(4).figures.cup_at_stop_g),
        Row("meets after the first drip, s", 1, NO_MORE, 0.5,
            lambda p: p.flat().figures.meet_s - p.flat().figures.first_drip_s),
        Row("stays behind, mL", 20, 32, 2, lambda p: p.flat().figures.stays_behind_ml),
    ]  # fmt: skip


def _gas_rows() -> list[Row]:
    def step(low: float, high: float, **setup: Any) -> Callable[[Puck], float]:
        return lambda p: _ratio(p.flat(high, **setup).time_s, p.flat(low, **setup).time_s)

    rows = [
        Row("3 to 30 days: time, %", -25, -10, 4,
            lambda p: _ratio(p.flat(rest_days=30).time_s, p.flat(rest_days=3).time_s)),
        Row("6 to 9 bar at 12 days: time, %", -NO_MORE, -3, 2, step(6, 9)),
        Row("6 to 9 bar at 60 days: time, %", -NO_MORE, -5, 2, step(6, 9, rest_days=60)),
        Row("9 to 12 bar at 12 days: time, %", -NO_MORE, -0.5, 1, step(9, 12)),
        Row("9 to 12 bar at 60 days: time, %", -NO_MORE, -3, 1, step(9, 12, rest_days=60)),
    ]  # fmt: skip
    for days, low, high in ((1, 0, 14), (4, 0, 10), (7, -0.3, 8), (20, -20, -2)):
        rows += [
            Row(f"9 to 12 bar, gassy, {days} d: time, %", low, high, 2,
                step(9, 12, rest_days=days, **GASSY)),
            Row(f"9 to 12 bar, medium, {days} d: time, %", low - 1, high, 2,
                step(9, 12, rest_days=days)),
        ]  # fmt: skip
    return rows


def _fall_rows() -> list[Row]:
    fall = (pressure(9, None, seconds(10)), pressure(4))
    slow = (pressure(9, None, seconds(10)), pressure(9, 4, over=15))
    early = (pressure(9, None, seconds(6)), pressure(9, 4, over=4))

    def growth(one: Shot) -> float:
        return one.at_stop(columns.S_Q_CUP) / one.at(0.6 * one.time_s, columns.S_Q_CUP)

    long = (pressure(9, 4, over=30),)
    return [
        Row("9 bar, from 10 s 4 bar: EY over flat 9", 0.5, 1.5, 0.2,
            lambda p: p.shot(*fall).extraction - p.flat().extraction),
        Row("9 bar, from 10 s 4 bar: time between flat 9 (0) and flat 4 (1)", 0.2, 0.95, 0.1,
            lambda p: (p.shot(*fall).time_s - p.flat().time_s)
            / (p.flat(4).time_s - p.flat().time_s)),
        Row("9 bar, from 10 s down to 4 in 15 s: EY over flat 9", 0.2, 1.4, 0.2,
            lambda p: p.shot(*slow).extraction - p.flat().extraction),
        Row("flat 4 over flat 9: time, ratio", 1.2, 2.2, 0.2,
            lambda p: p.flat(4).time_s / p.flat().time_s),
        Row("early fall: EY over flat 9", 0.4, 2.0, 0.3,
            lambda p: p.shot(*early).extraction - p.flat().extraction),
        Row("early fall: time, ratio", 1.1, 1.6, 0.1,
            lambda p: p.shot(*early).time_s / p.flat().time_s),
        Row("9 to 4 bar over its time: flow at the end over flow at 0.6", 0.5, 1.15, 0.1,
            lambda p: growth(p.shot(pressure(9, 4, over=p.flat().time_s)))),
        Row("flat 9: flow at the end over flow at 0.6", 1.15, 1.6, 0.1,
            lambda p: growth(p.flat())),
        Row("1:5 at 420 µm, 9 to 4 bar: time, s", 30, 40, 2,
            lambda p: p.shot(*long, cup_g=90, grind_um=420).time_s),
        Row("1:5 at 420 µm, 9 to 4 bar: TDS, %", 4, 5.5, 0.3,
            lambda p: p.shot(*long, cup_g=90, grind_um=420).figures.tds_pct),
        Row("1:5 at 420 µm over 1:2: EY", 0.5, 4, 0.5,
            lambda p: p.shot(*long, cup_g=90, grind_um=420).extraction - p.flat().extraction),
    ]  # fmt: skip


def _bloom_rows() -> list[Row]:
    def gain(days: float, roast: str = "light") -> Callable[[Puck], float]:
        setup = {"rest_days": days, "roast": roast}
        return lambda p: p.shot(*bloomed(), **setup).extraction - p.flat(**setup).extraction

    def drained(read: Callable[[Shot], float]) -> Callable[[Puck], float]:
        """What it costs a bloom that the group lets its head water go with its pressure."""

        def value(p: Puck) -> float:
            kept = Puck(p.constants._replace(drain_share=0.0, unevenness_released=0.0))
            return read(p.shot(*bloomed())) - read(kept.shot(*bloomed()))

        return value

    def pressed_again(s: Shot) -> float:
        late = s.of(columns.S_TIME) > float(s.state.log[2, 0])
        return float(s.of(columns.S_TIME)[late & (s.of(columns.S_P) >= 2)][0])

    return [
        Row("drained head: water refilled, mL", 1, 5, 1, drained(lambda s: s.figures.water_in_ml)),
        Row("drained head: unevenness", 0.002, 0.2, 0.01, drained(lambda s: s.figures.unevenness)),
        Row("drained head: 2 bar again, s", 0.05, 3, 0.1, drained(pressed_again)),
        Row("drained head: EY", -0.8, -0.02, 0.1, drained(lambda s: s.extraction)),
        Row("drained head: puck when pressed, K", -8, -0.3, 0.5,
            drained(lambda s: s.at(float(s.state.log[2, 0]), columns.S_PUCK_C))),
        Row("bloom, medium: EY", 0.4, 2.0, 0.2, gain(12, "medium")),
        Row("bloom, light, 5 d: EY", 1.0, 2.0, 0.3, gain(5)),
        Row("bloom, light, 12 d: EY", 0.9, 2.0, 0.2, gain(12)),
        Row("bloom, light, 30 d: EY", 0.8, 2.0, 0.2, gain(30)),
        Row("bloom, light, 5 d over 30 d: EY", 0.08, 1.0, 0.1, lambda p: gain(5)(p) - gain(30)(p)),
        Row("bloom, medium: flow at the end over flat's", 1.02, 1.8, 0.1,
            lambda p: p.shot(*bloomed()).at_stop(columns.S_Q_CUP)
            / p.flat().at_stop(columns.S_Q_CUP)),
    ]  # fmt: skip


def _coffee_rows() -> list[Row]:
    rows = [
        Row("14 to 21 g at 1:2: s/g", 2, 3, 0.3,
            lambda p: (p.flat(dose_g=21, cup_g=42).time_s - p.flat(dose_g=14, cup_g=28).time_s)
            / 7),
        Row("light over medium: time, ratio", 0.80, 0.93, 0.03,
            lambda p: p.flat(roast="light").time_s / p.flat().time_s),
        Row("light: EY", 18.5, 20.6, 0.3, lambda p: p.flat(roast="light").extraction),
        Row("dark: EY", 18, 20, 0.3, lambda p: p.flat(roast="dark").extraction),
        Row("dark over medium: time, ratio", 0.98, 1.25, 0.05,
            lambda p: p.flat(roast="dark").time_s / p.flat().time_s),
    ]  # fmt: skip
    for size in (360, 380, 400):
        rows += [
            Row(f"light 1:5 at {size} µm, 4.5 mL/s: EY", 22.5, 24.5, 0.4,
                lambda p, size=size: p.shot(*OPEN, grind_um=size, **LONG).extraction),
            Row(f"light 1:5 at {size} µm, 4.5 mL/s: time, s", 25, 45, 3,
                lambda p, size=size: p.shot(*OPEN, grind_um=size, **LONG).time_s),
        ]  # fmt: skip
    return rows


def _grind_rows() -> list[Row]:
    return [
        Row("360 to 200 µm: most EY, %", 21.8, 23, 0.3, lambda p: p.best_grind()[1]),
        Row("360 to 200 µm: at, µm", 220, 270, 10, lambda p: p.best_grind()[0]),
        Row("200 µm under the most: EY", -4, -0.6, 0.4,
            lambda p: p.by_grind[200].extraction - p.best_grind()[1]),
        Row("360 µm: EY", 16, 19, 0.5, lambda p: p.by_grind[360].extraction),
    ]  # fmt: skip


def _soak_rows() -> list[Row]:
    trickle = (valve(1, until_cup(20), seconds(90)), valve(4))

    def gentle(size: float) -> Callable[[Puck], float]:
        return lambda p: (
            p.shot(*SLOW_SATURATE, grind_um=size).extraction - p.flat(grind_um=size).extraction
        )

    def under(p: Puck) -> float:
        late = p.shot(*trickle, machine=VALVE)
        opened = float(late.state.log[1, 0])
        after = late.of(columns.S_TIME) >= opened
        return p.shot(valve(4), machine=VALVE).peak_bar - float(late.of(columns.S_P)[after].max())

    return [
        Row("2.5 mL/s, limit 9: peak, bar", 8.8, 9.2, 0.2,
            lambda p: p.shot(*soaked(2.5, limit=Limit(pressure_bar=9))).peak_bar),
        Row("2.5 mL/s, limit 9: falls by, bar", 0.3, NO_MORE, 0.3,
            lambda p: p.shot(*soaked(2.5, limit=Limit(pressure_bar=9))).peak_bar
            - p.shot(*soaked(2.5, limit=Limit(pressure_bar=9))).at_stop(columns.S_P)),
        Row("2 mL/s: peak, bar", 7, 9, 0.3, lambda p: p.shot(*soaked(2)).peak_bar),
        Row("2 mL/s: falls by, %", 33, 60, 4,
            lambda p: -_ratio(
                p.shot(*soaked(2)).at_stop(columns.S_P), p.shot(*soaked(2)).peak_bar)),
        Row("1.8 mL/s: peak, bar", 5, 8.9, 0.3, lambda p: p.shot(*soaked(1.8)).peak_bar),
        Row("1.8 mL/s: falls by, %", 34, 60, 4,
            lambda p: -_ratio(
                p.shot(*soaked(1.8)).at_stop(columns.S_P), p.shot(*soaked(1.8)).peak_bar)),
        Row("soaked through slowly, then 3 mL/s: under the normal peak, bar", 0.4, 8, 0.3,
            lambda p: p.shot(flow(3)).peak_bar
            - p.shot(flow(1.2, None, FirstDripExit(), seconds(60)), flow(3)).peak_bar),
        Row("valve at 2 mL/s to 20 g, then open: under the normal peak, bar", 1.5, 5, 0.1, under),
        Row("soak exit 4 to 6 bar: first drip, s", 0.9, 3, 0.3,
            lambda p: p.shot(*soak_to(6)).figures.first_drip_s
            - p.shot(*soak_to(4)).figures.first_drip_s),
        Row("a longer soak meets sooner, s", 0.2, NO_MORE, 0.3, _meets_sooner),
        Row("gentle soak at 300 µm: EY", -0.6, 1.0, 0.2, gentle(300)),
        Row("gentle soak at 240 µm: EY", 0.1, 1.5, 0.2, gentle(240)),
        Row("gentle soak at 220 µm: EY", 0.3, 1.5, 0.2, gentle(220)),
    ]  # fmt: skip


def _meets_sooner(p: Puck) -> float:
    after = []
    for soak in (3, 15):
        one = p.shot(pressure(2, None, seconds(soak)), pressure(9)).figures
        after.append(one.meet_s - max(soak, one.first_drip_s))
    return after[0] - after[1]


ROWS: list[Row] = [
    *_flat_rows(), *_gas_rows(), *_fall_rows(), *_bloom_rows(), *_coffee_rows(), *_grind_rows(),
    *_soak_rows(),
]  # fmt: skip
