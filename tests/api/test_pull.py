"""The routes of pulling: before, during, after, series, lines and tidying, with their refusals."""

from __future__ import annotations

import json
import threading
from typing import Any
from unittest.mock import patch

from sqlalchemy import text
from websockets.sync.client import connect as connect_socket

from tests.api.test_house import Served
from tests.factories import EVERY_CHECK, pressure, profile, seconds
from tests.parts import wait_for
from vapocline.runtime import startup

LONG = profile(pressure(5, None, seconds(200), name="Press"), cup_g=None, time_s=250)


class Pulled(Served):
    def long(self, name: str) -> int:
        body = {"name": name, "profile": LONG.written()}
        number: int = self.client.post("/api/profiles", json=body).json()["profile_id"]
        return number

    def begin(self, profile_id: int, **rest: Any) -> dict[str, Any]:
        body = {"profile_id": profile_id, "number": 1, "despite": sorted(EVERY_CHECK)} | rest
        answer = self.client.post("/api/shots", json=body)
        self.assertEqual(answer.status_code, 201, answer.text)
        shot: dict[str, Any] = answer.json()
        return shot

    def order(self, shot: int, **given: Any) -> Any:
        return self.client.post(f"/api/shots/{shot}/orders", json=given)

    def over(self, shot: int) -> dict[str, Any]:
        path = f"/api/shots/{shot}"
        wait_for(lambda: self.client.get(path).json()["state"] != "running", "the end")
        found: dict[str, Any] = self.client.get(path).json()
        return found


class Before(Pulled):
    def test_the_checklist_is_reported_and_starts_nothing(self) -> None:
        body = {"profile_id": self.started("Checked"), "number": 1}
        told = self.client.post("/api/pulls/check", json=body).json()
        states = {item["check"]: item["state"] for item in told["items"]}
        self.assertEqual(states["armed"], "ready")
        self.assertEqual(states["dose"], "ask")
        self.assertIsNone(told["by_hand"])
        self.assertEqual(self.client.get("/api/shots").json(), [])

    def test_a_pull_with_something_missing_is_refused_check_by_check(self) -> None:
        body = {"profile_id": self.started("Missing"), "number": 1, "confirmed": ["basket"]}
        problem = self.refused(self.client.post("/api/shots", json=body), 422)
        fields = {one["field"] for one in problem["problems"]}
        self.assertIn("checks.dose", fields)
        self.assertIn("checks.flush", fields)
        self.assertNotIn("checks.basket", fields)

    def test_a_check_and_a_fault_of_no_name_are_refused(self) -> None:
        body = {"profile_id": 1, "number": 1, "confirmed": ["luck"]}
        self.refused(self.client.post("/api/pulls/check", json=body), 422)
        body = {"profile_id": 1, "number": 1, "rehearse": {"fault": "rain"}}
        self.refused(self.client.post("/api/pulls/check", json=body), 422)
        missing = {"profile_id": 999, "number": 1}
        self.refused(self.client.post("/api/pulls/check", json=missing), 404)

    def test_the_countdown_is_set_and_taken_back(self) -> None:
        machine = self.client.get("/api/bench").json()["machine"]["id"]
        path = f"/api/machines/{machine}/switched"
        on = self.client.post(path, json={"minutes_ago": 3, "with_steam": True}).json()
        self.assertIsNotNone(on["ready_at"])
        self.assertTrue(on["with_steam"])
        off = self.client.post(path, json={"minutes_ago": None}).json()
        self.assertIsNone(off["ready_at"])
        self.refused(self.client.post(path, json={"minutes_ago": -1}), 422)
        self.refused(self.client.post("/api/machines/999/switched", json={}), 404)


