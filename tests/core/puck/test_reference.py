"""The kernel against the same equations written plainly and solved by scipy."""

from __future__ import annotations

import unittest
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from multiprocessing import get_context

from tests.core.puck.reference import walk
from tests.factories import bloomed, flow, off, plan, pressure, seconds, soaked, until_cup
from tests.marks import is_exhaustive, more_cases, some_of
from vapocline.core.machine.machine import Machine
from vapocline.core.profile.profile import (
    FirstDripExit,
    FlowAboveExit,
    Limit,
    PressureAboveExit,
    PressureBelowExit,
    WaterExit,
)
from vapocline.core.puck.predict import predict

small = partial(plan, cup_g=24)  # most of what can differ has by then
HOLDS = Machine(name="Holds", when_off="hold")
PLUMBED = Machine(name="Plumbed", when_off="hold", floor_bar=2)
WARMS = Machine(name="Warms", water_follows_s=4)
BOILS = Machine(name="Boils", water_follows_s=4, boiler_ml=300, heater_w=1500)
PLANS = {
    "fine and fresh": small(pressure(9), grind_um=270, rest_days=3),
    "coarse and long": plan(pressure(9, 4, over=30), grind_um=420, cup_g=50),
    "uneven, light, hot": small(pressure(8), unevenness=0.4, roast="light", water_c=96),
    "soaked, then a flow": small(*soaked(2.5)),
    "a flow under a pressure limit": small(flow(3.5, limit=Limit(pressure_bar=7))),
    "bloom": small(*bloomed()),
    "a rest that holds its pressure": small(*bloomed(), machine=HOLDS),
    "a rest on a plumbed feed": small(
        pressure(6, None, seconds(8)), off(seconds(15)), pressure(9), machine=PLUMBED
    ),
    "eased, then like a spring": small(
        pressure(2, 9, seconds(10), over=8, shape="smooth"),
        pressure(9, 4, seconds(60), over=30, shape="spring"),
    ),
    "along the cup": small(pressure(8, 5, seconds(90), over=30, along="cup")),
    "along water, left by water and weight": small(
        flow(5, 2, WaterExit(value=45), seconds(30), over=40, along="water"),
        pressure(8, None, until_cup(20), seconds(40)),
        pressure(5),
    ),
    "left by pressure and by its fall": small(
        flow(4, None, PressureAboveExit(value=3), seconds(20)),
        pressure(8, 3, PressureBelowExit(value=5), seconds(30), over=12),
        pressure(6),
    ),
    "left by a flow that grows": small(
        pressure(9, None, FlowAboveExit(value=2.6), seconds(40)), pressure(4), grind_um=330
    ),
    "water by phase": small(
        *(
            one.model_copy(update={"water_c": at})
            for one, at in zip(soaked(2.5), (97.0, 86.0), strict=True)
        ),
        machine=WARMS,
    ),
    "a boiler that warms by phase": small(
        pressure(3, None, seconds(8)),
        pressure(9).model_copy(update={"water_c": 88.0}),
        machine=BOILS,
    ),
    "a flow limit on pressure": small(
        pressure(3, None, FirstDripExit(), seconds(30)), pressure(9, limit=Limit(flow_ml_s=2))
    ),
}


class Reference(unittest.TestCase):
    @more_cases
    def test_both_come_to_the_same_shot(self) -> None:
        self.assertGreaterEqual(len(PLANS), 12)
        cases = some_of(PLANS.items(), 1)
        # Solving takes seconds each: where all are compared, every core takes a share.
        with ProcessPoolExecutor(mp_context=get_context("spawn")) as others:
            solved = (others.map if is_exhaustive() else map)(walk, [one for _name, one in cases])
            compared = list(zip(cases, solved, strict=True))
        for (name, one), plain in compared:
            with self.subTest(name):
                found = predict(one)
                self.assertLess(abs(found.shot_time_s.value / plain.shot_time_s - 1), 0.01)
                self.assertAlmostEqual(
                    found.extraction_yield_pct.value, plain.extraction_yield_pct, delta=0.15
                )
                self.assertAlmostEqual(found.peak_pressure_bar.value, plain.peak_bar, delta=0.1)
                drip = plain.first_drip_s
                self.assertAlmostEqual(found.first_drip_s.value, drip, delta=max(0.1, 0.01 * drip))
