"""Whom a device obeys: a desk that is paired with it, one at a time, each order once."""

from __future__ import annotations

import http.client
import json
import socket
import unittest
from functools import cache
from unittest.mock import patch

import numpy as np

from tests.factories import pressure, profile, seconds
from tests.parts import PATIENCE_S, for_the_run, wait_for
from vapocline.core.base.problems import DeviceError, OrderError
from vapocline.core.profile.profile import HandExit
from vapocline.core.puck.plan import Setup
from vapocline.devices import line as lines
from vapocline.devices.line import LineAddress, with_id
from vapocline.devices.machine import LineMachine
from vapocline.devices.messages import EventLine, MarkIt, Nudge, PlainOrder
from vapocline.devices.simulators import serving
from vapocline.devices.simulators.hand_clock import HandClock
from vapocline.runtime.simulators import simulated_machine

WAITING = profile(pressure(4, None, HandExit(), seconds(280), name="Wait"), time_s=290, cup_g=None)


@cache
def machines() -> str:
    return for_the_run(simulated_machine(speed=4, seed=3, calm=True))


class Paired(unittest.TestCase):
    def setUp(self) -> None:
        self.address = f"{machines()}/{self._testMethodName}"
        self.to = LineAddress.parse(self.address)

    def line(self, desk: str = "") -> LineMachine:
        with patch.object(lines, "DESK", desk or lines.DESK):
            return self.enterContext(LineMachine(self.address))

    def started(self, **named: float) -> LineMachine:
        machine = self.line()
        machine.basket(Setup(dose_g=18))
        machine.load(WAITING)
        machine.start("ours", **named)
        return machine

    def said_to(self, *raw: bytes) -> list[dict]:
        """What is answered to these lines until the machine hangs up."""
        with socket.create_connection((self.to.host, self.to.port), timeout=PATIENCE_S) as line:
            line.sendall(b"".join(raw))
            return [json.loads(answer) for answer in line.makefile("rb")]

    def hello(self, **named: str) -> bytes:
        return json.dumps({"do": "hello", "name": self.to.name, **named}).encode() + b"\n"


class Strangers(Paired):
    def test_a_page_that_posts_orders_to_the_port_is_not_obeyed(self) -> None:
        """A browser sends text/plain anywhere without asking; its header lines come first."""
        machine = self.line()
        machine.basket(Setup(dose_g=18))
        machine.load(WAITING)
        browser = http.client.HTTPConnection(self.to.host, self.to.port, timeout=PATIENCE_S)
        self.addCleanup(browser.close)
        body = self.hello(code=self.to.code) + b'{"do": "start"}\n'
        browser.request("POST", "/", body=body, headers={"content-type": "text/plain"})
        with self.assertRaises((http.client.HTTPException, ConnectionError)):
            browser.getresponse()
        self.assertFalse(machine.status().running)

    def test_a_line_begins_with_hello_and_the_code(self) -> None:
        for said, why in (
            (b'{"do": "start"}\n', "a line begins with hello"),
            (self.hello(), "the pairing code is not this device's"),
            (self.hello(code="guessed"), "the pairing code is not this device's"),
        ):
            with self.subTest(why):
                answers = self.said_to(said, b'{"do": "status"}\n')
                self.assertEqual([(one["ok"], one["error"]) for one in answers], [(False, why)])

    def test_the_line_is_closed_at_the_first_line_that_is_no_order(self) -> None:
        answers = self.said_to(self.hello(code=self.to.code), b"not json\n", b'{"do": "status"}\n')
        self.assertEqual([answer["ok"] for answer in answers], [True, False])

    def test_a_desk_with_another_code_is_told_so_without_the_code(self) -> None:
        with self.assertRaisesRegex(OrderError, "pairing code") as refused:
            LineMachine(f"wrong@{self.address.partition('@')[2]}")
        self.assertNotIn("wrong", str(refused.exception))

    def test_there_is_an_end_to_names(self) -> None:
        house = serving.House(lambda _name: HandClock(speed=1), "code")
        with patch.object(serving, "MOST_NAMES", 2):
            for name in ("one", "two", "one"):
                house.named(name)
            with self.assertRaisesRegex(DeviceError, "there are 2 devices here already"):
                house.named("three")


class OneCommander(Paired):
    def test_another_desk_may_look_and_stop_but_not_command(self) -> None:
        machine = self.started()
        other = self.line("another")
        self.assertTrue(other.status().running)
        other.order(MarkIt(mark="blond"))
        for order in (Nudge(by=1.0), PlainOrder(do="skip")):
            with self.assertRaisesRegex(OrderError, "another desk commands it"):
                other.order(order)
        other.order(PlainOrder(do="stop"))
        stops = [said for said in machine.said() if getattr(said, "what", "") == "stop"]
        self.assertEqual(len(stops), 1)

    def test_a_desk_that_is_gone_no_longer_commands(self) -> None:
        self.started().close()
        other = self.line("another")

        def obeyed() -> bool:
            try:
                other.order(PlainOrder(do="skip"))
            except OrderError:
                return False
            return True

        wait_for(obeyed, "the machine to notice that the line is closed")


class OnceEach(Paired):
    def test_an_order_that_is_sent_again_is_carried_out_once(self) -> None:
        machine, hand = self.started(), self.line()
        order = with_id(Nudge(by=1.0))
        first = machine.order(order)
        self.assertEqual(hand.order(order), first, "answered as at first, over another line too")
        hand.order(PlainOrder(do="stop"))
        nudges = [s for s in machine.said() if isinstance(s, EventLine) and s.what == "nudge"]
        self.assertEqual(len(nudges), 1)

    def test_a_refusal_is_repeated_too(self) -> None:
        machine = self.line()
        order = with_id(PlainOrder(do="skip"))
        for _ in range(2):
            with self.assertRaisesRegex(OrderError, "no shot is running"):
                machine.order(order)

    def test_a_start_that_is_sent_again_starts_one_shot(self) -> None:
        machine = self.started()
        with self.assertRaisesRegex(OrderError, "a shot is running"):
            machine.start("other")
        self.assertEqual(machine.status().shot, "ours")
        machine.order(PlainOrder(do="stop"))

    def test_another_shot_is_not_watched_by_mistake(self) -> None:
        machine = self.started()
        with self.assertRaisesRegex(OrderError, "it knows no such shot"):
            next(self.line().said(0, "theirs"))
        machine.order(PlainOrder(do="stop"))
        times = [s.t for s in machine.said(0, "ours") if hasattr(s, "pressure_bar")]
        self.assertTrue(np.all(np.diff(times) > 0))


class LeftAlone(Paired):
    def stop_of(self, machine: LineMachine) -> EventLine:
        said = [s for s in machine.said() if isinstance(s, EventLine) and s.what == "stop"]
        self.assertEqual(len(said), 1)
        return said[0]

    def test_a_machine_that_hears_nothing_of_its_desk_ends_its_program(self) -> None:
        machine = self.started(alone_s=0.5)
        self.assertEqual(self.stop_of(machine).because, "left_alone")

    def test_one_that_hears_of_it_runs_on(self) -> None:
        machine = self.started(alone_s=8.0)
        hand = self.line()
        for said in machine.said():
            hand.beat()
            if isinstance(said, EventLine) and said.what == "stop":
                self.assertEqual(said.because, "hand")
            if getattr(said, "t", 0) > 60:  # 15 s by the clock that the machine waits by
                hand.order(PlainOrder(do="stop"))
                break
        self.assertEqual(self.stop_of(machine).because, "hand")
