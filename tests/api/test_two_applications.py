"""Two applications on one database: whatever page shows a running shot can steer and stop it."""

from __future__ import annotations

import json
import time
import unittest
from typing import Any, ClassVar
from unittest.mock import patch

import httpx
from websockets.sync.client import connect as connect_socket

from tests.factories import EVERY_CHECK, pressure, profile, seconds
from tests.parts import (
    PATIENCE_S,
    context_on_fresh_database,
    elsewhere,
    house,
    served,
    wait_for,
)
from vapocline.desk.context import Context
from vapocline.desk.pull import relay

LONG = profile(pressure(4, None, seconds(280), name="Press"), cup_g=None, time_s=290)


class TwoApplications(unittest.TestCase):
    """Each with simulated machines of its own: the second's know nothing of the first's shots."""

    context: ClassVar[Context]

    @classmethod
    def setUpClass(cls) -> None:
        cls.context = cls.enterClassContext(context_on_fresh_database(speed=2))
        first = cls.enterClassContext(served(cls.context))
        second = cls.enterClassContext(served(elsewhere(cls.context, house(5, 0.0))))
        cls.first, cls.second = (
            cls.enterClassContext(httpx.Client(base_url=address, timeout=90))
            for address in (first, second)
        )

    def begun(self, name: str) -> str:
        """A shot that the first one records, as the second sees it running."""
        body = {"name": name, "profile": LONG.written()}
        made = self.first.post("/api/profiles", json=body).json()["profile_id"]
        asked = {"profile_id": made, "number": 1, "despite": sorted(EVERY_CHECK)}
        # The machine may still say how the shot before ended.
        answer = wait_for(
            lambda: (a := self.first.post("/api/shots", json=asked)).is_success and a, "the start"
        )
        path = f"/api/shots/{answer.json()['id']}"
        wait_for(lambda: self.second.get(path).json()["traces"]["time_s"], "samples")
        return path

    def over(self, path: str) -> dict[str, Any]:
        wait_for(lambda: self.second.get(path).json()["state"] != "running", "the end")
        shot: dict[str, Any] = self.second.get(path).json()
        return shot

    def order(self, path: str, **given: Any) -> httpx.Response:
        return self.second.post(f"{path}/orders", json=given)

    def kinds(self, path: str) -> list[str]:
        return [event["kind"] for event in self.second.get(path).json()["events"]]

    def test_orders_and_the_stop_reach_whoever_records_it(self) -> None:
        path = self.begun("Steered")
        for given, kind in (
            ({"do": "nudge", "by": 0.5}, "nudged"), ({"do": "hold"}, "held"),
            ({"do": "mark", "mark": "blond"}, "marked"), ({"do": "take"}, "taken_over"),
        ):  # fmt: skip
            answer = self.order(path, **given)
            self.assertEqual(answer.status_code, 204, answer.text)
            wait_for(lambda kind=kind: kind in self.kinds(path), kind)
        began = time.monotonic()
        with patch("vapocline.desk.pull.relay.STOP_PATIENCE_S", PATIENCE_S):
            self.assertEqual(self.order(path, do="stop").status_code, 204)
        self.assertLess(time.monotonic() - began, PATIENCE_S, "it was handed over")
        self.assertEqual(self.over(path)["state"], "done")

    def test_what_the_machine_refuses_is_said_in_its_own_words(self) -> None:
        path = self.begun("Refused")
        refused = self.order(path, do="level", level=4)
        self.assertEqual(refused.status_code, 409)
        self.assertIn("The machine refused to level", refused.json()["detail"])
        self.order(path, do="stop")
        self.over(path)

    def test_the_stop_goes_over_the_live_line_too(self) -> None:
        path = self.begun("Watched")
        address = str(self.second.base_url).replace("http", "ws").rstrip("/")
        with connect_socket(f"{address}{path}/live") as socket:
            socket.send(json.dumps({"do": "stop"}, separators=(",", ":")))
            while "stop" not in (said := json.loads(socket.recv(PATIENCE_S))):
                continue
        self.assertIsNone(said["stop"])
        self.assertEqual(self.over(path)["state"], "done")

    def test_a_record_is_closed_where_it_is_kept(self) -> None:
        path = self.begun("Closed")
        self.assertEqual(self.second.post(f"{path}/close").status_code, 204)
        closed = self.over(path)
        self.assertEqual(closed["state"], "incomplete")
        self.assertEqual(closed["trouble"], "The record was closed by hand.")

    def test_where_nobody_answers_the_machine_is_asked_itself(self) -> None:
        path = self.begun("Alone")
        with patch.object(relay, "_handed_over", return_value=False):
            refused = self.order(path, do="stop")
        self.assertIn("no shot is running", refused.json()["detail"])
        self.order(path, do="stop")
        self.over(path)
