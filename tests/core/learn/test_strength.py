"""One TDS reading is asked for where it would help, with what it would bring."""

from __future__ import annotations

import unittest

from tests.core.learn.shots import shot, shots
from tests.core.read.recordings import styled
from tests.factories import plan, pressure
from vapocline.core.learn.learning import learn
from vapocline.core.learn.strength import strength_offer
from vapocline.core.puck.answer import Figure
from vapocline.core.puck.knowledge import Knowledge
from vapocline.core.puck.plan import knowing
from vapocline.core.puck.predict import predict

STRANGE = {"permeability": 1.3}


class Offers(unittest.TestCase):
    def test_what_it_is_now_is_the_range_and_what_it_brings_comes_about(self) -> None:
        logged = shots(4, STRANGE)
        flat = styled("steady-nine").model_copy(update={"members": 128})
        dry = knowing(flat, learn(logged).knowledge)
        shown = predict(dry).extraction_yield_pct
        offer = strength_offer(dry, shown)
        assert offer is not None
        self.assertAlmostEqual(offer.now_points, half(shown), delta=0.06)
        self.assertLess(offer.then_points, 0.8 * offer.now_points)

        read = [*logged[:3], shot("level-flow", 503, STRANGE, tds=True)]
        wet = knowing(flat, learn(read).knowledge)
        narrower = predict(wet).extraction_yield_pct
        self.assertAlmostEqual(half(narrower), offer.then_points, delta=0.3 * offer.then_points)
        self.assertIsNone(strength_offer(wet, narrower))  # one is enough

    def test_nothing_is_asked_where_nothing_was_learnt(self) -> None:
        flat = plan(pressure(9))
        shown = predict(flat).extraction_yield_pct
        self.assertIsNone(strength_offer(flat, shown))
        self.assertIsNone(strength_offer(knowing(flat, Knowledge()), shown))


def half(figure: Figure) -> float:
    return ((figure.p90 or 0) - (figure.p10 or 0)) / 2
