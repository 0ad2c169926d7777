"""What the network reaches: a tasting, each taster their own place, and nothing else, whatever it
says it is and however much of it comes at once."""

from __future__ import annotations

import contextlib
import re
import socket
import threading
from collections.abc import Iterator
from typing import Any, ClassVar
from unittest.mock import patch

import httpx
import uvicorn
from websockets.exceptions import ConnectionClosed, InvalidStatus
from websockets.sync.client import connect as connect_socket

from tests.api.test_house import Served
from tests.parts import PATIENCE_S, served_to_phones, settings_of, wait_for
from vapocline.api.codes import FREE_GUESSES, GuessLimiter
from vapocline.cli.serving import EVERYWHERE, listen
from vapocline.runtime import phones
from vapocline.runtime.phones import MOST_FROM_ONE

LIES = ("localhost", "127.0.0.1", "[::1]", "LOCALHOST")
NUMBERS = re.compile(r"\{[^}]+\}")


class Phones(Served):
    """A phone in the house's network, here at another address of this machine."""

    sample_world = True
    port: ClassVar[int]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.port = cls.enterClassContext(served_to_phones(cls.context))

    def phone(self, address: str = "127.0.0.2") -> httpx.Client:
        """A phone that comes from an address of its own."""
        transport = httpx.HTTPTransport(local_address=address)
        there = f"http://127.0.0.2:{self.port}"
        return self.enterContext(httpx.Client(base_url=there, transport=transport, timeout=90))

    def table(self, **said: Any) -> dict[str, Any]:
        setup = {"shot_ids": [1, 3], "tasters": ["Anna", "Bo"], "lines": ["liking"]} | said
        table: dict[str, Any] = self.client.post("/api/tastings", json=setup).json()
        return table

    def seat(self, table: dict[str, Any], at: int = 0) -> tuple[str, dict[str, str]]:
        """The address of a seat, and the header of whoever sits there."""
        seat = table["seats"][at]
        path = f"/api/tables/{table['join_code']}/seats/{seat['taster_id']}"
        return path, {"Vapocline-Seat": seat["secret"]}

    def test_a_phone_tastes_at_its_own_place(self) -> None:
        table, phone = self.table(), self.phone()
        path, secret = self.seat(table)
        cup = phone.get(path, headers=secret).json()["cups"][0]["number"]
        said = {"cup": cup, "warmth": "hot", "line": "liking", "points": 7}
        answer = phone.put(f"{path}/score", json=said, headers=secret)
        self.assertEqual(answer.status_code, 204, answer.text)
        code = table["join_code"]
        for open_to_it in (f"/api/tables/{code}", "/api/form", f"/table/{code}", "/icon.svg"):
            self.assertEqual(phone.get(open_to_it).status_code, 200, open_to_it)

    def test_no_route_and_no_socket_but_the_tables_is_reached_under_any_name(self) -> None:
        """Asked for all that the API says it has, by the right name and by this computer's own."""
        phone = self.phone()
        described = self.client.get("/api/openapi.json").json()["paths"]
        tried = 0
        for path, methods in described.items():
            if path.startswith(("/api/tables/", "/api/form")):
                continue
            for method in methods:
                for host in (f"127.0.0.2:{self.port}", LIES[tried % len(LIES)]):
                    answer = phone.request(
                        method.upper(), NUMBERS.sub("1", path), headers={"host": host}, json={}
                    )
                    status = 403 if host.startswith("127.0.0.2") else 421
                    self.assertEqual(answer.status_code, status, f"{method} {path} as {host}")
                    tried += 1
        self.assertGreater(tried, 200)
        for path in ("/plan", "/", "/pull/4/3", "/api/openapi.json", "/table/../api/bench"):
            self.assertIn(phone.get(path).status_code, (403, 404), path)
        for path in ("shots/1/live", "learn/live"):
            for host in (None, *LIES):
                headers = {} if host is None else {"Host": host}
                with (
                    self.assertRaises((InvalidStatus, ConnectionClosed)),
                    connect_socket(
                        f"ws://127.0.0.2:{self.port}/api/{path}", additional_headers=headers
                    ) as watched,
                ):
                    watched.recv(PATIENCE_S)
                    self.fail(f"a phone watched {path}")

    def test_a_name_that_leads_here_is_refused_and_a_forwarded_address_believed_by_nobody(
        self,
    ) -> None:
        phone = self.phone()
        self.refused(phone.get("/api/form", headers={"host": "oven.example"}), 421)
        for lie in ({"x-forwarded-for": "127.0.0.1"}, {"forwarded": "for=127.0.0.1"}):
            self.refused(phone.get("/api/bench", headers=lie), 403)

    def test_the_bench_itself_listens_on_loopback_alone(self) -> None:
        port = httpx.URL(self.address).port
        with self.assertRaises(httpx.ConnectError):
            httpx.get(f"http://127.0.0.2:{port}/api/form")

    def test_anothers_place_is_neither_read_nor_answered(self) -> None:
        table, phone = self.table(), self.phone("127.0.0.3")
        (annas, _), (_, bos_secret) = self.seat(table, 0), self.seat(table, 1)
        said = {"cup": 417, "warmth": "hot", "line": "liking", "points": 7}
        for secret in (bos_secret, {}, {"Vapocline-Seat": "x"}):
            self.assertIn("another taster's", self.refused(
                phone.get(annas, headers=secret), 403)["detail"])  # fmt: skip
        self.refused(phone.put(f"{annas}/score", json=said, headers=bos_secret), 403)
        self.refused(phone.put(f"{annas}/remark", json={k: v for k, v in said.items()
                     if k in ("cup", "warmth")}, headers=bos_secret), 403)  # fmt: skip
        told = phone.get(f"/api/tables/{table['join_code']}").text
        self.assertNotIn(table["seats"][0]["secret"], told)

    def test_guessing_is_slowed_and_a_guest_behind_the_same_address_is_not(self) -> None:
        table, phone = self.table(), self.phone("127.0.0.4")
        path, secret = self.seat(table)
        self.assertEqual(phone.get(path, headers=secret).status_code, 200)
        statuses = [phone.get(f"/api/tables/guess{n}").status_code for n in range(FREE_GUESSES + 2)]
        self.assertEqual(statuses, [404] * FREE_GUESSES + [429] * 2)
        slowed = phone.get(path, headers={"Vapocline-Seat": "guess"})
        self.assertIn("Too many wrong codes", self.refused(slowed, 429)["detail"])
        self.assertGreaterEqual(int(slowed.headers["retry-after"]), 1)
        self.assertEqual(phone.get(path, headers=secret).status_code, 200)
        other = self.phone("127.0.0.5")
        self.assertEqual(other.get(f"/api/tables/{table['join_code']}").status_code, 200)

    def test_a_secret_sent_where_none_is_asked_for_is_not_taken_for_right(self) -> None:
        table, phone = self.table(), self.phone("127.0.0.9")
        path, secret = self.seat(table)
        statuses = []
        for number in range(FREE_GUESSES + 2):
            guess = {"Vapocline-Seat": f"guess{number}"}
            read = phone.get(f"/api/tables/{table['join_code']}", headers=guess)
            self.assertEqual(read.status_code, 200)
            statuses.append(phone.get(path, headers=guess).status_code)
        self.assertEqual(statuses, [403] * FREE_GUESSES + [429] * 2)
        guest = self.phone("127.0.0.10")
        self.assertEqual(guest.get(path, headers=secret).status_code, 200)

    def test_a_code_ends_a_day_after_its_tasting_was_closed(self) -> None:
        table, phone = self.table(), self.phone("127.0.0.6")
        path = f"/api/tables/{table['join_code']}"
        closed = self.client.post(f"/api/tastings/{table['id']}/close", json={"incomplete": True})
        self.assertEqual(closed.status_code, 200, closed.text)
        self.assertEqual(phone.get(f"{path}/results").status_code, 200)
        with self.context.resources.engine.begin() as connection:
            connection.exec_driver_sql(
                "update tasting_sessions set closed_at = closed_at - interval '25 hours'"
                f" where id = {table['id']}"
            )
        self.refused(phone.get(path), 404)
        self.assertEqual(self.client.get(f"/api/tastings/{table['id']}").status_code, 200)

    def test_a_link_is_drawn_for_each_seat(self) -> None:
        table = self.table()
        seat = f"/api/tastings/{table['id']}/seats/{table['seats'][0]['taster_id']}"
        drawn = self.client.get(f"{seat}/link.svg")
        self.assertEqual(drawn.headers["content-type"], "image/svg+xml")
        self.assertIn("<svg", drawn.text)
        self.refused(self.client.get(f"/api/tastings/{table['id']}/seats/9999/link.svg"), 404)

    def half_open(self, address: str) -> socket.socket | None:
        """A connection that has sent the beginning of a request; None where it was refused."""
        line = socket.socket()
        line.bind((address, 0))
        line.settimeout(PATIENCE_S)
        try:
            line.connect(("127.0.0.2", self.port))
            line.sendall(b"GET /api/form HTTP/1.1\r\nHost: 127.0.0.2\r\n")
        except OSError:
            line.close()
            return None
        self.addCleanup(line.close)
        return line

    def closed(self, line: socket.socket) -> bool:
        line.setblocking(False)
        try:
            return line.recv(1, socket.MSG_PEEK) == b""
        except BlockingIOError:
            return False
        except OSError:
            return True

    def test_one_address_holds_few_connections_and_the_others_are_served(self) -> None:
        lines = [self.half_open("127.0.0.7") for _ in range(3 * MOST_FROM_ONE)]

        def left() -> int:
            return sum(line is not None and not self.closed(line) for line in lines)

        wait_for(lambda: left() <= MOST_FROM_ONE, "the rest to be hung up on")
        self.assertEqual(self.phone("127.0.0.8").get("/api/form").status_code, 200)

    def test_a_request_that_does_not_arrive_in_time_is_hung_up_on(self) -> None:
        """Its headers, or the body it announced; one that is answered is waited for."""
        headers = b"PUT /api/tables/x/seats/1/score HTTP/1.1\r\nHost: 127.0.0.2\r\n"
        with patch.object(phones, "REQUEST_S", 0.5), self.served_here() as port:
            for begun in (headers, headers + b"Content-Length: 9\r\n\r\n1"):
                line = self.enterContext(socket.create_connection(("127.0.0.2", port), PATIENCE_S))
                line.sendall(begun)
                while line.recv(4096):
                    pass  # any answer is read; a connection that is left open times out
            answer = httpx.get(f"http://127.0.0.2:{port}/api/form", timeout=PATIENCE_S)
            self.assertEqual(answer.status_code, 200)

    @contextlib.contextmanager
    def served_here(self) -> Iterator[int]:
        """The server for phones in this process."""
        config = phones.PhoneConfig(phones.phone_application(settings_of(self.context)))
        server = uvicorn.Server(config)
        with contextlib.closing(listen(None, EVERYWHERE)) as listener:
            thread = threading.Thread(target=server.run, args=([listener],), daemon=True)
            thread.start()
            wait_for(lambda: server.started, "the server to start")
            yield listener.getsockname()[1]
            server.should_exit = True
            thread.join(PATIENCE_S)

    def test_the_wait_grows_to_a_minute_and_is_forgiven(self) -> None:
        now = 0.0
        limiter = GuessLimiter(self.fail, clock=lambda: now)  # type: ignore[arg-type]
        waits = []
        for number in range(14):
            limiter._note("a", (f"c{number}", ""), right=False)
            waits.append(limiter._wait_s("a"))
        self.assertEqual(waits[:7], [0, 0, 0, 0, 1, 2, 4])
        self.assertEqual(waits[-1], 60)
        now = 700.0
        limiter._note("a", ("again", ""), right=False)
        self.assertEqual(limiter._wait_s("a"), 0)
