"""The stop, while everything else the server does has come to a halt."""

from __future__ import annotations

import contextlib
import threading
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any, ClassVar
from unittest.mock import patch

import httpx
from psycopg import sql
from websockets.sync.client import connect as connect_socket

from tests.api.test_house import SHORT, Served
from tests.black_hole import BlackHole
from tests.factories import EVERY_CHECK, pressure, profile
from tests.marks import exhaustive
from tests.parts import PATIENCE_S, administer, wait_for
from vapocline.core.machine.machine import Machine
from vapocline.desk.bench.bench import BenchChange, change_bench
from vapocline.desk.plan.profiles import NewProfile, start_profile
from vapocline.desk.pull.lanes import Lanes
from vapocline.desk.shelf.connections import Connections, write_connections
from vapocline.desk.shelf.machines import add_machine
from vapocline.devices import probing
from vapocline.store.database import transaction
from vapocline.store.tables import ShotRow

LONG = profile(pressure(4, name="Press"), cup_g=None, time_s=280)
PROBES = 60  # more than the server has threads for


class Stopping(Served):
    speed: ClassVar[float] = 2.0

    def setUp(self) -> None:
        super().setUp()
        self.hole = self.enterContext(contextlib.closing(BlackHole()))
        made = start_profile(
            self.context, NewProfile(name=self._testMethodName[5:40], profile=LONG)
        )
        self.body = {"profile_id": made.profile_id, "number": 1, "despite": sorted(EVERY_CHECK)}
        first = self.client.get("/api/bench").json()["machine"]["id"]
        self.number = self.client.post("/api/shots", json=self.body).json()["id"]
        self.path = f"/api/shots/{self.number}"
        wait_for(lambda: self.client.get(self.path).json()["traces"]["time_s"], "samples")
        silent = add_machine(self.context, Machine(name=f"Silent {self.number}"))
        with patch.object(probing, "PROBE_WAIT_S", 0.1):  # it never answers
            write_connections(self.context, silent.id, Connections(machine=self.hole.address))
        change_bench(self.context, BenchChange(machine_id=silent.id))
        self.addCleanup(change_bench, self.context, BenchChange(machine_id=first))

    def busy(self) -> list[Future[Any]]:
        """More requests that wait for a device than there are threads, and heavy predictions."""
        self.enterContext(patch.object(probing, "PROBE_WAIT_S", PATIENCE_S))
        threads = self.enterContext(ThreadPoolExecutor(PROBES + 3))
        self.addCleanup(self.hole.close)  # before the threads are waited for
        many = httpx.Limits(max_connections=PROBES + 3)
        client = self.enterContext(
            httpx.Client(base_url=self.address, timeout=2 * PATIENCE_S, limits=many)
        )
        heavy = {"profile": SHORT.written(), "members": 1000}
        asked = [
            threads.submit(client.post, "/api/pulls/check", json=self.body) for _ in range(PROBES)
        ]
        asked += [threads.submit(client.post, "/api/bench/forecast", json=heavy) for _ in range(3)]
        wait_for(lambda: self.hole.held >= 8, "every thread for probes to be waiting")
        return asked

    def stopped_meanwhile(self, asked: list[Future[Any]]) -> None:
        """The pump stopped while none of those who wait for a device had an answer."""
        self.assertFalse(any(one.done() for one in asked[:PROBES]))
        self.hole.close()

    def stop(self) -> None:
        answer = self.client.post(f"{self.path}/orders", json={"do": "stop"})
        self.assertEqual(answer.status_code, 204, answer.text)

    def over(self) -> None:
        wait_for(lambda: self.client.get(self.path).json()["state"] == "done", "the end")
        events = self.client.get(self.path).json()["events"]
        self.assertEqual([e["reason"] for e in events if e["kind"] == "stopped"], ["hand"])

    def test_it_passes_sixty_requests_that_wait_for_a_device(self) -> None:
        asked = self.busy()
        self.stop()
        self.stopped_meanwhile(asked)
        self.over()

    @exhaustive
    def test_it_passes_them_over_the_live_line_too(self) -> None:
        with connect_socket(self.address.replace("http", "ws") + f"{self.path}/live") as socket:
            asked = self.busy()
            socket.send('{"do":"stop"}')
            wait_for(lambda: socket.recv(PATIENCE_S) == '{"stop":null}', "the answer")
            self.stopped_meanwhile(asked)
        self.over()

    def test_a_locked_row_does_not_hold_it_up(self) -> None:
        with transaction(self.context.sessions) as session:
            session.get(ShotRow, self.number, with_for_update=True)
            self.stop()
            recording = "the machine took it while the row was locked"
            self.assertEqual(self.client.get(self.path).json()["state"], "running", recording)
        self.over()

    def test_a_database_that_is_away_does_not_hold_it_up(self) -> None:
        name = str(self.context.resources.engine.url.database)
        allow = sql.SQL("alter database {} with allow_connections {}")
        kick = "select pg_terminate_backend(pid) from pg_stat_activity where datname = {}"
        administer(allow.format(sql.Identifier(name), sql.Literal(False)))
        try:
            administer(sql.SQL(kick).format(sql.Literal(name)))
            self.stop()
            self.assertEqual(self.client.get(self.path).status_code, 503)
            self.assertEqual(self.client.get("/api/ready").status_code, 503)
            self.assertEqual(self.client.get("/api/health").status_code, 200, "it lives")
        finally:
            administer(allow.format(sql.Identifier(name), sql.Literal(True)))
        self.over()

    def test_orders_of_another_kind_that_hang_do_not_hold_it_up(self) -> None:
        """A hold that the machine never answers has a line and threads of its own."""
        release = threading.Event()
        self.addCleanup(release.set)
        order = Lanes.order

        def hang(lanes: Lanes, given: Any) -> None:
            if given.do == "hold":
                release.wait(PATIENCE_S)
            order(lanes, given)

        with patch.object(Lanes, "order", hang), ThreadPoolExecutor(20) as threads:
            held = [
                threads.submit(httpx.post, self.address + f"{self.path}/orders",
                               json={"do": "hold"}, timeout=2 * PATIENCE_S)
                for _ in range(20)
            ]  # fmt: skip
            self.stop()
            self.assertFalse(any(one.done() for one in held))
            release.set()
        self.over()