class During(Pulled):
    def test_orders_are_followed_refused_and_refused_to_whoever_does_not_command(self) -> None:
        shot = self.begin(self.long("Ordered"), page="one")["id"]
        self.assertEqual(self.order(shot, do="nudge", by=0.5, page="one").status_code, 204)
        self.refused(self.order(shot, do="nudge", by=0.5, page="two"), 409)
        self.refused(self.order(shot, do="nudge", by=50, page="one"), 409)
        problem = self.refused(self.order(shot, do="level", page="one"), 422)
        self.assertEqual(problem["problems"][0]["field"], "level")
        self.refused(self.order(shot, do="dance", page="one"), 422)
        taken = self.client.post(f"/api/shots/{shot}/commander", json={"page": "two"})
        self.assertEqual(taken.status_code, 204)
        self.assertEqual(self.order(shot, do="nudge", by=0.5, page="two").status_code, 204)
        self.refused(self.client.get(f"/api/shots/{shot}/review"), 409)
        self.refused(self.client.get(f"/api/shots/{shot}/traces.csv"), 409)
        self.assertEqual(self.order(shot, do="stop", page="anyone").status_code, 204)
        self.over(shot)
        self.refused(self.order(shot, do="next"), 409)
        self.assertEqual(self.order(shot, do="stop").status_code, 204, "it has stopped")
        self.refused(self.order(999, do="stop"), 404)

    def test_watchers_see_who_commands_and_how_old_the_news_is(self) -> None:
        shot = self.begin(self.long("Heard"), page="one")["id"]
        heard: list[dict[str, Any]] = []

        def listen() -> None:
            with connect_socket(f"ws{self.address[4:]}/api/shots/{shot}/live") as socket:
                for raw in socket:
                    heard.append(json.loads(raw))

        thread = threading.Thread(target=listen, daemon=True)
        thread.start()
        wait_for(lambda: len(heard) > 5, "news")
        self.client.post(f"/api/shots/{shot}/commander", json={"page": "two"})
        wait_for(lambda: {"commander": "two"} in heard, "the new commander")
        self.order(shot, do="stop")
        thread.join(90)
        self.assertEqual(heard[-1], {"state": "done"})
        stamped = [one["at"] for one in heard if one.get("at")]
        self.assertEqual(stamped, sorted(stamped))
        self.assertGreater(len(stamped), 5)

    def test_a_machine_runs_one_shot_at_a_time(self) -> None:
        number = self.long("Once")
        shot = self.begin(number)["id"]
        body = {"profile_id": number, "number": 1, "despite": sorted(EVERY_CHECK)}
        self.refused(self.client.post("/api/shots", json=body), 409)
        self.order(shot, do="stop")
        self.over(shot)


class After(Pulled):
    def shot(self, name: str) -> int:
        number: int = self.begin(self.started(name))["id"]
        self.over(number)
        return number

    def test_planned_and_done_are_reported_with_what_can_follow(self) -> None:
        after = self.client.get(f"/api/shots/{self.shot('Done')}/review").json()
        self.assertEqual([line["what"] for line in after["phases"]], ["Fill", "Press"])
        self.assertIsNone(after["correction"])
        self.assertFalse(after["refractometer"])
        self.assertTrue(after["can_tidy"])
        self.refused(self.client.get("/api/shots/999/review"), 404)

    def test_a_correction_is_saved_as_any_version_is(self) -> None:
        number = self.long("Corrected")
        shot = self.begin(number)["id"]
        path = f"/api/shots/{shot}"
        wait_for(
            lambda: self.client.get(path).json()["traces"]["time_s"][-1:] > [9], "nine seconds"
        )
        self.order(shot, do="nudge", by=1)
        wait_for(lambda: self.client.get(path).json()["traces"]["time_s"][-1:] > [16], "some more")
        self.order(shot, do="stop")
        self.over(shot)
        correction = self.client.get(f"{path}/review").json()["correction"]
        saved = self.client.post(
            f"/api/profiles/{number}/versions",
            json={"based_on": correction["newest"], "profile": correction["profile"]},
        )
        self.assertEqual((saved.status_code, saved.json()["number"]), (201, 2))

    def test_traces_go_out_as_csv_and_come_back_to_be_tidied(self) -> None:
        shot = self.shot("Out")
        answer = self.client.get(f"/api/shots/{shot}/traces.csv")
        self.assertEqual(answer.headers["content-type"].split(";")[0], "text/csv")
        self.assertIn(f"shot-{shot}.csv", answer.headers["content-disposition"])
        for of in ({"csv": answer.text}, {"shot_id": shot}):
            tidied = self.client.post("/api/tidied", json=of).json()
            self.assertGreaterEqual(len(tidied["tidied"]["profile"]["phases"]), 1)
            self.assertEqual(len(tidied["tidied"]["time_s"]), len(tidied["tidied"]["asked"]))

    def test_what_cannot_be_tidied_is_refused_by_its_field(self) -> None:
        for body, field in (
            ({"csv": "time_s,pressure_bar\n0,1\n1,x\n2,3"}, "csv.pressure_bar.3"),
            (
                {"csv": "time_s,pressure_bar\n0,1\n1,2\n2,3", "ask": {"tolerance": 0}},
                "ask.tolerance",
            ),
            ({}, "shot_id"),
        ):
            problem = self.refused(self.client.post("/api/tidied", json=body), 422)
            self.assertEqual(problem["problems"][0]["field"], field)

    def test_without_a_refractometer_there_is_no_reading(self) -> None:
        shot = self.shot("Dry")
        problem = self.refused(self.client.post(f"/api/shots/{shot}/strength/read"), 502)
        self.assertIn("No refractometer", problem["detail"])

    def test_a_drink_is_typed_only_where_no_scale_weighed_it(self) -> None:
        path = f"/api/shots/{self.shot('Weighed')}/yield"
        problem = self.refused(self.client.put(path, json={"yield_g": 30}), 409)
        self.assertIn("The scale weighed this shot", problem["detail"])
        problem = self.refused(self.client.put(path, json={"yield_g": -3}), 422)
        self.assertEqual([one["field"] for one in problem["problems"]], ["yield_g"])
        self.refused(self.client.put("/api/shots/999/yield", json={"yield_g": 30}), 404)

    def test_without_a_connection_or_a_scale_the_yield_is_entered_by_hand(self) -> None:
        lines = f"/api/machines/{self.client.get('/api/bench').json()['machine']['id']}/connections"
        self.assertFalse(self.client.put(lines, json={"wired": False}).json()["wired"])
        self.addCleanup(self.client.put, lines, json={})
        shot = self.begin(self.started("By its gauge"))["id"]
        self.assertEqual(self.order(shot, do="nudge", by=1).status_code, 409)
        self.assertEqual(self.order(shot, do="stop").status_code, 204)
        self.assertIsNone(self.over(shot)["peak_pressure_bar"])
        self.assertFalse(self.client.get(f"/api/shots/{shot}/review").json()["weighed"])
        weighed = self.client.put(f"/api/shots/{shot}/yield", json={"yield_g": 33.3}).json()
        self.assertEqual((weighed["yield_g"], weighed["ratio"]), (33.3, 1.85))
        problem = self.refused(
            self.client.put(lines, json={"wired": False, "machine": "127.0.0.1:1"}), 422
        )
        self.assertEqual([one["field"] for one in problem["problems"]], ["machine"])

    def test_no_shot_was_cut_off_and_one_that_is_not_there_cannot_be_seen(self) -> None:
        self.assertEqual(self.client.get("/api/cut-off").json(), [])
        self.refused(self.client.post("/api/shots/999/seen"), 404)


