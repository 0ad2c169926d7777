"""What shots taught over HTTP: two applications on one database learn a shot once and tell every
page; what was learnt can be chosen from; a shot's own puck goes on the bench."""

from __future__ import annotations

import json
import threading
from typing import Any

from websockets.exceptions import ConnectionClosed
from websockets.sync.client import ClientConnection
from websockets.sync.client import connect as connect_socket

from tests.api.test_house import Served
from tests.desk.learn.at_bench import NUMBERS, PRESSED, add, fits_of, queued
from tests.factories import EVERY_CHECK
from tests.parts import PATIENCE_S, served, wait_for
from vapocline.desk.bench.bench import BenchChange, change_bench, read_bench
from vapocline.desk.plan.profiles import NewProfile, start_profile
from vapocline.desk.pull.request import PullRequest
from vapocline.desk.pull.start import pull


class Listening:
    """What a page hears, as it comes."""

    def __init__(self, socket: ClientConnection) -> None:
        self.heard: list[dict[str, Any]] = []
        self._socket = socket
        threading.Thread(target=self._listen, daemon=True).start()

    def _listen(self) -> None:
        try:
            for message in self._socket:
                said = json.loads(message)["learning"]
                if said is not None:
                    self.heard.append(said)
        except ConnectionClosed:
            pass

    def shares(self, coffee_id: int) -> list[float | None]:
        """How far learning of a coffee came, in order; None is its end."""
        return [one["share"] for one in list(self.heard) if one["coffee_id"] == coffee_id]


class Learnt(Served):
    learns = True

    def setUp(self) -> None:
        super().setUp()
        self.coffee, grinder = add(self.context, f"Learnt over HTTP {next(NUMBERS)}")
        bench = change_bench(self.context, BenchChange(coffee_id=self.coffee, grinder_id=grinder))
        self.three = f"/api/learn/of/{self.coffee}/{grinder}/{bench.machine.id}"
        name = f"{self._testMethodName[5:50]} {next(NUMBERS)}"
        self.profile_id = start_profile(
            self.context, NewProfile(name=name, profile=PRESSED)
        ).profile_id

    def pulled(self) -> int:
        request = {"profile_id": self.profile_id, "number": 1, "despite": EVERY_CHECK}
        return pull(self.context, PullRequest.model_validate(request))

    def listening(self, address: str) -> Listening:
        url = address.replace("http", "ws") + "/api/learn/live"
        socket = self.enterContext(connect_socket(url, open_timeout=PATIENCE_S))
        self.assertEqual(json.loads(socket.recv(timeout=PATIENCE_S)), {"learning": None})
        return Listening(socket)

    def test_two_applications_learn_a_shot_once_and_tell_every_page(self) -> None:
        second = self.enterContext(served(self.context, learns=True))
        pages = [self.listening(self.address), self.listening(second)]
        self.pulled()
        for page in pages:
            wait_for(lambda page=page: None in page.shares(self.coffee), "news of the fit")
        wait_for(lambda: queued(self.context) == 0, "the queue to be empty")
        self.assertEqual(fits_of(self.context, self.coffee), 1)
        for page in pages:
            shares = page.shares(self.coffee)
            self.assertEqual((shares[0], shares[-1], shares.count(None)), (0.0, None, 1))
            self.assertEqual(shares[:-1], sorted(shares[:-1]))
        self.assertEqual(self.client.get("/api/bench").json()["learnt_shots"], 1)

    def test_what_was_learnt_can_be_read_and_chosen_from(self) -> None:
        self.pulled()
        wait_for(lambda: fits_of(self.context, self.coffee) == 1, "learning")
        found = self.client.get(self.three).json()
        self.assertEqual((found["how"], found["in_force"]), ("newest", found["fits"][0]["id"]))
        none = self.client.put(f"{self.three}/choice", json={"take": "nothing"}).json()
        self.assertEqual((none["how"], none["in_force"]), ("nothing", None))
        for wrong, status in (
            ({"take": "this", "knowledge_id": 99_999}, 404),
            ({"take": "all"}, 422),
            ({}, 422),
        ):
            with self.subTest(wrong=wrong):
                self.refused(self.client.put(f"{self.three}/choice", json=wrong), status)
        self.refused(self.client.get("/api/learn/of/99999/1/1"), 404)
        self.assertIsNone(self.client.get("/api/learn/doses/1").json())
        self.assertIsNotNone(self.client.get(f"{self.three}/next-shot").json())

    def test_a_puck_goes_on_the_bench_and_away_again(self) -> None:
        number = self.pulled()
        bench = self.client.put(f"/api/shots/{number}/puck-on-bench").json()
        self.assertEqual(bench["puck"]["shot_id"], number)
        self.assertNotIn("setup", bench["puck"])
        self.assertIsNone(self.client.delete("/api/bench/puck").json()["puck"])
        self.refused(self.client.put("/api/shots/99999/puck-on-bench"), 404)
        self.assertIsNone(read_bench(self.context).puck)
