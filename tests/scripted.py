"""A machine that says what a test has it say, over a real port."""

from __future__ import annotations

import contextlib
import json
import socket
import threading
from typing import Any

from vapocline.devices.messages import (
    Beat,
    EndLine,
    MachineStatus,
    Order,
    PlainOrder,
    Reply,
    Start,
    Watch,
    read_order,
    written,
)

SAMPLE = {
    "is": "sample", "pressure_bar": 6.0, "water_ml_s": 2.0, "weight_g": 4.0, "group_c": 92.0,
    "commanded": 6.0, "control": "pressure", "phase": 0,
}  # fmt: skip


def samples(count: int, first: int = 0, **other: Any) -> list[bytes]:
    """So many readings, 20 a second, from a sequence number on."""
    return [
        json.dumps(SAMPLE | {"seq": n, "t": round(0.05 * (n + 1), 3)} | other).encode() + b"\n"
        for n in range(first, first + count)
    ]


def stop(seq: int, t: float) -> bytes:
    """The pump stopped."""
    said = {"is": "event", "seq": seq, "t": t, "what": "stop", "because": "cup_g"}
    return json.dumps(said).encode() + b"\n"


def end(seq: int) -> bytes:
    """The shot is over."""
    return written(EndLine(seq=seq))


class ScriptedMachine:
    """Says `said` to whoever watches, then keeps the line open, or hangs up with `hangs_up`.

    `answers_start` is False for one that starts and hangs up without a word; `starts` is False for
    one that does not even start, and `not_yet` is how often it says so before it has. One that
    lacks some of its messages goes `by_number`. `orders` are those it was given, but for beats.
    """

    def __init__(self, said: list[bytes]) -> None:
        """Listen on a free port."""
        self.said = said
        self.answers_start = self.starts = True
        self.hangs_up = False
        self.not_yet = 0
        self.by_number = False
        self.orders: list[Order] = []
        self.beats = 0
        self.shot: str | None = None
        self._over = threading.Event()
        self._lines: list[socket.socket] = []
        self._listener = socket.create_server(("127.0.0.1", 0))
        self.address = f"127.0.0.1:{self._listener.getsockname()[1]}"
        threading.Thread(target=self._listen, daemon=True).start()

    def close(self) -> None:
        """Hang up everywhere."""
        self._over.set()
        self._listener.close()
        for line in self._lines:
            with contextlib.suppress(OSError):
                line.shutdown(socket.SHUT_RDWR)
            line.close()

    def given(self, do: str) -> int:
        """How often it was given an order."""
        return sum(order.do == do for order in self.orders)

    def _listen(self) -> None:
        with contextlib.suppress(OSError):
            while True:
                line, _ = self._listener.accept()
                self._lines.append(line)
                threading.Thread(target=self._serve, args=(line,), daemon=True).start()

    def _serve(self, line: socket.socket) -> None:
        with contextlib.suppress(OSError, ValueError), line, line.makefile("rb") as orders:
            for raw in orders:
                order = read_order(raw)
                if isinstance(order, Beat):
                    self.beats += 1
                    continue
                self.orders.append(order)
                if isinstance(order, Start):
                    self.shot = order.shot if self.starts else self.shot
                    if not self.answers_start:
                        return
                reply = self._reply(order)
                line.sendall(written(reply))
                if isinstance(order, Watch) and reply.ok:
                    line.sendall(b"".join(self._from(order.since)))
                    if self.hangs_up:
                        return

    def _from(self, since: int) -> list[bytes]:
        return (
            [one for one in self.said if json.loads(one)["seq"] >= since]
            if self.by_number
            else self.said[since:]
        )

    def _knows(self, order: Watch) -> bool:
        if self.not_yet:
            self.not_yet -= 1
            return False
        return order.shot in ("", self.shot)

    def _reply(self, order: Order) -> Reply:
        ok = not isinstance(order, Watch) or self._knows(order)
        status = MachineStatus(shot=self.shot, running=self.shot is not None, group_c=93)
        return Reply(
            to=order.do,
            id=order.id,
            ok=ok,
            error=None if ok else "it knows no such shot",
            machine=status if isinstance(order, PlainOrder) and order.do == "status" else None,
        )
