"""Coffees, grinders and machines that nobody knows, for `./vapo bench learn`: their numbers and
laws are their own and drawn wide, with physics the model does not have. Nothing of the
model's own tables is used."""

from __future__ import annotations

import math
from typing import NamedTuple, get_args

import numpy as np

from tests.core.read.recordings import PIECE_S as SAMPLE_S
from tests.core.read.recordings import seen_by_gauge
from vapocline.core.base.arrays import Floats
from vapocline.core.coffee.coffee import Roast
from vapocline.core.machine.machine import Machine
from vapocline.core.puck import columns, kernel
from vapocline.core.puck.parameters import Parameters, record_of
from vapocline.core.puck.plan import Plan, Setup
from vapocline.core.puck.predict import CELLS, STEP_S
from vapocline.core.puck.program import program_of
from vapocline.core.shot.traces import Traces, cup_flow_ml_s

MACHINE = Machine(name="Sluice", relief_bar=10, top_flow_ml_s=8.5)
ROASTS = get_args(Roast)
CHANNELS = 0.08  # of the pulls
PIECE_S = 0.2
HZ = 10
AREA_CM2 = 26.9


OF_MACHINE = (
    ("head_free_ml", 7.0, 0.25), ("head_trapped_ml", 3.1, 0.30), ("hose_ml_bar", 0.15, 0.3),
    ("pressure_lag_s", 0.4, 0.25), ("flow_lag_s", 0.12, 0.2), ("scale_lag_s", 0.2, 0.2),
)  # fmt: skip


def _about(dice: np.random.Generator, middle: float, spread: float) -> float:
    return middle * math.exp(float(dice.normal(0, spread)))


class Pulled(NamedTuple):
    """A pull as its gauges told it, and its figures as measured."""

    traces: Traces
    shot_time_s: float
    first_drip_s: float
    peak_pressure_bar: float
    yield_g: float
    tds_pct: float
    extraction_yield_pct: float  # as it really was; strength is read with noise


