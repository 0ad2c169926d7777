"""The API's lists and small changes: shelf, versions, tastings, and how pages are served."""

from __future__ import annotations

from tests.api.test_house import Served

GRINDER = {"name": "Ratline", "settings": [8, 24], "grind_um": [214, 446]}


class Shelf(Served):
    def test_coffees_are_added_listed_and_rewritten(self) -> None:
        body = {"name": "Ferrow Hill", "roast": "light", "roasted_on": "2026-01-05"}
        coffee = self.client.post("/api/coffees", json=body)
        self.assertEqual(coffee.status_code, 201)
        self.assertGreaterEqual(coffee.json()["rest_days"], 0)
        self.assertIn(
            "Ferrow Hill", [one["name"] for one in self.client.get("/api/coffees").json()]
        )
        path = f"/api/coffees/{coffee.json()['id']}"
        changed = self.client.put(path, json=body | {"roast": "dark", "roasted_on": None})
        self.assertEqual((changed.json()["roast"], changed.json()["rest_days"]), ("dark", None))
        self.refused(self.client.post("/api/coffees", json=body), 409)
        self.refused(self.client.put("/api/coffees/999", json=body), 404)

    def test_what_is_wrong_with_a_coffee_is_reported_by_field(self) -> None:
        body = {"name": "", "roast": "burnt", "roasted_on": "yesterday"}
        problem = self.refused(self.client.post("/api/coffees", json=body), 422)
        told = {one["field"]: one["accepted"] for one in problem["problems"]}
        self.assertEqual(set(told), {"name", "roast", "roasted_on"})
        self.assertIn("'medium-dark'", told["roast"])
        self.assertEqual(told["roasted_on"], "a date, as 2026-11-24")

    def test_a_grinders_points_are_checked(self) -> None:
        self.assertEqual(self.client.post("/api/grinders", json=GRINDER).status_code, 201)
        falls_back = GRINDER | {"name": "Bent", "settings": [1, 2, 3], "grind_um": [200, 300, 250]}
        problem = self.refused(self.client.post("/api/grinders", json=falls_back), 422)
        self.assertIn("sizes that only rise", problem["detail"])

    def test_machines_of_every_kind_are_put_on_the_shelf(self) -> None:
        kinds = (
            {"kind": "spring-lever", "springs": [{"top_bar": 8, "end_bar": 4}]},
            {"kind": "hand-lever"},
            {"kind": "soft-start"},
            {"kind": "valve", "pump_bar": 9, "turns": [0, 2], "free_flow_ml_s": [0, 6]},
        )
        for control in kinds:
            body = {"name": control["kind"], "control": control}
            added = self.client.post("/api/machines", json=body)
            self.assertEqual(added.status_code, 201, added.text)
            self.assertTrue(added.json()["simulated"])
        names = [one["name"] for one in self.client.get("/api/machines").json()]
        self.assertLessEqual({control["kind"] for control in kinds}, set(names))

    def test_the_bench_takes_one_word_at_a_time_and_refuses_what_is_not_there(self) -> None:
        changed = self.client.patch("/api/bench", json={"yield_g": 45})
        self.assertEqual(changed.json()["ratio"], 2.5)
        self.refused(self.client.patch("/api/bench", json={"machine_id": 999}), 404)
        problem = self.refused(self.client.patch("/api/bench", json={"water_c": "hot"}), 422)
        self.assertEqual(
            problem["problems"][0]["message"],
            "water_c: got 'hot'; takes a number from 60 to 100 °C",
        )
        self.assertEqual(self.client.get("/api/bench").json()["yield_g"], 45)
