"""The API over a real port: answers, refusals as problem documents, and running shots."""

from __future__ import annotations

import dataclasses
import json
import re
import unittest
from pathlib import Path
from typing import ClassVar
from unittest.mock import patch

import httpx
from sqlalchemy import text
from websockets.exceptions import ConnectionClosedError
from websockets.sync.client import connect as connect_socket

from tests.factories import EVERY_CHECK, flow, plan, pressure, profile, seconds
from tests.parts import context_on_fresh_database, sample_world, served, url_of, wait_for
from vapocline.core.base.problems import UnavailableError
from vapocline.core.puck.predict import predict
from vapocline.store.database import transaction

SHORT = profile(flow(6, None, seconds(4), name="Fill"), pressure(9, name="Press"), cup_g=20)


class Served(unittest.TestCase):
    speed = 8.0
    sample_world: ClassVar[bool] = False
    learns: ClassVar[bool] = False

    @classmethod
    def setUpClass(cls) -> None:
        template = sample_world() if cls.sample_world else "vapocline"
        cls.context = cls.enterClassContext(
            context_on_fresh_database(speed=cls.speed, template=template)
        )
        cls.url = url_of(cls.context)
        cls.address = cls.enterClassContext(served(cls.context, learns=cls.learns))
        cls.client = cls.enterClassContext(httpx.Client(base_url=cls.address, timeout=90))

    def started(self, name: str) -> int:
        body = {"name": name, "profile": SHORT.written()}
        answer = self.client.post("/api/profiles", json=body)
        self.assertEqual(answer.status_code, 201, answer.text)
        return answer.json()["profile_id"]

    def refused(self, answer: httpx.Response, status: int) -> dict:
        self.assertEqual(answer.status_code, status, answer.text)
        self.assertEqual(answer.headers["content-type"], "application/problem+json")
        document = answer.json()
        self.assertEqual(document["status"], status)
        self.assertTrue(document["detail"])
        return document


class Answers(Served):
    def test_it_is_there_and_tells_the_form_and_the_ranges(self) -> None:
        for path in ("/api/health", "/api/ready"):
            self.assertTrue(self.client.get(path).json()["ok"])
        form = self.client.get("/api/form").json()
        self.assertEqual(len(form["attributes"]), 12)
        self.assertEqual(form["ranges"]["dose_g"], [5, 40, "g"])

    def test_large_answers_and_scripts_are_compressed_and_lines_come_as_they_are(self) -> None:
        form = self.client.get("/api/form")
        self.assertEqual(form.headers["content-encoding"], "gzip")
        self.assertNotIn("content-encoding", self.client.get("/api/health").headers)
        plain = self.client.get("/api/form", headers={"accept-encoding": "identity"})
        self.assertNotIn("content-encoding", plain.headers)
        self.assertEqual(plain.json(), form.json())
        page = self.client.get("/plan").text
        script = re.search(r'src="(/assets/[^"]+\.js)"', page)
        assert script
        packed = self.client.get(script[1])
        self.assertEqual(packed.headers["content-encoding"], "gzip")
        self.assertIn("immutable", packed.headers["cache-control"])
        whole = self.client.get(script[1], headers={"accept-encoding": "identity"})
        self.assertEqual(whole.text, packed.text)
        machine = self.client.get("/api/bench").json()["machine"]["id"]
        asked = {"profile": SHORT.written(), "machine_id": machine}
        lines = self.client.post("/api/translations", json=asked)
        self.assertNotIn("content-encoding", lines.headers)

    def test_a_prediction_is_the_cores(self) -> None:
        one = plan(pressure(9))
        answer = self.client.post("/api/predictions", json=one.written())
        self.assertEqual(answer.json(), json.loads(predict(one).model_dump_json(by_alias=True)))

    def test_a_draft_is_predicted_on_the_bench(self) -> None:
        answer = self.client.post("/api/bench/forecast", json={"profile": SHORT.written()}).json()
        self.assertEqual(answer["goal_cup_g"], 36)
        self.assertEqual(answer["prediction"]["stopped_on"], "cup_g")

    def test_ranges_come_with_members_and_only_then(self) -> None:
        draft = {"profile": SHORT.written()}
        alone, many = (
            self.client.post("/api/bench/forecast", json=draft | extra).json()["prediction"]
            for extra in ({}, {"members": 40})
        )
        self.assertEqual(alone["shot_time_s"]["p10"], alone["shot_time_s"]["p90"])
        self.assertLess(many["shot_time_s"]["p10"], many["shot_time_s"]["p90"])
        self.assertEqual(alone["shot_time_s"]["value"], many["shot_time_s"]["value"])
        refused = self.client.post("/api/bench/forecast", json=draft | {"members": 9999})
        self.assertEqual(refused.json()["problems"][0]["accepted"], "a number of at most 1000")

    def test_sensitivities_and_goals_are_answered(self) -> None:
        one = plan(pressure(9)).written()
        steps = self.client.post("/api/predictions/sensitivities", json=one).json()
        self.assertGreater(len(steps), 5)
        goal = {
            "plan": one,
            "wants": [{"figure": "shot_time_s", "at": 28}],
            "moves": [{"what": "setup.grind_um"}],
        }
        self.assertTrue(self.client.post("/api/predictions/goal", json=goal).json()["reached"])

    def test_the_pages_are_served_at_every_address_and_the_api_is_not_swallowed(self) -> None:
        nothing = self.client.get("/api/nothing")
        self.assertEqual(nothing.status_code, 404)
        self.assertEqual(nothing.json()["detail"], "There is nothing at /api/nothing.")
        for path in ("/", "/plan/4", "/taste/1/with/2"):
            self.assertIn("Vapocline", self.client.get(path).text)

    def test_a_method_that_is_none_and_a_fault_are_problem_documents_too(self) -> None:
        answer = self.client.delete("/api/bench")
        self.assertEqual(answer.headers["content-type"], "application/problem+json")
        self.assertEqual(answer.status_code, 405)


