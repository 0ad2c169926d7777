"""Machines over HTTP: the shelf, calibrations, slots, check, fix, translate, dry run."""

from __future__ import annotations

import json
from typing import Any

from tests.api.test_house import SHORT, Served
from tests.core.machine.test_calibration import valve_rows
from tests.parts import wait_for
from vapocline.demo.things import MACHINES
from vapocline.desk.bench.bench import BenchChange, change_bench
from vapocline.desk.shelf.machines import add_machine, list_machines


class OnTheShelf(Served):
    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.ids = {one.name: add_machine(cls.context, one).id for one in MACHINES}
        change_bench(cls.context, BenchChange(machine_id=cls.ids["Sluice Two"]))
        started = cls.client.post("/api/profiles", json={"name": "Quay fall"}).json()
        cls.profile_id = started["profile_id"]

    def json(self, method: str, path: str, status: int = 200, **rest: Any) -> Any:
        answer = self.client.request(method, f"/api{path}", **rest)
        self.assertEqual(answer.status_code, status, answer.text)
        return answer.json() if answer.content else None

    def test_a_machine_is_changed_and_an_impossible_one_refused_by_field(self) -> None:
        made = self.json("POST", "/machines", 201, json={"name": "Spare"})
        changed = made | {"relief_bar": 8.5}
        path = f"/machines/{made['id']}"
        self.assertEqual(self.json("PUT", path, json=changed)["relief_bar"], 8.5)
        told = self.json("PUT", path, 422, json=changed | {"floor_bar": 6, "relief_bar": 5})
        self.assertEqual(told["problems"][0]["field"], "floor_bar")
        self.json("DELETE", f"/shelf/machine/{made['id']}", 204)
        self.json("PUT", path, 404, json=changed)

    def test_what_stands_on_the_bench_is_not_taken_away(self) -> None:
        told = self.json("DELETE", f"/shelf/machine/{self.ids['Sluice Two']}", 409)
        self.assertIn("on the bench", told["detail"])

    def test_bags_count_down_and_a_new_one_starts_afresh(self) -> None:
        body = {"name": "Ferrow", "roasted_on": "2026-01-05", "bag_g": 250, "blend": True}
        made = self.json("POST", "/coffees", 201, json=body)
        self.assertEqual(made["bags"][0]["remaining_g"], 250)
        again = self.json("POST", f"/coffees/{made['id']}/bags", 201, json={"bag_g": 1000})
        self.assertEqual([bag["bag_g"] for bag in again["bags"]], [1000, 250])
        self.assertIsNone(again["roasted_on"])
        told = self.json("POST", f"/coffees/{made['id']}/bags", 422, json={"bag_g": 1})
        self.assertEqual(told["problems"][0]["field"], "bag_g")

    def test_baskets_shape_the_forecast(self) -> None:
        before = self.json("POST", "/bench/forecast", json={"profile": SHORT.written()})
        narrow = {"name": "Narrow", "diameter_mm": 49, "least_g": 12, "most_g": 16}
        made = self.json("POST", "/baskets", 201, json=narrow)
        self.json("PATCH", "/bench", json={"basket_id": made["id"]})
        after = self.json("POST", "/bench/forecast", json={"profile": SHORT.written()})
        self.assertTrue([words for words in after["assumed"] if "made for 12 to 16 g" in words])
        slower = after["prediction"]["shot_time_s"]["value"]
        self.assertGreater(slower, before["prediction"]["shot_time_s"]["value"] + 3)
        wrong = self.json("PUT", f"/baskets/{made['id']}", 422, json=narrow | {"least_g": 17})
        self.assertEqual(wrong["problems"][0]["field"], "least_g")

    def test_a_valve_is_calibrated_kept_repeated_and_gone_back_to(self) -> None:
        path = f"/calibrations/machine/{self.ids['Tide Mill']}"
        body = {"measured": {"what": "valve", "rows": valve_rows(1)}, "note": "May"}
        worked = self.json("POST", f"{path}/fit", json=body)
        self.assertIsNone(worked["drift"])
        self.assertEqual(self.json("GET", path), [])
        first = self.json("POST", path, 201, json=body)[0]
        self.assertTrue(first["in_use"])
        table = self.machine("Tide Mill").control.free_flow_ml_s
        self.assertAlmostEqual(table[-1], 7.8, delta=0.4)
        worn = {"measured": {"what": "valve", "rows": valve_rows(2, drift_by=1.4)}}
        self.assertTrue(self.json("POST", f"{path}/fit", json=worn)["drift"]["drifted"])
        second, older = self.json("POST", path, 201, json=worn)
        self.assertEqual((second["in_use"], older["in_use"]), (True, False))
        self.assertTrue(second["drift"]["drifted"])
        self.json("POST", f"/kept-calibrations/{first['id']}/use")
        self.assertEqual(self.machine("Tide Mill").control.free_flow_ml_s, table)

    def machine(self, name: str) -> Any:
        return next(one for one in list_machines(self.context) if one.name == name)

    def test_a_calibration_without_information_or_from_elsewhere_is_refused(self) -> None:
        path = f"/calibrations/machine/{self.ids['Low Tide']}"
        for body, field in (
            ({"measured": {"what": "valve", "rows": valve_rows(1)}}, "measured.what"),
            ({"measured": {"what": "crema", "rows": []}}, "measured.what"),
            ({"measured": {"what": "fill", "rows": [9]}}, "rows"),
            ({"measured": {"what": "fill", "rows": [9, "ten"]}}, "measured.rows.1"),
        ):
            with self.subTest(body):
                told = self.json("POST", path, 422, json=body)
                self.assertEqual(told["problems"][0]["field"], field)

    def test_drips_as_measured_set_the_weight_to_stop_at(self) -> None:
        rows = [{"at_stop_g": 34, "settled_g": settled} for settled in (36.9, 37.1, 37.0)]
        body = {"measured": {"what": "after-drip", "rows": rows}}
        self.json("POST", f"/calibrations/machine/{self.ids['Sluice Two']}", 201, json=body)
        draft = SHORT.written() | {"stop": {"cup_g": 36, "time_s": 90}}
        offer = self.json("POST", "/bench/forecast", json={"profile": draft})["stop_offer"]
        self.assertEqual((offer["stop_at_g"], offer["measured"]), (33.0, True))

    def test_the_boiler_follows_from_the_group(self) -> None:
        machine = self.ids["Millrace"]
        path = f"/machines/{machine}/boiler?group_c=93"
        self.assertIsNone(self.json("GET", path)["boiler_c"])
        rows = [{"boiler_c": t, "group_c": t - 4} for t in (92, 96, 100)]
        body = {"measured": {"what": "group-temperature", "rows": rows}}
        self.json("POST", f"/calibrations/machine/{machine}", 201, json=body)
        self.assertEqual(self.json("GET", path)["boiler_c"], 97)

    def test_a_dry_run_times_the_stages_and_is_kept(self) -> None:
        body = {
            "profile_id": self.profile_id,
            "number": 1,
            "dry": True,
            "confirmed": ["disc", "cup"],
        }
        shot = self.json("POST", "/shots", 201, json=body)["id"]
        wait_for(lambda: self.json("GET", f"/shots/{shot}")["state"] != "running", "its end")
        run = self.json("GET", f"/dry-runs/{shot}")
        self.assertGreaterEqual(len(run["rows"]), 2)
        kept = self.json(
            "POST", f"/calibrations/machine/{self.ids['Sluice Two']}", 201, json={"measured": run}
        )
        self.assertEqual(kept[0]["what"], "dry-run")
        self.assertTrue(kept[0]["fitted"]["words"])

    def test_check_and_mend_say_what_they_do(self) -> None:
        draft = SHORT.written()
        there = self.json("POST", "/bench/check", json={"profile": draft})
        self.assertEqual(there["misfits"], [])
        staged = self.ids["Semaphore"]
        found = self.json("POST", f"/bench/check?machine_id={staged}", json={"profile": draft})
        self.assertTrue(found["misfits"])
        self.json("PATCH", "/bench", json={"machine_id": staged})
        try:
            refused = self.json("POST", "/bench/forecast", 422, json={"profile": draft})
            self.assertTrue(refused["problems"])
            meant = self.json("POST", "/bench/intended", json={"profile": draft})
            self.assertGreater(meant["shot_time_s"]["value"], 5)
            effects = self.json("POST", "/bench/fixes", json={"profile": draft})
            self.assertEqual([one["field"] for one in effects][-1], "")
            self.assertEqual(
                [one["field"] for one in effects][:-1],
                [misfit["field"] for misfit in found["misfits"]],
            )
            fixed = self.json("POST", "/bench/fix", json={"profile": draft})
            self.assertEqual(fixed["misfits"], [])
            self.assertIsNotNone(fixed["prediction"])
            one = found["misfits"][0]["field"]
            half = self.json("POST", "/bench/fix", json={"profile": draft, "field": one})
            self.assertNotIn(one, [misfit["field"] for misfit in half["misfits"]])
            told = self.json("POST", "/bench/fix", 422, json={"profile": draft, "field": "note"})
            self.assertEqual(told["problems"][0]["field"], "field")
        finally:
            self.json("PATCH", "/bench", json={"machine_id": self.ids["Sluice Two"]})

    def test_a_translation_tells_its_progress_and_ends(self) -> None:
        body = {"profile": SHORT.written(), "machine_id": self.ids["Low Tide"]}
        with self.client.stream("POST", "/api/translations", json=body) as answer:
            self.assertEqual(answer.status_code, 200)
            lines = [json.loads(line) for line in answer.iter_lines()]
        self.assertEqual([one["is"] for one in lines][-1], "done")
        shares = [one["share"] for one in lines[:-1]]
        self.assertEqual(shares, sorted(shares))
        found = lines[-1]["translation"]
        again = self.json(
            "POST", "/translations/compared", json=body | {"translated": found["profile"]}
        )
        self.assertEqual(again["difference"], found["difference"])
        self.json("POST", "/translations", 404, json=body | {"machine_id": 999})

    def test_a_translation_left_in_the_middle_stops(self) -> None:
        body = {"profile": SHORT.written(), "machine_id": self.ids["Oarlock"]}
        with self.client.stream("POST", "/api/translations", json=body) as answer:
            next(answer.iter_lines())
        self.assertEqual(self.json("GET", "/health")["ok"], True)

    def test_slots_are_never_overwritten_unseen(self) -> None:
        path = f"/machines/{self.ids['Semaphore']}/slots"
        level = {"name": "Level five", "profile": LEVEL}
        other = self.json("POST", "/profiles", 201, json=level)["profile_id"]
        empty = self.json("GET", f"{path}?profile_id={other}")
        self.assertEqual(len(empty["slots"]), 5)
        self.assertLessEqual(len(empty["offered_name"]), 8)
        body = {"profile_id": other, "version": 1}
        stored = self.json("PUT", f"{path}/2", json=body)["slots"][1]
        self.assertEqual((stored["profile_id"], stored["name"]), (other, empty["offered_name"]))
        told = self.json("PUT", f"{path}/2", 409, json=body)
        self.assertIn(stored["name"], told["detail"])
        again = self.json("PUT", f"{path}/2", json=body | {"over": stored["name"], "name": "FIVE"})
        self.assertEqual(again["slots"][1]["name"], "FIVE")
        for number, change, field in (
            (9, {}, "slot"),
            (3, {"name": "far too long a name"}, "name"),
            (3, {"name": "FIVE"}, "name"),
            (3, {"profile_id": self.profile_id}, "profile.phases.0.command.control"),
        ):
            told = self.json("PUT", f"{path}/{number}", 422, json=body | change)
            self.assertEqual(told["problems"][0]["field"], field)
        self.json("DELETE", f"{path}/2", 409, params={"over": "OTHER"})
        left = self.json("DELETE", f"{path}/2", params={"over": "FIVE"})
        self.assertIsNone(left["slots"][1]["name"])


LEVEL = {
    "name": "Level five",
    "stop": {"cup_g": 36, "time_s": 90},
    "phases": [
        {
            "name": "Press",
            "kind": "hold",
            "command": {"control": "pressure", "from": 5, "to": 5},
            "exits": [{"when": "seconds", "value": 60}],
        }
    ],
}