class World:
    """One coffee by one grinder on one machine, as they really are; those of one `house` share
    grinder and machine."""

    def __init__(self, seed: int, house: int | None = None) -> None:
        dice = self._dice = np.random.default_rng([seed, 20261127])
        self.roast = ROASTS[int(dice.integers(5))]
        self.rest_days = float(dice.integers(4, 36))
        dark = ROASTS.index(self.roast) / 4
        self._density = 0.50 - 0.08 * dark + float(dice.normal(0, 0.01))
        self._passes = _about(dice, 0.80 - 0.05 * dark, 0.35)
        self._passes_power = float(dice.normal(2.0, 0.35))
        fresh, days = float(dice.uniform(5.5, 8.5)), float(dice.uniform(8, 20))
        self._gas = 0.4 + fresh * math.exp(-self.rest_days / days)
        self._unevenness = _about(dice, 0.12, 0.5)
        self._fines, self._fines_power = _about(dice, 0.2, 0.15), float(dice.normal(0.6, 0.1))
        self._rate = _about(dice, 1.0, 0.15)
        self._rate_power = float(dice.normal(1.1, 0.3))
        self._rates = [_about(dice, each, 0.07) for each in (0.68, 0.25, 0.08)]
        solids = _about(dice, 1.0, 0.06) * (1.01 - 0.1 * max(0.0, dark - 0.5) * 2)
        self._solids = [_about(dice, each * solids, 0.03) for each in (8.5, 11.5, 8.3)]
        self._drawn = {
            name: _about(dice, middle, spread)
            for name, middle, spread in (
                ("gas_back_bar", 0.3, 0.3), ("gas_tau_s", 18, 0.3), ("gas_block", 0.004, 0.5),
                ("gas_hinders", 0.09, 0.4), ("compaction_per_bar", 0.03, 0.3),
                ("compaction_gas", 0.04, 0.4), ("compaction_rise_s", 3, 0.2),
                ("compaction_recovery_s", 15, 0.2), ("uptake_ml_g", 0.49, 0.12),
                ("uptake_tau_s", 3.1, 0.3), ("swelling", 0.17, 0.2),
                ("erosion", 4.2 - 1.6 * dark, 0.25), ("fines_rate", 0.02, 0.2),
                ("fines_speed_ml_s", 1.75, 0.1), ("fines_lock_s", 18, 0.2),
                ("partition", 2.3, 0.2), *OF_MACHINE,
            )
        }  # fmt: skip
        self._blocks = _about(dice, 2.85, 0.4)
        self._water_c = float(dice.normal(0, 0.8))
        self._gauge_bar, self._meter = float(dice.normal(0, 0.1)), _about(dice, 1.0, 0.04)
        self._gauge_lag_s = _about(dice, 0.2, 0.4)
        if house is not None:
            self._share(np.random.default_rng([house, 20261128]))

    def _share(self, dice: np.random.Generator) -> None:
        """Take over what is the house's."""
        self._drawn |= {name: _about(dice, middle, spread) for name, middle, spread in OF_MACHINE}
        self._gauge_bar, self._meter = float(dice.normal(0, 0.1)), _about(dice, 1.0, 0.04)
        self._gauge_lag_s, self._water_c = _about(dice, 0.2, 0.4), float(dice.normal(0, 0.8))
        # A grinder's sizes are off alike for all its coffees; those differ as much again.
        self._passes = 0.78 * (self._passes / 0.78) ** 0.7 * _about(dice, 1.0, 0.25)
        self._unevenness = 0.12 * (self._unevenness / 0.12) ** 0.6 * _about(dice, 1.0, 0.4)

    def setup(self, dose_g: float = 18, grind_um: float = 300) -> Setup:
        """What its user knows of it."""
        return Setup.model_validate(
            {
                "dose_g": dose_g,
                "grind_um": grind_um,
                "roast": self.roast,
                "rest_days": self.rest_days,
                "machine": MACHINE,
            }
        )

    def pull(self, plan: Plan, **times: float) -> Pulled:
        """Pull it once, its puck's parameters so many times what they are; no two pulls are
        alike."""
        dice = self._dice
        puck = self._puck(plan.setup, dice)
        puck = puck._replace(**{name: getattr(puck, name) * by for name, by in times.items()})
        drift, over = float(dice.uniform(-0.10, 0.10)), float(dice.uniform(8, 25))
        opens = float(dice.uniform(10, 22)) if dice.random() < CHANNELS else math.inf
        program = program_of(plan.profile, plan.setup.machine)
        rows = int((program.stop_time_s + columns.TAIL_S) / SAMPLE_S) + 2
        state = columns.fresh_state(puck, program.control.size, CELLS)
        samples = np.zeros((rows, columns.SAMPLE_COLUMNS))
        now, over_now = 0.0, False
        while not over_now:
            moved = drift * min(1.0, now / over) + (0.25 if now >= opens else 0.0)
            at = record_of(puck._replace(permeability=puck.permeability * math.exp(moved)))
            now += PIECE_S
            over_now = kernel.advance(state, program, at, samples, now, STEP_S, SAMPLE_S)
        return self._told(plan, state, samples[: int(state.now[columns.SAMPLES])], dice)

    def _puck(self, setup: Setup, dice: np.random.Generator) -> Parameters:
        """What is really in the basket this time."""
        size = setup.grind_um * _about(dice, 1.0, 0.008)
        fine, dose = 300 / size, setup.dose_g * _about(dice, 1.0, 0.003)
        share = min(0.5, self._fines * fine**self._fines_power)
        rate = self._rate * _about(dice, 1.0, 0.02)
        head = self._drawn["head_free_ml"] + (18 - dose) / self._density
        return Parameters(
            dose_g=dose, area_cm2=AREA_CM2, depth_cm=dose / (self._density * AREA_CM2),
            void_fraction=0.35,
            permeability=self._passes * fine**-self._passes_power * _about(dice, 1.0, 0.04),
            unevenness=self._unevenness * fine**2.5 * _about(dice, 1.0, 0.12),
            unevenness_pressed=1.2, unevenness_released=0.15, unevenness_top=1.5, film_cm=0.03,
            capillary_bar=0.1, gas_ml_g=self._gas * _about(dice, 1.0, 0.06), rested=0.0,
            gas_keeps_bar=4.0, compaction_power=3.5,
            fines_block=self._blocks * (share / 0.2) * dose / 18 * _about(dice, 1.0, 0.08),
            fines_share=share, dispersion_cm=0.04, fineness=fine,
            size_ratio=fine**self._rate_power,
            bright_pct=self._solids[0], sweet_pct=self._solids[1], bitter_pct=self._solids[2],
            bright_per_s=self._rates[0] * rate, sweet_per_s=self._rates[1] * rate,
            bitter_per_s=self._rates[2] * rate, water_c=min(100.0, setup.water_c + self._water_c),
            set_water_c=setup.water_c, water_follows_s=0.0,
            puck_start_c=45.0, heat_loss_w_k=0.4, boiler_ml=0.0, heater_w=1000.0,
            top_flow_ml_s=8.5, pump_max_bar=MACHINE.pump_max_bar, relief_bar=10.0,
            floor_bar=MACHINE.floor_bar, dumps_when_off=1.0, dump_tau_s=0.3, drain_share=0.6,
            spout_tau_s=0.2, valve_pump_bar=0.0, soft_start_s=0.0, preamble_s=0.0,
            preamble_wet_s=0.0, preamble_ml_s=0.0, crema_ml_per_g=0.4,
            **(self._drawn | {"head_free_ml": max(1.5, head)}),
        )  # fmt: skip

    def _told(
        self, plan: Plan, state: columns.State, samples: Floats, dice: np.random.Generator
    ) -> Pulled:
        time_s = samples[:, columns.S_TIME]
        at = np.arange(0.0, time_s[-1], 1 / HZ)

        def through(column: int, noise: float, lag_s: float) -> Floats:
            return seen_by_gauge(samples, column, lag_s, at) + noise * dice.normal(size=at.size)

        lag = self._gauge_lag_s
        cup = np.round(through(columns.S_CUP, 0.04, lag + self._drawn["scale_lag_s"]), 1)
        last = np.clip(np.searchsorted(time_s, at + 1e-9, side="right") - 1, 0, time_s.size - 1)
        traces = Traces(
            time_s=at,
            pressure_bar=through(columns.S_P, 0.05, lag) + self._gauge_bar,
            water_in_ml_s=through(columns.S_Q_IN, 0.05, lag) * self._meter,
            cup_out_ml_s=cup_flow_ml_s(at, cup),
            cup_g=cup,
            group_c=np.full(at.size, plan.setup.water_c),
            commanded=samples[last, columns.S_TARGET],
            phase=np.minimum(samples[last, columns.S_PHASE], len(plan.profile.phases) - 1),
            by_hand=np.full(at.size, math.nan),
        )
        now = state.now
        solids = float(now[columns.CUP_0 : columns.CUP_2 + 1].sum())
        cup_g = float(now[columns.CUP_WATER]) + solids
        return Pulled(
            traces=traces,
            shot_time_s=float(now[columns.STOP_T]),
            first_drip_s=float(now[columns.FIRST_DRIP]),
            peak_pressure_bar=float(now[columns.PEAK]) + self._gauge_bar,
            yield_g=cup_g,
            # One that choked has none.
            tds_pct=100 * solids / cup_g + float(dice.normal(0, 0.08)) if cup_g > 1 else 0.0,
            extraction_yield_pct=100 * solids / plan.setup.dose_g,
        )
