"""Who may ask: foreign pages, foreign names and endless bodies are refused at the door."""

from __future__ import annotations

import base64
import hashlib
import http.client
import re
from collections.abc import Iterator
from urllib.parse import urlsplit

import httpx
from websockets.exceptions import InvalidStatus
from websockets.sync.client import connect as connect_socket

from tests.api.test_house import Served
from tests.parts import served
from vapocline.api.guard import LARGEST_BODY, LARGEST_CSV

FOREIGN = "http://oven.example"


class Guarded(Served):
    def posted_by_a_page(self, path: str, **headers: str) -> int:
        return self.client.post(path, headers=headers).status_code

    def test_no_foreign_page_may_order_what_needs_no_body(self) -> None:
        """A form or a script elsewhere can send these without asking first."""
        number = self.started("Guarded")
        for path in (
            f"/api/shots/{number}/close", "/api/shots/1/seen", "/api/shots/1/strength/read",
            "/api/kept-calibrations/1/use", "/api/machines/1/switched", "/api/shots/1/orders",
        ):  # fmt: skip
            with self.subTest(path):
                answer = self.client.post(path, headers={"origin": FOREIGN})
                self.assertIn("oven.example", self.refused(answer, 403)["detail"])
                for site in ("cross-site", "same-site"):
                    self.assertEqual(self.posted_by_a_page(path, **{"sec-fetch-site": site}), 403)
                for origin in ("null", "", "http://[", "//", self.address + ".oven.example"):
                    self.assertEqual(self.posted_by_a_page(path, origin=origin), 403, origin)

    def test_every_unsafe_method_is_refused_to_a_foreign_page(self) -> None:
        for method in ("POST", "PUT", "PATCH", "DELETE"):
            answer = self.client.request(method, "/api/bench", headers={"origin": FOREIGN})
            self.refused(answer, 403)
        self.assertEqual(
            self.client.get("/api/bench", headers={"origin": FOREIGN}).status_code, 200
        )

    def test_a_page_of_ours_and_a_program_without_a_page_may_order(self) -> None:
        asked = {"minutes_ago": 3}
        for headers in (
            {}, {"origin": self.address}, {"origin": self.address, "sec-fetch-site": "same-origin"},
        ):  # fmt: skip
            answer = self.client.post("/api/machines/1/switched", json=asked, headers=headers)
            self.assertEqual(answer.status_code, 200, answer.text)

    def test_a_page_at_another_port_of_this_machine_is_foreign(self) -> None:
        """It may be anybody's: a development server, another user's program."""
        answer = self.client.post("/api/shots/1/seen", headers={"origin": "http://127.0.0.1:1"})
        self.refused(answer, 403)

    def test_a_foreign_page_may_not_watch(self) -> None:
        address = self.address.replace("http", "ws") + "/api/shots/1/live"
        with self.assertRaises(InvalidStatus) as refused, connect_socket(address, origin=FOREIGN):
            pass
        self.assertEqual(refused.exception.response.status_code, 403)

    def test_only_names_of_ours_are_answered(self) -> None:
        """A foreign name that is made to point here is still foreign."""
        port = urlsplit(self.address).port
        for name in ("oven.example", f"oven.example:{port}", "127.0.0.1.oven.example", "[::1", ""):
            with self.subTest(name):
                problem = self.refused(self.client.get("/api/bench", headers={"host": name}), 421)
                self.assertIn("takes 127.0.0.1, ::1, localhost", problem["detail"])
        for name in ("127.0.0.1", f"localhost:{port}", f"LOCALHOST:{port}", f"[::1]:{port}"):
            with self.subTest(name):
                answer = self.client.get("/api/bench", headers={"host": name})
                self.assertEqual(answer.status_code, 200)

    def test_browsers_are_told_to_keep_to_us(self) -> None:
        page = self.client.get("/plan")
        inline = re.findall(r"<script>(.*?)</script>", page.text, re.DOTALL)
        self.assertEqual(len(inline), 1)
        digest = base64.b64encode(hashlib.sha256(inline[0].encode()).digest()).decode()
        for answer in (page, self.client.get("/api/bench"), self.client.get("/api/nothing")):
            policy = answer.headers["content-security-policy"]
            self.assertIn(f"script-src 'self' 'sha256-{digest}'", policy)
            self.assertNotIn("unsafe", policy)
            self.assertIn("frame-ancestors 'none'", policy)
            self.assertEqual(answer.headers["x-content-type-options"], "nosniff")
            self.assertEqual(answer.headers["referrer-policy"], "no-referrer")

    def test_a_body_of_any_size_is_not_read(self) -> None:
        one = self.client.post("/api/predictions", content=b" " * (LARGEST_BODY + 1))
        self.assertIn("up to 1 MB", self.refused(one, 413)["detail"])
        other = self.client.post("/api/tidied", content=b" " * (LARGEST_CSV + 1))
        self.assertIn("up to 5 MB", self.refused(other, 413)["detail"])

    def test_a_body_without_its_length_is_counted_as_it_comes(self) -> None:
        def endless() -> Iterator[bytes]:
            for _ in range(40):
                yield b" " * 100_000

        line = http.client.HTTPConnection(urlsplit(self.address).netloc, timeout=90)
        self.addCleanup(line.close)
        line.request(
            "POST", "/api/predictions", body=endless(), encode_chunked=True,
            headers={"content-type": "application/json", "transfer-encoding": "chunked"},
        )  # fmt: skip
        self.assertEqual(line.getresponse().status, 413)


class FromTheNetwork(Served):
    """A phone in the house's network, here at another address of this machine."""

    sample_world = True

    def setUp(self) -> None:
        address = self.enterContext(served(self.context, phones=True))
        self.port = urlsplit(address).port
        self.phone = self.enterContext(
            httpx.Client(base_url=f"http://127.0.0.2:{self.port}", timeout=90)
        )

    def test_a_phone_reaches_a_tasting_and_nothing_else(self) -> None:
        setup = {"shot_ids": [1, 3], "tasters": ["Anna"], "lines": ["liking"]}
        table = self.client.post("/api/tastings", json=setup).json()
        path = f"/api/tables/{table['join_code']}"
        seat = f"{path}/seats/{table['seats'][0]['taster_id']}"
        cup = self.phone.get(seat).json()["cups"][0]["cup_id"]
        said = {"cup_id": cup, "warmth": "hot", "line": "liking", "points": 7}
        self.assertEqual(self.phone.put(f"{seat}/score", json=said).status_code, 204)
        for open_to_it in (path, "/api/form", f"/table/{table['join_code']}"):
            self.assertEqual(self.phone.get(open_to_it).status_code, 200, open_to_it)
        for closed_to_it in ("/api/bench", "/api/shots", "/api/tastings", "/plan", "/"):
            self.refused(self.phone.get(closed_to_it), 403)
        serving = f"/api/tastings/{table['id']}/serving"
        self.refused(self.phone.get(serving), 403)
        self.refused(self.phone.post("/api/shots/1/orders", json={"do": "stop"}), 403)
        with (
            self.assertRaises(InvalidStatus),
            connect_socket(f"ws://127.0.0.2:{self.port}/api/shots/1/live"),
        ):
            self.fail("a phone watched a shot")

    def test_a_name_that_leads_here_is_still_refused(self) -> None:
        self.refused(self.phone.get("/api/form", headers={"host": "oven.example"}), 421)

    def test_without_phones_nothing_listens_there(self) -> None:
        port = urlsplit(self.address).port
        with self.assertRaises(httpx.ConnectError):
            httpx.get(f"http://127.0.0.2:{port}/api/form")
