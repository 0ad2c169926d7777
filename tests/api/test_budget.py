"""What a request computes ends when nobody waits for it any more, or after its budget of time."""

from __future__ import annotations

import contextlib
import json
import socket
import threading
from typing import Any
from unittest.mock import patch
from urllib.parse import urlsplit

from tests.api.test_house import SHORT, Served
from tests.parts import wait_for
from vapocline.api import dependencies
from vapocline.core.base.cancellation import Cancelled, check_cancelled
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
