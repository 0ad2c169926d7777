"""Shots and tastings over HTTP."""

from __future__ import annotations

from tests.api.test_house import Served
from tests.factories import EVERY_CHECK, pressure, profile
from tests.parts import wait_for


class Shots(Served):
    def pulled(self, name: str) -> int:
        despite = sorted(EVERY_CHECK)
        body = {"profile_id": self.started(name), "number": 1, "despite": despite}
        shot = self.client.post("/api/shots", json=body).json()["id"]
        path = f"/api/shots/{shot}"
        wait_for(lambda: self.client.get(path).json()["state"] == "done", "the end")
        return shot

    def test_strength_is_noted_and_taken_back_and_the_list_follows(self) -> None:
        shot = self.pulled("Strong")
        path = f"/api/shots/{shot}/strength"
        line = self.client.put(path, json={"tds_pct": 9.4}).json()
        self.assertAlmostEqual(line["extraction_yield_pct"], 9.4 * line["yield_g"] / 18, delta=0.06)
        problem = self.refused(self.client.put(path, json={"tds_pct": "strong"}), 422)
        self.assertEqual(problem["problems"][0]["field"], "tds_pct")
        self.assertIsNone(
            self.client.put(path, json={"tds_pct": None}).json()["extraction_yield_pct"]
        )
        self.assertEqual(self.client.get("/api/shots", params={"limit": 1}).json()[0]["id"], shot)
        self.refused(self.client.get("/api/shots", params={"limit": 0}), 422)

    def test_a_cup_taken_back_twice_stays_gone(self) -> None:
        shot = self.pulled("Cup")
        path = f"/api/shots/{shot}/tasting"
        self.client.put(path, json={"liking": 4, "warmth": "warm", "served": "milk"})
        for _ in range(2):
            self.assertEqual(self.client.delete(f"{path}/warm/milk").status_code, 204)
        self.assertEqual(self.client.get(f"/api/shots/{shot}").json()["tastings"], [])
        self.refused(self.client.delete(f"{path}/tepid/milk"), 422)
        self.refused(self.client.put("/api/shots/999/tasting", json={"liking": 4}), 404)

    def test_a_hand_signal_to_a_shot_that_is_over(self) -> None:
        shot = self.pulled("Over")
        self.refused(self.client.post(f"/api/shots/{shot}/orders", json={"do": "next"}), 409)
        self.refused(self.client.get("/api/compare", params={"first": shot, "second": 999}), 404)

    def test_a_shot_on_a_machine_that_cannot_run_it_never_begins(self) -> None:
        before = len(self.client.get("/api/shots").json())
        high = profile(pressure(10.5, name="Press"), cup_g=20)
        started = self.client.post(
            "/api/profiles", json={"name": "High", "profile": high.written()}
        ).json()
        low = self.client.post("/api/machines", json={"name": "Low", "relief_bar": 9}).json()
        reference = self.client.get("/api/bench").json()["machine"]["id"]
        self.client.patch("/api/bench", json={"machine_id": low["id"]})
        despite = sorted(EVERY_CHECK)
        body = {"profile_id": started["profile_id"], "number": 1, "despite": despite}
        problem = self.refused(self.client.post("/api/shots", json=body), 422)
        self.assertIn("Low's relief setting", problem["detail"])
        self.client.patch("/api/bench", json={"machine_id": reference})
        self.assertEqual(len(self.client.get("/api/shots").json()), before)
