"""What a request computes ends when nobody waits for it any more, or after its budget of time."""

from __future__ import annotations

import asyncio
import contextlib
import json
import socket
import threading
from concurrent.futures import ThreadPoolExecutor
from typing import Any
from unittest.mock import patch
from urllib.parse import urlsplit

import httpx

from tests.api.test_house import SHORT, Served
from tests.parts import PATIENCE_S, wait_for
from vapocline.api import dependencies
from vapocline.core.base.cancellation import Cancelled, check_cancelled
from vapocline.core.base.problems import UnavailableError
from vapocline.core.puck import ranges
from vapocline.desk.plan import translation

MEMBERS = 1000


class Budget(Served):
    def setUp(self) -> None:
        self.begun = 0
        self.ended = threading.Event()
        self.enterContext(patch.object(ranges, "run_member", self.member))

    def member(self, *_given: Any) -> None:
        """A run that takes as long as it is wanted."""
        self.begun += not self.unwanted()
        wait_for(self.unwanted, "the end of the budget")
        self.ended.set()
        check_cancelled()

    def unwanted(self) -> bool:
        try:
            check_cancelled()
        except Cancelled:
            return True
        return False

    def test_an_asker_who_hangs_up_ends_the_computing(self) -> None:
        body = json.dumps({"profile": SHORT.written(), "members": MEMBERS})
        where = urlsplit(self.address)
        head = (
            f"POST /api/bench/forecast HTTP/1.1\r\nhost: {where.netloc}\r\n"
            f"content-type: application/json\r\ncontent-length: {len(body)}\r\n\r\n"
        )
        line = socket.create_connection((str(where.hostname), where.port or 0))
        with contextlib.closing(line):
            line.sendall((head + body).encode())
            wait_for(lambda: self.begun, "the first members")
            self.assertFalse(self.ended.is_set())
        wait_for(self.ended.is_set, "the computing to end")
        self.assertLess(self.begun, MEMBERS, "the members that had not begun never do")

    def test_what_takes_too_long_is_given_up_and_said_so(self) -> None:
        with patch.object(dependencies, "BUDGET_S", 0.2):
            answer = self.client.post(
                "/api/bench/forecast", json={"profile": SHORT.written(), "members": MEMBERS}
            )
        document = self.refused(answer, 503)
        self.assertIn("This took longer than 0.2 s and was cancelled", document["detail"])
        self.assertLess(self.begun, MEMBERS)

    def test_a_translation_has_a_budget_too(self) -> None:
        machine = self.client.get("/api/bench").json()["machine"]["id"]
        asked = {"profile": SHORT.written(), "machine_id": machine}
        with patch.object(translation, "BUDGET_S", 0.0):
            lines = self.client.post("/api/translations", json=asked).text.splitlines()
        self.assertIn("was cancelled", json.loads(lines[-1])["message"])


class Turns(Served):
    def setUp(self) -> None:
        self.let_go = threading.Event()
        self.addCleanup(self.let_go.set)
        self.enterContext(patch.object(ranges, "run_member", self.member))

    def member(self, *_given: Any) -> None:
        self.let_go.wait(PATIENCE_S)
        raise Cancelled("It was let go.")

    def test_too_many_forecasts_are_told_so_while_everything_else_is_answered(self) -> None:
        asked = json.dumps({"profile": SHORT.written(), "members": MEMBERS})
        headers = {"content-type": "application/json"}

        def ask(_number: int) -> httpx.Response:
            return httpx.post(
                f"{self.address}/api/bench/forecast", content=asked, headers=headers, timeout=90
            )

        with patch.object(dependencies, "PATIENCE_S", 0.5), ThreadPoolExecutor(40) as threads:
            answers = [threads.submit(ask, number) for number in range(40)]
            waiting = dependencies.AT_ONCE
            wait_for(lambda: sum(one.done() for one in answers) == 40 - waiting, "the others")
            self.assertEqual(self.client.get("/api/bench").status_code, 200)
            self.let_go.set()
        told = [one.result().json()["detail"] for one in answers]
        self.assertEqual(sum("other computations were asked for before" in t for t in told), 36)

    def test_turns_are_taken_in_the_order_in_which_they_were_asked_for(self) -> None:
        order: list[int] = []

        async def compute(turns: dependencies.Turns, number: int) -> None:
            async with turns.turn(threading.Event()):
                order.append(number)
                await asyncio.sleep(0)

        async def all_at_once() -> None:
            turns = dependencies.Turns(at_once=2, patience_s=PATIENCE_S)
            await asyncio.gather(*(compute(turns, number) for number in range(20)))
            self.assertEqual(turns.waiting, 0)

        asyncio.run(all_at_once())
        self.assertEqual(order, list(range(20)))

    def test_one_that_nobody_waits_for_any_more_leaves_its_place(self) -> None:
        async def leave() -> None:
            turns, gone = dependencies.Turns(at_once=1, patience_s=PATIENCE_S), threading.Event()
            async with turns.turn(threading.Event()):
                waiting = asyncio.ensure_future(self.enter(turns, gone))
                await asyncio.sleep(0)
                gone.set()
                with self.assertRaisesRegex(UnavailableError, "0 other computations"):
                    await waiting
            async with turns.turn(threading.Event()):
                pass  # the place is free again

        asyncio.run(leave())

    def test_one_cancelled_as_its_turn_comes_hands_it_on(self) -> None:
        async def cancelled() -> None:
            turns = dependencies.Turns(at_once=1, patience_s=PATIENCE_S)
            async with turns.turn(threading.Event()):
                waiting = asyncio.ensure_future(self.enter(turns, threading.Event()))
                await asyncio.sleep(0)
            waiting.cancel()  # its turn has come, and it has not run since
            with self.assertRaises(asyncio.CancelledError):
                await waiting
            async with asyncio.timeout(PATIENCE_S), turns.turn(threading.Event()):
                self.assertEqual(turns.waiting, 0)

        asyncio.run(cancelled())

    async def enter(self, turns: dependencies.Turns, gone: threading.Event) -> None:
        async with turns.turn(gone):
            self.fail("it came to its turn")