class NoRoom(Served):
    def test_a_full_disk_is_named_and_we_are_not_ready(self) -> None:
        self.enterContext(patch("vapocline.desk.context.LEAST_FREE", 1 << 62))
        resources = self.context.resources
        with self.assertRaisesRegex(UnavailableError, "The disk that holds the database is full"):
            dataclasses.replace(resources, unsaved=Path("/tmp/unsaved")).ask_disk()
        resources.ask_disk()  # another's database is on another's disk
        with (
            self.assertRaisesRegex(UnavailableError, "free some space"),
            transaction(self.context.sessions) as session,
        ):
            session.execute(text("do $$ begin raise exception using errcode = '53100'; end $$"))


class Refusals(Served):
    def test_a_plan_that_cannot_run_says_which_field_in_the_cores_words(self) -> None:
        document = plan(pressure(9)).written()
        document["setup"]["dose_g"] = 0
        problem = self.refused(self.client.post("/api/predictions", json=document), 422)
        self.assertEqual(
            problem["problems"][0]["message"], "setup.dose_g: got 0; takes a number from 5 to 40 g"
        )
        empty = plan().written()
        problem = self.refused(self.client.post("/api/predictions", json=empty), 422)
        self.assertEqual(problem["detail"], "profile.phases: got none; takes at least one phase")

    def test_text_that_is_no_number_is_named_by_its_path(self) -> None:
        draft = SHORT.written()
        draft["phases"][1]["command"]["to"] = "9x"
        problem = self.refused(
            self.client.post("/api/bench/forecast", json={"profile": draft}), 422
        )
        self.assertEqual(problem["problems"][0]["field"], "profile.phases.1.command.to")

    def test_a_body_that_is_no_json(self) -> None:
        answer = self.client.post(
            "/api/predictions", content="{", headers={"content-type": "application/json"}
        )
        self.refused(answer, 422)

    def test_what_is_not_there(self) -> None:
        self.refused(self.client.get("/api/profiles/999"), 404)
        self.refused(self.client.get("/api/shots/999"), 404)

    def test_a_name_taken_and_a_version_overtaken(self) -> None:
        number = self.started("Taken")
        self.refused(self.client.post("/api/profiles", json={"name": "Taken"}), 409)
        save = {"based_on": 1, "profile": SHORT.model_copy(update={"name": "Taken"}).written()}
        path = f"/api/profiles/{number}/versions"
        self.assertEqual(self.client.post(path, json=save).status_code, 201)
        self.assertIn(
            "saved in the meantime", self.refused(self.client.post(path, json=save), 409)["detail"]
        )

    def test_fields_that_are_none_of_the_apis(self) -> None:
        problem = self.refused(self.client.patch("/api/bench", json={"dosis": 3}), 422)
        self.assertEqual(problem["problems"][0]["accepted"], "no such field")


