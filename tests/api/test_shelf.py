"""The API's lists and small changes: shelf, versions, tastings, and how pages are served."""

from __future__ import annotations

from tests.api.test_api import Served
from tests.factories import EVERY_CHECK, flow, pressure, profile, seconds
from tests.parts import wait_for

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

    def test_what_is_wrong_with_a_coffee_is_told_by_field(self) -> None:
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
        self.assertIn("only rise, or only fall", problem["detail"])

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
        self.assertAlmostEqual(line["ey_pct"], 9.4 * line["drink_g"] / 18, delta=0.06)
        problem = self.refused(self.client.put(path, json={"tds_pct": "strong"}), 422)
        self.assertEqual(problem["problems"][0]["field"], "tds_pct")
        self.assertIsNone(self.client.put(path, json={"tds_pct": None}).json()["ey_pct"])
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


class Described(Served):
    def test_every_route_says_what_its_errors_look_like(self) -> None:
        description = self.client.get("/api/openapi.json").json()
        for path, methods in description["paths"].items():
            for method, route in methods.items():
                with self.subTest(f"{method} {path}"):
                    self.assertIn("422", route["responses"])
                    schema = route["responses"]["422"]["content"]["application/json"]["schema"]
                    self.assertTrue(schema["$ref"].endswith("ProblemDocument"))
                    self.assertTrue(route["operationId"])

    def test_built_files_may_be_kept_for_ever_and_the_page_itself_may_not(self) -> None:
        page = self.client.get("/plan")
        self.assertEqual(page.headers["cache-control"], "no-cache")
        start = page.text.index("/assets/")
        asset = page.text[start : page.text.index('"', start)]
        self.assertIn("immutable", self.client.get(asset).headers["cache-control"])
        self.assertEqual(self.client.get("/icon.svg").headers["content-type"], "image/svg+xml")
