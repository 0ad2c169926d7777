"""The forecast says what it has learnt from, how the last ones fared, and what would help."""

from __future__ import annotations

import re

import numpy as np
from playwright.sync_api import expect

from tests.web.pages import InBrowser
from vapocline.core.formats.registry import LEARNT
from vapocline.core.learn.learning import Learning
from vapocline.core.puck.knowledge import knowledge_of
from vapocline.desk.bench.bench import read_bench
from vapocline.desk.plan.profiles import find_profile
from vapocline.store import shelf
from vapocline.store.database import transaction
from vapocline.store.knowledge import basis_of, write_knowledge
from vapocline.store.learn import Together
from vapocline.store.tables import CoffeeRow, GrinderRow, MachineRow


class Learnt(InBrowser):
    def teach(self, strengths: int) -> None:
        bench = read_bench(self.app)
        assert bench.coffee
        assert bench.grinder
        together = Together(bench.coffee.id, bench.grinder.id, bench.machine.id)
        sds = np.array([0.05, 0.02 if strengths else 0.15])
        knowledge = knowledge_of(
            {"permeability": -0.1, "rate": 0.0}, np.diag(sds**2), shots=6, strengths=strengths
        )
        taught = Learning(
            shots=6, counted=[], left_out=[], outliers=[], parameters=[], held_out=None, rivals={},
            used=True, because="It predicts better.", knowledge=knowledge,
        )  # fmt: skip
        with transaction(self.app.sessions) as session:
            assumed = [
                shelf.read_one(session, CoffeeRow, together.coffee_id),
                shelf.read_one(session, GrinderRow, together.grinder_id),
                shelf.read_one(session, MachineRow, together.machine_id),
            ]
            write_knowledge(
                session,
                together,
                basis=basis_of(*assumed),
                inputs=f"{strengths}",
                state="accepted",
                learnt=LEARNT.write(taught),
            )

    def test_shots_teach_the_forecast_and_a_strength_is_asked_for_until_there_is_one(self) -> None:
        page = self.page
        address = f"/plan/{find_profile(self.app, 'Steady nine')}"
        forecast = page.get_by_role("complementary", name="Forecast")
        page.goto(address)
        self.settled()
        expect(forecast).not_to_contain_text("Learnt from")
        self.teach(strengths=0)
        page.goto(address)
        self.settled()
        expect(forecast).to_contain_text(
            re.compile(r"Learnt from 6 shots of this coffee; \d of the last 6 fell within")
        )
        expect(forecast).to_contain_text("with one TDS measured")
        self.assertEqual(self.violations(page), [])
        self.teach(strengths=1)
        page.goto(address)
        self.settled()
        expect(forecast).to_contain_text("Learnt from 6 shots")
        expect(forecast).not_to_contain_text("with one TDS measured")
