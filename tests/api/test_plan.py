"""Planning over HTTP: styles, what-ifs, suggestions, sliders, goals, the recipe, versions."""

from __future__ import annotations

from typing import Any

import httpx

from tests.api.test_house import SHORT, Served
from tests.factories import flow, pressure, profile, seconds
from vapocline.core.plan.styles.catalogue import STYLES
from vapocline.desk.bench.bench import BenchChange, change_bench

GRINDER = {"name": "Ratline", "settings": [8, 14.5, 24], "grind_um": [214, 300, 446]}


class Designing(Served):
    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        grinder = cls.client.post("/api/grinders", json=GRINDER).json()["id"]
        change_bench(cls.context, BenchChange(grinder_id=grinder, grind_setting=14.5))

    def setUp(self) -> None:
        change_bench(self.context, BenchChange(dose_g=18, yield_g=36, follows="yield_g", goals=[]))

    def post(self, path: str, **body: Any) -> httpx.Response:
        return self.client.post(path, json={"profile": SHORT.written()} | body)

    def answer(self, path: str, **body: Any) -> Any:
        answer = self.post(path, **body)
        self.assertEqual(answer.status_code, 200, answer.text)
        return answer.json()

    def test_styles_are_described_and_fitted_to_the_bench(self) -> None:
        styles = self.client.get("/api/styles").json()
        self.assertEqual([one["key"] for one in styles], [one.key for one in STYLES])
        fitted = self.client.get("/api/styles/long-and-open/fitted").json()
        self.assertEqual(fitted["change"]["yield_g"], 90)
        self.assertGreater(fitted["change"]["grind_setting"], 16)
        kept = self.client.get("/api/styles/steady-nine/fitted", params={"regrind": False}).json()
        self.assertFalse([words for words in kept["words"] if words.startswith("grind")])
        self.refused(self.client.get("/api/styles/nothing/fitted"), 404)

    def test_a_fitted_style_is_a_profile_to_start(self) -> None:
        fitted = self.client.get("/api/styles/soak-then-press/fitted").json()
        body = {"name": "Soaked", "profile": fitted["profile"]}
        self.assertEqual(self.client.post("/api/profiles", json=body).status_code, 201)

    def test_what_if_and_sliders_and_suggestions_change_nothing(self) -> None:
        before = self.client.get("/api/bench").json()
        variants = self.answer("/api/bench/what-if")
        self.assertEqual(len(variants), 8)
        slid = self.answer("/api/bench/slide", sliders={"longer": 1})
        self.assertEqual(slid["profile"]["stop"]["cup_g"], 21.5)
        asked = {"what": "pre_infusion_length", "phase": 0}
        found = self.answer("/api/bench/suggestions", ask=asked)
        self.assertTrue(found["words"])
        self.assertEqual(self.client.get("/api/bench").json(), before)

    def test_what_cannot_be_worked_out_is_refused_by_field(self) -> None:
        problem = self.refused(
            self.post("/api/bench/suggestions", ask={"what": "flow_for_band", "phase": 1}), 422
        )
        self.assertEqual(problem["problems"][0]["accepted"], "a phase that commands flow")
        problem = self.refused(self.post("/api/bench/slide", sliders={"bolder": 9}), 422)
        self.assertIn("at most 3", problem["detail"])
        self.refused(self.post("/api/bench/suggestions", ask={"what": "guess"}), 422)

    def test_a_goal_is_reached_by_a_number_of_the_bench_and_reported_as_its_setting(self) -> None:
        numbers = [one["what"] for one in self.answer("/api/bench/adjustables")]
        self.assertIn("setup.grind_um", numbers)
        self.assertNotIn("setup.rest_days", numbers)
        sought = self.answer(
            "/api/bench/goal",
            wants=[{"figure": "shot_time_s", "at": 20}],
            moves=[{"what": "setup.grind_um"}],
        )
        self.assertTrue(sought["found"]["reached"], sought["found"]["words"])
        self.assertNotEqual(sought["change"]["grind_setting"], 14.5)
        self.assertAlmostEqual(sought["prediction"]["shot_time_s"]["value"], 20, delta=0.2)
        self.refused(self.post("/api/bench/goal", wants=[], moves=[]), 422)

    def test_the_bench_works_the_third_out_and_keeps_one_goal_a_figure(self) -> None:
        bench = self.client.patch("/api/bench", json={"ratio": 2.5}).json()
        self.assertEqual((bench["dose_g"], bench["yield_g"]), (18, 45))
        self.assertGreater(bench["glass_ml"], 45)
        goals = [
            {"figure": "extraction_yield_pct", "at_least": 19},
            {"figure": "extraction_yield_pct", "at": 20},
        ]
        bench = self.client.patch("/api/bench", json={"goals": goals}).json()
        self.assertEqual(
            [(one["figure"], one["at"]) for one in bench["goals"]], [("extraction_yield_pct", 20)]
        )
        empty = self.client.patch(
            "/api/bench", json={"goals": [{"figure": "extraction_yield_pct"}]}
        )
        self.assertIn("at, at_most or at_least", self.refused(empty, 422)["detail"])
        far = self.client.patch("/api/bench", json={"dose_g": 36, "ratio": 18})
        self.assertIn("which the other two give", self.refused(far, 422)["detail"])

    def test_a_profiles_recipe_is_reported_within_the_tolerance(self) -> None:
        profile_id = self.started("Within")
        within = self.client.get(f"/api/profiles/{profile_id}/recipe").json()
        self.assertLess(within["shortest_s"], within["longest_s"])
        self.assertLess(within["stop_at_g"], 36)
        self.refused(self.client.get("/api/profiles/999/recipe"), 404)

    def test_a_forecast_notices_and_cautions(self) -> None:
        document = SHORT.written()
        document["phases"][1]["exits"].append({"when": "pressure_above", "value": 12})
        forecast = self.answer("/api/bench/forecast", profile=document)
        noticed = {one["field"]: one["words"] for one in forecast["notices"]}
        self.assertIn("never reached", noticed["phases.1.exits.1.value"])
        self.assertIn("burn", forecast["cautions"][-1])


