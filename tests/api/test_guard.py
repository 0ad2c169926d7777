"""Who may ask: foreign pages, foreign names and endless bodies are refused at the door."""

from __future__ import annotations

import base64
import hashlib
import http.client
import re
from collections.abc import Iterator
from urllib.parse import urlsplit

from websockets.exceptions import ConnectionClosed, InvalidStatus
from websockets.sync.client import connect as connect_socket

from tests.api.test_house import Served
from vapocline.api.guard import LARGEST_BODY, LARGEST_RECORDING

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
        for path in ("/api/tidied", "/api/recordings", "/api/recordings/sheet"):
            within = self.client.post(path, content=b" " * LARGEST_RECORDING)
            self.assertEqual(within.status_code, 422, path)
            over = self.client.post(path, content=b" " * (LARGEST_RECORDING + 1))
            self.assertIn("up to 5 MB", self.refused(over, 413)["detail"])

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

    def test_nothing_that_is_asked_of_the_api_is_kept_by_a_browser(self) -> None:
        for path in ("/api/bench", "/api/nothing", "/api/shots/999"):
            self.assertEqual(self.client.get(path).headers["cache-control"], "no-store", path)

    def test_a_nul_is_refused_wherever_it_stands(self) -> None:
        for path in (
            "/api/tables/a%00b", "/api/shots?state=%00", "/api/shots/1/tasting/%00/straight",
            "/api/compare?first=1&second=2&clock=a%00b", "/api/nothing%00",
        ):  # fmt: skip
            self.assertIn("NUL", self.refused(self.client.get(path), 422)["detail"], path)
        address = self.address.replace("http", "ws")
        with (
            self.assertRaises(InvalidStatus) as refused,
            connect_socket(address + "/api/tables/a%00b/live"),
        ):
            pass
        self.assertEqual(refused.exception.response.status_code, 403)
        with (
            connect_socket(address + "/api/learn/live") as socket,
            self.assertRaises(ConnectionClosed),
        ):
            socket.send("a\x00b")
            while True:
                socket.recv(90)