class Series(Pulled):
    def test_a_series_is_begun_gathers_its_pulls_and_is_judged_again(self) -> None:
        number = self.started("Series")
        series = self.client.post(
            "/api/series", json={"profile_id": number, "number": 1, "wanted": 2}
        ).json()
        for _ in range(2):
            self.over(self.begin(number, series_id=series["id"])["id"])
        path = f"/api/series/{series['id']}"
        now = self.client.get(path).json()
        self.assertEqual(len(now["shots"]), 2)
        self.assertIn("2 of 2", now["verdict"])
        strict = self.client.put(f"{path}/tolerance", json={"shot_time_s": 0.001}).json()
        time = next(row for row in strict["rows"] if row["figure"] == "shot_time_s")
        self.assertFalse(time["within"], strict)
        problem = self.refused(self.client.put(f"{path}/tolerance", json={"shot_time_s": -1}), 422)
        self.assertEqual(problem["problems"][0]["field"], "shot_time_s")

    def test_a_pull_of_another_version_does_not_slip_into_a_series(self) -> None:
        mine, other = self.started("Mine"), self.started("Other")
        series = self.client.post("/api/series", json={"profile_id": mine, "number": 1}).json()
        body = {"profile_id": other, "number": 1, "despite": sorted(EVERY_CHECK)}
        path = "/api/shots"
        problem = self.refused(self.client.post(path, json=body | {"series_id": series["id"]}), 422)
        self.assertEqual(problem["problems"][0]["field"], "series_id")
        self.refused(self.client.post(path, json=body | {"series_id": 999}), 404)

    def test_a_series_of_one_or_of_nothing_is_none(self) -> None:
        number = self.started("Alone")
        once = {"profile_id": number, "number": 1, "wanted": 1}
        problem = self.refused(self.client.post("/api/series", json=once), 422)
        self.assertEqual(problem["problems"][0]["field"], "wanted")
        self.refused(self.client.post("/api/series", json=once | {"wanted": 3, "number": 9}), 404)
        self.refused(self.client.get("/api/series/999"), 404)


class Lines(Pulled):
    def test_connections_are_kept_listed_and_refused(self) -> None:
        machine = self.client.post("/api/machines", json={"name": "Wired"}).json()["id"]
        path = f"/api/machines/{machine}/connections"
        self.assertEqual(self.client.get(path).json()["silent"], {})
        told = self.client.put(path, json={"machine": "127.0.0.1:1"}).json()
        self.assertIn("No machine responds", told["silent"]["machine"])
        problem = self.refused(self.client.put(path, json={"scale": "kitchen"}), 422)
        self.assertEqual(problem["problems"][0]["field"], "scale")
        self.assertEqual(self.client.get(path).json()["machine"], "127.0.0.1:1")
        self.refused(self.client.get("/api/machines/999/connections"), 404)


class Orphans(Pulled):
    @classmethod
    def setUpClass(cls) -> None:
        cls.enterClassContext(patch.object(startup, "ORPHANS_EVERY_S", 0.2))
        super().setUpClass()

    def test_a_shot_that_nobody_records_is_ended_while_the_server_runs(self) -> None:
        """Its recorder was another process, which died after we had started."""
        shot = self.begin(self.long("Left"))["id"]
        self.order(shot, do="stop")
        self.over(shot)
        query = text("update shots set state = 'running', token = 'gone' where id = :id")
        with self.context.resources.engine.begin() as connection:
            connection.execute(query, {"id": shot})
        path = f"/api/shots/{shot}"
        wait_for(lambda: self.client.get(path).json()["state"] == "incomplete", "its end")
        self.assertIn("stopped while this shot ran", self.client.get(path).json()["trouble"])