class Versions(Served):
    def test_versions_are_read_one_by_one_and_drafts_set_against_them(self) -> None:
        number = self.started("Read")
        softer = profile(
            flow(6, None, seconds(4), name="Fill"), pressure(7, name="Press"), cup_g=20
        )
        path = f"/api/profiles/{number}/versions"
        changes = self.client.post(f"{path}/1/changes", json={"profile": softer.written()}).json()
        self.assertEqual(changes["differences"], ["press 9 to 7 bar"])
        self.assertIsNotNone(changes["shot_time_change_s"])
        saved = self.client.post(
            path, json={"based_on": 1, "label": "soft", "profile": softer.written()}
        )
        self.assertEqual((saved.json()["number"], saved.json()["label"]), (2, "soft"))
        self.assertEqual(
            self.client.get(f"{path}/1").json()["profile"]["phases"][1]["command"]["to"], 9
        )
        self.refused(self.client.get(f"{path}/3"), 404)
        self.refused(self.client.get("/api/profiles/many"), 422)

    def test_a_draft_that_cannot_run_is_compared_in_words_alone(self) -> None:
        number = self.started("Wild")
        wild = profile(pressure(14, name="Press"), cup_g=20)
        path = f"/api/profiles/{number}/versions/1/changes"
        changes = self.client.post(path, json={"profile": wild.written()}).json()
        self.assertIn("fill removed", changes["differences"])
        self.assertIsNone(changes["shot_time_change_s"])

    def test_a_version_that_could_run_nowhere_is_not_saved(self) -> None:
        number = self.started("Kept")
        body = {"based_on": 1, "profile": profile().written()}
        problem = self.refused(self.client.post(f"/api/profiles/{number}/versions", json=body), 422)
        self.assertEqual(problem["detail"], "profile.phases: got none; takes at least one phase")
        self.assertEqual(len(self.client.get(f"/api/profiles/{number}").json()["versions"]), 1)