class Live(Served):
    def test_a_watcher_sees_the_shot_from_its_start_to_its_end_without_a_gap(self) -> None:
        body = {"profile_id": self.started("Live"), "number": 1, "despite": sorted(EVERY_CHECK)}
        number = self.client.post("/api/shots", json=body).json()["id"]
        heard: list[list[float]] = []
        events: list[str] = []
        for late in (False, True):
            times: list[float] = []
            with connect_socket(f"ws{self.address[4:]}/api/shots/{number}/live") as socket:
                for raw in socket:
                    message = json.loads(raw)
                    if state := message.get("state"):
                        break
                    times += message.get("columns", {}).get("time_s", [])
                    if late:
                        events += [event["kind"] for event in message["events"]]
            self.assertEqual(state, "done")
            heard.append(times)
        stored = self.client.get(f"/api/shots/{number}").json()
        self.assertEqual(heard[0], stored["traces"]["time_s"])
        self.assertEqual(heard[1], stored["traces"]["time_s"])
        self.assertEqual(events, ["phase_began", "phase_began", "first_drip", "stopped"])

    def test_a_shot_that_is_not_there_closes_the_line_with_a_reason(self) -> None:
        with connect_socket(f"ws{self.address[4:]}/api/shots/999/live") as socket:
            with self.assertRaises(ConnectionClosedError):
                socket.recv(90)
            self.assertEqual(socket.close_code, 4404)

    def test_stopping_tasting_and_comparing_over_the_api(self) -> None:
        body = {"profile_id": self.started("Stopped"), "number": 1, "despite": sorted(EVERY_CHECK)}
        numbers = []
        for _ in range(2):
            number = self.client.post("/api/shots", json=body).json()["id"]
            self.assertEqual(
                self.client.post(f"/api/shots/{number}/orders", json={"do": "stop"}).status_code,
                204,
            )
            wait_for(
                lambda at=number: self.client.get(f"/api/shots/{at}").json()["state"] == "done",
                "the end",
            )
            numbers.append(number)
        over = f"/api/shots/{number}/orders"
        self.refused(self.client.post(over, json={"do": "next"}), 409)
        self.assertEqual(self.client.post(over, json={"do": "stop"}).status_code, 204)
        path = f"/api/shots/{number}/tasting"
        scored = self.client.put(path, json={"liking": 7, "warmth": "hot", "served": "straight"})
        self.assertEqual(scored.json()["tastings"][0]["liking"], 7)
        problem = self.refused(self.client.put(path, json={"liking": 12}), 422)
        self.assertEqual(problem["problems"][0]["field"], "liking")
        self.assertEqual(self.client.delete(path + "/hot/straight").status_code, 204)
        compared = self.client.get(
            "/api/compare", params={"first": numbers[0], "second": numbers[1]}
        )
        self.assertIn("spread of repeats", compared.json()["comparison"]["caution"])


class DatabaseGone(unittest.TestCase):
    def test_a_lost_database_is_reported_and_survived(self) -> None:
        with (
            context_on_fresh_database() as context,
            served(context) as address,
            httpx.Client(base_url=address, timeout=90) as client,
        ):
            self.assertEqual(client.get("/api/bench").status_code, 200)
            name = context.resources.engine.url.database
            kill = (
                "select pg_terminate_backend(pid) from pg_stat_activity"
                " where datname = :name and pid <> pg_backend_pid()"
            )
            with context.resources.engine.connect() as connection:
                connection.execute(text(kill), {"name": name})
            self.assertEqual(client.get("/api/bench").status_code, 200)


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
